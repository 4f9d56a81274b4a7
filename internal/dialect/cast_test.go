package dialect_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// TestCaster writes how a server is to read the texts of a column, and says of which it
// cannot.
func TestCaster(t *testing.T) {
	plain := dialect.Caster{Dialect: dialect.SQLite, Truth: [2]string{"1", "0"}, To: func(x string, _ table.Type) string { return x }}
	formatted := plain
	formatted.Formatted = func(x, pattern string, _ table.Type) string { return "read(" + x + ", " + pattern + ")" }
	byFormat := formatted
	byFormat.ByFormat = true
	const text = "LTRIM(RTRIM(c))"
	iso := func(parts string) string {
		return "CASE WHEN c IS NULL OR " + text + " = '' THEN NULL ELSE " + parts + " END"
	}
	for _, c := range []struct {
		typ    string
		column table.Column
		width  int
		by     *dialect.Caster
		want   string
		why    string
	}{
		{"integer", table.Column{}, 0, &plain, iso(text), ""},
		{"decimal(7,2)", table.Column{Thousands: ".", Decimal: ","}, 0, &plain, iso("REPLACE(REPLACE(" + text + ", '.', ''), ',', '.')"), ""},
		{"decimal(7,2)", table.Column{Currency: "£"}, 0, &plain, "", "have a sign"},
		{"double", table.Column{NullWords: []string{"N/A", "it's"}}, 0, &plain, "CASE WHEN c IS NULL OR LOWER(" + text + ") IN ('', 'n/a', 'it''s') THEN NULL ELSE " + text + " END", ""},
		{"boolean", table.Column{TrueWords: []string{"Yes"}, FalseWords: []string{"no"}}, 0, &plain, iso("CASE WHEN LOWER(" + text + ") IN ('yes') THEN 1 WHEN LOWER(" + text + ") IN ('no') THEN 0 ELSE " + text + " END"), ""},
		{"boolean", table.Column{}, 0, &plain, "", "words for true and false"},
		{"date", table.Column{Format: "yyyy-MM-dd"}, 10, &plain, iso(text), ""},
		{"date", table.Column{Format: "dd/MM/yyyy"}, 10, &plain, iso("CONCAT(SUBSTRING(" + text + ", 7, 4), '-', SUBSTRING(" + text + ", 4, 2), '-', SUBSTRING(" + text + ", 1, 2))"), ""},
		{"date", table.Column{Format: "yyyyMMdd"}, 8, &plain, iso("CONCAT(SUBSTRING(" + text + ", 1, 4), '-', SUBSTRING(" + text + ", 5, 2), '-', SUBSTRING(" + text + ", 7, 2))"), ""},
		{"date", table.Column{Format: "dd/MM/yyyy"}, 0, &plain, "", "written in several ways"}, // some have one digit
		{"date", table.Column{Format: "dd/MM/yy"}, 8, &plain, "", "written in several ways"},   // of which century?
		{"date", table.Column{Format: "dd MMM yyyy"}, 11, &plain, "", "SQLite reads only one"},
		{"date", table.Column{Format: "dd MMM yyyy"}, 0, &formatted, iso("read(" + text + ", dd MMM yyyy)"), ""},
		{"timestamp(0)", table.Column{Format: "yyyy-MM-dd'T'HH:mm:ss"}, 19, &formatted, iso(text), ""},
		{"timestamp(0)", table.Column{Format: "yyyy-MM-dd HH:mm:ss"}, 19, &byFormat, iso("read(" + text + ", yyyy-MM-dd HH:mm:ss)"), ""},
		{"timestamp(0)", table.Column{Format: "MM/dd/yyyy hh:mm a"}, 19, &plain, "", "written in several ways"},
		{"time(0)", table.Column{Format: "HH:mm"}, 5, &plain, iso(text), ""},
		{"time(0)", table.Column{Format: "hh:mm a"}, 8, &plain, "", "written in several ways"},
		{"timestamp with time zone", table.Column{Format: "dd/MM/yyyy HH:mm:ssXXX"}, 25, &plain, "", "written in several ways"},
	} {
		typ, err := table.ParseType(c.typ)
		require.NoError(t, err)
		c.column.Name, c.column.Type = "c", typ
		got, why := c.by.Values(&c.column, c.width)
		require.Equal(t, c.want, got, c.typ+" "+c.column.Format)
		if c.why == "" {
			require.Empty(t, why)
		} else {
			require.Contains(t, why, c.why)
		}
	}
}

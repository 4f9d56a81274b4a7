package dialect_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// TestCaster writes how a server is to read the texts of a column, and says of which it
// cannot.
func TestCaster(t *testing.T) {
	plain := dialect.Caster{
		Dialect: dialect.MySQL, Truth: [2]string{"1", "0"}, Trim: dialect.Trim, TrimAll: func(x string) string { return "ALL" + dialect.Trim(x) },
		To:      func(x string, t table.Type) string { return t.String() + "(" + x + ")" },
		Matches: func(x, pattern string) string { return x + " ~ " + pattern },
	}
	keeps := plain
	keeps.Keeps = true
	formatted := plain
	formatted.Formatted = func(x, pattern string, _ table.Type) string { return "read(" + x + ", " + pattern + ")" }
	byFormat := formatted
	byFormat.ByFormat = true
	for _, c := range []struct {
		typ    string
		column table.Column
		width  int
		by     *dialect.Caster
		want   string // of the text x of column c, after blanks
		why    string
	}{
		{"integer", table.Column{}, 0, &plain, "WHEN x ~ *[^-+0-9]* THEN integer(CONCAT('not integer: ', c)) ELSE integer(x)", ""},
		{"integer", table.Column{Trim: true}, 0, &plain, "WHEN ALLx ~ *[^-+0-9]* THEN integer(CONCAT('not integer: ', c)) ELSE integer(ALLx)", ""},
		{"integer", table.Column{}, 0, &keeps, "ELSE integer(x)", ""},
		{"decimal(7,2)", table.Column{}, 0, &plain, "WHEN x ~ *[^-+0-9.]* OR x ~ *[.][0-9][0-9][0-9]* THEN decimal(7,2)(CONCAT('not decimal(7,2): ', c)) ELSE decimal(7,2)(x)", ""},
		{"decimal(7,2)", table.Column{Thousands: ".", Decimal: ","}, 0, &keeps, "WHEN x ~ *[^-+0-9.,]* OR x ~ *[0-9.][-+]* OR x ~ *[,]*[,.]* OR x ~ *[.][0-9][0-9][0-9][0-9]* OR CONCAT(x, ' ') ~ *[.][^0-9]* OR CONCAT(x, ' ') ~ *[.][0-9][^0-9]* OR CONCAT(x, ' ') ~ *[.][0-9][0-9][^0-9.]* THEN c ELSE decimal(7,2)(REPLACE(REPLACE(x, '.', ''), ',', '.'))", ""},
		{"decimal(7,2)", table.Column{Currency: "£"}, 0, &plain, "", "have a sign"},
		{"double", table.Column{NullWords: []string{"N/A", "it's"}}, 0, &plain, "CASE WHEN c IS NULL OR LOWER(x) IN ('', 'n/a', 'it''s') THEN NULL WHEN x ~ *[^-+0-9.eE]* THEN double(CONCAT('not double: ', c)) ELSE double(x)", ""},
		{"boolean", table.Column{TrueWords: []string{"Yes"}, FalseWords: []string{"no"}}, 0, &plain, "ELSE CASE WHEN LOWER(x) IN ('yes') THEN 1 WHEN LOWER(x) IN ('no') THEN 0 ELSE boolean(CONCAT('not boolean: ', c)) END", ""},
		{"boolean", table.Column{}, 0, &plain, "", "words for true and false"},
		{"date", table.Column{Format: "yyyy-MM-dd"}, 10, &plain, "WHEN NOT x ~ [0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9] THEN date(CONCAT('not yyyy-MM-dd: ', c)) ELSE date(x)", ""},
		{"date", table.Column{Format: "yyyy-MM-dd"}, 0, &plain, "WHEN x ~ *[^-0-9 T:.]* OR x ~ *[ T]*[1-9]* THEN date(CONCAT('not yyyy-MM-dd: ', c)) ELSE date(x)", ""},
		{"date", table.Column{Format: "dd/MM/yyyy"}, 10, &keeps, "WHEN NOT x ~ [0-9][0-9]/[0-9][0-9]/[0-9][0-9][0-9][0-9] THEN c ELSE date(CONCAT(SUBSTRING(x, 7, 4), '-', SUBSTRING(x, 4, 2), '-', SUBSTRING(x, 1, 2)))", ""},
		{"date", table.Column{Format: "dd/MM/yyyy"}, 16, &plain, "WHEN NOT x ~ [0-9][0-9]/[0-9][0-9]/[0-9][0-9][0-9][0-9][ T][0:.][0:.][0:.][0:.][0:.] THEN date(CONCAT('not dd/MM/yyyy: ', c)) ELSE date(CONCAT(SUBSTRING(x, 7, 4), '-', SUBSTRING(x, 4, 2), '-', SUBSTRING(x, 1, 2)))", ""}, // with midnight
		{"date", table.Column{Format: "yyyyMMdd"}, 8, &plain, "WHEN NOT x ~ [0-9][0-9][0-9][0-9][0-9][0-9][0-9][0-9] THEN date(CONCAT('not yyyyMMdd: ', c)) ELSE date(CONCAT(SUBSTRING(x, 1, 4), '-', SUBSTRING(x, 5, 2), '-', SUBSTRING(x, 7, 2)))", ""},
		{"date", table.Column{Format: "dd/MM/yyyy"}, 0, &plain, "", "does not read"}, // some have one digit
		{"date", table.Column{Format: "dd/MM/yy"}, 8, &plain, "", "does not read"},   // of which century?
		{"date", table.Column{Format: "dd MMM yyyy"}, 11, &plain, "", "MySQL does not read dates"},
		{"date", table.Column{Format: "dd MMM yyyy"}, 0, &formatted, "ELSE read(x, dd MMM yyyy)", ""},
		{"timestamp(0)", table.Column{Format: "yyyy-MM-dd'T'HH:mm"}, 16, &formatted, "WHEN NOT x ~ [0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9][ T][0-9][0-9]:[0-9][0-9] THEN timestamp(0)(CONCAT('not yyyy-MM-dd''T''HH:mm: ', c)) ELSE timestamp(0)(CONCAT(SUBSTRING(x, 1, 4), '-', SUBSTRING(x, 6, 2), '-', SUBSTRING(x, 9, 2), ' ', SUBSTRING(x, 12, 2), ':', SUBSTRING(x, 15, 2), ':00'))", ""},
		{"timestamp(0)", table.Column{Format: "yyyy-MM-dd HH:mm:ss"}, 19, &byFormat, "WHEN NOT x ~ [0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9][ T][0-9][0-9]:[0-9][0-9]:[0-9][0-9] THEN timestamp(0)(CONCAT('not yyyy-MM-dd HH:mm:ss: ', c)) ELSE read(x, yyyy-MM-dd HH:mm:ss)", ""},
		{"timestamp(3)", table.Column{Format: "yyyy-MM-dd HH:mm:ss.SSSSSS"}, 23, &plain, "WHEN x ~ *[^-0-9 T:.]* OR x ~ *[.][0-9][0-9][0-9][0-9]* THEN timestamp(3)(CONCAT('not yyyy-MM-dd HH:mm:ss.SSSSSS: ', c)) ELSE timestamp(3)(x)", ""},
		{"timestamp(3)", table.Column{Format: "yyyy-MM-dd HH:mm:ss.SSSSSS"}, 23, &keeps, "", "does not read"},
		{"timestamp(0)", table.Column{Format: "MM/dd/yyyy hh:mm a"}, 19, &plain, "", "does not read"},
		{"time(0)", table.Column{Format: "HH:mm"}, 5, &plain, "WHEN NOT x ~ [0-9][0-9]:[0-9][0-9] THEN time(0)(CONCAT('not HH:mm: ', c)) ELSE time(0)(CONCAT(SUBSTRING(x, 1, 2), ':', SUBSTRING(x, 4, 2), ':00'))", ""},
		{"time(0)", table.Column{Format: "hh:mm a"}, 8, &plain, "", "does not read"},
		{"timestamp with time zone", table.Column{Format: "dd/MM/yyyy HH:mm:ssXXX"}, 25, &plain, "", "does not read"},
	} {
		typ, err := table.ParseType(c.typ)
		require.NoError(t, err)
		c.column.Name, c.column.Type = "c", typ
		got, why := c.by.Values(&c.column, c.width)
		got = strings.ReplaceAll(strings.Join(strings.Fields(got), " "), "TRIM(c)", "x")
		got = strings.TrimPrefix(strings.Replace(got, "OR ALLx", "OR x", 1), "CASE WHEN c IS NULL OR x = '' THEN NULL ")
		got = strings.TrimSuffix(got, " END")
		require.Equal(t, c.want, got, c.typ+" "+c.column.Format)
		if c.why == "" {
			require.Empty(t, why)
		} else {
			require.Contains(t, why, c.why)
		}
	}
}

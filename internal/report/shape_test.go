package report

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/record"
	"ambertray/internal/table"
)

// TestShapes shows columns of every kind by what says most of them, and counts each value
// once.
func TestShapes(t *testing.T) {
	for _, c := range []struct {
		typ, format string
		cell        func(i int) string
		what        string // of ranges; "" for values, "none" for no shape
		from, to    string
	}{
		{"integer", "", func(i int) string { return fmt.Sprint(i) }, "numbers", "0", "199"},
		{"integer", "", func(i int) string { return fmt.Sprint(i % 3) }, "", "0", ""},
		{"decimal(7,2)", "", func(i int) string { return fmt.Sprintf("-%d.50", i) }, "numbers", "-199.5", "-0.5"},
		{"double", "", func(i int) string { return fmt.Sprintf("%de6", i) }, "numbers", "0", "199,000,000"},
		{"date", "dd/MM/yyyy", func(i int) string { return fmt.Sprintf("%02d/%02d/2026", 1+i%28, 1+i/28) }, "dates", "2026-01-01", "2026-08-04"},
		{"time(0)", "HH:mm", func(i int) string { return fmt.Sprintf("%02d:%02d", i%24, i%60) }, "times of day", "00:00", "23:59"},
		{"timestamp(0)", "yyyy-MM-dd HH:mm", func(i int) string { return fmt.Sprintf("1969-12-%02d %02d:10", 1+i%31, i%24) }, "times", "1969-12-01 00:10", "1969-12-31 20:10"},
		{"varchar(300)", "", func(i int) string { return fmt.Sprintf("%0*d", i+1, i) }, "lengths", "1", "200"},
		{"char(6)", "", func(i int) string { return fmt.Sprintf("%06d", i) }, "none", "", ""},
		{"boolean", "", func(i int) string { return []string{"yes", "no"}[i%2] }, "", "no", ""},
		{"integer", "", func(int) string { return "x" }, "none", "", ""}, // which no value can be read from
	} {
		typ, err := table.ParseType(c.typ)
		require.NoError(t, err)
		cell, err := convert.NewCell(table.Column{Name: "c", Type: typ, Format: c.format, Nullable: true}, dialect.PostgreSQL)
		require.NoError(t, err)
		sample := []record.Drawn{{Cells: []string{" "}}}
		for i := range 200 {
			sample = append(sample, record.Drawn{Cells: []string{c.cell(i)}})
		}
		s := shapeOf(sample, 0, cell, typ)
		if c.what == "none" {
			require.Nil(t, s, c.typ)
			continue
		}
		bars := append(s.Values, s.Ranges...)
		sum := 0
		for _, b := range bars {
			sum += b.Count
		}
		require.Equal(t, []any{c.what, c.from, c.to, 200, 200, true}, []any{s.What, bars[0].Label, bars[len(bars)-1].To, s.Of, sum, s.Whole}, c.typ)
		if s.Ranges != nil {
			svg, err := s.picture()
			require.NoError(t, err)
			require.Contains(t, svg, "<title>"+c.what)
			require.Contains(t, svg, "var(--amber)")
		}
	}
}

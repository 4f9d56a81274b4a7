package cli

import (
	"fmt"
	"strings"

	"ambertray/internal/differ"
	"ambertray/internal/load"
	"ambertray/internal/term"
)

// drawDifferences shows in what a table and its source differ: numbers, and some of
// the rows.
func (a *app) drawDifferences(numbers []load.Difference, rows *differ.Result) {
	p := a.print
	for _, d := range numbers {
		p.Fact("differs", "%s: %s in the source, %s in the table", d.Figure, d.Source, p.Red(d.Table))
	}
	if rows == nil || rows.Same() {
		return
	}
	p.Fact("differs", "%s", p.Red(countsOf(rows)))
	if len(rows.Columns) > 0 {
		var columns []string
		for _, c := range rows.Columns {
			columns = append(columns, fmt.Sprintf("%s in %s", c.Column, term.Amount(c.Rows, "row")))
		}
		p.Fact("columns", "%s", strings.Join(columns, ", "))
	}
	if rows.File != nil {
		p.Fact("file", "%s", *rows.File)
	}
	p.Line("")
	var lines [][]string
	for _, d := range rows.First {
		lines = append(lines, []string{string(d.Kind), d.Key, place(d), d.Column, d.InSource, p.Red(term.Shorten(d.InTable, 40))})
	}
	p.Table([]term.Column{
		{Title: "row"}, {Title: "key", Max: 20}, {Title: "line", Right: true}, {Title: "column"}, {Title: "in the source", Max: 40}, {Title: "in the table", Max: 40},
	}, lines)
}

// countsOf says how many rows differ.
func countsOf(r *differ.Result) string {
	var parts []string
	for _, c := range []struct {
		n    int64
		what string
	}{{r.Missing, "missing in the table"}, {r.Extra, "extra in the table"}, {r.Changed, "changed"}} {
		if c.n > 0 {
			parts = append(parts, term.Amount(c.n, "row")+" "+c.what)
		}
	}
	return strings.Join(parts, ", ")
}

// place is the line of a row of the source.
func place(d differ.Difference) string {
	if d.Line == 0 {
		return ""
	}
	return term.Count(d.Line)
}

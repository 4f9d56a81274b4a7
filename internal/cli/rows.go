package cli

import (
	"ambertray/internal/load"
	"ambertray/internal/term"
)

// drawRows shows rows as the table has them, below the lines of the source.
func (a *app) drawRows(rows []load.ShownRow, columns []string) {
	if len(rows) == 0 {
		return
	}
	p := a.print
	titles := []term.Column{{Title: "line", Right: true}}
	for _, c := range columns {
		titles = append(titles, term.Column{Title: c, Max: 24})
	}
	var lines [][]string
	for _, row := range rows {
		line := []string{term.Count(row.Line)}
		if row.InTable == nil {
			line = append(line, p.Red("no such row"))
		}
		lines = append(lines, append(line, row.InTable...))
	}
	p.Line("")
	for _, row := range rows {
		p.Fact("line "+term.Count(row.Line), "%s", p.Faint(term.Shorten(row.Text, 100)))
	}
	p.Line("")
	p.Table(titles, lines)
}

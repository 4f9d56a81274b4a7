package cli

import (
	"fmt"

	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/term"
)

// drawControls shows whether the totals and counts that a source states below its
// records agree with what was read and loaded.
func (a *app) drawControls(list []pass.Control, lay *source.Layout, parts bool) {
	p := a.print
	for i := range list {
		c := &list[i]
		what := "records"
		if c.Column != "" {
			what = "sum of " + c.Column
		}
		where := lay.LineWord() + " " + term.Count(c.Line)
		if parts {
			where += " of " + c.Source
		}
		said := fmt.Sprintf("%s: %s as stated on %s", what, term.Grouped(c.Stated), where)
		switch {
		case !c.Agrees():
			said += p.Red(fmt.Sprintf(", but %s read, %s loaded", term.Grouped(c.Read), term.Grouped(c.Loaded)))
		case !c.Complete():
			said += ", and read; " + p.Amber(term.Grouped(c.Loaded)+" loaded, the rest is rejected")
		default:
			said += ", read and loaded"
		}
		p.Fact("control", "%s", said)
	}
}

package cli

import (
	"github.com/spf13/cobra"

	"ambertray/internal/load"
	"ambertray/internal/table"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

func (a *app) newVerify() *cobra.Command {
	c := &cobra.Command{
		Use:   "verify TRAY",
		Short: "Compare the table with the source again",
		Long: `Verify reads the source of the tray again and compares its rows and the figures of each
column with the table, including what was mended and what was there before the load.
Nothing is changed.`,
		Example: examples("ambertray verify loans.tray --to museum.db"),
		Args:    cobra.ExactArgs(1),
	}
	to := toFlag(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		t, err := tray.Read(args[0])
		if err != nil {
			return err
		}
		tgt, err := a.open(c.Context(), *to, false)
		if err != nil {
			return err
		}
		defer tgt.Close()
		update, done := a.progress("verifying")
		v, err := load.Verify(c.Context(), t, a.from, tgt, update)
		done()
		if err != nil {
			return err
		}
		if !v.Verified {
			a.status = exitDiffers
		}
		return a.show(v, func() { a.drawVerification(v) })
	}
	return c
}

func (a *app) drawVerification(v *load.Verification) {
	p := a.print
	p.Fact("table", "%s in %s", p.Bold(v.Table), v.Target)
	p.Fact("read", "%s after the header: %s to be loaded, %s to be rejected, %s skipped",
		term.Amount(v.Read, "row"), term.Count(v.Convertible), term.Count(v.Rejected), term.Count(v.Skipped))
	gives := "the source gives"
	if v.Mended > 0 {
		gives += " with " + term.Count(v.Mended) + " mended"
	}
	if v.Before > 0 {
		gives += " and were there before"
	}
	rows := term.Amount(v.Rows, "row") + ", as many as " + gives
	if v.Rows != v.Convertible+v.Before {
		rows = p.Red(term.Amount(v.Rows, "row") + ", but " + gives + " " + term.Count(v.Convertible+v.Before))
	}
	p.Fact("table has", "%s", rows)
	if len(v.Parts) > 1 {
		a.drawParts(v)
	}
	p.Line("")
	var lines [][]string
	agree := 0
	for _, c := range v.Columns {
		verdict := "agrees"
		if c.Agrees {
			agree++
		} else {
			verdict = p.Red("differs")
		}
		lines = append(lines, figureRow(c.Name, verdict, c.Source))
		if !c.Agrees {
			lines = append(lines, figureRow("", p.Red("in table"), c.Table))
		}
	}
	p.Table([]term.Column{
		{Title: "column"}, {Title: ""}, {Title: "null", Right: true}, {Title: "least", Max: 24},
		{Title: "greatest", Max: 24}, {Title: "sum, or bytes of text", Right: true},
	}, lines)
	p.Line("")
	if v.Verified {
		p.Fact("verified", "%s: %d of %d columns agree", p.Amber("the table is what the source says"), agree, len(v.Columns))
	} else {
		p.Fact("differs", "%s: %d of %d columns agree", p.Red("the table is not what the source says"), agree, len(v.Columns))
	}
}

// drawParts shows what became of each file or sheet.
func (a *app) drawParts(v *load.Verification) {
	a.print.Line("")
	var lines [][]string
	for i := range v.Parts {
		part := &v.Parts[i]
		rows, verdict := "", ""
		if part.Rows != nil {
			rows, verdict = term.Count(*part.Rows), "agrees"
			if *part.Rows != part.Convertible {
				rows, verdict = a.print.Red(rows), a.print.Red("differs")
			}
		}
		lines = append(lines, []string{part.Title(), verdict, term.Count(part.Read), term.Count(part.Convertible), term.Count(part.Rejected), rows})
	}
	a.print.Table([]term.Column{
		{Title: "part", Max: 60}, {Title: ""}, {Title: "rows read", Right: true}, {Title: "to load", Right: true},
		{Title: "to reject", Right: true}, {Title: "in table", Right: true},
	}, lines)
}

func figureRow(name, verdict string, f table.Figures) []string {
	return []string{name, verdict, term.Count(f.Nulls), f.Min, f.Max, term.Grouped(f.Sum)}
}

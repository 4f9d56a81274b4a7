package cli

import (
	"cmp"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/note"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

func (a *app) newVerify() *cobra.Command {
	c := &cobra.Command{
		Use:   "verify TRAY [FILE...]|SOURCE...",
		Short: "Compare the table with the source again",
		Long: `Verify reads the source again and compares it with the table row by row, including mended
records. Rows that differ are written to differences.csv in the folder of the load, with
key, line and column. Rows of other loads are counted. Nothing is changed in the database.

A source without a tray is compared by its headings, with the types of the table named by
--table. Its differences are written to SOURCE.differences.csv.`,
		Example: examples("ambertray verify loans.tray --to museum.db", "ambertray verify loans.tray --to museum.db --whole --figures",
			"ambertray verify export.csv --to museum.db --table loans"),
		Args: cobra.MinimumNArgs(1),
	}
	options, to := surveyFlags(c), toFlag(c)
	table := c.Flags().String("table", "", "the `NAME` of the table, for a source without a tray")
	o := load.VerifyOptions{}
	c.Flags().BoolVar(&o.Whole, "whole", false, "treat rows that are not from this source as differences")
	c.Flags().BoolVar(&o.Figures, "figures", false, "show the column figures of the table next to those of the source")
	rowsFlag(c, &o.Rows)
	c.RunE = func(c *cobra.Command, args []string) error {
		t, err := trayOf(c, args, *table)
		if err == nil && t != nil {
			err = adjust(options, t)
		}
		if err != nil {
			return err
		}
		tgt, err := a.open(c.Context(), *to, false)
		if err != nil {
			return err
		}
		defer tgt.Close()
		var without []string
		if t == nil {
			t, without, err = a.draftToVerify(c, options, *table, args, tgt)
			if err != nil {
				return err
			}
		}
		if !tray.Exists(t.Dir) || *table != "" {
			o.File = filepath.Base(args[0]) + ".differences.csv"
		}
		update, done := a.progress("verifying")
		o.Progress = update
		v, err := load.Verify(c.Context(), t, a.from, tgt, o)
		done()
		if err != nil {
			return err
		}
		v.NotCompared = append(v.NotCompared, without...)
		if !v.Verified {
			a.status = exitDiffers
		}
		return a.show(v, func() { a.drawVerification(v) })
	}
	return c
}

// adjust applies the layout options of the command line to a plan, for this run only.
func adjust(options func() (survey.Options, error), t *tray.Tray) error {
	o, err := options()
	if err == nil {
		o.Override(&t.Layout)
	}
	return err
}

// rowsFlag adds the flag of how many rows are shown.
func rowsFlag(c *cobra.Command, rows *int) {
	c.Flags().IntVar(rows, "rows", 0, "show the first `N` rows of the table next to the lines of the source")
}

// trayOf returns the tray that is named, with the files after it in place of its own, or
// that of the files that are named. It is nil with the name of a table, or where no tray
// exists.
func trayOf(c *cobra.Command, names []string, table string) (*tray.Tray, error) {
	dir := names[0]
	if !tray.Is(dir) {
		dir = tray.DirFor(dir)
		if table != "" || !tray.Exists(dir) {
			return nil, nil
		}
	}
	t, err := tray.Read(dir)
	if err == nil && tray.Is(names[0]) {
		err = useFiles(t, names[1:])
	}
	if err == nil {
		err = withoutEffect(c, t, names[1:])
	}
	return t, err
}

// draftToVerify drafts a plan of files for a table. It returns the headings that the
// table has no column for.
func (a *app) draftToVerify(c *cobra.Command, options func() (survey.Options, error), table string, names []string, to database.Target) (t *tray.Tray, without []string, err error) {
	o, err := options()
	if err != nil {
		return nil, nil, err
	}
	s, err := a.survey(c, names, o)
	if err != nil {
		return nil, nil, err
	}
	t = s.Draft(tray.DirFor(names[0]))
	t.Table.Name = cmp.Or(table, t.Table.Name)
	without, err = load.MatchNames(c.Context(), t, to)
	if err != nil {
		return nil, nil, err
	}
	if len(t.Table.Loaded()) == 0 {
		return nil, nil, fmt.Errorf("%s: none of its headings is the name of a column of table %s", names[0], t.Table.Name)
	}
	return t, without, nil
}

// drawVerifiedNotes says what became of the last load, and what was not compared.
func (a *app) drawVerifiedNotes(v *load.Verification) {
	switch v.State {
	case ledger.Undone:
		a.print.Fact("note", "the last load of this source was undone")
	case ledger.Replaced:
		a.print.Fact("note", "the rows of the last load of this source were replaced by a later load")
	}
	if v.RejectedElsewhere != nil {
		a.print.Fact("note", "%s not in the table; other loaders have rejected the same number of rows and keep them; the rows are listed in %s",
			note.Count(v.RejectedElsewhere.Missing+v.RejectedElsewhere.Changed, "row of the source is", "rows of the source are"), *v.RejectedElsewhere.File)
	}
	if v.RowsHidden {
		a.print.Fact("note", "%s", database.ErrHidden)
	}
	if len(v.NotCompared) > 0 {
		a.print.Fact("note", "not compared, as the table has no such columns: %s", strings.Join(v.NotCompared, ", "))
	}
}

func (a *app) drawVerification(v *load.Verification) {
	p := a.print
	p.Fact("table", "%s in %s", p.Bold(v.Table), v.Target)
	p.Fact("read", "%s: %s to be loaded, %s to be rejected, %s skipped",
		rowsRead(v.Read, &v.Layout), term.Count(v.Convertible), term.Count(v.Rejected), term.Count(v.Skipped))
	has := term.Amount(v.Rows, "row")
	if v.Elsewhere > 0 {
		has += ", " + term.Count(v.Elsewhere) + " of them not of this source"
	}
	if v.Copies > 0 {
		has += ", " + p.Amber(note.Count(v.Copies, "more copy of a row", "more copies of rows")+" of this source")
	}
	p.Fact("table has", "%s", has)
	if v.Mended > 0 {
		p.Fact("mended", "%s", term.Amount(v.Mended, "row"))
	}
	a.drawVerifiedNotes(v)
	a.drawControls(v.Controls, &v.Layout, len(v.Parts) > 1)
	if len(v.Parts) > 1 {
		a.drawParts(v)
	}
	p.Line("")
	var lines [][]string
	for i := range v.Columns {
		c := &v.Columns[i]
		differs, verdict := c.Table != nil && *c.Table != c.Source, ""
		if c.Table != nil && !differs {
			verdict = "the same in the table"
		}
		lines = append(lines, figureRow(c.Name, verdict, &c.Source, c.Checksum && !differs))
		if differs {
			lines = append(lines, figureRow("", "in the table", c.Table, false))
		}
	}
	p.Table([]term.Column{
		{Title: "column"}, {Title: ""}, {Title: "null", Right: true}, {Title: "least", Max: 24},
		{Title: "greatest", Max: 24}, {Title: "sum, or bytes of text", Right: true},
	}, lines)
	var names []string
	for _, c := range v.Columns {
		names = append(names, c.Name)
	}
	a.drawRows(v.FirstRows, names)
	p.Line("")
	once := ", each in the table exactly once"
	if v.Copies > 0 {
		once = ", each in the table"
	}
	if v.Verified {
		p.Fact("verified", "%s: %s of the source%s", p.Amber("every row proved"), term.Amount(v.Convertible, "row"), once)
	} else {
		a.drawDifferences(v.Differences, v.RowsDiffer)
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

// figureRow returns the cells of a row of figures, without the sum if it is only a checksum.
func figureRow(name, verdict string, f *table.Figures, checksum bool) []string {
	sum := term.Grouped(f.Sum)
	if checksum {
		sum = ""
	}
	return []string{name, verdict, term.Count(f.Nulls), f.Min, f.Max, sum}
}

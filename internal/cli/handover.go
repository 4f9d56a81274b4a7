package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/dialect"
	"ambertray/internal/handover"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/term"
)

func (a *app) newHandover() *cobra.Command {
	c := &cobra.Command{
		Use:   "handover TRAY [FILE...]|SOURCE... --dialect SERVER --out FOLDER",
		Short: "Write what another person needs to load a source into a database that you cannot reach",
		Long: `Handover writes a folder for a database that you cannot connect to: the table definition,
the rows in the format of the server's own client, the statements that load them, queries
that verify them, and a README with the two commands to type. It reads the source once.
Records that do not fit are kept as rejects.`,
		Example: examples("ambertray handover loans.tray --dialect oracle --out loans-for-oracle", "ambertray handover loans.csv --dialect ansi --out loans-sql", "ambertray handover specimens.csv --dialect postgresql --out specimens --part-rows 1000000 --pack", "ambertray handover specimens.csv --dialect ansi --parquet --out specimens-parquet"),
		Args:    cobra.MinimumNArgs(1),
	}
	d := draftFlags(c)
	var o handover.Options
	name := c.Flags().String("dialect", "", "the kind of `SERVER`: "+strings.Join(dialect.AllNames(), ", "))
	out := c.Flags().String("out", "", "the `FOLDER` to write; new or empty")
	c.Flags().BoolVar(&o.Inserts, "inserts", false, "write the rows as INSERT statements, for any client")
	c.Flags().BoolVar(&o.Parquet, "parquet", false, "write the rows as a Parquet file, for a warehouse")
	c.Flags().Int64Var(&o.Part, "part-rows", 0, "start another file every `N` rows")
	c.Flags().BoolVar(&o.Pack, "pack", false, "compress the files of rows with gzip")
	c.RunE = func(c *cobra.Command, args []string) error {
		err := typedHandover(&o, *name, *out)
		if err != nil {
			return usageError{err}
		}
		t, s, err := a.plan(c, d, args, nil)
		if err != nil {
			return err
		}
		all := "ambertray survey " + shellWords(args)
		if s != nil {
			o.Notes = s.Notes
		}
		a.undone = "nothing was written"
		update, done := a.progress("writing")
		o.Progress = update
		r, err := handover.Run(c.Context(), t, a.from, *out, o)
		done()
		if err != nil {
			a.drawNotes(term.NewPrinter(a.err), o.Notes, &t.Layout, maxNotes, all)
			return err
		}
		if r.Counts.Rejected > 0 {
			a.status = exitRejects
		}
		return a.show(r, func() { a.drawHandover(r, &t.Layout, all) })
	}
	return c
}

// typedHandover checks the options that were typed, and finds the dialect.
func typedHandover(o *handover.Options, server, out string) (err error) {
	switch {
	case server == "":
		return fmt.Errorf("name the server: --dialect with one of %s", strings.Join(dialect.AllNames(), ", "))
	case out == "":
		return errors.New("name the folder to write: --out FOLDER")
	case o.Part < 0:
		return fmt.Errorf("--part-rows %d: write a number of rows", o.Part)
	case o.Inserts && o.Parquet:
		return errors.New("--inserts and --parquet exclude each other")
	}
	o.Dialect, err = dialect.ByName(server)
	if err == nil && (o.Part > 0 || o.Pack) && !o.Bulk() {
		err = errors.New("INSERT statements and Parquet are one file: leave out --part-rows and --pack")
	}
	return err
}

// drawHandover shows what was written; all is the command that shows every note.
func (a *app) drawHandover(r *handover.Receipt, lay *source.Layout, all string) {
	p := a.print
	p.Fact("written", "%s", p.Bold(r.Folder))
	p.Fact("table", "%s, for %s", p.Bold(r.Table), r.Title)
	if r.Counts.Rejected > 0 {
		p.Fact("rejected", "%s, kept in %s", p.Red(term.Amount(r.Counts.Rejected, "record")), reject.FileName)
		a.drawGroups(r.Rejects, lay)
	}
	a.drawControls(r.Controls, lay, len(r.Source) > 1)
	a.drawNotes(p, r.Notes, lay, maxNotes, all)
	p.Fact("rows", "%s read = %s handed over + %s rejected + %s skipped",
		term.Count(r.Counts.Read), term.Count(r.Counts.Rows), term.Count(r.Counts.Rejected), term.Count(r.Counts.Skipped))
	p.Line("")
	var rows [][]string
	for _, f := range r.Files {
		rows = append(rows, []string{f.Name, term.Bytes(f.Bytes), p.Faint(f.SHA256)})
	}
	p.Table([]term.Column{{Title: "file"}, {Title: "size", Right: true}, {Title: "SHA-256"}}, rows)
	p.Line("")
	p.Line("  Pass on the whole folder; its README.txt says what to do.")
}

package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/dialect"
	"ambertray/internal/reject"
	"ambertray/internal/script"
	"ambertray/internal/source"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

type ddlFlags struct {
	dialect, to *string
	indexes     bool
	withRows    bool
	out         string
}

func (a *app) newDDL() *cobra.Command {
	c := &cobra.Command{
		Use:   "ddl TRAY [FILE...]|SOURCE...",
		Short: "Print the table definition, or a whole script with its rows",
		Long: `Ddl writes the CREATE TABLE statement of the plan in the SQL of a target or of a
dialect, with comments and, on request, indexes. With the rows it is a script for a
database that cannot be reached from here.`,
		Example: examples("ambertray ddl loans.tray --dialect oracle", "ambertray ddl loans.csv --to museum.db", "ambertray ddl loans.tray --dialect sqlserver --with-rows --out loan.sql"),
		Args:    cobra.MinimumNArgs(1),
	}
	d := draftFlags(c)
	var f ddlFlags
	f.dialect = c.Flags().String("dialect", "", "the SQL of a `SERVER`: "+strings.Join(dialect.AllNames(), ", "))
	f.to = toFlag(c)
	c.Flags().BoolVar(&f.indexes, "indexes", false, "also the indexes that the tray asks for")
	c.Flags().BoolVar(&f.withRows, "with-rows", false, "also the rows, as a script for a database that cannot be reached from here")
	c.Flags().StringVar(&f.out, "out", "", "write to a `FILE` rather than to standard output")
	c.RunE = func(c *cobra.Command, args []string) error {
		dia, err := a.dialectOf(c.Context(), *f.dialect, *f.to)
		if err != nil {
			return err
		}
		t, s, err := a.plan(c, d, args)
		if err != nil {
			return err
		}
		if s != nil {
			a.drawNotes(term.NewPrinter(a.err), s.Notes, &t.Layout, maxNotes, "ambertray survey "+shellWords(args))
		}
		if err := dia.Check(&t.Table); err != nil {
			return err
		}
		if f.withRows {
			return a.script(c.Context(), t, dia, f)
		}
		return a.definition(t, dia, f)
	}
	return c
}

// dialectOf returns the dialect that is named, or that of a target.
func (a *app) dialectOf(ctx context.Context, name, to string) (*dialect.Dialect, error) {
	if name != "" && to != "" {
		return nil, usageError{errors.New("--dialect and --to exclude each other")}
	}
	if name != "" {
		d, err := dialect.ByName(name)
		if err != nil {
			return nil, usageError{err}
		}
		return d, nil
	}
	t, err := a.open(ctx, to, true)
	if errors.Is(err, errNoTarget) {
		return nil, usageError{fmt.Errorf("for which server? Write --to TARGET, or --dialect with one of %s", strings.Join(dialect.AllNames(), ", "))}
	}
	if err != nil {
		return nil, err
	}
	return t.Dialect(), t.Close()
}

// definition prints the statements that make the table.
func (a *app) definition(t *tray.Tray, d *dialect.Dialect, f ddlFlags) error {
	statements := d.Define(&t.Table, f.indexes)
	result := struct {
		Dialect    string   `json:"dialect"`
		Table      string   `json:"table"`
		DDL        string   `json:"ddl"`
		Statements []string `json:"statements"`
	}{d.Name, t.Table.Name, statements[0], statements}
	text := strings.Join(statements, ";\n\n") + ";"
	if f.out != "" {
		if err := writeNew(f.out, func(w io.Writer) error { _, err := fmt.Fprintln(w, text); return err }); err != nil {
			return err
		}
		return a.show(result, func() { a.print.Fact("written", "%s", f.out) })
	}
	if !a.json { // which is what was asked for, however quiet
		a.print.Line("%s", text)
		return nil
	}
	return a.show(result, nil)
}

// writeNew writes a file that must not be there yet, and removes what was
// written of it when that fails.
func writeNew(path string, write func(io.Writer) error) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("%s already exists; not overwritten", path)
	}
	if err != nil {
		return err
	}
	if err := errors.Join(write(f), f.Close()); err != nil {
		return errors.Join(err, os.Remove(path))
	}
	return nil
}

// script writes the table and its rows. The records that do not convert are
// kept in a file beside it, as a load keeps them.
func (a *app) script(ctx context.Context, t *tray.Tray, d *dialect.Dialect, f ddlFlags) error {
	if a.json && f.out == "" {
		return usageError{errors.New("--json with --with-rows needs --out FILE: standard output is the script's")}
	}
	rejects := f.out
	if rejects == "" {
		rejects = t.Table.Name
	}
	a.undone = "the script is not complete"
	update, done := a.progress("writing")
	o := script.Options{Dialect: d, Indexes: f.indexes, Rejects: strings.TrimSuffix(rejects, ".sql") + "." + reject.FileName, Progress: update}
	var res *script.Result
	write := func(w io.Writer) (err error) { res, err = script.Run(ctx, w, t, a.from, o); return err }
	var err error
	if f.out != "" {
		err = writeNew(f.out, write)
	} else {
		err = write(a.out)
	}
	done()
	if err != nil {
		return err
	}
	if res.Rejected > 0 {
		a.status = exitRejects
	}
	if f.out == "" {
		a.print = term.NewPrinter(a.err)
	}
	return a.show(res, func() { a.drawScript(res, &t.Layout, f.out) })
}

func (a *app) drawScript(s *script.Result, lay *source.Layout, path string) {
	p := a.print
	if path != "" {
		p.Fact("written", "%s", p.Bold(path))
	}
	p.Fact("table", "%s, as %s writes it", p.Bold(s.Table), s.Title)
	if s.Rejected > 0 {
		p.Fact("rejected", "%s, kept in %s", p.Red(term.Amount(s.Rejected, "record")), *s.Rejects.File)
		a.drawGroups(s.Rejects.ByReason, lay)
	}
	p.Fact("rows", "%s read = %s in the script + %s rejected + %s skipped",
		term.Count(s.Read), term.Count(s.Rows), term.Count(s.Rejected), term.Count(s.Skipped))
}

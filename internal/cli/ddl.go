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
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

type ddlFlags struct {
	dialect, to *string
	indexes     bool
	out         string
}

func (a *app) newDDL() *cobra.Command {
	c := &cobra.Command{
		Use:   "ddl TRAY [FILE...]|SOURCE...",
		Short: "Print the table definition",
		Long: `Ddl prints the CREATE TABLE statement of the plan in the SQL of a target or a dialect,
with comments and, on request, indexes. For a database that you cannot reach, handover
writes the rows too.`,
		Example: examples("ambertray ddl loans.tray --dialect oracle", "ambertray ddl loans.csv --to museum.db"),
		Args:    cobra.MinimumNArgs(1),
	}
	d := draftFlags(c)
	var f ddlFlags
	f.dialect = c.Flags().String("dialect", "", "the SQL of a `SERVER`: "+strings.Join(dialect.AllNames(), ", "))
	f.to = toFlag(c)
	c.Flags().BoolVar(&f.indexes, "indexes", false, "also print the indexes of the tray")
	c.Flags().StringVar(&f.out, "out", "", "write to a `FILE` instead of standard output")
	c.RunE = func(c *cobra.Command, args []string) error {
		dia, err := a.dialectOf(c.Context(), *f.dialect, *f.to)
		if err != nil {
			return err
		}
		t, s, err := a.plan(c, d, args, nil)
		if err != nil {
			return err
		}
		if s != nil {
			a.drawNotes(term.NewPrinter(a.err), s.Notes, &t.Layout, maxNotes, "ambertray survey "+shellWords(args))
		}
		err = dia.Check(&t.Table)
		if err != nil {
			return err
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
		return nil, usageError{fmt.Errorf("name the server: --to TARGET, or --dialect with one of %s", strings.Join(dialect.AllNames(), ", "))}
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
		err := writeNew(f.out, func(w io.Writer) error {
			_, err := fmt.Fprintln(w, text)
			return err
		})
		if err != nil {
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
	err = errors.Join(write(f), f.Close())
	if err != nil {
		return errors.Join(err, os.Remove(path))
	}
	return nil
}

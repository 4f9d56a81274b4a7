package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/agnivade/levenshtein"
	"github.com/spf13/cobra"

	"ambertray/internal/database"
	"ambertray/internal/export"
	"ambertray/internal/source"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

// exporting are the options of export.
type exporting struct {
	from, out, query string
	noHeader         bool
	set              map[string]*string // settings of the layout
	options          export.Options
}

// exportSettings are the settings of a layout that what is written has.
var exportSettings = []string{"delimiter", "quote", "escape", "encoding", "line_end"}

// textOptions are the options that have no effect on a workbook.
var textOptions = []string{"delimiter", "quote", "quote-all", "escape", "encoding", "line-end"}

// idleOptions are the options that have no effect on files with an ending.
var idleOptions = map[string][]string{".xlsx": textOptions, ".parquet": append(slices.Clip(textOptions), "null", "no-header")}

func (a *app) newExport() *cobra.Command {
	c := &cobra.Command{
		Use:   "export TABLE|TRAY",
		Short: "Write a table or a query to a file",
		Long: `Export writes the rows of a table or a query to a file: delimited text, a workbook (.xlsx)
or Parquet (.parquet), depending on its extension. A further extension .gz, .zst or .xz
compresses it. For a tray, the table is written like its source, with the same headings,
formats, words and layout. The file has a temporary name until it is complete.`,
		Example: examples("ambertray export loans --from museum.db --out loans.csv", "ambertray export loans.tray --from museum.db --out again.csv",
			"ambertray export --from museum.db --query 'SELECT name FROM loans' --out names.xlsx"),
		Args: cobra.MaximumNArgs(1),
	}
	e := &exporting{set: map[string]*string{}}
	f := c.Flags()
	f.StringVar(&e.from, "from", "", "the `TARGET` to read, or a name in targets.yaml (default $AMBERTRAY_TO)")
	f.StringVar(&e.out, "out", "", "the `FILE` to write, or - for standard output")
	f.StringVar(&e.query, "query", "", "write what a query returns: `SQL`")
	f.BoolVar(&e.noHeader, "no-header", false, "write no header")
	f.BoolVar(&e.options.Quoted, "quote-all", false, "quote every cell")
	f.StringVar(&e.options.Null, "null", "", "the `WORD` for NULL (default: nothing)")
	f.BoolVar(&e.options.Replace, "replace", false, "replace a file that exists")
	for _, s := range source.Settings() {
		for _, key := range exportSettings {
			if s.Key == key {
				e.set[key] = f.String(s.Option(), "", s.Help)
			}
		}
	}
	c.RunE = func(c *cobra.Command, args []string) error { return a.export(c, e, args) }
	return c
}

func (a *app) export(c *cobra.Command, e *exporting, args []string) error {
	switch {
	case e.out == "":
		return usageError{errors.New("--out: name the file to write, or - for standard output")}
	case (e.query == "") == (len(args) == 0):
		return usageError{errors.New("name either a table, a tray or --query")}
	case e.out == export.Standard && a.json:
		return usageError{errors.New("--json: the rows go to standard output")}
	}
	for _, option := range idleOptions[export.Ending(e.out)] {
		if hasValue(c, option) {
			return usageError{fmt.Errorf("--%s does nothing in a %s file: leave it out", option, export.Ending(e.out))}
		}
	}
	from, err := a.open(c.Context(), e.from, false)
	if err != nil {
		return err
	}
	defer from.Close()
	work, err := e.work(c, from, args)
	if err != nil {
		return err
	}
	err = e.options.Layout.SetAll(func(key string) (string, bool) {
		val := e.set[key]
		if val == nil {
			return "", false
		}
		return *val, *val != ""
	})
	if err == nil && idleOptions[export.Ending(e.out)] == nil { // it is text
		err = e.options.Check(len(work.Columns))
	}
	if err != nil {
		return usageError{err}
	}
	progress := a.line("exporting")
	e.options.Stdout, e.options.Header = a.out, !e.noHeader
	e.options.Progress = func(rows int64) { progress.Update(term.State{Records: rows}) }
	res, err := export.Run(c.Context(), from, work, e.out, e.options)
	progress.Done()
	if err != nil || e.out == export.Standard {
		return err
	}
	return a.show(res, func() { a.drawExport(res) })
}

// work returns what is exported. It sets the layout: that of a tray, or of the file's
// ending.
func (e *exporting) work(c *cobra.Command, from database.Target, args []string) (*export.Work, error) {
	lay := &e.options.Layout
	*lay = source.DefaultLayout()
	lay.Delimiter, lay.Quote, lay.Encoding, lay.LineEnd = ",", `"`, "utf-8", "lf"
	if *e.set["escape"] == source.ServerEscapes && !e.options.Quoted {
		lay.Quote = "" // needless, and not every server reads them
	}
	if export.Ending(e.out) == ".tsv" {
		lay.Delimiter = "\t"
	}
	if e.query != "" {
		return export.Query(c.Context(), from, e.query)
	}
	if !tray.Is(args[0]) {
		work, err := export.Table(c.Context(), from, args[0])
		if errors.Is(err, database.ErrNoTable) {
			err = &noTableError{err, nearestTable(c.Context(), from, args[0])}
		}
		return work, err
	}
	t, err := tray.Read(args[0])
	if err != nil {
		return nil, err
	}
	lay.Sheet = t.Layout.Sheet
	if t.Layout.Format == source.Delimited || t.Layout.Format == source.Fixed && !e.delimits() {
		*lay = t.Layout
	}
	e.noHeader = e.noHeader || t.Layout.HeaderLine == 0
	return export.Tray(c.Context(), from, t)
}

// delimits reports whether delimited text is asked for.
func (e *exporting) delimits() bool {
	ending := export.Ending(e.out)
	return *e.set["delimiter"] != "" || ending == ".csv" || ending == ".tsv"
}

func (a *app) drawExport(r *export.Result) {
	p := a.print
	what := "the query"
	if r.Table != "" {
		what = "table " + p.Bold(r.Table)
	}
	p.Fact("from", "%s in %s", what, r.From)
	p.Fact("written", "%s of %s to %s, %s", term.Amount(r.Rows, "row"), term.Amount(int64(len(r.Columns)), "column"), p.Bold(r.File), term.Bytes(r.Bytes))
	p.Fact("sha256", "%s", r.SHA256)
	a.drawNotes(p, r.Notes, &source.Layout{}, maxNotes, "--json shows them")
}

// noTableError says that a table does not exist, and names one that is meant perhaps.
type noTableError struct {
	error
	nearest string
}

func (e *noTableError) Unwrap() error { return e.error }

// nearestTable returns the table whose name is most like one that does not exist, "" if
// none is.
func nearestTable(ctx context.Context, from database.Target, name string) (best string) {
	rows, err := from.Query(ctx, from.Dialect().TablesQuery)
	if err != nil {
		return ""
	}
	distance := len(name)/3 + 2
	for _, row := range rows {
		d := levenshtein.ComputeDistance(strings.ToLower(name), strings.ToLower(row[0]))
		if d < distance {
			best, distance = row[0], d
		}
	}
	return best
}

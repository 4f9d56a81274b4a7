package cli

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/dialect"
	"ambertray/internal/load"
	"ambertray/internal/publish"
	"ambertray/internal/report"
	"ambertray/internal/source"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

// reporting are the options of report.
type reporting struct {
	drafting            *drafting
	to, dialect, out    string
	dictionary, replace bool
}

func (a *app) newReport() *cobra.Command {
	c := &cobra.Command{
		Use:   "report TRAY [FILE...]|SOURCE...",
		Short: "Write a page with charts, data dictionary, totals and proof",
		Long: `Report reads the source and writes one self-contained page of HTML: control totals, what
happened to the rows of each file and sheet, each column with its evidence and the
distribution of its values, the definition, the data dictionary, rejects, loads and their
proof. With --to the definition is that of the existing table, and the page shows the
ledger. Nothing else is written.`,
		Example: examples("ambertray report loans.tray", "ambertray report loans.csv --out loans.html", "ambertray report loans.tray --to museum.db --replace",
			"ambertray report loans.tray --dictionary --out dictionary.md"),
		Args: cobra.MinimumNArgs(1),
	}
	r := &reporting{drafting: &drafting{options: surveyFlags(c)}}
	f := c.Flags()
	to := toFlag(c)
	f.StringVar(&r.drafting.dir, "tray", "", "the `FOLDER` of the tray (default NAME.tray, named after the source)")
	f.StringVar(&r.dialect, "dialect", "", "the kind of `SERVER` for the definition: "+strings.Join(dialect.AllNames(), ", ")+" (default sqlite)")
	f.StringVar(&r.out, "out", "", "the `FILE` to write (default NAME.html here, after the source), or - for standard output")
	f.BoolVar(&r.dictionary, "dictionary", false, "write the data dictionary alone, as Markdown or, to a FILE.csv, as CSV (default: to standard output)")
	f.BoolVar(&r.replace, "replace", false, "replace a file that exists")
	c.RunE = func(c *cobra.Command, args []string) error {
		r.to = *to
		return a.writeReport(c, r, args)
	}
	return c
}

func (a *app) writeReport(c *cobra.Command, r *reporting, args []string) error {
	if r.out == "" && !r.dictionary && !a.json {
		r.out = source.BaseName(strings.TrimSuffix(strings.TrimRight(args[0], string(filepath.Separator)), tray.Suffix)) + ".html"
	}
	_, err := os.Stat(r.out)
	if err == nil && !r.replace && r.out != source.Stdin {
		return fmt.Errorf("%s already exists; not overwritten: add --replace or change --out", r.out)
	}
	facts, err := a.gather(c, r, args)
	if err != nil {
		return err
	}
	write := facts.Page
	switch {
	case r.dictionary && strings.EqualFold(filepath.Ext(r.out), ".csv"):
		write = facts.WriteCSV
	case r.dictionary:
		write = facts.WriteMarkdown
	}
	if !a.json && (r.out == source.Stdin || r.out == "") {
		return write(a.out)
	}
	if r.out != "" {
		err := publish.Write(r.out, write)
		if err != nil {
			return err
		}
	}
	return a.show(facts, func() { a.drawReport(facts, r.out) })
}

// gather reads what there is to report.
func (a *app) gather(c *cobra.Command, r *reporting, args []string) (*report.Report, error) {
	var o report.Options
	var err error
	o.Survey, err = r.drafting.options()
	if err != nil {
		return nil, err
	}
	o.Dialect, err = dialect.ByName(cmp.Or(r.dialect, dialect.SQLite.Name))
	if err != nil {
		return nil, usageError{err}
	}
	if r.to != "" {
		if r.dialect != "" {
			return nil, usageError{errors.New("--dialect and --to exclude each other")}
		}
		o.To, err = a.open(c.Context(), r.to, false)
		if err != nil {
			return nil, err
		}
		defer o.To.Close()
	}
	update, done := a.progress("reading")
	defer done()
	o.Survey.Progress = update
	dir := args[0]
	if !tray.Is(dir) {
		dir, err = r.drafting.dirFor(args)
		if err != nil {
			return nil, err
		}
		if !tray.Exists(dir) {
			return report.OfSource(c.Context(), a.from, args, o)
		}
	}
	t, _, err := a.plan(c, r.drafting, args, nil)
	if err == nil && o.To != nil {
		err = load.ResolvePending(c.Context(), t, o.To)
	}
	if err != nil {
		return nil, err
	}
	return report.OfTray(c.Context(), t, a.from, o)
}

func (a *app) drawReport(r *report.Report, file string) {
	p := a.print
	p.Fact("source", "%s", p.Bold(r.Source))
	p.Fact("read", "%s = %s %s + %s rejected + %s skipped", term.Amount(r.Read, "row"), term.Count(r.Loaded), r.Word(), term.Count(r.Rejected), term.Count(r.Skipped))
	n := len(r.Loads)
	if n > 0 {
		p.Fact("loads", "%s", r.Verdict())
	}
	changed := r.TableChanged()
	if changed != "" {
		p.Fact("table", "%s", p.Red(changed))
	}
	size := int64(0)
	info, err := os.Stat(file)
	if err == nil {
		size = info.Size()
	}
	p.Fact("written", "%s, %s", p.Bold(file), term.Bytes(size))
}

package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

func (a *app) newCheck() *cobra.Command {
	c := &cobra.Command{
		Use:   "check TRAY [FILE...]|SOURCE...",
		Short: "Do everything except loading: convert every record and show what would be rejected",
		Long: `Check converts every record by the plan and reports for each column whether all values
fit. With --to it also checks the plan against the columns, unique keys and foreign keys of an
existing table. With --by-loading it loads the rows in a transaction, proves them and rolls
everything back, so that the server itself refuses rows, also by checks and triggers. Nothing
is changed.`,
		Example: examples("ambertray check loans.tray", "ambertray check loans.csv --to museum.db --existing append"),
		Args:    cobra.MinimumNArgs(1),
	}
	d := draftFlags(c)
	to := toFlag(c)
	byLoading := c.Flags().Bool("by-loading", false, "load the rows, and roll everything back")
	c.RunE = func(c *cobra.Command, args []string) error { return a.check(c, d, args, *to, *byLoading) }
	return c
}

// check shows what a load would do. to may be empty.
func (a *app) check(c *cobra.Command, d *drafting, args []string, to string, byLoading bool) error {
	var tgt database.Target
	var err error
	if byLoading && to == "" {
		return usageError{errors.New("--by-loading loads into a table: add --to TARGET")}
	}
	if to != "" {
		tgt, err = a.open(c.Context(), to, true)
		if err != nil {
			return err
		}
		defer tgt.Close()
	}
	t, s, err := a.plan(c, d, args, tgt)
	if err != nil {
		return err
	}
	changes, err := a.changes(c, t, args)
	if err != nil {
		return err
	}
	update, done := a.progress("checking")
	o := load.CheckOptions{Progress: update, ByLoading: byLoading}
	if s != nil {
		o.Notes = s.Notes
	}
	result, err := load.DryRun(c.Context(), t, a.from, tgt, o)
	done()
	if err != nil {
		if !misread(err) {
			a.drawChanges(term.NewPrinter(a.err), changes, &t.Layout)
		}
		return err
	}
	result.Changes = append(result.Changes, changes...)
	a.status = checkStatus(result)
	more := typedText(c)
	if s != nil {
		more += changesText(d)
	}
	return a.show(result, func() {
		a.drawCheck(result, &t.Layout, shellWords(args)+more, d.tableOptions(result), d.changes != nil && s == nil)
	})
}

// checkStatus returns the exit status of a dry run, which is that of the load.
func checkStatus(c *load.Check) int {
	switch {
	case c.Again() != nil:
		return statusOf(c.Again())
	case !c.Possible():
		return exitFailed
	case c.Differs():
		return exitDiffers
	case c.Rejected() > 0:
		return exitRejects
	}
	return exitDone
}

// tableOptions returns the typed options about the table for the load that is suggested. For an
// existing table that the load would refuse, it adds --existing append.
func (d *drafting) tableOptions(c *load.Check) (text string) {
	if d.table != "" {
		text += " --table " + shellWord(d.table)
	}
	switch {
	case c.TableExists != nil && *c.TableExists && c.Existing == table.Refuse.String():
		text += " --existing append"
	case d.existing != "":
		text += " --existing " + d.existing
	}
	if d.byPosition {
		text += " --by-position"
	}
	if d.createSchema {
		text += " --create-schema"
	}
	return text
}

// drawCheck shows what a load would do. The typed source is in arg, and the typed options about
// the table are in tableOptions.
func (a *app) drawCheck(c *load.Check, lay *source.Layout, arg, tableOptions string, changed bool) {
	p, again := a.print, c.Again()
	if again == nil {
		a.drawAlreadyLoaded(c.AlreadyLoaded)
	}
	p.Fact("read", "%s: %s, %s", rowsRead(c.Read, lay), term.Amount(c.Records, "record"), skippedText(c.Skipped))
	a.drawCheckedTable(c)
	for _, s := range c.Storage {
		p.Fact("note", "%s", s)
	}
	switch {
	case !c.Fits():
		p.Fact("would load", "%s", p.Red("nothing: the columns marked \"cannot\" do not fit the table"))
	case again != nil:
		p.Fact("would load", "%s", p.Red("nothing: "+again.Error()))
		p.Fact("--again", "would load %s", term.Amount(c.WouldLoad, "row"))
	case c.Differs():
		p.Fact("would load", "%s", p.Red("nothing: verification found a difference"))
		a.drawDifferences(c.Loaded.Differences, c.Loaded.RowsDiffer)
	default:
		p.Fact("would load", "%s%s", term.Amount(c.WouldLoad, "row"), loadedText(c))
	}
	if c.Rejected() > 0 {
		p.Fact("would", "%s", p.Red("reject "+term.Amount(c.Rejected(), "record")))
	}
	a.drawGroups(c.WouldReject, lay)
	a.drawConstraints(c)
	a.drawChanges(p, c.Changes, lay)
	p.Line("")
	var rows [][]string
	for _, v := range c.Columns {
		verdict := v.Verdict
		if verdict != "fits" {
			verdict = p.Red(verdict)
		}
		rows = append(rows, []string{v.Name, p.Amber(v.Type), verdict, v.Why})
	}
	p.Table([]term.Column{{Title: "column"}, {Title: "type"}, {Title: "verdict"}, {Title: ""}}, rows)
	if len(c.Notes) > 0 {
		p.Line("")
	}
	unchanged := "Nothing was changed."
	if changed {
		unchanged = "Nothing but the tray was changed."
	}
	a.drawNotes(p, c.Notes, lay, maxNotes, "ambertray survey "+arg)
	switch {
	case !c.Fits():
		p.Next(unchanged+" A load would fail: change the plan, or the table.", "")
		return
	case c.Differs():
		p.Next(unchanged+" A load would be rolled back too: look for a trigger that changes rows.", "")
		return
	case again != nil:
		p.Next(unchanged+" A load would be refused: "+a.hintFor(again)+".", "")
		return
	}
	p.Next(unchanged, a.withTarget("ambertray load "+arg+tableOptions+" --to TARGET"))
}

// changes surveys files that a plan was not drafted from, and compares them with those.
func (a *app) changes(c *cobra.Command, t *tray.Tray, args []string) ([]note.Note, error) {
	if !tray.Is(args[0]) || len(args) == 1 {
		return nil, nil
	}
	was, err := survey.ReadProfile(t.Dir)
	if errors.Is(err, fs.ErrNotExist) { // a tray that was written by hand
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	now, err := a.survey(c, t.Paths(), survey.Options{Override: func(l *source.Layout) { *l = t.Layout }, Expected: pass.Expected(&t.Table)})
	if err != nil {
		return nil, err
	}
	return was.Compare(now), nil
}

// misread reports whether an error says that a source has another layout, so that there was nothing to
// compare.
func misread(err error) bool {
	var differ *pass.HeadingsError
	return errors.As(err, &differ) && differ.WrittenAs != nil
}

// drawChanges shows what is out of the ordinary in other files.
func (a *app) drawChanges(p *term.Printer, changes []note.Note, lay *source.Layout) {
	for _, n := range survey.WithoutRepeats(changes) {
		p.Fact("changed", "%s", noteText(&n, lay))
	}
}

// drawCheckedTable says whether the target has the table.
func (a *app) drawCheckedTable(c *load.Check) {
	p := a.print
	switch {
	case c.TableExists == nil:
	case *c.TableExists && c.Existing != table.Refuse.String():
		p.Fact("table", "%s exists in %s: %s", p.Bold(c.Table), *c.Target, c.Existing)
	case *c.TableExists:
		p.Fact("table", "%s", p.Red(fmt.Sprintf("%s already exists in %s: a load would be refused", c.Table, *c.Target)))
	default:
		p.Fact("table", "%s would be created in %s", p.Bold(c.Table), *c.Target)
	}
}

// drawConstraints shows what the keys of the source would meet in the table, and its foreign keys in others.
func (a *app) drawConstraints(c *load.Check) {
	for _, f := range c.ForeignKeys {
		columns := strings.Join(f.Columns, ", ")
		switch {
		case f.Untried != "":
			a.print.Fact("note", "%s: the foreign key to table %s was not checked: %s", columns, f.Table, f.Untried)
		case f.Fails && f.Missing > 0:
			a.print.Fact("refers", "%s", a.print.Red(fmt.Sprintf("%s a value in %s that table %s lacks, so a load would fail", hasText(f.Missing), columns, f.Table)))
		}
	}
	for _, k := range c.Keys {
		would := "would be rejected"
		switch {
		case c.Existing == table.Merge.String():
			would = "would update its rows"
		case c.TableExists == nil:
			would = "would be rejected if the table has this key"
		case !k.Refused:
			would = "would be added, because the table does not have this key"
		}
		if k.InTable > 0 {
			a.print.Fact("keys", "%s", a.print.Red(fmt.Sprintf("%s a key (%s) that is in the table, and %s", hasText(k.InTable), strings.Join(k.Columns, ", "), would)))
		}
		if k.Repeated > 0 && !k.Refused { // else they are among the rejects
			a.print.Fact("keys", "%s", a.print.Red(fmt.Sprintf("%s the key (%s) of an earlier one, and %s", hasText(k.Repeated), strings.Join(k.Columns, ", "), would)))
		}
	}
}

// loadedText says how it is known what the server would take.
func loadedText(c *load.Check) string {
	l := c.Loaded
	switch {
	case l == nil:
		return ""
	case c.WouldLoad == 0:
		return ": loading was tried and rolled back"
	case l.Merged != nil:
		return fmt.Sprintf(": %s inserted, %s updated, %s unchanged in %s, proved and rolled back", term.Count(l.Merged.Inserted), term.Count(l.Merged.Updated), term.Count(l.Merged.Unchanged), term.Seconds(l.Seconds))
	}
	return fmt.Sprintf(": loaded in %s, proved and rolled back", term.Seconds(l.Seconds))
}

func hasText(n int64) string {
	if n == 1 {
		return "1 record has"
	}
	return term.Amount(n, "record") + " have"
}

// drawGroups lists why records are rejected.
func (a *app) drawGroups(groups []reject.Group, lay *source.Layout) {
	wide, wideReason, wideCount := 0, 0, 0
	for _, g := range groups {
		wide, wideReason = max(wide, len(columnOf(g))), max(wideReason, len(g.Reason))
		wideCount = max(wideCount, len(term.Count(g.Count)))
	}
	for _, g := range groups {
		a.print.Line("  %*s   %*s  %-*s  %-*s  %s on %s %s", 10, "", wideCount, term.Count(g.Count), wide, columnOf(g), wideReason, g.Reason,
			a.print.Amber(`"`+term.Shorten(term.Printable(g.Example), 40)+`"`), lay.LineWord(), term.Count(g.Line))
	}
}

func columnOf(g reject.Group) string {
	if g.Column == "" {
		return "(record)"
	}
	return g.Column
}

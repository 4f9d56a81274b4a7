package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/note"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

func (a *app) newLoad() *cobra.Command {
	c := &cobra.Command{
		Use:   "load TRAY [FILE...]|SOURCE...",
		Short: "Create the table or use an existing one, load, keep the rejects, verify and commit",
		Long: `Load creates the table, or uses an existing one as --existing says. It loads every record
that converts and that the server accepts, keeps the others in rejects.csv, compares the
table with the source and commits. If anything fails before that, the target is unchanged.

The ledger, a table in the target, prevents loading the same content into the same table
twice. A source without a tray is drafted first, and its tray is kept.

Files named after a tray are loaded by its plan instead of its own files. A folder is a
source too: each load takes its new files. With --each every file and sheet becomes a
table of its own.`,
		Example: examples("ambertray load loans.csv --to museum.db", "ambertray load loans.tray --to postgres://curator@db.example/museum --allow-rejects 1%", "ambertray load loans.tray loans-2026-02.csv --to museum.db",
			"ambertray load inbox --to museum.db --quiet --log night.log --within 2h", "ambertray load loans-2026.xlsx --each --to museum.db"),
		Args: cobra.MinimumNArgs(1),
	}
	l := newLoading(c)
	each := c.Flags().Bool("each", false, "load every file, and every sheet of a workbook, into a table of its own")
	jobs := c.Flags().Int("jobs", 1, "with --each, load `N` tables at a time")
	c.RunE = func(c *cobra.Command, args []string) error {
		switch {
		case l.Every < 0:
			return usageError{fmt.Errorf("--commit-every %d: write a number of records", l.Every)}
		case !*each && *jobs > 1:
			return usageError{errors.New("--jobs loads several tables at a time: add --each, or --lanes for one table")}
		case !*l.shared && c.Flags().Changed("lease"):
			return usageError{errors.New("--lease is for loads that are divided: add --shared, or leave it out")}
		case *each && *l.shared:
			return usageError{errors.New("--shared divides one load among loaders: leave out --each")}
		}
		a.undone = "everything was rolled back, and the target is unchanged"
		defer a.limit(c, l.patience)()
		if *each {
			return a.loadEach(c, l, args, *jobs)
		}
		return a.load(c, l, args)
	}
	return c
}

// loading is what the command line says of a load.
type loading struct {
	*load.Options
	drafting    *drafting
	to          *string
	allow       *string
	newDatabase *bool
	shared      *bool
	lease       *time.Duration
	yes         bool // a person need not be asked
	patience    patience
}

func newLoading(c *cobra.Command) *loading {
	l := &loading{
		drafting: draftFlags(c), to: toFlag(c), Options: loadOptions(c), patience: patienceFlags(c),
		allow:       c.Flags().String("allow-rejects", "", "load nothing if more than `N` records or N% of them are rejected; any sets no limit (default: what the tray says)"),
		shared:      c.Flags().Bool("shared", false, "divide the load among all loaders started with the same command, on any machine"),
		lease:       c.Flags().Duration("lease", time.Minute, "with --shared, the `TIME` that a share stays reserved for a loader that no longer responds"),
		newDatabase: c.Flags().Bool("create-database", false, "create the database of the target if it does not exist, in UTF-8"),
	}
	c.Flags().BoolVar(&l.yes, "yes", false, "do not ask before a table is emptied, rebuilt or merged into")
	return l
}

// load loads one source and shows the receipt.
func (a *app) load(c *cobra.Command, l *loading, args []string) error {
	all := "ambertray survey " + shellWords(args)
	update, done := a.progress("loading")
	l.Progress = update
	err := a.share(l)
	if err != nil {
		return err
	}
	job := &loadJob{loading: l, args: args}
	err = a.persist(c.Context(), l.patience, func() (again bool, err error) {
		var end func()
		job.to, end, err = a.openNew(c.Context(), l)
		if err != nil {
			return passes(err, true), err
		}
		defer end()
		if job.plan == nil { // else it is tried again
			err = a.prepare(c, job)
		}
		if err == nil {
			err = a.loadInto(c, job)
		}
		return passes(err, !l.NoLedger), err
	})
	done()
	receipt := job.receipt
	if receipt == nil {
		s := job.survey
		if s != nil { // what was decided may be why it failed
			a.drawNotes(term.NewPrinter(a.err), s.Notes, &s.Layout, maxNotes, all)
		}
		return err
	}
	again := shellWord(receipt.Tray)
	if tray.Is(args[0]) {
		again = shellWords(args) + typedText(c)
	}
	a.changed = true
	return errors.Join(err, a.show(receipt, func() { a.drawReceipt(receipt, job.plan, *l.to, all, again) }))
}

// prepare drafts or reads the plan, and has it confirmed where it changes a table.
func (a *app) prepare(c *cobra.Command, j *loadJob) (err error) {
	j.plan, j.survey, err = a.planned(c, j.loading, j.args, j.to)
	if err != nil {
		return err
	}
	return a.confirm(c.Context(), j.loading, j.plan, j.to)
}

// share makes the load a shared one with --shared.
func (a *app) share(l *loading) error {
	if !*l.shared {
		return nil
	}
	if *l.lease < time.Second {
		return usageError{fmt.Errorf("--lease %s: write a time of at least 1s, such as 1m", l.lease)}
	}
	a.undone = "what this loader had not proved was rolled back"
	l.Sharing = &load.Sharing{Lease: *l.lease, Connect: func(ctx context.Context) (database.Target, error) { return a.open(ctx, *l.to, false) }}
	return nil
}

// openNew opens the target of a load, whose database it creates if that is wanted. end
// closes it, and drops a database that it has made and that nothing is in.
func (a *app) openNew(ctx context.Context, l *loading) (tgt database.Target, end func(), err error) {
	var made *database.Made
	if *l.newDatabase {
		made, err = a.createDatabase(ctx, *l.to)
		if err != nil {
			return nil, nil, err
		}
	}
	tgt, err = a.open(ctx, *l.to, true)
	if made == nil {
		return tgt, func() { a.closeTarget(tgt) }, err
	}
	l.Notes = append(l.Notes, note.About(made.What))
	undo := func() {
		err := made.Undo(context.WithoutCancel(ctx))
		if err != nil {
			term.NewPrinter(a.err).Line("ambertray: the new database could not be dropped again: %v", err)
		}
	}
	if err != nil {
		undo()
	}
	return tgt, func() { a.closeTarget(tgt); undo() }, err
}

// planned returns the plan of a load, which is written before it is loaded by, and the
// survey if it was drafted.
func (a *app) planned(c *cobra.Command, l *loading, args []string, to database.Target) (*tray.Tray, *survey.Survey, error) {
	t, s, err := a.plan(c, l.drafting, args, to)
	if err == nil && s != nil {
		l.Notes = append(l.Notes, s.Notes...)
		t, err = written(s, t)
	}
	if err == nil {
		l.AppendNext = l.drafting.existing == ""
		err = allowRejects(t, *l.allow)
	}
	if err == nil && l.drafting.changes != nil {
		err = a.countChanged(c, t, l.Options)
	}
	return t, s, err
}

// countChanged counts what a plan that was changed would reject, before anything is
// loaded.
func (a *app) countChanged(c *cobra.Command, t *tray.Tray, o *load.Options) error {
	check, err := a.dryRun(c, t)
	if err != nil || check.Rejected() == 0 {
		return err
	}
	if !a.json {
		was := a.print
		a.print = term.NewPrinter(a.err)
		a.drawWouldReject(check, t)
		a.print = was
	}
	for _, v := range check.Columns {
		if v.Why != "" {
			o.Notes = append(o.Notes, note.On(v.Name, "counted before the load, with the changed plan: "+v.Why))
		}
	}
	return nil
}

// allowRejects gives the tray the allowance that was typed, if one was.
func allowRejects(t *tray.Tray, typed string) error {
	if typed == "" {
		return nil
	}
	allowed, err := table.ParseAllowance(typed)
	if err != nil {
		return usageError{err}
	}
	t.Table.Allow = allowed
	return nil
}

// loadOptions adds the flags of how a load is done.
func loadOptions(c *cobra.Command) *load.Options {
	o := &load.Options{Verify: load.EveryRow}
	c.Flags().BoolVar(&o.Again, "again", false, "load content again that was loaded before")
	c.Flags().BoolVar(&o.OnlyNew, "only-new", false, "leave out files and sheets that were loaded before")
	c.Flags().BoolVar(&o.AcceptLoss, "accept-loss", false, "rebuild a table even if its indexes, triggers, views or rights are lost, or empty it even if other tables change too")
	c.Flags().BoolVar(&o.NoRollback, "no-rollback", false, "load into a table whose engine has no transactions; a load that fails then leaves rows in it")
	noLedgerFlag(c, o)
	rowsFlag(c, &o.Rows)
	c.Flags().Int64Var(&o.Every, "commit-every", 0, "commit every `N` records; an interrupted load then resumes there (default: all or nothing)")
	c.Flags().IntVar(&o.Lanes, "lanes", 0, "load a new table over `N` connections at the same time (default: depends on the processors, for large sources)")
	c.Flags().Var(&o.Verify, "verify", "what to verify before the commit: rows (every one) or counts (their number only)")
	return o
}

// howLoaded says what was out of the ordinary.
func howLoaded(r *load.Receipt) string {
	switch {
	case r.ResumedFrom > 0:
		return ", " + term.Count(r.ResumedFrom) + " of them before it was interrupted"
	case r.Shared != nil:
		return fmt.Sprintf(", %s of %s by this loader", term.Count(int64(r.Shared.Own)), term.Amount(int64(r.Shared.Shares), "share"))
	case r.Lanes > 1:
		return fmt.Sprintf(", in %d lanes", r.Lanes)
	}
	return ""
}

// nothingLoaded is what a load with a difference has loaded.
const nothingLoaded = "nothing: verification found a difference, and all was rolled back"

// drawAlreadyLoaded names the files and sheets that are left out because the table has them.
func (a *app) drawAlreadyLoaded(parts []load.LoadedPart) {
	if len(parts) == 0 {
		return
	}
	var names []string
	for _, part := range parts {
		names = append(names, part.Source)
	}
	a.print.Fact("left out", "%s already loaded: %s", term.Amount(int64(len(names)), "part"), strings.Join(names, ", "))
}

// drawReceipt shows what a load did; all is the command that shows every note, and plan
// what names its tray and files.
func (a *app) drawReceipt(r *load.Receipt, t *tray.Tray, to, all, plan string) {
	p, c := a.print, r.Counts
	for _, s := range r.Source {
		if s.Sheet != nil {
			p.Fact("source", "%s · sheet %s · %s", p.Bold(s.Source), p.Bold(*s.Sheet), term.Amount(s.Read, "row"))
			continue
		}
		p.Fact("source", "%s · %s", p.Bold(s.Source), term.Bytes(s.Bytes))
	}
	a.drawAlreadyLoaded(r.LeftOut)
	p.Fact("plan", "%s/tray.yaml", r.Tray)
	p.Fact("read", "%s: %s, %s", rowsRead(c.Read, &r.Layout), term.Amount(c.Read-c.Skipped, "record"), skippedText(r.Skipped))
	p.Fact("table", "%s"+outcomeTexts[r.Outcome]+"%s", p.Bold(r.Table), r.Target, keyText(t))
	if !r.Verified {
		what := nothingLoaded
		if r.Committed > 0 {
			what = term.Amount(r.Committed, "row") + ": verification found a difference, and only what was not committed before was rolled back"
		}
		p.Fact("loaded", "%s", p.Red(what))
		a.drawDifferences(r.Differences, r.RowsDiffer)
		a.drawRemarks(r)
		return
	}
	a.drawRemarks(r)
	a.drawNotes(p, r.Notes, &r.Layout, maxNotes, all)
	p.Fact("loaded", "%s in %s%s", term.Amount(c.Loaded, "row"), term.Seconds(r.Phases[0].Seconds), howLoaded(r))
	a.drawMerged(r.Merged)
	if c.Rejected > 0 {
		p.Fact("rejected", "%s, %s", p.Red(term.Amount(c.Rejected, "record")), rejectsKept(r))
		a.drawGroups(r.Rejects.ByReason, &r.Layout)
	}
	a.drawControls(r.Controls, &r.Layout, len(r.Source) > 1)
	a.drawSum(r)
	var names []string
	for _, c := range r.Columns {
		names = append(names, c.Name)
	}
	a.drawRows(r.Rows, names)
	switch {
	case r.Rejects.File != nil:
		p.Next("Correct them in that file, then:", "ambertray mend "+shellWord(r.Tray)+toText(to))
	default:
		p.Next("To verify again at any time:", "ambertray verify "+plan+toText(to))
	}
	p.Line("  For a report:  %s", p.Amber("ambertray report "+shellWord(r.Tray)+toText(to)))
}

// rejectsKept says where the rejects of a load are.
func rejectsKept(r *load.Receipt) string {
	here := r.RejectsHere()
	switch here {
	case 0:
		return "kept by other loaders"
	case r.Counts.Rejected:
		return "kept in " + *r.Rejects.File
	}
	return term.Count(here) + " of them kept in " + *r.Rejects.File + ", and the others by other loaders"
}

// drawMerged says what a merge has changed, if it was one.
func (a *app) drawMerged(m *database.Merged) {
	if m == nil {
		return
	}
	p := a.print
	p.Fact("merged", "%s inserted, %s updated, %s unchanged", p.Amber(term.Count(m.Inserted)), p.Amber(term.Count(m.Updated)), p.Amber(term.Count(m.Unchanged)))
}

// drawRemarks shows what was out of the ordinary in the load itself.
func (a *app) drawRemarks(r *load.Receipt) {
	for _, remark := range r.Remarks {
		a.print.Fact("note", "%s", remark)
	}
}

// drawSum shows that nothing was lost.
func (a *app) drawSum(r *load.Receipt) {
	c := r.Counts
	table := ""
	if c.TableBefore != nil && c.TableAfter != nil {
		table = "table " + term.Count(*c.TableBefore) + " → " + term.Count(*c.TableAfter) + " · "
	}
	how := "every row proved"
	if r.Verify == load.RowsOnly {
		how = a.print.Amber("rows counted, not proved")
	}
	a.print.Fact("verified", "%s read = %s loaded + %s rejected + %s skipped · %s%s",
		term.Count(c.Read), term.Count(c.Loaded), term.Count(c.Rejected), term.Count(c.Skipped), table, how)
}

func noLedgerFlag(c *cobra.Command, o *load.Options) {
	c.Flags().BoolVar(&o.NoLedger, "no-ledger", false, "do not use the ledger, for logins that may not create tables")
}

// outcomeTexts say what became of the table in a target.
var outcomeTexts = map[load.Outcome]string{
	load.Created: ", created in %s", load.Rebuilt: ", rebuilt in %s",
	load.Appended: " in %s, rows appended", load.Emptied: " in %s, emptied and filled", load.Merged: " in %s, rows merged",
}

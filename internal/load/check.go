package load

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/record"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// Check is what a dry run has shown.
type Check struct {
	Tray        string         `json:"tray"`
	Table       string         `json:"table"`
	Target      *string        `json:"target"`
	TableExists *bool          `json:"table_exists"`
	Existing    string         `json:"existing"` // what a load would do with it
	Storage     []string       `json:"storage"`  // how the table is kept, where that limits a load
	Read        int64          `json:"read"`
	Records     int64          `json:"records"`
	Skipped     record.Skipped `json:"skipped"`
	WouldLoad   int64          `json:"would_load"`
	WouldReject []reject.Group `json:"would_reject"`
	Columns     []Verdict      `json:"columns"`
	Notes       []note.Note    `json:"notes"` // on the data
	// Keys are the unique keys of the table, or the key of the plan; none if a load would not begin.
	Keys        []KeyCheck     `json:"keys"`
	ForeignKeys []ForeignCheck `json:"foreign_keys"` // likewise
	// AlreadyLoaded are the files and sheets that the table has already: a load leaves them out, or is
	// refused.
	AlreadyLoaded []LoadedPart `json:"already_loaded"`
	// Loaded is null unless the rows were loaded, and rolled back. Then the server has refused the records
	// that would be rejected, and Keys and ForeignKeys are empty.
	Loaded *ByLoading `json:"by_loading"`
	// Changes are what is out of the ordinary in other files than those that the plan was
	// drafted from.
	Changes []note.Note `json:"changes"`

	again *AgainError
}

// Again returns the error with which a load would be refused because the table has the source already, or nil.
func (c *Check) Again() *AgainError { return c.again }

// exists reports whether the target has the table.
func (c *Check) exists() bool { return c.TableExists != nil && *c.TableExists }

// Fits reports whether the table can have every column of the plan.
func (c *Check) Fits() bool {
	return !slices.ContainsFunc(c.Columns, func(v Verdict) bool { return v.Verdict == Cannot })
}

// Possible reports whether a load would begin, if the table did not have the source already, and would not fail at
// the foreign keys of a new table.
func (c *Check) Possible() bool {
	fails := func(f ForeignCheck) bool { return f.Fails && f.Missing > 0 }
	return c.Fits() && (!c.exists() || c.Existing != table.Refuse.String()) && !slices.ContainsFunc(c.ForeignKeys, fails)
}

// Differs reports whether rows that were loaded differ from the source, so that a load would fail.
func (c *Check) Differs() bool { return c.Loaded != nil && len(c.Loaded.Differences) > 0 }

// Rejected returns the number of records that would be rejected.
func (c *Check) Rejected() int64 { return c.Records - c.WouldLoad }

// CheckOptions say how a dry run goes.
type CheckOptions struct {
	Notes    []note.Note         // of the survey by which the plan was drafted
	Progress func(pass.Progress) // nil for none
	Spare    bool                // leave a processor to somebody who waits
	// ByLoading loads the rows, unless a load would not begin, and rolls them back.
	ByLoading bool
}

// DryRun converts every record and loads none. to may be nil.
func DryRun(ctx context.Context, t *tray.Tray, from *source.Opener, to database.Target, o CheckOptions) (*Check, error) {
	c := &Check{Tray: t.Dir, Table: t.Table.Name, Storage: []string{}, Notes: append([]note.Note{}, o.Notes...), Changes: []note.Note{}, AlreadyLoaded: []LoadedPart{}}
	d := dialect.PostgreSQL
	if to != nil {
		d = to.Dialect()
		err := c.addTarget(ctx, t, to)
		if err != nil {
			return nil, err
		}
	}
	plan, bad, err := c.fitted(ctx, &t.Table, to, d)
	if err != nil {
		return nil, err
	}
	c.Existing = t.Table.Existing.String()
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	for _, n := range p.LeftOut.Notes() {
		c.Notes = note.Add(c.Notes, n)
	}
	leftOut, err := c.leaveOutLoaded(ctx, p, plan, to)
	if err != nil {
		return nil, err
	}
	begins := bad == nil && c.Possible()
	if o.ByLoading && begins && c.again == nil {
		err = c.byLoading(ctx, t, from, to, o)
	} else {
		run := pass.Options{Dialect: d, Table: plan, Load: ledger.NewID(time.Now()), Progress: o.Progress, Spare: o.Spare}
		err = c.byTrial(ctx, p, begins, &trial{plan: plan, to: to, tableExists: c.exists(), source: &keyedSource{tray: t, from: from, leftOut: leftOut, options: run},
			unique: []KeyCheck{}, foreign: []ForeignCheck{}})
	}
	if err != nil {
		return nil, err
	}
	c.addVerdicts(plan, bad)
	return c, nil
}

// byLoading loads the records and rolls everything back. In that way the server itself refuses some.
func (c *Check) byLoading(ctx context.Context, t *tray.Tray, from *source.Opener, to database.Target, o CheckOptions) error {
	r, err := loadAndRollBack(ctx, t, from, to, c.AlreadyLoaded, Options{Progress: o.Progress, Notes: c.Notes})
	if err != nil {
		return err
	}
	n := r.Counts
	c.Read, c.Records, c.Skipped, c.WouldLoad, c.WouldReject = n.Read, n.Read-n.Skipped, r.Skipped, n.Loaded, r.Rejects.ByReason
	c.Loaded = &ByLoading{r.Phases[0].Seconds, r.Merged, r.Differences, r.RowsDiffer}
	for _, what := range r.Remarks {
		r.addNote(note.About(what))
	}
	c.Notes = r.Notes
	return nil
}

// byTrial converts all records and, if a load would begin, compares them with the constraints of the table.
func (c *Check) byTrial(ctx context.Context, p *pass.Pass, begins bool, trial *trial) error {
	if begins {
		err := trial.prepare(ctx)
		if err == nil {
			err = c.noteUntried(ctx, trial)
		}
		if err != nil {
			return err
		}
	}
	run := trial.source.options
	run.Hash, run.Block = trial.first()
	out, err := p.Run(ctx, run)
	if err == nil {
		out, err = trial.run(ctx, out)
	}
	if err != nil {
		return err
	}
	c.Read, c.Records, c.Skipped, c.WouldLoad = out.Read(), out.Records, out.Skipped, out.Loaded
	c.WouldReject, c.Keys, c.ForeignKeys = out.Rejects.Groups(), trial.unique, trial.foreign
	c.Notes = note.Recount(c.Notes, out.Notes)
	return nil
}

// addVerdicts says of each column whether it fits, and which do not fit the table.
func (c *Check) addVerdicts(plan *table.Table, bad []Verdict) {
	for _, col := range plan.Loaded() {
		if !slices.ContainsFunc(bad, func(v Verdict) bool { return strings.EqualFold(v.Name, col.Name) }) {
			c.Columns = append(c.Columns, verdict(col, c.WouldReject))
		}
	}
	c.Columns = append(c.Columns, bad...)
}

// noteUntried names what may refuse rows of an existing table and is not tried.
func (c *Check) noteUntried(ctx context.Context, trial *trial) error {
	depended, ok := trial.to.(database.Depended)
	if !ok || !trial.tableExists || trial.plan.Existing == table.Rebuild {
		return nil
	}
	list, err := depended.Dependents(ctx, trial.plan)
	list = slices.DeleteFunc(list, func(what string) bool {
		return !strings.HasPrefix(what, "check ") && !strings.HasPrefix(what, "trigger ") && what != "clause CHECK"
	})
	if len(list) > 0 {
		c.Notes = append(c.Notes, note.About("these may refuse rows too, and --by-loading shows which: "+note.FirstNames(list, maxLosses)))
	}
	return err
}

// leaveOutLoaded finds what the table has already, by the ledger, and leaves it out where a load would do that.
func (c *Check) leaveOutLoaded(ctx context.Context, p *pass.Pass, plan *table.Table, to database.Target) (leftOut []int, err error) {
	if !c.exists() || plan.Existing != table.Append {
		return nil, nil
	}
	identity, err := database.Identity(ctx, to, plan.Name)
	if err != nil {
		return nil, err
	}
	entries, err := ledger.Read(ctx, to, identity)
	if errors.Is(err, database.ErrPermission) {
		c.Notes = append(c.Notes, note.About("cannot detect whether this source was already loaded: the login may not read the ledger"))
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	entries, _ = withRows(standing(entries))
	found, notes, err := findLoaded(ctx, p, entries)
	c.Notes = append(c.Notes, notes...)
	if err != nil || len(found) == 0 {
		return nil, err
	}
	c.AlreadyLoaded = found
	if !plan.OnlyNew || len(found) == len(p.Parts()) {
		c.again = &AgainError{Table: c.Table, Of: len(p.Parts()), Parts: found, Growing: p.Growing}
		return nil, nil
	}
	leftOut = indexes(found)
	return leftOut, p.LeaveOut(leftOut)
}

// fitted returns the plan with the types of the table that is there, and the columns that do not fit.
func (c *Check) fitted(ctx context.Context, plan *table.Table, to database.Target, d *dialect.Dialect) (fitted *table.Table, bad []Verdict, err error) {
	if !c.exists() || plan.Existing == table.Refuse || plan.Existing == table.Rebuild {
		return plan, nil, nil
	}
	if plan.Existing == table.Merge && len(plan.Key) == 0 {
		return nil, nil, fmt.Errorf("table %s: %w", plan.Name, ErrNoKey)
	}
	hides, err := database.HidesRows(ctx, to, plan.Name)
	if err != nil {
		return nil, nil, err
	}
	hidden, err := checkHidden(to, plan, hides)
	if err != nil {
		return nil, nil, err
	}
	c.Notes = append(c.Notes, hidden...)
	live, err := database.Columns(ctx, to, plan.Name)
	if err != nil {
		return nil, nil, err
	}
	fitted, bad = fit(plan, live, d)
	if bad == nil {
		c.Notes = append(c.Notes, fitNotes(plan, fitted, live)...)
	}
	return fitted, bad, nil
}

// addTarget says whether the target has the table, and how it is kept.
func (c *Check) addTarget(ctx context.Context, t *tray.Tray, to database.Target) error {
	err := to.Dialect().Check(&t.Table)
	if err != nil {
		return err
	}
	exists, err := to.Exists(ctx, t.Table.Name)
	if err != nil {
		return err
	}
	c.Target, c.TableExists = new(to.Name()), &exists
	if !exists {
		return nil
	}
	err = c.addStorage(ctx, to)
	if err != nil {
		return err
	}
	lost, err := losses(ctx, t, &t.Table, to)
	if len(lost) > 0 {
		c.Notes = append(c.Notes, note.About((&LossError{t.Table.Existing, c.Table, lost}).Error()+"; a load is refused unless it has --accept-loss"))
	}
	return err
}

// addStorage says how the table is kept, as far as that limits a load.
func (c *Check) addStorage(ctx context.Context, to database.Target) error {
	stored, ok := to.(database.Stored)
	if !ok {
		return nil
	}
	facts, err := database.StorageFacts(ctx, stored, []string{c.Table})
	for _, f := range facts {
		c.Storage = append(c.Storage, f.Value+": "+f.Remedy)
	}
	return err
}

func verdict(col table.Column, groups []reject.Group) Verdict {
	v := Verdict{Name: col.Name, Type: col.Type.String(), Verdict: Fits}
	for _, g := range groups {
		if g.Column == col.Name {
			if v.Why != "" {
				v.Why += "; "
			}
			v.Verdict = "rejects"
			v.Why += note.Count(g.Count, "record", "records") + ": " + g.Reason
		}
	}
	return v
}

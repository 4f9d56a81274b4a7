package load

import (
	"cmp"
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"time"

	"ambertray/internal/database"
	"ambertray/internal/intake"
	"ambertray/internal/ledger"
	"ambertray/internal/pass"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// past is what the loads of a tray have left, for the parts of its source that are read again.
type past struct {
	// last is the latest load that has given one of the parts, or else the latest one of other files:
	// the table is read by its plan.
	last    *pastLoad
	loads   []*pastLoad   // that have given the parts, the latest first
	marks   []string      // what {load} stands for in the rows of each part
	refused *refusal.List // records of the parts that a server refused
}

// pastLoad is what one load has left.
type pastLoad struct {
	mark    string         // what {load} stands for in its rows
	dir     string         // of the load, or the tray without any
	receipt *Receipt       // nil without any
	state   ledger.State   // of its rows, "" if that is not known
	parts   map[string]int // the indexes of its parts in the source now, by their titles then
}

// readPast finds the last loads of the parts of a tray's source. Loads that were undone do not count,
// and neither do those that the ledger of the target does not have, because they are in another target.
func readPast(t *tray.Tray, parts []intake.Part, entries []ledger.Entry) (*past, error) {
	ids, err := t.Loads()
	if err != nil {
		return nil, err
	}
	none := &pastLoad{mark: ledger.NewID(time.Now()), dir: t.Dir}
	p := &past{last: none, marks: make([]string, len(parts)), refused: &refusal.List{}}
	keys := KeysOf(parts)
	for _, id := range slices.Backward(ids) {
		l, err := readPastLoad(t.LoadDir(id), entries)
		if err != nil {
			return nil, err
		}
		if l == nil {
			continue
		}
		if p.last == none {
			p.last = l
		}
		if l.state != ledger.Undone {
			err = p.take(l, t, keys)
		}
		if err != nil {
			return nil, err
		}
	}
	for i := range p.marks {
		p.marks[i] = cmp.Or(p.marks[i], none.mark)
	}
	if p.loads != nil {
		p.last = p.loads[0]
	}
	p.refused.Sort()
	return p, nil
}

// readPastLoad returns what a load has left, or nil for one that loaded nothing into the target.
func readPastLoad(dir string, entries []ledger.Entry) (*pastLoad, error) {
	receipt, err := ReadReceipt(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	state, known := receipt.StateIn(entries)
	if !known {
		return nil, nil
	}
	return &pastLoad{mark: receipt.ID, dir: dir, receipt: receipt, state: state}, nil
}

// StateIn returns what became of the rows of a load, by its receipt or by the entries of a ledger, "" if
// they do not say. known is false if the ledger does not have the load, although one has: then it is
// in another target.
func (r *Receipt) StateIn(entries []ledger.Entry) (state ledger.State, known bool) {
	e := ledger.ByID(entries, r.ID)
	switch {
	case r.Undone:
		return ledger.Undone, true
	case e != nil:
		return e.State, true
	}
	return "", !r.InLedger || len(entries) == 0
}

// take takes the parts that a load has given, unless a later one has taken them.
func (p *past) take(l *pastLoad, t *tray.Tray, keys []PartKey) error {
	l.parts = map[string]int{}
	given, indexes := l.receipt.Given(t), map[int]int{}
	for i, key := range keys {
		was := given[key]
		if was != nil && p.marks[i] == "" {
			p.marks[i], l.parts[was.Title()], indexes[was.Index] = l.mark, i, i
		}
	}
	if len(l.parts) == 0 {
		return nil
	}
	p.loads = append(p.loads, l)
	refused, err := readRefused(l.dir)
	if err == nil {
		p.refused.Append(refused.Renumbered(indexes))
	}
	return err
}

// leaveOthers leaves the parts that none of the loads has given out of a pass.
func (p *past) leaveOthers(of *pass.Pass) error {
	var others []int
	for i, mark := range p.marks {
		if mark == "" {
			others = append(others, i)
		}
	}
	if others == nil {
		return nil
	}
	return of.LeaveOut(others)
}

// PartKey identifies a file or sheet, however its path is written.
type PartKey struct{ Path, Sheet string }

// KeysOf returns the keys of the parts of a source.
func KeysOf(parts []intake.Part) []PartKey {
	keys := make([]PartKey, len(parts))
	for i := range parts {
		keys[i] = PartKey{tray.Absolute(parts[i].Name), parts[i].Sheet}
	}
	return keys
}

// Given returns the parts that a load has given, by their keys. Their files are found with the paths of
// the load, relative to where the tray is now.
func (r *Receipt) Given(t *tray.Tray) map[PartKey]*Part {
	given := map[PartKey]*Part{}
	for i := range r.Source {
		p := &r.Source[i]
		key := PartKey{Path: tray.Absolute(t.PathOf(tray.RelativePath(r.Tray, p.Source)))}
		if p.Sheet != nil {
			key.Sheet = *p.Sheet
		}
		given[key] = p
	}
	return given
}

// fit returns the plan as that load has gone by it and fitted it to its table, whose columns may
// have changed since then.
func (l *pastLoad) fit(ctx context.Context, t *tray.Tray, to database.Target) (*table.Table, error) {
	plan := &t.Table
	if l.receipt != nil {
		plan = l.receipt.plan(t)
	}
	live, err := database.LiveColumns(ctx, to, plan.Name)
	if err != nil {
		return nil, err
	}
	fitted, bad := plan, missing(plan, live)
	if l.receipt != nil && !l.receipt.Outcome.newTable() { // whose types were those of the plan
		fitted, bad = fit(plan, live, to.Dialect())
	}
	if bad != nil {
		return nil, &MismatchError{plan.Name, bad}
	}
	return fitted, nil
}

// mendedRows is what was corrected and loaded of the rejects of a load.
type mendedRows struct {
	rows  sourceRows
	out   *pass.Outcome // nil if nothing was mended
	parts map[int]int64 // how many records of each part, by its index
}

// mended reads the mended records of the parts of the load.
func (l *pastLoad) mended(ctx context.Context, t *tray.Tray, from *source.Opener, o pass.Options) (m mendedRows, err error) {
	path := filepath.Join(l.dir, reject.MendedName)
	_, err = os.Stat(path)
	if errors.Is(err, fs.ErrNotExist) {
		return m, nil
	}
	o.Load, o.Loads = l.mark, nil
	m.rows = sourceRows{func(ctx context.Context) (*pass.Pass, error) {
		return pass.OpenKept(ctx, t, from, path, l.receipt.Headings)
	}, o, nil}
	m.rows.options.Refused, m.parts, err = l.sortMended(ctx, m.rows)
	if err != nil {
		return m, err
	}
	p, err := m.rows.open(ctx)
	if err != nil {
		return m, err
	}
	defer p.Close()
	m.out, err = p.Run(ctx, m.rows.options)
	return m, err
}

// sortMended counts the mended records by the parts of the load. others are those of parts that are not
// read again.
func (l *pastLoad) sortMended(ctx context.Context, rows sourceRows) (others *refusal.List, parts map[int]int64, err error) {
	p, err := rows.open(ctx)
	if err != nil {
		return nil, nil, err
	}
	defer p.Close()
	others, parts = &refusal.List{}, map[int]int64{}
	return others, parts, p.Cells(ctx, func(number int64, cells []string) error {
		part, ok := l.parts[cells[reject.SourceCell]]
		if ok {
			parts[part]++
		} else {
			others.Add(refusal.Refusal{Where: refusal.Where{Record: number}})
		}
		return nil
	})
}

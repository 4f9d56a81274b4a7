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

// pastLoad is what a load of a tray has left, for the parts of the source that are read again.
type pastLoad struct {
	mark    string   // what {load} stands for in its rows
	dir     string   // of the load, or the tray without any
	receipt *Receipt // nil without any
	parts   []partAgain
	refused *refusal.List // records of its parts that the server refused
}

// partAgain is a part of a source by its index there and in a load.
type partAgain struct {
	index int
	was   *Part // nil if no load has it
}

// pastLoads divides the parts of a tray's source by the last loads that have given their rows, in the
// order of the source. last is the latest of these loads, or else the latest one of other files: the
// table is read by its plan. Loads that were undone do not count, and neither do those that the ledger
// of the target does not have, because they are in another target.
func pastLoads(t *tray.Tray, parts []intake.Part, entries []ledger.Entry) (last *pastLoad, loads []*pastLoad, err error) {
	ids, err := t.Loads()
	if err != nil {
		return nil, nil, err
	}
	none := &pastLoad{mark: ledger.NewID(time.Now()), dir: t.Dir}
	taken := make([]bool, len(parts))
	for _, id := range slices.Backward(ids) {
		dir := t.LoadDir(id)
		receipt, err := ReadReceipt(dir)
		if errors.Is(err, fs.ErrNotExist) { // it loaded nothing
			continue
		}
		if err != nil {
			return nil, nil, err
		}
		state, known := stateOf(receipt, entries)
		if !known {
			continue
		}
		l := &pastLoad{mark: receipt.ID, dir: dir, receipt: receipt}
		if last == nil {
			last = l
		}
		if state == ledger.Undone {
			continue
		}
		err = l.take(t, parts, taken)
		if err != nil {
			return nil, nil, err
		}
		if len(l.parts) > 0 {
			loads = append(loads, l)
		}
	}
	for i := range parts {
		if !taken[i] {
			none.parts = append(none.parts, partAgain{i, nil})
		}
	}
	if len(none.parts) > 0 {
		loads = append(loads, none)
	}
	switch {
	case loads[0].receipt != nil:
		last = loads[0]
	case last == nil:
		last = none
	}
	slices.SortFunc(loads, func(a, b *pastLoad) int { return cmp.Compare(a.parts[0].index, b.parts[0].index) })
	return last, loads, nil
}

// stateOf returns what became of the rows of a load. known is false if it is not in the ledger of the
// target, although it was written into one.
func stateOf(r *Receipt, entries []ledger.Entry) (state ledger.State, known bool) {
	at := slices.IndexFunc(entries, func(e ledger.Entry) bool { return e.ID == r.ID })
	switch {
	case r.Undone:
		return ledger.Undone, true
	case at >= 0:
		return entries[at].State, true
	}
	return "", !r.InLedger || len(entries) == 0
}

// take takes the parts that the load has given, unless a later one has taken them.
func (l *pastLoad) take(t *tray.Tray, parts []intake.Part, taken []bool) error {
	indexes := map[int]int{}
	for i := range parts {
		was := l.receipt.Part(t, &parts[i])
		if was != nil && !taken[i] {
			taken[i] = true
			l.parts = append(l.parts, partAgain{i, was})
			indexes[was.Index] = i
		}
	}
	refused, err := readRefused(l.dir)
	if err == nil {
		l.refused = refused.Renumbered(indexes)
	}
	return err
}

// Part returns what a receipt has of a part of the tray's source, or nil. Its file is found with the
// path of the load, relative to where the tray is now.
func (r *Receipt) Part(t *tray.Tray, of *intake.Part) *Part {
	for i := range r.Source {
		p := &r.Source[i]
		sheet := ""
		if p.Sheet != nil {
			sheet = *p.Sheet
		}
		if sheet == of.Sheet && tray.Absolute(t.PathOf(tray.RelativePath(r.Tray, p.Source))) == tray.Absolute(of.Name) {
			return p
		}
	}
	return nil
}

// leaveOthers leaves the parts that are not of the load out of a pass.
func (l *pastLoad) leaveOthers(p *pass.Pass) error {
	var others []int
	for i := range p.Parts() {
		if !slices.ContainsFunc(l.parts, func(p partAgain) bool { return p.index == i }) {
			others = append(others, i)
		}
	}
	if others == nil {
		return nil
	}
	return p.LeaveOut(others)
}

// open opens the source with the parts of the load alone.
func (l *pastLoad) open(ctx context.Context, t *tray.Tray, from *source.Opener) (*pass.Pass, error) {
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	err = l.leaveOthers(p)
	if err != nil {
		p.Close()
		return nil, err
	}
	return p, nil
}

// fit returns the plan as that load has gone by it and fitted it to its table.
func (l *pastLoad) fit(ctx context.Context, t *tray.Tray, to database.Target) (*table.Table, error) {
	if l.receipt == nil {
		return &t.Table, nil
	}
	plan := l.receipt.plan(t)
	if l.receipt.Outcome.newTable() {
		return plan, nil
	}
	live, err := database.Columns(ctx, to, plan.Name)
	if err != nil || len(live) == 0 {
		return plan, err
	}
	fitted, bad := fit(plan, live, to.Dialect())
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
	if l.receipt == nil || errors.Is(err, fs.ErrNotExist) {
		return m, nil
	}
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
		at := slices.IndexFunc(l.parts, func(p partAgain) bool { return p.was.Title() == cells[reject.SourceCell] })
		if at < 0 {
			others.Add(refusal.Refusal{Where: refusal.Where{Record: number}})
			return nil
		}
		parts[l.parts[at].index]++
		return nil
	})
}

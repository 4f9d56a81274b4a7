package load

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"ambertray/internal/database"
	"ambertray/internal/pass"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// Verification is what holding a table against its source has shown.
type Verification struct {
	Tray        string       `json:"tray"`
	Target      string       `json:"target"`
	Table       string       `json:"table"`
	Read        int64        `json:"read"`
	Convertible int64        `json:"would_load"`
	Rejected    int64        `json:"would_reject"`
	Skipped     int64        `json:"skipped"`
	Rows        int64        `json:"table_rows"`
	Before      int64        `json:"table_before"` // rows that were there before the load
	Mended      int64        `json:"mended"`       // records that were corrected and loaded later
	Verified    bool         `json:"verified"`
	Differences []Difference `json:"differences"`
	Parts       []PartRows   `json:"parts"`
	Columns     []Compared   `json:"columns"`
}

// Compared is one column and its figures on both sides.
type Compared struct {
	Name   string        `json:"name"`
	Agrees bool          `json:"agrees"`
	Source table.Figures `json:"source"`
	Table  table.Figures `json:"table"`
}

// ErrMerged is returned for a load of which the table has more than the source
// can show.
var ErrMerged = errors.New("its rows were merged into existing rows, and the table's figures are those of all rows")

// Verify reads the source of the tray again and compares the table with it: the
// rows of the last load, with what was mended of it, and those that were there
// before. It changes nothing.
func Verify(ctx context.Context, t *tray.Tray, from *source.Opener, to database.Target, progress func(pass.Progress)) (*Verification, error) {
	last, err := readLast(t)
	if err != nil {
		return nil, err
	}
	if last.receipt != nil && last.receipt.Outcome == Merged {
		return nil, fmt.Errorf("load %s: %w", last.id, ErrMerged)
	}
	plan, err := last.fit(ctx, t, to)
	if err != nil {
		return nil, err
	}
	got := counted{}
	if got.rows, got.figures, err = to.Figures(ctx, plan); err != nil {
		return nil, err
	}
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	o := pass.Options{Dialect: to.Dialect(), Table: plan, Load: last.id, Refused: last.refused, Progress: progress}
	out, err := p.Run(ctx, o)
	if err != nil {
		return nil, err
	}
	mended, err := last.mended(ctx, t, from, o)
	if err != nil {
		return nil, err
	}
	cols := plan.Loaded()
	if last.before.rows > 0 && last.before.figures == nil { // that load has counted rows only
		cols = nil
	}
	want := counted{out.Loaded, out.Figures}.plus(mended.counted, cols, to.Dialect()).plus(last.before, cols, to.Dialect())
	v := &Verification{
		Tray: t.Dir, Target: to.Name(), Table: plan.Name, Rows: got.rows, Before: last.before.rows, Mended: mended.rows,
		Read: out.Read(), Convertible: out.Loaded + mended.rows, Rejected: out.Rejects.Total() - mended.rows, Skipped: out.Skipped.Total(),
		Parts: partsOf(out, mended.parts), Differences: compare(cols, want, got),
	}
	if len(v.Parts) > 1 && v.Before == 0 {
		if err := countParts(ctx, to, plan, v.Parts); err != nil {
			return nil, err
		}
		v.Differences = append(v.Differences, compareParts(v.Parts)...)
	}
	v.Verified = len(v.Differences) == 0
	for i, c := range cols {
		v.Columns = append(v.Columns, Compared{c.Name, want.figures[i] == got.figures[i], want.figures[i], got.figures[i]})
	}
	return v, nil
}

// lastLoad is what the last load of a tray has left, if there was one.
type lastLoad struct {
	id, dir string
	receipt *Receipt // nil without one
	refused *refusal.List
	before  counted
}

func readLast(t *tray.Tray) (*lastLoad, error) {
	l := &lastLoad{id: t.NextLoad()}
	id, dir, err := t.LastLoad()
	if errors.Is(err, fs.ErrNotExist) {
		return l, nil
	}
	if err != nil {
		return nil, err
	}
	l.id, l.dir = id, dir
	l.receipt, err = ReadReceipt(dir)
	if errors.Is(err, fs.ErrNotExist) { // it loaded nothing
		l.receipt = nil
		return l, nil
	}
	if err != nil {
		return nil, err
	}
	if l.receipt.Outcome == Appended {
		l.before = counted{l.receipt.Counts.TableBefore, l.receipt.Before}
	}
	l.refused, err = readRefused(dir)
	return l, err
}

// fit returns the plan as that load has gone by it and fitted it to its table.
func (l *lastLoad) fit(ctx context.Context, t *tray.Tray, to database.Target) (*table.Table, error) {
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
	counted
	parts map[string]int64 // by the name of the part
}

func (l *lastLoad) mended(ctx context.Context, t *tray.Tray, from *source.Opener, o pass.Options) (m mendedRows, err error) {
	path := filepath.Join(l.dir, reject.MendedName)
	if _, err := os.Stat(path); l.receipt == nil || errors.Is(err, fs.ErrNotExist) {
		return m, nil
	}
	p, err := pass.OpenKept(ctx, t, from, path, l.receipt.Headings)
	if err != nil {
		return m, err
	}
	defer p.Close()
	o.Refused = nil
	out, err := p.Run(ctx, o)
	if err != nil {
		return m, err
	}
	m.counted, m.parts = counted{out.Loaded, out.Figures}, map[string]int64{}
	again, err := pass.OpenKept(ctx, t, from, path, l.receipt.Headings)
	if err != nil {
		return m, err
	}
	defer again.Close()
	return m, again.Cells(ctx, func(_ int64, cells []string) error {
		m.parts[cells[0]]++
		return nil
	})
}

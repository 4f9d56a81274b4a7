package load

import (
	"context"
	"fmt"

	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/target"
	"ambertray/internal/tray"
)

// Difference is a figure that is one thing in the source and another in the
// table. Column is empty for the number of rows.
type Difference struct {
	Column string `json:"column"`
	Figure string `json:"figure"` // rows, nulls, min, max or sum
	Source string `json:"source"`
	Table  string `json:"table"`
}

// compare holds the figures of the source against those of the table.
func compare(cols []table.Column, wantRows, rows int64, want, got []table.Figures) []Difference {
	diffs := []Difference{}
	add := func(column, figure string, source, table any) {
		if source != table {
			diffs = append(diffs, Difference{column, figure, fmt.Sprint(source), fmt.Sprint(table)})
		}
	}
	add("", "rows", wantRows, rows)
	for i, c := range cols {
		add(c.Name, "nulls", want[i].Nulls, got[i].Nulls)
		add(c.Name, "min", want[i].Min, got[i].Min)
		add(c.Name, "max", want[i].Max, got[i].Max)
		add(c.Name, "sum", want[i].Sum, got[i].Sum)
	}
	return diffs
}

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
	Verified    bool         `json:"verified"`
	Differences []Difference `json:"differences"`
	Columns     []Compared   `json:"columns"`
}

// Compared is one column and its figures on both sides.
type Compared struct {
	Name   string        `json:"name"`
	Agrees bool          `json:"agrees"`
	Source table.Figures `json:"source"`
	Table  table.Figures `json:"table"`
}

// Verify reads the source of the tray again and holds the table against it.
// It changes nothing.
func Verify(ctx context.Context, t *tray.Tray, from *source.Opener, to target.Target, progress func(pass.Progress)) (*Verification, error) {
	rows, got, err := to.Figures(ctx, &t.Table)
	if err != nil {
		return nil, err
	}
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	last, _, err := t.LastLoad()
	if err != nil {
		last = t.NextLoad()
	}
	out, err := p.Run(ctx, pass.Options{Dialect: to.Dialect(), Load: last, Progress: progress})
	if err != nil {
		return nil, err
	}
	cols := t.Table.Loaded()
	v := &Verification{
		Tray: t.Dir, Target: to.Name(), Table: t.Table.Name, Rows: rows,
		Read: out.Read(), Convertible: out.Loaded, Rejected: out.Rejects.Total(), Skipped: out.Skipped.Total(),
		Differences: compare(cols, out.Loaded, rows, out.Figures, got),
	}
	v.Verified = len(v.Differences) == 0
	for i, c := range cols {
		v.Columns = append(v.Columns, Compared{c.Name, out.Figures[i] == got[i], out.Figures[i], got[i]})
	}
	return v, nil
}

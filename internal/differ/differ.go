// Package differ finds which rows of a source and of a table differ, in bounded
// memory whatever their number: rows are compared by their hashes, and those that
// the other side lacks are paired by their key, in parts that temporary files hold.
package differ

import (
	"cmp"
	"context"
	"os"
	"slices"
)

// Row is a row of either side.
type Row struct {
	Hash   uint64
	Cells  []string // as Cell writes them
	Source string   // the file or sheet of a row of the source, and its line there
	Line   int64
}

// Side is the source or the table. Both methods read all of its rows.
type Side interface {
	// Hashes hands on the hash of each row.
	Hashes(ctx context.Context, each func(hash uint64) error) error
	// Rows hands on each row whose hash is wanted. It may be kept.
	Rows(ctx context.Context, wanted func(hash uint64) bool, each func(Row) error) error
}

// Kind is how a row differs.
type Kind string

// The kinds of difference.
const (
	Missing Kind = "missing" // the table lacks a row of the source
	Extra   Kind = "extra"   // the table has a row that the source lacks
	Changed Kind = "changed" // a row has the key of one of the source, and other values
)

// Difference is a row that differs. Of a changed one, each column that differs is a
// difference of its own.
type Difference struct {
	Kind   Kind   `json:"difference"`
	Key    string `json:"key"`    // of the row; "" without one
	Source string `json:"source"` // the file or sheet, and the line there; "" and 0 of an extra row
	Line   int64  `json:"line"`
	Column string `json:"column"` // "" of a missing or extra row
	// InSource and InTable are what both have in the column, or the whole row.
	InSource string `json:"in_source"`
	InTable  string `json:"in_table"`
}

// Result counts what differs.
type Result struct {
	Missing int64         `json:"missing"` // rows
	Extra   int64         `json:"extra"`
	Changed int64         `json:"changed"`
	Columns []ColumnCount `json:"columns"` // of changed rows, those with the most first
	First   []Difference  `json:"first"`   // some of the differences
	File    *string       `json:"file"`    // that has them all

	// Others are rows of the table that are not of the source, Copies those that are
	// there more often than in the source; both where extra rows are no differences.
	Others int64 `json:"-"`
	Copies int64 `json:"-"`
}

// Same reports whether nothing differs, or nothing was compared.
func (r *Result) Same() bool { return r == nil || r.Missing+r.Extra+r.Changed == 0 }

// ColumnCount is in how many rows a column differs.
type ColumnCount struct {
	Column string `json:"column"`
	Rows   int64  `json:"rows"`
}

// Finder compares two sides whose rows have the given columns.
type Finder struct {
	Columns []string
	Key     []string // names of those by which rows are paired; none pairs rows as a whole
	// Extras says that rows which the source lacks are differences. Otherwise they
	// are only so with the key of a row of the source.
	Extras bool
	Each   func(Difference) error // gets every difference, unless it is nil
	// Spill is how many hashes of a side are held in memory; 0 is a good number.
	Spill int
}

const (
	goodSpill = 1 << 22
	// parts is how many temporary files hold what does not fit memory.
	parts = 64
	// maxFirst is how many differences a result has.
	maxFirst = 10
)

// Find compares the sides.
func (f *Finder) Find(ctx context.Context, source, table Side) (*Result, error) {
	dir, err := os.MkdirTemp("", "ambertray-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	f.Spill = cmp.Or(f.Spill, goodSpill)
	unmatched, err := f.unmatched(ctx, dir, source, table)
	if err != nil {
		return nil, err
	}
	p := &pairing{Finder: f, result: &Result{Columns: []ColumnCount{}, First: []Difference{}}, changed: make([]int64, len(f.Columns))}
	for _, k := range f.Key {
		p.key = append(p.key, slices.Index(f.Columns, k))
	}
	if unmatched.any() {
		err := p.run(ctx, dir, unmatched, source, table)
		if err != nil {
			return nil, err
		}
	}
	for i, n := range p.changed {
		if n > 0 {
			p.result.Columns = append(p.result.Columns, ColumnCount{f.Columns[i], n})
		}
	}
	slices.SortStableFunc(p.result.Columns, func(a, b ColumnCount) int { return cmp.Compare(b.Rows, a.Rows) })
	return p.result, nil
}

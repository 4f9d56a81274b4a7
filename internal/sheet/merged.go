package sheet

import (
	"cmp"
	"fmt"
	"slices"
)

// merging are the merged cells of a sheet whose values are put into each of
// them.
type merging struct {
	ahead  []Cells // whose first row is still to come
	active []filled
	cells  int // that were filled
	seen   int // of active, in all rows
	start  int // where the text of the cell that was written last begins, or -1
}

// mergesAtCells prepares the writer for a format that records merged cells in the first of them.
func (w *writer) mergesAtCells() {
	if w.view.FillMerged {
		w.fill = &merging{start: -1}
	}
}

// mergedFrom records that a cell of the current row is merged with those to its right and below it,
// and fills them if required.
func (w *writer) mergedFrom(column, across, down int) {
	if across+down == 0 {
		return
	}
	c := Cells{column, w.row, column + across, w.row + down}
	w.merged(c)
	if w.fill != nil {
		w.fill.active = append(w.fill.active, filled{Cells: c})
		w.fill.sort()
	}
}

func (m *merging) sort() {
	slices.SortFunc(m.active, func(a, b filled) int { return cmp.Compare(a.FirstColumn, b.FirstColumn) })
}

// filled is the value of merged cells.
type filled struct {
	Cells
	text  []byte
	known bool
}

// fillMerged has the writer fill these cells.
func (w *writer) fillMerged(list []Cells) {
	if len(list) == 0 {
		return
	}
	w.fill = &merging{ahead: slices.Clone(list), start: -1}
	slices.SortFunc(w.fill.ahead, func(a, b Cells) int { return cmp.Compare(a.FirstRow, b.FirstRow) })
}

// fillRows writes the rows before a row that have no cell of their own.
func (w *writer) fillRows(row int) error {
	for r := w.row + 1; r < row; r++ {
		err := w.fill.move(r)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(w.fill.active, func(f filled) bool { return f.known }) {
			break // there is nothing to put into a row without cells
		}
		w.next(r, false)
		err = w.endRow()
		if err != nil {
			return err
		}
		err = w.flush(chunk)
		if err != nil {
			return err
		}
	}
	return w.fill.move(row)
}

// move makes a row the one that is written.
func (m *merging) move(row int) error {
	m.seen += len(m.active)
	if m.seen > 4*maxRepeated {
		return fmt.Errorf("%w: too many merged cells overlap", ErrTooLarge)
	}
	m.active = slices.DeleteFunc(m.active, func(f filled) bool { return f.LastRow < row })
	for len(m.ahead) > 0 && m.ahead[0].FirstRow <= row {
		if m.ahead[0].LastRow >= row {
			m.active = append(m.active, filled{Cells: m.ahead[0]})
		}
		m.ahead = m.ahead[1:]
	}
	m.sort()
	m.start = -1
	return nil
}

// fillRow fills the merged cells between the cell that was written last, whose
// text is now known, and col.
func (w *writer) fillRow(col int) error {
	m := w.fill
	for i := range m.active {
		f := &m.active[i]
		if m.start >= 0 && !f.known && f.has(w.row, w.column-1) {
			f.text, f.known = slices.Clone(w.out[m.start:]), true
		}
		for c := max(f.FirstColumn, w.column); f.known && c <= f.LastColumn && c < col; c++ {
			if w.left || !w.view.Cells.has(w.row, c) || w.columns != nil && w.leaves(c) {
				continue
			}
			m.cells++
			if m.cells > maxRepeated {
				return fmt.Errorf("%w: the merged cells cover more than %d values", ErrTooLarge, maxRepeated)
			}
			w.place(c)
			w.out = append(w.out, f.text...)
		}
	}
	m.start = -1
	return nil
}

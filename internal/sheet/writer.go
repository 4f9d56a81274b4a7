package sheet

import (
	"fmt"
	"io"
	"slices"
)

// What ends a cell and a row of the text of a sheet, and what stands for a
// hidden row that is left out and for one above the cells that are wanted:
// separators that ASCII has. In the text of cells a space stands for them.
const (
	CellEnd    = '\x1f'
	RowEnd     = '\x1e'
	HiddenRow  = '\x1d'
	OutsideRow = '\x1c'
)

// View is what of a sheet is handed out, and how.
type View struct {
	Cells       Cells
	LeaveHidden bool // leave out hidden rows and columns
	FillMerged  bool // put the value of merged cells into each of them
}

// Facts are what the reading of a sheet to its end has shown.
type Facts struct {
	Used          Cells // from the first cell with a value to the last
	HiddenRows    int   // that have a value
	FirstHidden   int   // of them
	HiddenColumns []int // that have a value
	Merged        []Cells
	Formulas      int // that have no value
	FirstFormula  int // the row of the first of them
	// Mixed counts the values of a column, the first one of the view being
	// Mixed[0].
	Mixed []Mixed
}

// Mixed counts the numbers of a column, and the texts that are written as one.
type Mixed struct {
	Numbers, Texts int64
	FirstText      int // the row of the first such text
}

// maxMerged is how many merged cells are reported.
const maxMerged = 1 << 16

// writer writes rows of cells as text.
type writer struct {
	to    io.Writer
	view  View
	count func(io.Reader) io.Reader
	facts Facts
	fill  *merging // the merged cells that are to be filled, or nil

	out     []byte
	scratch []byte // for the text of a cell
	row     int    // that is being written, from 1 on
	column  int    // of the cell after the last one that was written, from 1 on
	ended   int    // rows that were written
	left    bool   // the row is left out
	some    bool   // it has a value
	usual   bool   // all cells of the sheet are taken, each for itself
	hidden  bool
	columns map[int]*bool // hidden ones, and whether they have a value
}

const chunk = 64 << 10

// counted returns a reader that counts what is read, if required.
func (w *writer) counted(from io.Reader) io.Reader {
	if w.count == nil {
		return from
	}
	return w.count(from)
}

// hide records hidden columns, before the first row.
func (w *writer) hide(first, last int) {
	if w.columns == nil {
		w.columns = map[int]*bool{}
	}
	for c := first; c <= min(last, maxColumns); c++ {
		w.columns[c] = new(bool)
	}
}

// begin begins a row.
func (w *writer) begin(row int, hidden bool) error {
	if row <= w.row || row > maxRows {
		return fmt.Errorf("%w: row %d comes after row %d", ErrBroken, row, w.row)
	}
	if w.fill != nil {
		err := w.fillRows(row)
		if err != nil {
			return err
		}
	}
	w.next(row, hidden)
	return w.flush(chunk)
}

func (w *writer) next(row int, hidden bool) {
	w.row, w.column = row, w.view.Cells.first()
	w.hidden, w.some, w.left = hidden, false, hidden && w.view.LeaveHidden
	w.usual = w.view == View{} && w.columns == nil
}

// cell begins a cell, whose text is to be appended to out; ok is false for one
// that is left out.
func (w *writer) cell(col int) (ok bool, err error) {
	if col > maxColumns || col < 1 {
		return false, fmt.Errorf("%w: row %d has a column %d", ErrBroken, w.row, col)
	}
	if col == w.column && w.some && w.usual { // the cell after the last one
		w.out = append(w.out, CellEnd)
		w.column++
		return true, nil
	}
	if !w.view.Cells.has(w.row, col) {
		return false, nil
	}
	if w.columns != nil || w.left {
		if w.leaves(col) {
			return false, nil
		}
	}
	if col < w.column {
		return false, fmt.Errorf("%w: the cells of row %d are out of order", ErrBroken, w.row)
	}
	if w.fill == nil {
		w.place(col)
		return true, nil
	}
	err = w.fillRow(col)
	if err != nil {
		return false, err
	}
	w.place(col)
	w.fill.start = len(w.out)
	return true, nil
}

// place writes what stands before a cell.
func (w *writer) place(col int) {
	if !w.some {
		w.use(col)
	}
	w.gap()
	for ; w.column <= col; w.column++ {
		if w.column > w.view.Cells.first() {
			w.out = append(w.out, CellEnd)
		}
	}
}

// gap writes the rows before this one that have no value.
func (w *writer) gap() {
	for ; w.ended < w.row-1; w.ended++ {
		if w.ended+1 < w.view.Cells.FirstRow {
			w.out = append(w.out, OutsideRow)
		}
		w.out = append(w.out, RowEnd)
	}
}

// use adds that a cell has a value: the first one of a row, and any that is
// left out.
func (w *writer) use(col int) {
	u := &w.facts.Used
	if u.FirstRow == 0 {
		*u = Cells{col, w.row, col, w.row}
	}
	u.FirstColumn, u.LastColumn, u.LastRow = min(u.FirstColumn, col), max(u.LastColumn, col), w.row
	w.some = true
}

// leaves reports whether a cell of a hidden row or column is left out.
func (w *writer) leaves(col int) bool {
	hides := w.columns[col]
	if hides != nil && !*hides {
		*hides = true
	}
	if w.left {
		w.use(col)
		return true
	}
	return hides != nil && w.view.LeaveHidden
}

// endRow ends the row, if any of its cells was written.
func (w *writer) endRow() error {
	if w.fill != nil {
		err := w.fillRow(maxColumns + 1)
		if err != nil {
			return err
		}
	}
	if w.hidden && w.some {
		w.facts.HiddenRows++
		if w.facts.HiddenRows == 1 {
			w.facts.FirstHidden = w.row
		}
	}
	if w.left && w.some {
		w.gap()
		w.out = append(w.out, HiddenRow, RowEnd)
		w.ended = w.row
	} else if w.column > w.view.Cells.first() {
		w.facts.Used.LastColumn = max(w.facts.Used.LastColumn, w.column-1)
		w.out = append(w.out, RowEnd)
		w.ended = w.row
	}
	return nil
}

// merged records merged cells.
func (w *writer) merged(c Cells) {
	if len(w.facts.Merged) < maxMerged {
		w.facts.Merged = append(w.facts.Merged, c)
	}
}

// formula notes a formula without a value.
func (w *writer) formula() {
	w.facts.Formulas++
	if w.facts.Formulas == 1 {
		w.facts.FirstFormula = w.row
	}
}

// number notes that the cell that was written last is a number.
func (w *writer) number() {
	w.mixed().Numbers++
}

// put appends text to the cell that has begun, without what ends cells and rows.
func (w *writer) put(text []byte) {
	start := len(w.out)
	w.out = append(w.out, text...)
	for i, c := range w.out[start:] {
		if c >= OutsideRow && c <= CellEnd {
			w.out[start+i] = ' '
		}
	}
}

// append puts the text of a cell, and notes whether it is written as a number is.
func (w *writer) append(text []byte) {
	w.put(text)
	if len(text) > 0 && text[0] <= '9' && numeric(text) {
		m := w.mixed()
		m.Texts++
		if m.Texts == 1 {
			m.FirstText = w.row
		}
	}
}

// writeText writes a cell of text.
func (w *writer) writeText(col int, text []byte) error {
	ok, err := w.cell(col)
	if ok {
		w.append(text)
	}
	return err
}

// writeWord writes a text that is the program's own.
func (w *writer) writeWord(col int, word string) error {
	ok, err := w.cell(col)
	if ok {
		w.out = append(w.out, word...)
	}
	return err
}

// mixed returns the counts of the column that was written last.
func (w *writer) mixed() *Mixed {
	i := w.column - 1 - w.view.Cells.first()
	for len(w.facts.Mixed) <= i {
		w.facts.Mixed = append(w.facts.Mixed, Mixed{})
	}
	return &w.facts.Mixed[i]
}

// numeric reports whether a text is digits, but for spaces around them, one sign
// and one point.
func numeric(text []byte) bool {
	digits, points := 0, 0
	for i, c := range text {
		switch {
		case c >= '0' && c <= '9':
			digits++
		case c == '.' && points == 0:
			points++
		case c == ' ', (c == '-' || c == '+') && i == 0:
		default:
			return false
		}
	}
	return digits > 0
}

func (w *writer) flush(atLeast int) error {
	if len(w.out) < atLeast {
		return nil
	}
	_, err := w.to.Write(w.out)
	w.out = w.out[:0]
	return err
}

// end writes what is left.
func (w *writer) end() error {
	if w.fill != nil {
		err := w.fillRows(maxRows + 1)
		if err != nil {
			return err
		}
	}
	for c, some := range w.columns {
		if *some {
			w.facts.HiddenColumns = append(w.facts.HiddenColumns, c)
		}
	}
	slices.Sort(w.facts.HiddenColumns)
	return w.flush(1)
}

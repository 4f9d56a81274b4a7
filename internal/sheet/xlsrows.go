package sheet

import (
	"bytes"
	"fmt"
	"io"
	"slices"
)

// xlsCell says where a cell is: its row and column, and its record.
type xlsCell struct {
	place uint32 // row<<8 | column
	at    uint32
}

// xlsRows is what a sheet has: its cells in order, and its hidden rows.
type xlsRows struct {
	cells  []xlsCell
	hidden map[int]bool
}

// index finds the cells of a sheet.
func (x *xls) index(start int, w *writer) (rows xlsRows, err error) {
	rows.hidden = map[int]bool{}
	err = x.records(start, func(r xlsRecord) error {
		f := &fields{rest: r.data}
		switch {
		case r.hasValue():
			row, column := f.u16(), f.u16()
			rows.cells = append(rows.cells, xlsCell{uint32(row)<<8 | uint32(column&0xff), uint32(r.at)})
		case r.kind == xlsRow:
			row := f.u16()
			f.bytes(10)
			if f.u16()&0x20 != 0 {
				rows.hidden[row] = true
			}
		case r.kind == xlsColInfo:
			first, last := f.u16(), f.u16()
			f.bytes(4)
			if f.u16()&1 != 0 {
				w.hide(first+1, last+1)
			}
		case r.kind == xlsMergeCells:
			for range f.u16() {
				firstRow, lastRow, firstColumn, lastColumn := f.u16(), f.u16(), f.u16(), f.u16()
				w.merged(Cells{firstColumn + 1, firstRow + 1, lastColumn + 1, lastRow + 1})
			}
		}
		if f.short {
			return fmt.Errorf("%w: a record of kind %#x is too short", ErrBroken, r.kind)
		}
		return nil
	})
	slices.SortStableFunc(rows.cells, func(a, b xlsCell) int { return int(a.place) - int(b.place) })
	return rows, err
}

// write implements content.
func (x *xls) write(i int, w *writer) error {
	if w.count != nil { // it is in memory, and so was read
		_, _ = io.Copy(io.Discard, w.count(bytes.NewReader(x.data)))
	}
	rows, err := x.index(x.starts[i], w)
	if err != nil {
		return err
	}
	if w.view.FillMerged {
		w.fillMerged(w.facts.Merged)
	}
	for n, c := range rows.cells {
		row := int(c.place >> 8)
		if n+1 < len(rows.cells) && c.place == rows.cells[n+1].place { // which a person sees
			continue
		}
		if row+1 > w.row {
			err := w.endRow()
			if err != nil {
				return err
			}
			err = w.begin(row+1, rows.hidden[row])
			if err != nil {
				return err
			}
		}
		err := x.cell(w, int(c.at))
		if err != nil {
			return err
		}
	}
	return w.endRow()
}

// cell writes the cells of the record at an offset.
func (x *xls) cell(w *writer, at int) error {
	r, err := x.record(at)
	if err != nil {
		return err
	}
	f := &fields{rest: r.data}
	f.u16()
	col, style := f.u16()+1, f.u16()
	switch r.kind {
	case xlsNumber:
		err = x.writeNumber(w, col, style, f.float())
	case xlsRK:
		err = x.writeNumber(w, col, style, unpacked(f.bits32()))
	case xlsMulRK:
		for ; err == nil && len(f.rest) >= 6; col++ { // the last column stands after
			err = x.writeNumber(w, col, style, unpacked(f.bits32()))
			style = f.u16()
		}
	case xlsLabel, xlsRString:
		err = w.writeText(col, []byte(f.text(f.u16())))
	case xlsLabelSST:
		text, ok := x.shared.at(f.u32())
		if !ok {
			return fmt.Errorf("%w: row %d refers to a missing shared string", ErrBroken, w.row)
		}
		err = w.writeText(col, text)
	case xlsBoolErr:
		value, isError := f.u8(), f.u8()
		err = writeTruthOrError(w, col, value, isError != 0)
	case xlsFormula:
		err = x.formula(w, r, f, col, style)
	}
	if err == nil && f.short {
		err = fmt.Errorf("%w: a record of kind %#x in row %d is too short", ErrBroken, r.kind, w.row)
	}
	return err
}

func writeTruthOrError(w *writer, col, value int, isError bool) error {
	if isError {
		return w.writeWord(col, errorWord(value))
	}
	return w.writeWord(col, truth(value != 0))
}

// formula writes the value of a formula: a number, or what eight bytes that are
// none stand for ([MS-XLS] 2.5.133, FormulaValue). A text stands in one of the
// records after.
func (x *xls) formula(w *writer, r xlsRecord, f *fields, col, style int) error {
	raw := f.bytes(8)
	if f.short {
		return nil
	}
	if raw[6] != 0xff || raw[7] != 0xff {
		return x.writeNumber(w, col, style, (&fields{rest: raw}).float())
	}
	switch raw[0] {
	case 0:
		return x.formulaText(w, r, col)
	case 1, 2:
		return writeTruthOrError(w, col, int(raw[2]), raw[0] == 2)
	}
	return nil // an empty text
}

// formulaText writes the text after a formula, after what that shares with
// others.
func (x *xls) formulaText(w *writer, r xlsRecord, col int) (err error) {
	for range 3 {
		r, err = x.record(r.next)
		if err != nil {
			return err
		}
		if r.kind == xlsString {
			f := &continued{x: x, fields: fields{rest: r.data}, next: r.next}
			text, err := f.characters(nil, f.u16(), f.u8()&1 != 0)
			if err != nil {
				return err
			}
			return w.writeText(col, text)
		}
	}
	return fmt.Errorf("%w: the formula in row %d has no text", ErrBroken, w.row)
}

package sheet

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"slices"
)

// The records of an older workbook that are read ([MS-XLS] 2.3).
const (
	xlsFormula     = 0x06
	xlsEOF         = 0x0a
	xlsDate1904    = 0x22
	xlsFilePass    = 0x2f
	xlsContinue    = 0x3c
	xlsColInfo     = 0x7d
	xlsBoundSheet  = 0x85
	xlsMulRK       = 0xbd
	xlsRString     = 0xd6
	xlsXF          = 0xe0
	xlsMergeCells  = 0xe5
	xlsSST         = 0xfc
	xlsLabelSST    = 0xfd
	xlsDimensions  = 0x200
	xlsNumber      = 0x203
	xlsLabel       = 0x204
	xlsBoolErr     = 0x205
	xlsString      = 0x207
	xlsRow         = 0x208
	xlsRK          = 0x27e
	xlsFormat      = 0x41e
	xlsBOF         = 0x809
	biff8          = 0x600
	xlsMaxRecord   = 8224
	xlsRecordStart = 4 // bytes of kind and length
)

// xls is an older binary workbook, of the version called BIFF8. It is all in
// memory, since its cells may stand in any order.
type xls struct {
	values
	data   []byte
	starts []int // where its sheets are
}

// OpenOld opens an older binary workbook, of which data is the stream called
// Workbook.
func OpenOld(data []byte) (*Book, error) {
	x := &xls{data: data}
	b := &Book{Format: "xls", content: x}
	codes := map[int]format{}
	first := true
	err := x.records(0, func(r xlsRecord) error {
		f := &fields{rest: r.data}
		if first {
			first = false
			if version := f.u16(); r.kind != xlsBOF || version != biff8 {
				return fmt.Errorf("%w: it is a workbook from before 1997; save it as .xlsx", errors.ErrUnsupported)
			}
		}
		switch r.kind {
		case xlsFilePass:
			return ErrEncrypted
		case xlsDate1904:
			x.is1904 = f.u16() != 0
		case xlsFormat:
			id := f.u16()
			codes[id] = parseFormat(f.text(f.u16()))
		case xlsXF:
			f.u16()
			x.addStyle(f.u16(), codes)
		case xlsSST:
			return x.readStrings(r)
		case xlsBoundSheet:
			start, hidden, kind := f.u32(), f.u8(), f.u8()
			if kind == 0 && !f.short { // and not a chart
				b.Sheets = append(b.Sheets, Sheet{Name: f.text(f.u8()), Hidden: hidden&3 != 0, Empty: true})
				x.starts = append(x.starts, start)
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for i := range b.Sheets {
		if err := x.look(&b.Sheets[i], x.starts[i]); err != nil {
			return nil, err
		}
	}
	return b.found()
}

func (x *xls) size(i int) int64 { return int64(len(x.data)) }

// xlsRecord is one record; at is where it begins, next where the one behind it
// does.
type xlsRecord struct {
	kind     int
	data     []byte
	at, next int
}

// record returns the record at an offset.
func (x *xls) record(at int) (r xlsRecord, err error) {
	if at < 0 || at+xlsRecordStart > len(x.data) {
		return r, fmt.Errorf("%w: it is cut off", ErrBroken)
	}
	r.kind, r.at = int(binary.LittleEndian.Uint16(x.data[at:])), at
	r.next = at + xlsRecordStart + int(binary.LittleEndian.Uint16(x.data[at+2:]))
	if r.next > len(x.data) {
		return r, fmt.Errorf("%w: it is cut off", ErrBroken)
	}
	r.data = x.data[at+xlsRecordStart : r.next]
	return r, nil
}

// records calls do with every record of a part of the stream: that of the
// workbook, or of a sheet.
func (x *xls) records(at int, do func(r xlsRecord) error) error {
	depth := 0 // of charts in a sheet
	for {
		r, err := x.record(at)
		if err != nil {
			return err
		}
		switch r.kind {
		case xlsBOF:
			depth++
		case xlsEOF:
			if depth--; depth <= 0 {
				return nil
			}
		}
		if depth <= 1 {
			if err := do(r); err != nil {
				return err
			}
		}
		at = r.next
	}
}

// text reads a text of so many characters, which has a flag before it.
func (f *fields) text(n int) string {
	return string(f.appendText(nil, n, f.u8()&1 != 0))
}

func (f *fields) appendText(dst []byte, n int, wide bool) []byte {
	if wide {
		return appendWide(dst, f.bytes(2*n))
	}
	return appendNarrow(dst, f.bytes(n))
}

// readStrings reads the shared texts, which go on in the records behind. A text
// that is parted by the end of a record begins anew with a flag.
func (x *xls) readStrings(r xlsRecord) error {
	f := &continued{x: x, fields: fields{rest: r.data}, next: r.next}
	f.bytes(4)
	var text []byte
	for range f.u32() {
		if err := f.more(3); err != nil {
			return err
		}
		n, flags := f.u16(), f.u8()
		runs, phonetic := 0, 0
		if flags&8 != 0 {
			runs = f.u16()
		}
		if flags&4 != 0 {
			phonetic = f.u32()
		}
		var err error
		if text, err = f.characters(text[:0], n, flags&1 != 0); err == nil {
			err = f.skip(4*runs + phonetic)
		}
		if err != nil {
			return err
		}
		if err := x.shared.add(text); err != nil {
			return err
		}
	}
	return nil
}

// continued are the fields of a record that goes on in others.
type continued struct {
	x *xls
	fields
	next int
}

// more goes on to the next record where there are fewer bytes than that.
func (f *continued) more(n int) error {
	if len(f.rest) > 0 {
		if len(f.rest) < n {
			return fmt.Errorf("%w: a shared text is cut off", ErrBroken)
		}
		return nil
	}
	r, err := f.x.record(f.next)
	if err != nil {
		return err
	}
	if r.kind != xlsContinue || len(r.data) == 0 {
		return fmt.Errorf("%w: its shared texts are cut off", ErrBroken)
	}
	f.rest, f.next = r.data, r.next
	return nil
}

// characters appends so many characters.
func (f *continued) characters(dst []byte, n int, wide bool) ([]byte, error) {
	for n > 0 {
		if len(f.rest) == 0 {
			if err := f.more(1); err != nil {
				return dst, err
			}
			wide = f.u8()&1 != 0
		}
		size := 1
		if wide {
			size = 2
		}
		here := min(n, len(f.rest)/size)
		if here == 0 {
			return dst, fmt.Errorf("%w: a shared text is cut off", ErrBroken)
		}
		dst = f.appendText(dst, here, wide)
		n -= here
	}
	return dst, nil
}

func (f *continued) skip(n int) error {
	for n > 0 {
		if err := f.more(1); err != nil {
			return err
		}
		here := min(n, len(f.rest))
		f.bytes(here)
		n -= here
	}
	return nil
}

// hasValue tells whether a record holds cells with a value.
func (r *xlsRecord) hasValue() bool {
	switch r.kind {
	case xlsFormula, xlsMulRK, xlsRString, xlsLabelSST, xlsNumber, xlsLabel, xlsBoolErr, xlsRK:
		return len(r.data) >= 6
	}
	return false
}

// look finds out the range of a sheet and whether any cell has a value.
func (x *xls) look(sheet *Sheet, start int) error {
	err := x.records(start, func(r xlsRecord) error {
		if r.kind == xlsDimensions {
			f := &fields{rest: r.data}
			firstRow, lastRow, firstColumn, lastColumn := f.u32(), f.u32(), f.u16(), f.u16()
			if lastRow > firstRow && lastColumn > firstColumn {
				sheet.Range = Cells{firstColumn + 1, firstRow + 1, lastColumn, lastRow}.String()
			}
		}
		if r.hasValue() {
			sheet.Empty = false
			return errEnough
		}
		return nil
	})
	if errors.Is(err, errEnough) {
		return nil
	}
	return err
}

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
			if f.bytes(10); f.u16()&0x20 != 0 {
				rows.hidden[row] = true
			}
		case r.kind == xlsColInfo:
			first, last := f.u16(), f.u16()
			if f.bytes(4); f.u16()&1 != 0 {
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
			if err := w.endRow(); err != nil {
				return err
			}
			if err := w.begin(row+1, rows.hidden[row]); err != nil {
				return err
			}
		}
		if err := x.cell(w, int(c.at)); err != nil {
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
		for ; err == nil && len(f.rest) >= 6; col++ { // the last column stands behind
			err = x.writeNumber(w, col, style, unpacked(f.bits32()))
			style = f.u16()
		}
	case xlsLabel, xlsRString:
		err = w.writeText(col, []byte(f.text(f.u16())))
	case xlsLabelSST:
		text, ok := x.shared.at(f.u32())
		if !ok {
			return fmt.Errorf("%w: it has no such shared text as row %d has", ErrBroken, w.row)
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
// records behind.
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

// formulaText writes the text behind a formula, behind what that shares with
// others.
func (x *xls) formulaText(w *writer, r xlsRecord, col int) (err error) {
	for range 3 {
		if r, err = x.record(r.next); err != nil {
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

package sheet

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"sync"
)

// The records of a binary workbook that are read ([MS-XLSB] 2.3).
const (
	brtRowHdr       = 0
	brtCellBlank    = 1
	brtCellRk       = 2
	brtCellError    = 3
	brtCellBool     = 4
	brtCellReal     = 5
	brtCellSt       = 6
	brtCellIsst     = 7
	brtFmlaString   = 8
	brtFmlaNum      = 9
	brtFmlaBool     = 10
	brtFmlaError    = 11
	brtShortBlank   = 12 // the short kinds follow the cell before, and so have no column
	brtShortIsst    = 18
	brtSSTItem      = 19
	brtFmt          = 44
	brtXF           = 47
	brtColInfo      = 60
	brtCellRString  = 62
	brtWsDim        = 148
	brtWbProp       = 153
	brtBundleSh     = 156
	brtMergeCell    = 176
	brtName         = 39
	brtBeginList    = 343
	brtExternSheet  = 362
	brtBeginCellXFs = 617
	brtEndCellXFs   = 618
)

// xlsb is a workbook of the binary form of Office Open XML.
type xlsb struct{ openXML }

func openXLSB(p parts, o opening) (*Book, error) {
	x := &xlsb{openXML{parts: p}}
	b := &Book{Format: "xlsb", content: x}
	var names references
	err := x.records(o.main, func(kind int, f *fields) error {
		switch kind {
		case brtWbProp:
			x.is1904 = f.u32()&1 != 0
		case brtBundleSh:
			state := f.u32()
			f.u32()
			id, name := f.wide(), f.wide()
			part := o.sheet(id)
			names.sheet(len(b.Sheets), part != "")
			if part != "" {
				b.Sheets = append(b.Sheets, Sheet{Name: name, Hidden: state != 0})
				x.sheets = append(x.sheets, part)
			}
		case brtExternSheet:
			for n := f.u32(); n > 0 && !f.short; n-- {
				f.u32()
				names.extern(int(int32(f.bits32())), int(int32(f.bits32())))
			}
		case brtName:
			flags := f.u32()
			f.bytes(5)
			name := f.wide()
			f.u32()
			names.name(name, flags, f.reference)
			f.short = false // a name of something else is not one of cells
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	err = x.readStyles(o.styles)
	if err != nil {
		return nil, err
	}
	x.strings = sync.OnceValue(func() error { return x.readStrings(o.strings) })
	err = x.lookAt(b, x.look, func(sheet int, part string) error { return x.readTable(b, sheet, part) })
	if err != nil {
		return nil, err
	}
	names.resolve(b)
	return b.found()
}

// reference reads a formula that is one range ([MS-XLSB] 2.5.97.20, PtgArea3d),
// and returns the sheets that it is of, by their number, -1 for any other.
func (f *fields) reference() (extern int, c Cells) {
	kind := f.u8()
	if kind&0x1f != ptgArea3d {
		return -1, c
	}
	extern = f.u16()
	firstRow, lastRow := f.u32(), f.u32()
	firstColumn, lastColumn := f.u16()&0x3fff, f.u16()&0x3fff
	return extern, Cells{firstColumn + 1, firstRow + 1, lastColumn + 1, lastRow + 1}
}

// readTable gives a table of a sheet its name. Its rows of totals are not part of
// it.
func (x *xlsb) readTable(b *Book, sheet int, part string) error {
	return x.records(part, func(kind int, f *fields) error {
		if kind != brtBeginList {
			return nil
		}
		cells := f.area()
		f.bytes(12)
		cells.LastRow -= f.u32()
		f.bytes(4 + 6*4 + 4)
		f.wide()
		b.Names = append(b.Names, Name{f.wide(), sheet, cells})
		return errEnough
	})
}

// records calls do with every record of a part, if there is one.
func (x *xlsb) records(part string, do func(kind int, f *fields) error) error {
	return x.with(part, func(r io.Reader) error { return eachRecord(r, do) })
}

// eachRecord takes a part apart into records. Their kinds are written in one or
// two bytes, their lengths in up to four, of 7 bits each.
func eachRecord(in io.Reader, do func(kind int, f *fields) error) error {
	r := bufio.NewReaderSize(in, chunk)
	var data []byte
	for {
		kind, err := number7(r, 2)
		if errors.Is(err, io.EOF) {
			return nil
		}
		var length int
		if err == nil {
			length, err = number7(r, 4)
		}
		if err != nil {
			return ended(err)
		}
		if length > maxText {
			return fmt.Errorf("%w: a record is longer than %d MB", ErrBroken, maxText>>20)
		}
		data, err = readMore(r, data[:0], length)
		if err != nil {
			return ended(err)
		}
		f := &fields{rest: data}
		err = do(kind, f)
		if err != nil {
			return err
		}
		if f.short {
			return fmt.Errorf("%w: a record of kind %d is too short", ErrBroken, kind)
		}
	}
}

// readMore reads n bytes, and allocates memory only for those that exist.
func readMore(r io.Reader, data []byte, length int) ([]byte, error) {
	for len(data) < length {
		n := min(length-len(data), max(chunk, len(data)))
		start := len(data)
		data = append(data, make([]byte, n)...)
		_, err := io.ReadFull(r, data[start:])
		if err != nil {
			return data, io.ErrUnexpectedEOF
		}
	}
	return data, nil
}

// number7 reads a number of at most n bytes, each but the last with its
// high bit set.
func number7(r *bufio.Reader, bytes int) (n int, err error) {
	for i := range bytes {
		c, err := r.ReadByte()
		if err != nil {
			if i > 0 {
				err = io.ErrUnexpectedEOF
			}
			return 0, err
		}
		n |= int(c&0x7f) << (7 * i)
		if c < 0x80 {
			break
		}
	}
	return n, nil
}

// wide reads a text that has its length before it; none is a length of -1.
func (f *fields) wide() string {
	n := f.bits32()
	if n == 1<<32-1 {
		return ""
	}
	return string(appendWide(nil, f.bytes(int(n)*2)))
}

func (x *xlsb) readStyles(part string) error {
	codes := map[int]format{}
	within := false
	return x.records(part, func(kind int, f *fields) error {
		switch kind {
		case brtFmt:
			id := f.u16()
			codes[id] = parseFormat(f.wide())
		case brtBeginCellXFs, brtEndCellXFs:
			within = kind == brtBeginCellXFs
		case brtXF:
			f.u16()
			if within {
				x.addStyle(f.u16(), codes)
			}
		}
		return nil
	})
}

func (x *xlsb) readStrings(part string) error {
	var text []byte
	return x.records(part, func(kind int, f *fields) error {
		if kind != brtSSTItem {
			return nil
		}
		f.u8() // whether there are formats and phonetics, which stand after
		text = appendWide(text[:0], f.bytes(f.u32()*2))
		return x.shared.add(text)
	})
}

// look finds out the range of a sheet and whether any cell has a value.
func (x *xlsb) look(sheet *Sheet, part string) error {
	sheet.Empty = true
	return x.records(part, func(kind int, f *fields) error {
		switch {
		case kind == brtWsDim:
			sheet.Range = f.area().String()
			if sheet.Range == "A1:A1" {
				sheet.Range = ""
			}
		case isCell(kind) && kind != brtCellBlank && kind != brtShortBlank:
			sheet.Empty = false
			return errEnough
		}
		return nil
	})
}

// area reads a part of a sheet.
func (f *fields) area() Cells {
	firstRow, lastRow := f.u32(), f.u32()
	firstColumn, lastColumn := f.u32(), f.u32()
	return Cells{firstColumn + 1, firstRow + 1, lastColumn + 1, lastRow + 1}
}

// merges returns the merged cells of a sheet, which stand after its rows.
func (x *xlsb) merges(part string) (list []Cells, err error) {
	err = x.records(part, func(kind int, f *fields) error {
		if kind == brtMergeCell && len(list) < maxMerged {
			list = append(list, f.area())
		}
		return nil
	})
	return list, err
}

// write implements content.
func (x *xlsb) write(i int, w *writer) error {
	err := x.begin(i, w, x.merges)
	if err != nil {
		return err
	}
	rows := &xlsbRows{xlsb: x, w: w}
	err = x.ahead(x.sheets[i], w, func(r io.Reader) error { return eachRecord(r, rows.record) })
	if err != nil {
		return err
	}
	return w.endRow()
}

// xlsbRows writes the rows of one sheet.
type xlsbRows struct {
	*xlsb
	w      *writer
	column int // of the cell that was read last
}

func isCell(kind int) bool {
	return kind >= brtCellBlank && kind <= brtShortIsst || kind == brtCellRString
}

// record writes what a record of the sheet says.
func (x *xlsbRows) record(kind int, f *fields) error {
	switch {
	case kind == brtColInfo:
		first, last := f.u32(), f.u32()
		f.bytes(8)
		if f.u16()&1 != 0 {
			x.w.hide(first+1, last+1)
		}
	case kind == brtRowHdr:
		row := f.u32() + 1
		f.bytes(7)
		x.column = 0
		err := x.w.endRow()
		if err != nil {
			return err
		}
		return x.w.begin(row, f.u8()&0x10 != 0)
	case kind == brtMergeCell:
		x.w.merged(f.area())
	case isCell(kind):
		if x.w.row == 0 {
			return fmt.Errorf("%w: a cell comes before the first row", ErrBroken)
		}
		x.column++
		if kind < brtShortBlank || kind > brtShortIsst {
			x.column = f.u32() + 1
		} else {
			kind -= brtShortBlank - brtCellBlank
		}
		return x.cell(kind, f)
	}
	return nil
}

func (x *xlsbRows) cell(kind int, f *fields) error {
	w, col, style := x.w, x.column, f.u32()&0xffffff
	switch kind {
	case brtCellBlank:
		return nil
	case brtCellRk:
		return x.writeNumber(w, col, style, unpacked(f.bits32()))
	case brtCellReal, brtFmlaNum:
		return x.writeNumber(w, col, style, f.float())
	case brtCellBool, brtFmlaBool:
		return w.writeWord(col, truth(f.u8() != 0))
	case brtCellError, brtFmlaError:
		return w.writeWord(col, errorWord(f.u8()))
	case brtCellRString:
		f.u8()
		fallthrough
	case brtCellSt, brtFmlaString:
		return w.writeText(col, appendWide(nil, f.bytes(f.u32()*2)))
	}
	text, ok := x.shared.at(f.u32())
	if !ok {
		return fmt.Errorf("%w: row %d refers to a missing shared string", ErrBroken, w.row)
	}
	return w.writeText(col, text)
}

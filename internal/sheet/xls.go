package sheet

import (
	"encoding/binary"
	"errors"
	"fmt"
)

// The records of an older workbook that are read ([MS-XLS] 2.3).
const (
	xlsFormula     = 0x06
	xlsEOF         = 0x0a
	xlsExternSheet = 0x17
	xlsName        = 0x18
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
	var names references
	err := x.records(0, func(r xlsRecord) error {
		f := &fields{rest: r.data}
		if first {
			first = false
			version := f.u16()
			if r.kind != xlsBOF || version != biff8 {
				return fmt.Errorf("%w: the workbook is from before 1997; save it as .xlsx", errors.ErrUnsupported)
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
			names.sheet(len(b.Sheets), kind == 0)
			if kind == 0 && !f.short { // and not a chart
				b.Sheets = append(b.Sheets, Sheet{Name: f.text(f.u8()), Hidden: hidden&3 != 0, Empty: true})
				x.starts = append(x.starts, start)
			}
		case xlsExternSheet:
			for n := f.u16(); n > 0 && !f.short; n-- {
				f.u16()
				names.extern(int(int16(f.u16())), int(int16(f.u16())))
			}
		case xlsName:
			flags := f.u16()
			f.u8()
			length := f.u8()
			f.bytes(10)
			name := f.text(length)
			names.name(name, flags, f.oldReference)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	err = x.lookAtAll(b.Sheets)
	if err != nil {
		return nil, err
	}
	names.resolve(b)
	return b.found()
}

func (x *xls) lookAtAll(sheets []Sheet) error {
	for i := range sheets {
		err := x.look(&sheets[i], x.starts[i])
		if err != nil {
			return err
		}
	}
	return nil
}

// oldReference reads a formula that is one range ([MS-XLS] 2.5.198.28,
// PtgArea3d).
func (f *fields) oldReference() (extern int, c Cells) {
	kind := f.u8()
	if kind&0x1f != ptgArea3d {
		return -1, c
	}
	extern = f.u16()
	firstRow, lastRow, firstColumn, lastColumn := f.u16(), f.u16(), f.u16()&0xff, f.u16()&0xff
	return extern, Cells{firstColumn + 1, firstRow + 1, lastColumn + 1, lastRow + 1}
}

func (x *xls) size(i int) int64 { return int64(len(x.data)) }

// xlsRecord is one record; at is where it begins, next where the one after it
// does.
type xlsRecord struct {
	kind     int
	data     []byte
	at, next int
}

// record returns the record at an offset.
func (x *xls) record(at int) (r xlsRecord, err error) {
	if at < 0 || at+xlsRecordStart > len(x.data) {
		return r, fmt.Errorf("%w: the file is cut off", ErrBroken)
	}
	r.kind, r.at = int(binary.LittleEndian.Uint16(x.data[at:])), at
	r.next = at + xlsRecordStart + int(binary.LittleEndian.Uint16(x.data[at+2:]))
	if r.next > len(x.data) {
		return r, fmt.Errorf("%w: the file is cut off", ErrBroken)
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
			depth--
			if depth <= 0 {
				return nil
			}
		}
		if depth <= 1 {
			err := do(r)
			if err != nil {
				return err
			}
		}
		at = r.next
	}
}

// text reads a text of n characters, which has a flag before it.
func (f *fields) text(n int) string {
	return string(f.appendText(nil, n, f.u8()&1 != 0))
}

func (f *fields) appendText(dst []byte, n int, wide bool) []byte {
	if wide {
		return appendWide(dst, f.bytes(2*n))
	}
	return appendNarrow(dst, f.bytes(n))
}

// readStrings reads the shared texts, which continue in the records after. A text
// that is parted by the end of a record begins again with a flag.
func (x *xls) readStrings(r xlsRecord) error {
	f := &continued{x: x, fields: fields{rest: r.data}, next: r.next}
	f.bytes(4)
	var text []byte
	for range f.u32() {
		err := f.more(3)
		if err != nil {
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
		text, err = f.characters(text[:0], n, flags&1 != 0)
		if err == nil {
			err = f.skip(4*runs + phonetic)
		}
		if err != nil {
			return err
		}
		err = x.shared.add(text)
		if err != nil {
			return err
		}
	}
	return nil
}

// continued are the fields of a record that continues in others.
type continued struct {
	x *xls
	fields
	next int
}

// more continues to the next record where there are fewer bytes than that.
func (f *continued) more(n int) error {
	if len(f.rest) > 0 {
		if len(f.rest) < n {
			return fmt.Errorf("%w: a shared string is cut off", ErrBroken)
		}
		return nil
	}
	r, err := f.x.record(f.next)
	if err != nil {
		return err
	}
	if r.kind != xlsContinue || len(r.data) == 0 {
		return fmt.Errorf("%w: the shared strings are cut off", ErrBroken)
	}
	f.rest, f.next = r.data, r.next
	return nil
}

// characters appends n characters.
func (f *continued) characters(dst []byte, n int, wide bool) ([]byte, error) {
	for n > 0 {
		if len(f.rest) == 0 {
			err := f.more(1)
			if err != nil {
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
			return dst, fmt.Errorf("%w: a shared string is cut off", ErrBroken)
		}
		dst = f.appendText(dst, here, wide)
		n -= here
	}
	return dst, nil
}

func (f *continued) skip(n int) error {
	for n > 0 {
		err := f.more(1)
		if err != nil {
			return err
		}
		here := min(n, len(f.rest))
		f.bytes(here)
		n -= here
	}
	return nil
}

// hasValue reports whether a record holds cells with a value.
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

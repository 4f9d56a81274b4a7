package sheet

import (
	"encoding/binary"
	"math"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// fields takes a record of a binary workbook apart. A record that is too short
// makes it short; what is read from then on is zero.
type fields struct {
	rest  []byte
	short bool
}

func (f *fields) bytes(n int) []byte {
	if n < 0 || n > len(f.rest) {
		f.short, f.rest = true, nil
		return nil
	}
	b := f.rest[:n]
	f.rest = f.rest[n:]
	return b
}

func (f *fields) u8() int {
	b := f.bytes(1)
	if b != nil {
		return int(b[0])
	}
	return 0
}

func (f *fields) u16() int {
	b := f.bytes(2)
	if b != nil {
		return int(binary.LittleEndian.Uint16(b))
	}
	return 0
}

func (f *fields) u32() int { return int(f.bits32()) }

func (f *fields) bits32() uint32 {
	b := f.bytes(4)
	if b != nil {
		return binary.LittleEndian.Uint32(b)
	}
	return 0
}

func (f *fields) float() float64 {
	b := f.bytes(8)
	if b != nil {
		return math.Float64frombits(binary.LittleEndian.Uint64(b))
	}
	return 0
}

// appendWide appends text of UTF-16.
func appendWide(dst, wide []byte) []byte {
	for i := 0; i+1 < len(wide); i += 2 {
		r := rune(binary.LittleEndian.Uint16(wide[i:]))
		if utf16.IsSurrogate(r) && i+3 < len(wide) {
			both := utf16.DecodeRune(r, rune(binary.LittleEndian.Uint16(wide[i+2:])))
			if both != utf8.RuneError {
				r = both
				i += 2
			}
		}
		dst = utf8.AppendRune(dst, r)
	}
	return dst
}

// appendNarrow appends text of UTF-16 whose high bytes, all zero, are left out.
func appendNarrow(dst, narrow []byte) []byte {
	for _, c := range narrow {
		dst = utf8.AppendRune(dst, rune(c))
	}
	return dst
}

// ptgArea3d is the kind of a reference to a range of another sheet, without its
// class.
const ptgArea3d = 0x1b

// references are the names of a binary workbook, whose sheets are known by
// numbers, some of them only after the names.
type references struct {
	sheets  []int // the index in Book.Sheets of each sheet, -1 of a chart
	externs []int // the number of the sheet that each reference means, -1 of other ones
	names   []reference
}

type reference struct {
	name   string
	extern int
	cells  Cells
}

// sheet adds the next sheet of the workbook.
func (r *references) sheet(index int, hasCells bool) {
	if !hasCells {
		index = -1
	}
	r.sheets = append(r.sheets, index)
}

// extern adds what the next reference means: the sheets from first to last.
func (r *references) extern(first, last int) {
	if first != last {
		first = -1
	}
	r.externs = append(r.externs, first)
}

// name adds a name, unless it is hidden or the program's own.
func (r *references) name(name string, flags int, read func() (extern int, c Cells)) {
	const hidden, builtin = 0x01, 0x20
	if flags&(hidden|builtin) != 0 || strings.HasPrefix(name, "_xlnm.") {
		return
	}
	extern, cells := read()
	if extern >= 0 {
		r.names = append(r.names, reference{name, extern, cells})
	}
}

// resolve gives the workbook its names.
func (r *references) resolve(b *Book) {
	for _, n := range r.names {
		if n.extern >= len(r.externs) {
			continue
		}
		sheet := r.externs[n.extern]
		if sheet >= 0 && sheet < len(r.sheets) && r.sheets[sheet] >= 0 {
			b.Names = append(b.Names, Name{n.name, r.sheets[sheet], n.cells})
		}
	}
}

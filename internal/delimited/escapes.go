package delimited

import (
	"bytes"
	"math/bits"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

// letters are the characters that servers write as a backslash and a letter: PostgreSQL's COPY
// in its text format, MySQL's SELECT INTO OUTFILE and the batch output of its client. None
// of them writes a letter that means something else to another.
var letters = [256]byte{'b': '\b', 'f': '\f', 'n': '\n', 'r': '\r', 't': '\t', 'v': '\v', 'Z': 0x1a}

// escapeLength returns the length of the escape that begins at i: a line end of two characters
// may follow the backslash.
func (s *scan) escapeLength(i int) int {
	if i+2 < s.n && s.data[i+1] == '\r' && s.data[i+2] == '\n' && s.c.newline != '\r' {
		return 3
	}
	return 2
}

// notEscaped returns the marks of 64 bytes from base on without those of delimiters and line ends
// that belong to escapes.
func (s *scan) notEscaped(ends uint64, base int) uint64 {
	for left := ends; left != 0; left &= left - 1 {
		bit := bits.TrailingZeros64(left)
		i := base + bit
		if s.data[i] == '\n' && i > 0 && s.data[i-1] == '\r' {
			i--
		}
		if i > 0 && s.data[i-1] == '\\' && escaped(s.data[:i]) {
			ends &^= 1 << bit
		}
	}
	return ends
}

// unescapeCells replaces the cells of the record that is being cut, which ends at stop, by those
// without their escapes.
func (s *scan) unescapeCells(stop int) {
	if bytes.IndexByte(s.data[s.record:stop], '\\') < 0 {
		return
	}
	all := s.b.AllCells()
	s.cells = append(s.cells[:0], all[len(all)-s.b.OpenCells():]...)
	s.b.DropCells()
	for _, cell := range s.cells {
		s.addEscaped(int(cell.Start), int(cell.End))
	}
}

// addEscaped adds the cell data[start:end] without its escapes. A cell that is \N stands for
// NULL and is added unchanged.
func (s *scan) addEscaped(start, end int) {
	cell := s.data[start:end]
	if string(cell) == value.DumpedNull || bytes.IndexByte(cell, '\\') < 0 {
		s.b.AddCell(record.Span{Start: uint32(start), End: uint32(end)})
		return
	}
	from := len(s.b.Data)
	var zero, stray bool
	s.b.Data, zero, stray = s.c.unescape(s.b.Data, cell)
	switch {
	case string(cell) == `\`+value.DumpedNull:
		s.b.Note(record.WrittenNull, start)
	case zero:
		s.b.Note(record.NUL, start)
	case stray:
		s.b.Note(record.StrayBackslash, start)
	}
	s.b.AddCell(record.Span{Start: uint32(from), End: uint32(len(s.b.Data))})
}

// unescape appends to dst what a cell with escapes stands for. zero says that a NUL character
// is in it, and stray that a backslash begins no escape and is text.
func (c *cutter) unescape(dst, cell []byte) (text []byte, zero, stray bool) {
	for {
		i := bytes.IndexByte(cell, '\\')
		if i < 0 || i+1 == len(cell) {
			return append(dst, cell...), zero, stray || i >= 0
		}
		dst = append(dst, cell[:i]...)
		sign := cell[i+1]
		switch {
		case letters[sign] != 0:
			dst = append(dst, letters[sign])
		case sign == '0':
			dst, zero = append(dst, 0), true
		case c.ends[sign] || sign == '\r' || sign == '\n' || sign == '"' || sign == c.quote && c.quote != 0:
			dst = append(dst, sign)
		default:
			dst, stray = append(dst, '\\', sign), true
		}
		cell = cell[i+2:]
	}
}

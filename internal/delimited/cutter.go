package delimited

import (
	"bytes"
	"encoding/binary"
	"math/bits"

	"ambertray/internal/record"
)

// A cutter finds the records and cells in delimited text. It holds only the
// dialect, so one cutter serves any number of goroutines.
//
// The dialect is RFC 4180 with two liberties that lose nothing: a quote inside
// an unquoted cell is text, and so is a stray quote inside a quoted cell, as
// long as that cell stays on one line. A quoted cell that spans lines must be
// clean, for otherwise its opening quote was most likely never closed.
type cutter struct {
	delimiter byte
	quote     byte // 0: no quoting
	newline   byte
	limit     int // a record longer than this has an open quote
}

// cut finds the records in the first b.Raw bytes of b.Data and returns how
// many bytes they take. What is left is the beginning of a record that goes
// on in the next piece; with last there is none.
func (c *cutter) cut(b *record.Batch, last bool) int {
	b.Reset()
	n := b.Raw
	s := scan{c: c, b: b, data: b.Data[:n+record.Pad], n: n, last: last}
	data, start := s.data, 0 // start: offset of the cell that is being cut
	for base := 0; base < n; {
		ends := marks((*[64]byte)(data[base:]), c.delimiter, c.newline)
		next := base + 64
		for ends != 0 {
			i := base + bits.TrailingZeros64(ends)
			if i >= n {
				break
			}
			ends &= ends - 1
			if data[start] == c.quote && c.quote != 0 {
				var ok bool
				if i, ok = s.quoted(start); !ok {
					return s.record
				}
				if i < base+64 {
					ends &= ^uint64(0) << (i - base) << 1
				} else {
					ends, next = 0, i+1
				}
			} else {
				b.AddCell(record.Span{Start: uint32(start), End: uint32(i)})
			}
			start = i + 1
			if data[i] == c.newline {
				s.endRecord(i)
			}
		}
		base = next
	}
	if !last {
		return s.record
	}
	s.finish(start)
	return n
}

// finish cuts what stands behind the last delimiter or line end of a source;
// start is behind the end when a quote closed the last cell there.
func (s *scan) finish(start int) {
	if s.record >= s.n {
		return
	}
	switch {
	case start < s.n && s.data[start] == s.c.quote && s.c.quote != 0:
		s.quoted(start)
	case start <= s.n:
		s.b.AddCell(record.Span{Start: uint32(start), End: uint32(s.n)})
	}
	s.endRecord(s.n)
}

// scan is the state of one call of cut.
type scan struct {
	c      *cutter
	b      *record.Batch
	data   []byte // the text and the pad
	n      int    // length of the text
	last   bool
	record int // offset of the record that is being cut
}

// endRecord closes the record before the line end at i, unless an open quote
// has closed it already.
func (s *scan) endRecord(i int) {
	if s.record > i {
		return
	}
	stop := i
	if stop > s.record && s.data[stop-1] == '\r' {
		stop--
		s.b.TrimLastCell(stop)
	}
	if s.b.OpenCells() == 1 && len(bytes.TrimSpace(s.data[s.record:stop])) == 0 {
		s.b.DropCells()
		s.b.Skipped.Blank++
	} else {
		s.b.EndRecord(s.record, stop)
	}
	s.record = i + 1
}

// quoted cuts the quoted cell at start. It returns the offset of the delimiter
// or line end that follows it (n at the end of the text), or false when the
// cell goes on in the next piece.
func (s *scan) quoted(start int) (end int, ok bool) {
	doubled, stray := false, false
	i := start + 1
	for {
		k := bytes.IndexByte(s.data[i:s.n], s.c.quote)
		if k < 0 {
			return s.unfinished(start)
		}
		i += k
		next, known := s.follows(i + 1)
		switch {
		case !known:
			return s.unfinished(start)
		case next == doubles:
			doubled = true
			i += 2
		case next == closes && !(stray && s.spansLines(start, i)):
			s.addQuoted(start, i, doubled)
			return s.skipReturn(i + 1), true
		case s.spansLines(start, i):
			return s.openQuote(start), true
		default:
			if !stray {
				s.b.Note(record.StrayQuote, i)
			}
			stray = true
			i++
		}
	}
}

// after says what the byte after a quote makes of the quote.
type after uint8

const (
	strays after = iota
	closes
	doubles
)

// follows looks at offset i, the byte after a quote; known is false when that
// depends on text that is not there yet.
func (s *scan) follows(i int) (a after, known bool) {
	if i >= s.n {
		return closes, s.last
	}
	switch s.data[i] {
	case s.c.quote:
		return doubles, true
	case s.c.delimiter, s.c.newline:
		return closes, true
	case '\r':
		if i+1 >= s.n {
			return closes, s.last
		}
		if s.data[i+1] == s.c.newline {
			return closes, true
		}
	}
	return strays, true
}

func (s *scan) skipReturn(i int) int {
	if i < s.n && s.data[i] == '\r' {
		i++
	}
	return i
}

func (s *scan) spansLines(start, i int) bool {
	return bytes.IndexByte(s.data[start:i], s.c.newline) >= 0
}

func (s *scan) addQuoted(start, end int, doubled bool) {
	if doubled {
		s.b.AddUnescaped(s.data[start+1:end], s.c.quote)
	} else {
		s.b.AddCell(record.Span{Start: uint32(start + 1), End: uint32(end)})
	}
}

func (s *scan) unfinished(start int) (int, bool) {
	if s.last || s.n-s.record > s.c.limit {
		return s.openQuote(start), true
	}
	return 0, false
}

// openQuote ends the record with the line on which its quote opened at start,
// so that the quote swallows nothing of what follows.
func (s *scan) openQuote(start int) int {
	stop := s.n
	if k := bytes.IndexByte(s.data[start:s.n], s.c.newline); k >= 0 {
		stop = start + k
	}
	s.b.DropNotes()
	s.b.Note(record.OpenQuote, start)
	s.b.DropCells()
	s.b.EndRecord(s.record, stop)
	s.record = stop + 1
	return stop
}

// marks returns a bit for each of the 64 bytes that equals x or y. It compares
// eight bytes at a time: the high bit of every byte of t ends up set where the
// byte differs from both, and a multiplication gathers the eight bits.
func marks(p *[64]byte, x, y byte) uint64 {
	const low = 0x7f7f7f7f7f7f7f7f
	xs, ys := uint64(x)*0x0101010101010101, uint64(y)*0x0101010101010101
	var m uint64
	for k := 0; k < 64; k += 8 {
		w := binary.LittleEndian.Uint64(p[k:])
		a, b := w^xs, w^ys
		t := ((a & low) + low | a) & ((b & low) + low | b)
		m |= (^(t | low) >> 7 * 0x0102040810204080 >> 56) << k
	}
	return m
}

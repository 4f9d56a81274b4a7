package delimited

import (
	"bytes"

	"ambertray/internal/record"
)

// cutLiterally cuts the lines of the record that is being cut, up to the line
// end at stop, with their quotes as text. It does so only where every one of
// them then has the usual number of cells; the first becomes the record, and
// the others are cut after it.
func (s *scan) cutLiterally(stop int) bool {
	if s.c.Width < 2 || s.c.spaces > 0 || s.c.newline == 0 {
		return false
	}
	first := -1
	for at := s.record; at <= stop; {
		end := s.lineEnd(at)
		if end < 0 || end > stop {
			end = stop
		}
		if s.countCells(at, end) != s.c.Width {
			return false
		}
		if first < 0 {
			first = end
		}
		at = end + 1
	}
	s.b.DropCells()
	s.b.DropNotes()
	s.addLiteral(first)
	s.record, s.strays = first+1, false
	return true
}

// countCells counts the cells of a line without regard to quotes.
func (s *scan) countCells(from, to int) int {
	if s.c.long != nil {
		return bytes.Count(s.data[from:to], s.c.long) + 1
	}
	return bytes.Count(s.data[from:to], []byte{s.c.delimiter}) + 1
}

// addLiteral adds the record that ends with its line at offset end, quotes
// being text.
func (s *scan) addLiteral(end int) {
	for end > s.record && s.data[end-1] == '\r' && s.c.newline != '\r' {
		end--
	}
	delimiter := s.c.long
	if delimiter == nil {
		delimiter = []byte{s.c.delimiter}
	}
	noted := false
	for at := s.record; ; {
		stop, next := end, -1
		if k := bytes.Index(s.data[at:end], delimiter); k >= 0 {
			stop, next = at+k, at+k+len(delimiter)
		}
		if cell := bytes.TrimLeft(s.data[at:stop], " "); !noted && len(cell) > 0 && cell[0] == s.c.quote {
			noted = true
			s.b.Note(record.LiteralQuote, at)
		}
		s.b.AddCell(record.Span{Start: uint32(at), End: uint32(stop)})
		if s.c.skipSpaces {
			s.b.TrimSpaces()
		}
		if next < 0 {
			break
		}
		at = next
	}
	s.b.EndRecord(s.record, end)
}

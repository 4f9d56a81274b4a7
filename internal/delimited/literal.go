package delimited

import (
	"bytes"
	"slices"

	"ambertray/internal/record"
)

// cutLiterally cuts the lines of the record that is being cut, up to the line
// end at stop, with their quotes as text. It does so only where every one of
// them then has the usual number of cells; the first becomes the record, and
// the others are cut after it.
func (s *scan) cutLiterally(stop int) bool {
	if s.c.Width < 2 || s.c.spaces > 0 || s.c.newline == 0 || s.c.server {
		return false
	}
	for at := s.record; at <= stop && stop != s.failed.stop; {
		end := s.lineBefore(at, stop)
		if s.countCells(at, end) != s.c.Width {
			return false
		}
		at = end + 1
	}
	first := s.lineBefore(s.record, stop)
	s.b.DropCells()
	s.b.DropNotes()
	s.addLiteral(first)
	s.record, s.strays = first+1, false
	return true
}

// lineBefore returns the end of the line at an offset, at most stop.
func (s *scan) lineBefore(at, stop int) int {
	end := s.lineEnd(at)
	if end < 0 || end > stop {
		return stop
	}
	return end
}

// failed is a record that came to a quote which is never closed, and whose first line was
// then cut with its quotes as text. A later record that begins one of its cells comes to
// the same quote: cutting it again and again would take time by the square of its length.
type failed struct {
	cells []int // offsets of the quotes that open its cells, ascending
	quote int   // offset of the one that is never closed
	stop  int   // end of its line: until there each line has the usual number of cells
}

func (f *failed) has(start int) bool {
	if len(f.cells) == 0 {
		return false
	}
	_, found := slices.BinarySearch(f.cells, start)
	return found
}

// openCells returns the offsets of the quotes that open cells of the record that is being
// cut, as far as its cells show them, and that of the last one.
func (s *scan) openCells(last int) (cells []int) {
	all := s.b.AllCells()
	for _, cell := range all[len(all)-s.b.OpenCells():] {
		at := int(cell.Start) - 1
		if at >= s.record && at < last && s.data[at] == s.c.quote {
			cells = append(cells, at)
		}
	}
	return append(cells, last)
}

// countCells counts the cells of a line without regard to quotes.
func (s *scan) countCells(from, to int) int {
	return bytes.Count(s.data[from:to], s.c.sign()) + 1
}

// addLiteral adds the record that ends with its line at offset end, quotes
// being text.
func (s *scan) addLiteral(end int) {
	for end > s.record && s.data[end-1] == '\r' && s.c.newline != '\r' {
		end--
	}
	delimiter := s.c.sign()
	noted := false
	for at := s.record; ; {
		stop, next := end, -1
		k := bytes.Index(s.data[at:end], delimiter)
		if k >= 0 {
			stop, next = at+k, at+k+len(delimiter)
		}
		cell := bytes.TrimLeft(s.data[at:stop], " ")
		if !noted && len(cell) > 0 && cell[0] == s.c.quote {
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

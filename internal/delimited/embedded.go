package delimited

import (
	"bytes"

	"ambertray/internal/record"
)

// minEmbedded is the least number of delimiters in the inner lines of a cell that looks like records.
const minEmbedded = 3

// noteEmbedded notes a quoted cell that would be records if its quotes were text, each with as
// many cells as most records. Its closing quote may be missing, and the quote at its end may belong
// to another cell.
func (s *scan) noteEmbedded(start, end int) {
	width := s.c.Width
	if width < 2 || end-start < width*minEmbedded {
		return
	}
	first := s.lineEnd(start + 1)
	if first < 0 || first >= end {
		return
	}
	before, sign, lines := s.b.OpenCells(), s.c.sign(), 0
	if bytes.Count(s.data[start+1:first], sign) != width-1-before {
		return
	}
	from := first + 1
	for {
		stop := s.lineEnd(from)
		if stop < 0 || stop >= end {
			break
		}
		if bytes.Count(s.data[from:stop], sign) != width-1 {
			return
		}
		from = stop + 1
		lines++
	}
	if lines*(width-1) >= minEmbedded && bytes.Count(s.data[from:end], sign) == before {
		s.b.Note(record.Embedded, start)
	}
}

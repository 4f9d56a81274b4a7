package frame

import (
	"bytes"
	"slices"
	"strings"

	"ambertray/internal/record"
)

// Comments are how comments are read that may be a header.
type Comments struct {
	Sign string // that they begin with; "" if there are none
	// Delimiter is the shortest text between two cells of a record, "" if these stand at
	// fixed places.
	Delimiter string
	Cut       func(text []byte) *record.Batch // cuts a text as the records are cut
}

// logFields begins the comment with the headings in the Extended Log File Format of the W3C.
const logFields = "Fields:"

// Text returns a line without the signs of a comment at its beginning.
func (c *Comments) Text(line []byte) []byte {
	text, commented := line, false
	for c.Sign != "" {
		rest, found := bytes.CutPrefix(bytes.TrimLeft(text, " \t"), []byte(c.Sign))
		if !found {
			break
		}
		text, commented = rest, true
	}
	if !commented {
		return line
	}
	text, _ = bytes.CutPrefix(text, []byte(logFields))
	return bytes.TrimLeft(text, " ")
}

// Headings cuts the text of a comment that stands above rows. The sign itself is the first heading if
// that is blank otherwise.
func (c *Comments) Headings(text []byte, rows *record.Batch) []string {
	h := newHead(rows, 0)
	h.Width = h.CommonWidth()
	headings := JoinHeadings(c.cells(text, &h), 0, 1)
	if len(headings) > 0 && headings[0] == "" {
		headings[0] = c.Sign
	}
	return headings
}

// headingSigns are what may stand between headings in a comment.
var headingSigns = []string{"\t", ",", ";", "|"}

// cells cuts the text of a comment as the records are cut. If that makes too few or too many cells
// for these, or the records have only spaces between cells, but another delimiter, or tabs in a row,
// stand between as many headings, it is cut there.
func (c *Comments) cells(text []byte, h *Head) *record.Batch {
	b := c.Cut(text)
	fits := b.Len() == 1 && b.Width(0) >= max(h.Width-1, 2) && b.Width(0) <= max(h.Width, h.widest())
	if c.Delimiter == "" || fits && strings.TrimSpace(c.Delimiter) != "" {
		return b
	}
	for _, sign := range headingSigns {
		headings := strings.Split(string(text), sign)
		for i := range headings {
			headings[i] = strings.TrimSpace(headings[i])
		}
		if sign == "\t" {
			headings = slices.DeleteFunc(headings, func(heading string) bool { return heading == "" })
		}
		other := c.Cut([]byte(strings.Join(headings, c.Delimiter)))
		if len(headings) == h.Width && other.Len() == 1 && other.Width(0) == h.Width {
			return other
		}
	}
	return b
}

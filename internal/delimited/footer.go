package delimited

import (
	"regexp"
	"strings"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

// maxFooter is how many rows at the end can be a footer that is found.
const maxFooter = 10

// heldBack is how many lines the last piece has at least, so that it has all of
// the footer.
func (c *cutter) heldBack() int {
	if c.find > 0 {
		return maxFooter
	}
	return c.footer
}

// footerOf returns how many records at the end of the last batch are a footer.
func (c *cutter) footerOf(b *record.Batch) int {
	if c.find == 0 {
		return c.footer
	}
	n := 0
	for n < min(b.Len(), maxFooter) && c.isFooter(b, b.Len()-1-n) {
		n++
	}
	if n == b.Len() && b.FirstRecord == 1 { // then these are what the source has
		return 0
	}
	return n
}

// footerWords begin a total or a note.
var footerWords = regexp.MustCompile(`(?i)^\W*((grand|sub)[ -]?)?(totals?|subtotal|sum|summe|gesamt|average|mean|end of|source:|notes?:|printed|generated|exported|records?:|rows?:|page \d|\d+ (rows|records))\b`)

// totalWord is a total and nothing else.
var totalWord = regexp.MustCompile(`(?i)^\W*((grand|sub)[ -]?)?totals?\W*$`)

// isFooter tells whether a row is a total or a note: it begins with a word for
// one and is not filled as a record is, or it is one sentence where there
// should be several cells. Since rows of a sheet end with their last value, such
// a sentence there also stands apart, or below a total.
func (c *cutter) isFooter(b *record.Batch, r int) bool {
	first, filled := firstOf(b, r)
	switch {
	case c.find < 2:
		return false
	case totalWord.MatchString(first):
		return true
	case footerWords.MatchString(first):
		return filled < c.find || b.Width(r) != c.find
	case filled > 1 || c.find < 3 || !strings.Contains(first, " "):
		return false
	case c.fill == 0:
		return b.Width(r) < c.find
	case r == 0:
		return false
	}
	above, _ := firstOf(b, r-1)
	return b.Line(r) > b.Line(r-1)+1 || totalWord.MatchString(above)
}

// firstOf returns the first value of a row, and how many it has.
func firstOf(b *record.Batch, r int) (first string, filled int) {
	for i := range b.Width(r) {
		if cell := value.Trim(b.Cell(r, i)); len(cell) > 0 {
			if filled++; filled == 1 {
				first = string(cell)
			}
		}
	}
	return first, filled
}

package delimited

import (
	"regexp"
	"strconv"
	"strings"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

const (
	// maxFooter is how many rows at the end can be a footer that is found, and
	// maxFooterLines how many lines these may take, blank ones among them.
	maxFooter      = 20
	maxFooterLines = 40
)

// heldBack is how many lines the last piece has at least, so that it has all of
// the footer.
func (c *cutter) heldBack() int {
	if c.find > 0 {
		return maxFooterLines
	}
	return c.footer
}

// columns describes the first records of a source, to recognise its footer.
type columns struct {
	kinds []value.Kind
	// filled marks the columns of a kind with a value in nearly all records.
	filled []bool
	tag    string // the first cell of every record, if they are alike
}

// columnsOf looks at the first records. Where these are all, the last of them
// may be the footer.
func (c *cutter) columnsOf(text []byte, whole bool) (of columns) {
	plain := *c
	plain.find, plain.footer = 0, 0
	s := shape{rows: plain.cutText(text, whole), width: c.find, kinds: map[[2]int]value.Kind{}}
	of.kinds, of.filled = s.columnKinds(0), make([]bool, c.find)
	rows := min(s.rows.Len(), kindRows)
	if whole && rows < kindRows {
		rows -= min(maxFooter, rows/2)
	}
	for i := range of.filled {
		blank := 0
		for r := range rows {
			if s.kind(r, i) == value.NullWord {
				blank++
			}
		}
		of.filled[i] = of.kinds[i] != value.Text && blank*20 <= rows && rows > 1
	}
	for r := range rows {
		first := string(s.cell(r, 0))
		if r > 0 && first != of.tag || rows < minShort {
			of.tag = ""
			break
		}
		of.tag = first
	}
	return of
}

// footerOf returns how many records at the end of the last batch are a footer:
// from the first that is one, if nothing below it looks like a record.
func (c *cutter) footerOf(b *record.Batch) int {
	if c.find == 0 {
		return c.footer
	}
	n, pending, notes := 0, 0, false
	for pending < min(b.Len(), maxFooter) {
		r := b.Len() - 1 - pending
		pending++
		if w := b.Width(r); w == 0 || w > c.find { // it is broken, or has too much in it for a note
			break
		}
		right, wrong, missing := c.fit(b, r)
		if c.isFooter(b, r) || notes && right == 0 && missing > 1 {
			n, notes = pending, notes || wrong > 0 && right == 0
		} else if right > 0 || wrong+missing == 0 && b.Width(r) == c.find { // it looks like a record
			break
		}
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

// statisticWord is a statistic of the rows above and nothing else.
var statisticWord = regexp.MustCompile(`(?i)^\W*(sum|mean|average|avg|median|min(imum)?|max(imum)?|std|sd|st(andar)?d\.? dev(iation)?|count)\W*$`)

// isStatistic reports whether a row is one of several statistics below a gap.
func isStatistic(b *record.Batch, r int) bool {
	for ; r > 0 && statisticWord.MatchString(firstText(b, r)); r-- {
		if gapAbove(b, r) {
			return true
		}
	}
	return false
}

// isFooter reports whether a row is a total or a note: it begins with a word for
// one and is not filled as a record is, it is one sentence where there should be
// several cells, it counts the records, or its cells are not what the columns
// have. Since rows of a sheet end with their last value, a sentence there also
// stands apart, or below a total.
func (c *cutter) isFooter(b *record.Batch, r int) bool {
	first, filled := firstOf(b, r)
	switch {
	case c.find < 2:
		return false
	case totalWord.MatchString(first), isStatistic(b, r):
		return true
	case footerWords.MatchString(first):
		return filled < c.find || b.Width(r) != c.find
	case c.isTrailer(b, r, first, filled), c.isNote(b, r):
		return true
	case filled > 1 || c.find < 3 || !strings.Contains(first, " "):
		return false
	case c.fill == 0:
		return b.Width(r) < c.find
	}
	return gapAbove(b, r) || r > 0 && totalWord.MatchString(firstText(b, r-1))
}

// isTrailer reports whether a row that is half empty counts the records above it,
// or has another sign for its kind of row than all of them.
func (c *cutter) isTrailer(b *record.Batch, r int, first string, filled int) bool {
	if 2*filled > c.find || filled < 2 {
		return false
	}
	if c.columns.tag != "" && first != c.columns.tag && b.Width(r) != c.find {
		return true
	}
	last := ""
	for i := range b.Width(r) {
		if cell := value.Trim(b.Cell(r, i)); len(cell) > 0 {
			last = string(cell)
		}
	}
	n, err := strconv.ParseInt(last, 10, 64)
	return err == nil && n == b.FirstRecord+int64(r)-1
}

// isNote reports whether the cells of a row are not what their columns have: texts
// in place of other values, or nothing where records have a value, more than
// once, or below a gap.
func (c *cutter) isNote(b *record.Batch, r int) bool {
	right, wrong, missing := c.fit(b, r)
	return right == 0 && (wrong > 1 || wrong > 0 && wrong+missing > 1 || wrong+missing > 0 && gapAbove(b, r))
}

// fit counts the cells of a row that are of the kind of their column, that are
// not, and that are missing where records have a value.
func (c *cutter) fit(b *record.Batch, r int) (right, wrong, missing int) {
	for i, kind := range c.columns.kinds {
		if kind == value.Text {
			continue
		}
		k := value.NullWord
		if i < b.Width(r) {
			k = kindOf(b.Cell(r, i))
		}
		switch {
		case k == kind:
			right++
		case k != value.NullWord:
			wrong++
		case c.columns.filled[i]:
			missing++
		}
	}
	return right, wrong, missing
}

// gapAbove reports whether rows were left out above a row.
func gapAbove(b *record.Batch, r int) bool {
	return r > 0 && b.Next(r-1) < b.Start(r)
}

func firstText(b *record.Batch, r int) string {
	first, _ := firstOf(b, r)
	return first
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

package frame

import (
	"bytes"
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

// Footer recognises the rows at the end of a source that are not records.
type Footer struct {
	Rows int // how many there are, unless they are found
	// Width is the number of cells of a record, by which the footer is found; 0 not
	// to find it. Sparse says that rows end with their last value, Prose that a sentence may fill
	// all cells, because they are cut at spaces or places.
	Width         int
	Sparse, Prose bool
	columns       columns
}

// HeldBack is how many lines the last piece of a source has to have, so that it
// has all of the footer.
func (f *Footer) HeldBack() int {
	if f.Width > 0 {
		return maxFooterLines
	}
	return f.Rows
}

// columns describes the first records of a source, to recognise its footer.
type columns struct {
	kinds []value.Kind
	// filled marks the columns of a kind with a value in nearly all records.
	filled []bool
	tag    string // the first cell of every record, if they are alike
}

// Learn examines the first records, by which the footer is found. Where these are
// all, the last of them may be the footer.
func (f *Footer) Learn(rows *record.Batch, whole bool) {
	f.columns = columnsOf(newHead(rows, f.Width), f.Width, whole)
}

func columnsOf(s Head, width int, whole bool) (of columns) {
	of.kinds, of.filled = s.columnKinds(0), make([]bool, width)
	rows := min(s.Rows.Len(), KindRows)
	if whole && rows < KindRows {
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
		first := string(s.Cell(r, 0))
		if r > 0 && first != of.tag || rows < minShort {
			of.tag = ""
			break
		}
		of.tag = first
	}
	return of
}

// Of returns how many records at the end of the last batch are a footer:
// from the first that is one, if nothing below it looks like a record.
func (f *Footer) Of(b *record.Batch) int {
	if f.Width == 0 {
		return f.Rows
	}
	n, pending, notes := 0, 0, false
	for pending < min(b.Len(), maxFooter) {
		r := b.Len() - 1 - pending
		pending++
		w := b.Width(r)
		if w == 0 || w > f.Width { // it is broken, or has too much in it for a note
			break
		}
		right, wrong, missing := f.fit(b, r)
		if f.isFooter(b, r) || notes && right == 0 && wrong+missing > 1 || n > 0 && n == pending-1 && f.headsNotes(b, r) {
			n, notes = pending, notes || wrong > 0 && right == 0
		} else if right > 0 || wrong+missing == 0 && b.Width(r) == f.Width { // it looks like a record
			break
		}
	}
	if n == b.Len() && b.FirstRecord == 1 { // then these are what the source has
		return 0
	}
	return n
}

// footerWords begin a total or a note.
var footerWords = regexp.MustCompile(`(?i)^\W*((grand|sub)[ -]?)?(totals?|subtotal|sum|summe|gesamt|average|mean|end of|source:|notes?:|printed|generated|exported|records?:|rows?:|page \d|\d+ (rows?|records?))(\b|\s)`)

// totalWord matches a cell that is only a word for a total.
var totalWord = regexp.MustCompile(`(?i)^\W*((grand|sub)[ -]?)?totals?\W*$`)

// statisticWord matches a cell that only names a statistic of the rows above.
var statisticWord = regexp.MustCompile(`(?i)^\W*(all|overall|sum|mean|average|avg|median|min(imum)?|max(imum)?|std|sd|st(andar)?d\.? dev(iation)?|count)\W*$`)

// footnote matches the beginning of a note that a sign in the table refers to.
var footnote = regexp.MustCompile(`^[*†‡]+\s*\pL`)

// totalStart matches the beginning of a total of some records.
var totalStart = regexp.MustCompile(`(?i)^((grand|sub)[ -]?)?totals?\b`)

// TotalsAmong returns the records of a batch that look like totals: the first value begins with a
// word for one, a number is after it, and a third of the cells are blank.
func TotalsAmong(b *record.Batch) (totals []int) {
	for r := range b.Len() {
		c := 0
		for c < b.Width(r) && value.Blank(b.Cell(r, c)) {
			c++
		}
		if c == b.Width(r) || !mayBeTotal(b.Cell(r, c)) {
			continue
		}
		blank, numbers := 0, 0
		for i := range b.Width(r) {
			switch kindOf(b.Cell(r, i)) {
			case value.NullWord:
				blank++
			case value.Integer:
				numbers++
			}
		}
		if 3*blank >= b.Width(r) && numbers > 0 && totalStart.Match(value.Trim(b.Cell(r, c))) {
			totals = append(totals, r)
		}
	}
	return totals
}

// mayBeTotal saves a closer look at nearly all records.
func mayBeTotal(cell []byte) bool {
	switch cell[0] | 0x20 {
	case 't', 's', 'g', ' ':
		return bytes.Contains(bytes.ToLower(cell), []byte("total"))
	}
	return false
}

// isStarred reports whether a row below a gap begins with stars, as totals in printed lists do, and
// the row above it does not.
func isStarred(b *record.Batch, r int, first string) bool {
	return first != "" && strings.Trim(first, "*") == "" && gapAbove(b, r) && !strings.HasPrefix(firstText(b, r-1), "*")
}

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
// one and is not filled as a record is, or stands apart, it is a footnote, or one sentence where
// there should be several cells, it counts the records, or its cells are not what the columns
// have. Since rows of a sheet end with their last value, a sentence there also
// stands apart, or below a total.
func (f *Footer) isFooter(b *record.Batch, r int) bool {
	first, filled := firstOf(b, r)
	switch {
	case f.Width < 2:
		return false
	case totalWord.MatchString(first), isStatistic(b, r), isStarred(b, r, first):
		return true
	case footerWords.Match(b.Text(r)): // whose first cell fixed columns may cut
		right, wrong, _ := f.fit(b, r)
		return filled < f.Width || b.Width(r) != f.Width || gapAbove(b, r) || right == 0 && wrong > 0
	case f.isTrailer(b, r, first, filled), f.isNote(b, r, filled), filled == 1 && footnote.MatchString(first):
		return true
	case filled > 1 || f.Width < 3 || !strings.Contains(first, " "):
		return false
	case !f.Sparse:
		return b.Width(r) < f.Width
	}
	return standsApart(b, r)
}

// standsApart reports whether a row of one value, and those right above it, stand below a gap or
// a total.
func standsApart(b *record.Batch, r int) bool {
	for ; r > 0 && !gapAbove(b, r); r-- {
		first, filled := firstOf(b, r-1)
		if filled > 1 {
			return totalWord.MatchString(first)
		}
	}
	return r > 0
}

// headsNotes reports whether a row above notes is their heading: a single text that stands apart.
func (f *Footer) headsNotes(b *record.Batch, r int) bool {
	_, filled := firstOf(b, r)
	return filled == 1 && f.Width > 1 && standsApart(b, r) && (f.Sparse || b.Width(r) < f.Width)
}

// trailerWord begins a row that counts the records.
var trailerWord = regexp.MustCompile(`(?i)^\W*(trailer|trl|footer|end|eof|count)\b`)

// isTrailer reports whether a row counts the records above it. It is half empty, or it has fewer
// cells than records and begins with a word for a trailer, or with another sign for its kind of row
// than all of them. Half empty, such a sign is enough.
func (f *Footer) isTrailer(b *record.Batch, r int, first string, filled int) bool {
	half, other := 2*filled <= f.Width, f.columns.tag != "" && first != f.columns.tag
	if !half && (f.Sparse || b.Width(r) >= f.Width || !other && !trailerWord.MatchString(first)) || filled < 2 {
		return false
	}
	if half && other && b.Width(r) != f.Width {
		return true
	}
	at := b.Width(r) - 1
	for at > 0 && value.Blank(b.Cell(r, at)) {
		at--
	}
	second, ok := wholeAt(b, r, 1)
	if !half && ok && second == b.FirstRecord+int64(r)-1 { // the count, before a sum
		return true
	}
	n, ok := wholeAt(b, r, at)
	above, numbered := wholeAt(b, r-1, at)
	if numbered && above == n-1 && b.Width(r) >= f.Width-1 { // it may be a record, with its last cell left out
		return false
	}
	return ok && n == b.FirstRecord+int64(r)-1
}

// wholeAt returns the whole number in a cell, if there is one.
func wholeAt(b *record.Batch, r, c int) (n int64, ok bool) {
	if r < 0 || c >= b.Width(r) {
		return 0, false
	}
	n, err := strconv.ParseInt(string(value.Trim(b.Cell(r, c))), 10, 64)
	return n, err == nil
}

// isNote reports whether the cells of a row are not what their columns have: texts
// in place of other values, or nothing where records have a value, more than
// once, below a gap, or in a row without other values. A row that only lacks a value is no note if it
// has most others, and neither is one that has them all.
func (f *Footer) isNote(b *record.Batch, r, filled int) bool {
	if filled == f.Width && !f.Prose && !gapAbove(b, r) {
		return false
	}
	right, wrong, missing := f.fit(b, r)
	gap := gapAbove(b, r) && (wrong > 0 || missing > 0 && 2*filled <= f.Width)
	sentence := wrong == filled && f.Width > 2 && strings.Contains(firstText(b, r), " ")
	return right == 0 && (wrong > 1 || wrong > 0 && wrong+missing > 1 || gap || sentence)
}

// fit counts the cells of a row that are of the kind of their column, that are
// not, and that are missing where records have a value.
func (f *Footer) fit(b *record.Batch, r int) (right, wrong, missing int) {
	for i, kind := range f.columns.kinds {
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
		case f.columns.filled[i]:
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
		cell := value.Trim(b.Cell(r, i))
		if len(cell) > 0 {
			filled++
			if filled == 1 {
				first = string(cell)
			}
		}
	}
	return first, filled
}

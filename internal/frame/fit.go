package frame

import (
	"bytes"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/source"
	"ambertray/internal/value"
)

// fit counts the cells of a row that are of the kind of their column, and those
// of another kind. Columns of texts are left out.
type fit struct{ right, wrong int }

// record reports whether a row is most likely a record, none whether nothing in it
// is of the kind of its column.
func (f fit) record() bool { return f.right > 0 && f.right > 2*f.wrong }
func (f fit) none() bool   { return f.right == 0 && f.wrong > 0 }

// mostly reports whether a row above a record is a record too, although a few cells are not of the
// kind of their column.
func (f fit) mostly() bool { return f.right > f.wrong }

// heading reports whether a row right above a record is most likely the header, although one of its
// cells is of the kind of its column, such as a 0 above numbers.
func (f fit) heading() bool { return f.right == 1 && f.wrong > 2 }

// columnKinds returns the kind of each column from a row on.
func (h *Head) columnKinds(from int) []value.Kind {
	kinds := make([]value.Kind, h.Width)
	for c := range kinds {
		kinds[c] = h.KindBelow(c, from, noHeader)
	}
	return kinds
}

// fitOf compares a row with the kinds of the columns below it. A heading may
// look like a truth value, a year above amounts, or one of a series.
func (h *Head) fitOf(r int, kinds []value.Kind) (f fit) {
	years := 0
	for c, kind := range kinds {
		k := h.kind(r, c)
		switch {
		case kind == value.Text || k == value.NullWord || k == value.Boolean && (kind == k || len(h.Cell(r, c)) == 1) && h.caseHeading(r, c):
		case k == kind && h.yearHeading(r, c):
			years++
		case k != kind || h.inSeries(r, c):
			f.wrong++
		default:
			f.right++
		}
	}
	if f.right == 0 { // beside other numbers they are numbers too
		f.wrong += years
	}
	return f
}

// caseHeading reports whether no value below a boolean word has its letter case, so that the word may
// be a heading: n above Y and N, No above yes and no. Single letters are compared with single letters
// only, and longer words with longer ones, but not with those of another pair: no may stand above true
// and false.
func (h *Head) caseHeading(r, c int) bool {
	heading := h.Cell(r, c)
	for below := r + 1; below < min(h.Rows.Len(), r+KindRows); below++ {
		cell := h.Cell(below, c)
		if len(cell) > 0 && (len(cell) == 1) == (len(heading) == 1) && caseOf(cell) == caseOf(heading) && !ofOtherPair(heading, cell) {
			return false
		}
	}
	return true
}

// ofOtherPair reports whether a cell is a word for true or false, and of another pair than a word.
func ofOtherPair(word, cell []byte) bool {
	var v value.Value
	shape := value.Scan(cell, &v)
	return shape.Kind == value.Boolean && !slices.ContainsFunc(value.Scan(word, &v).Pairs(), func(p value.Pair) bool { return p.Takes(shape) })
}

// caseOf distinguishes lower case, upper case and capitalized words.
func caseOf(word []byte) [2]bool { return [2]bool{isLower(word[0]), isLower(word[len(word)-1])} }

func isLower(c byte) bool { return c >= 'a' && c <= 'z' }

// yearHeading reports whether a cell is a year, and neither the next one below it is nor most
// others are.
func (h *Head) yearHeading(r, c int) bool {
	below := h.below(r)
	return isYear(string(h.Cell(r, c))) && (below >= h.Rows.Len() || !isYear(string(h.Cell(below, c)))) && !h.yearsBelow(c, r+1)
}

// firstRecord returns the first row whose cells are of the kinds of their
// columns, with these; found is false where no column has a kind.
func (h *Head) firstRecord() (r int, kinds []value.Kind, found bool) {
	for r = h.top; r < min(h.Rows.Len(), h.top+maxTitles+maxHead); r++ {
		if h.Filled(r) < min(h.Width, 2) || IsRuler(h.Rows.Text(r)) {
			continue
		}
		kinds = h.columnKinds(r)
		if r+1 == h.Rows.Len() { // it shows nothing but itself
			if h.mostlySeveral(r) {
				break
			}
			for c := range kinds {
				if kinds[c] == value.Boolean {
					kinds[c] = value.Text
				}
			}
		}
		if h.fitOf(r, kinds).record() && (r+1 == h.Rows.Len() || !h.fitOf(r+1, kinds).none()) && !h.isAboveHeader(r) {
			return h.earlier(r, kinds, fit.mostly), kinds, true
		}
	}
	return 0, nil, false
}

// isAboveHeader reports whether a row is a title of several cells, such as Printed and 2026: a header
// stands below it, above other values. It has at least twice as many cells as each row above, or
// more cells and a gap above it.
func (h *Head) isAboveHeader(r int) bool {
	most := 0
	for at := h.top; at < min(h.Rows.Len()-1, h.top+maxHead); at++ {
		filled := h.Filled(at)
		if at > r && filled > most && filled >= h.usuallyFilled(at+1) && filled == h.names(at) && !repeats(JoinHeadings(h.Rows, at, 1)) {
			f := h.fitOf(at, h.columnKinds(at+1))
			return f.right == 0 && (f.wrong > 1 && filled >= 2*most || f.wrong > 0 && gapAbove(h.Rows, at))
		}
		most = max(most, filled)
	}
	return false
}

// mostlySeveral reports whether most rows above a row, which are more than titles, have several
// values.
func (h *Head) mostlySeveral(r int) bool {
	several := 0
	for above := h.top; above < r; above++ {
		if h.Filled(above) > 1 {
			several++
		}
	}
	return r-h.top > maxHead && 2*several > r-h.top
}

// earlier returns the first of the rows right above a record that are records
// too, as isRecord decides.
func (h *Head) earlier(r int, kinds []value.Kind, isRecord func(fit) bool) int {
	for r > h.top && h.Rows.Width(r-1) == h.Width && isRecord(h.fitOf(r-1, kinds)) {
		r--
	}
	return r
}

// headerAbove returns the row above the first record that names the columns:
// the fullest one near it in which nothing is of the kind of its column, and of
// equally full ones the highest without a gap or a title below it, unless it is a label, or a title that
// the delimiter cuts into more cells. It is -1 where there is
// no such row.
func (h *Head) headerAbove(first int, kinds []value.Kind) int {
	best, most, usual, others, joined := -1, 0, h.usuallyFilled(first), 0, false
	for r := first - 1; r >= h.top && others < maxHead; r-- {
		joined = joined && h.Filled(r+1) > 1 && !gapAbove(h.Rows, r+1)
		f := h.fitOf(r, kinds)
		if f != (fit{}) || h.Rows.Width(r) != h.Width { // a record may lack what others are known by
			others++
		}
		if f.right > 0 && !(r == first-1 && f.heading()) || IsRuler(h.Rows.Text(r)) || h.typeRow(r) || h.Alike(r) || f == (fit{}) && h.hasCode(r, first) {
			continue
		}
		if h.loneHeading(r, first) {
			return r
		}
		filled := min(h.Filled(r), h.Width)
		wide := h.Rows.Width(r) >= h.Width || h.namesUsedColumns(r, first) || h.Rows.Width(r) == h.Width-1 && h.below(r) == first || r == first-1 && f.wrong > 1 && h.namesSome(r)
		names := h.names(r)
		if f.wrong > 0 {
			names += h.nullNames(r)
		}
		if filled < min(2, h.Width) || !wide || 2*names <= min(h.Rows.Width(r), usual) {
			continue
		}
		title := best >= 0 && (h.isLabel(r) && !h.isLabel(best) || h.Rows.Width(r) > max(h.Width, h.Rows.Width(best)))
		if filled > most || filled == most && joined && !title && (best == r+1 || h.DistinctTexts(r)) {
			best, most, joined = r, filled, true
		}
	}
	return best
}

// hasCode reports whether a row has the usual number of cells, and one of them has the pattern of the
// codes in its column from row below on.
func (h *Head) hasCode(r, below int) bool {
	if h.Rows.Width(r) != h.Width {
		return false
	}
	for c := range h.Width {
		if h.patterned(r, below, c) && h.KindBelow(c, below, noHeader) == value.Text {
			return true
		}
	}
	return false
}

// namesUsedColumns reports whether a row has a heading for every column up to the last one with a
// value from row `from` on, and no more cells. Records may end with extra delimiters.
func (h *Head) namesUsedColumns(r, from int) bool {
	width := h.Rows.Width(r)
	if width < 2 || width >= h.Width || h.Filled(r) < width || !h.DistinctTexts(r) || h.isBlankColumn(width-1, from) {
		return false
	}
	for c := width; c < h.Width; c++ {
		if !h.isBlankColumn(c, from) {
			return false
		}
	}
	return true
}

// isBlankColumn reports whether a column has no value from a row on.
func (h *Head) isBlankColumn(c, from int) bool {
	for r := from; r < min(h.Rows.Len(), from+KindRows); r++ {
		if len(h.Cell(r, c)) > 0 {
			return false
		}
	}
	return true
}

// loneHeading reports whether a row right above the first record is the header of two columns,
// and has a heading for the second only. The first column then contains the names of the rows.
// The row is at the top, or has a blank first cell.
func (h *Head) loneHeading(r, first int) bool {
	last := h.Rows.Width(r) - 1
	return h.Width == 2 && !h.BySpaces && (r == h.top || last == 1) && r+1 == first && h.next(first) && h.Filled(r) == 1 &&
		h.kind(r, last) == value.Text && bytes.IndexByte(h.Cell(r, last), ' ') < 0 && !bracketed(h.Cell(r, last)) && !h.lacksAlike(r) && !h.patterned(r, first, last)
}

// lacksAlike reports whether a row of the usual number of cells lacks the same values as many
// rows below it.
func (h *Head) lacksAlike(r int) bool {
	if h.Rows.Width(r) != h.Width || h.Filled(r) == 0 || h.Filled(r) == h.Width {
		return false
	}
	alike, to := 0, min(h.Rows.Len(), r+1+KindRows)
	for below := r + 1; below < to; below++ {
		same := h.Rows.Width(below) == h.Width
		for c := 0; same && c < h.Width; c++ {
			same = value.Blank(h.Rows.Cell(r, c)) == value.Blank(h.Rows.Cell(below, c))
		}
		if same {
			alike++
		}
	}
	return ManyShort(int64(alike), int64(to-r-1))
}

// blankAbove reports whether a row that seems to be the header may be a record, because the
// columns of numbers and dates are often blank, and are blank in all rows above the first record.
func (h *Head) blankAbove(header, first int, kinds []value.Kind) bool {
	if header < h.top || first == h.top+1 {
		return false
	}
	for r := h.top; r < first; r++ {
		if h.Rows.Width(r) != h.Width || h.Filled(r) < 2 || h.fitOf(r, kinds) != (fit{}) {
			return false
		}
	}
	blank, end := first-h.top-1, min(h.Rows.Len(), first+KindRows)
	for r := first; r < end; r++ {
		if h.fitOf(r, kinds) == (fit{}) {
			blank++
		}
	}
	return 10*blank >= end-h.top-1
}

// titlesAbove reports whether the rows above a header can be titles: they have
// fewer cells, are labels, or a few of them have several that are not of the kind of their column.
func (h *Head) titlesAbove(header int, kinds []value.Kind) bool {
	full := 0
	for r := h.top; r < header; r++ {
		if h.isSize(r, header) || h.Rows.Width(r) < h.Rows.Width(header) || h.Filled(r) < h.Filled(header) || h.Alike(r) || h.isLabel(r) && !h.isLabel(header) {
			continue
		}
		full++
		if full > maxGroups || h.fitOf(r, kinds).wrong < 2 {
			return false
		}
	}
	return true
}

// isSize reports whether a row is the first and has the numbers of records and columns.
func (h *Head) isSize(r, header int) bool {
	return r == 0 && h.Filled(r) == 2 && string(h.Cell(r, 0)) == strconv.Itoa(h.Rows.Len()-header-1) && string(h.Cell(r, 1)) == strconv.Itoa(h.Width)
}

// names counts the cells of a row that can be headings.
func (h *Head) names(r int) (n int) {
	for c := range h.Rows.Width(r) {
		k := h.kind(r, c)
		if k == value.Text || k == value.Boolean || h.yearHeading(r, c) || h.inSeries(r, c) {
			n++
		}
	}
	return n
}

// nullNames counts the null words of a row that can be headings, such as Na above numbers, because they
// do not occur below.
func (h *Head) nullNames(r int) (n int) {
	for c := range h.Rows.Width(r) {
		cell := h.Cell(r, c)
		if h.kind(r, c) == value.NullWord && beginsWithLetter(cell) && !h.isValue(cell, c, r+1) {
			n++
		}
	}
	return n
}

// namesSome reports whether a row right above a record can be the header of the first
// columns only: it has several texts that begin with a letter, and is not a sentence.
func (h *Head) namesSome(r int) bool {
	for c := range h.Rows.Width(r) {
		if !beginsWithLetter(h.Cell(r, c)) {
			return false
		}
	}
	return h.Rows.Width(r) > 2 && h.Filled(r) == h.Rows.Width(r) && h.DistinctTexts(r) && !h.spaced(r) && !gapAbove(h.Rows, r+1)
}

// usuallyFilled returns the number of columns with a value from a row on. Of a sheet it is the
// median number of filled cells, which is less if something else is beside the table.
func (h *Head) usuallyFilled(from int) int {
	if !h.Sparse {
		return h.filledColumns(from)
	}
	var filled []int
	for r := from; r < min(h.Rows.Len(), from+KindRows); r++ {
		filled = append(filled, h.Filled(r))
	}
	slices.Sort(filled)
	return filled[len(filled)/2]
}

// filledColumns returns the number of columns with a value from a row on. Tables in boxes have
// bars on the outside, and a column without values there.
func (h *Head) filledColumns(from int) (n int) {
	for c := range h.Width {
		if !h.isBlankColumn(c, from) {
			n++
		}
	}
	return n
}

// descriptions returns how many lines below a header that ends at row `at` are
// about the columns: rows of the names of types, and rows in which several cells
// are not of the kind of their column and none is.
func (h *Head) descriptions(at int) int64 {
	lines := int64(0)
	for r := at + 1; r < min(h.Rows.Len()-1, at+maxHead); r++ {
		switch {
		case IsRuler(h.Rows.Text(r)):
			continue
		case h.typeRow(r) || h.describes(r):
			lines = h.Rows.Line(r) - h.Rows.Line(at)
		default:
			return lines
		}
	}
	return lines
}

// describes reports whether a row has texts in place of what several columns have,
// and nothing that they have.
func (h *Head) describes(r int) bool {
	f := h.fitOf(r, h.columnKinds(r+1))
	return f.right == 0 && f.wrong > 1 && h.Rows.Width(r) <= h.Width
}

// typeWords are names of types, as they stand below headers.
var typeWords = regexp.MustCompile(`(?i)^(num|number|numeric|int|integer|smallint|bigint|int(8|16|32|64)|float(32|64)?|real|double|decimal|money|text|str|string|char|varchar|c|n|d|s|i|f|b|t|l|date|datetime|time|timestamp|bool|boolean|logical|factor|category|object|id|uuid)(\(\d+(,\d+)?\))?$`)

// typeRow reports whether a row names the types of the columns. Single letters do
// so only where they differ and stand in most columns.
func (h *Head) typeRow(r int) bool {
	words, letters, seen := 0, 0, map[string]bool{}
	for c := range h.Rows.Width(r) {
		text := strings.ToLower(string(h.Cell(r, c)))
		if text == "" {
			continue
		}
		if !typeWords.MatchString(text) || text == "id" && words+letters > 0 {
			return false
		}
		seen[text] = true
		if len(text) > 1 {
			words++
		} else {
			letters++
		}
	}
	if r == 0 || h.Width < 2 || h.Filled(r-1) < max(h.Width-1, 2) {
		return false // the header stands above it
	}
	return words > 1 && words+letters == h.Width || letters == h.Width && len(seen) > 1 && h.fitOf(r, h.columnKinds(r+1)).wrong > 0
}

const (
	// minShort records, and this share of all, lack the same cells where that
	// is not an accident.
	minShort      = 3
	minShortShare = 0.05
)

// ManyShort reports whether too many records lack the same cells for this to be an
// accident.
func ManyShort(short, records int64) bool {
	return short >= minShort && float64(short) >= minShortShare*float64(records)
}

// FindShort sets that short records are filled, where the header is wider than
// most of them, or where more than a few lack the same cells.
func (h *Head) FindShort(lay *source.Layout) {
	if h.Sparse || h.Width < 2 || h.Rows == nil {
		return
	}
	widths := h.widths(h.First)
	if lay.BlankDelimited() && widths[h.Width] == 0 { // blank cells within the records are as likely
		return
	}
	lay.FillShort = h.Short
	if h.Short {
		return
	}
	records := int64(h.Rows.Len() - h.First)
	for width, n := range widths {
		if width > 1 && width < h.Width && ManyShort(int64(n), records) {
			lay.FillShort = true
		}
	}
}

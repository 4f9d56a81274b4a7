// Package frame finds what surrounds the records of a source, by rules that do not
// depend on how its cells are written: titles, header, descriptions, repeated
// headers, comments, rulers and footer.
package frame

import (
	"bytes"
	"regexp"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

const (
	// HeadRows is how many rows from the beginning a detection examines.
	HeadRows = 1000
	// maxHead is how many rows of titles with several cells there may be.
	maxHead = 8
)

// Head is the first rows of a source as a format has cut them.
type Head struct {
	Rows  *record.Batch
	Width int  // the number of cells of most rows, or of a header that is wider
	Short bool // most records have fewer cells than the header
	First int  // the row of the first record, once the header is found
	top   int  // the row below the labels above the table
	// BySpaces means that only spaces separate cells, Sparse that rows end with their last
	// value.
	BySpaces, Sparse bool
	Quote            byte // around cells, or 0
	Comments         Comments

	kinds [][]uint8 // of the cells of each row, as they are needed, plus 1; 0 is unknown
	// unnumbered counts the cells of a row by their texts without numbers, as needed.
	unnumbered map[int]map[string]int
	same       map[[2]int]bool // of two rows, as it is needed
	series     map[int]span    // of headings in a row, as it is needed
}

func newHead(rows *record.Batch, width int) Head {
	return Head{Rows: rows, Width: width, kinds: make([][]uint8, rows.Len()), unnumbered: map[int]map[string]int{}, same: map[[2]int]bool{}, series: map[int]span{}}
}

// NewHead returns the head of rows.
func NewHead(rows *record.Batch) Head {
	h := newHead(rows, 0)
	h.Width = h.CommonWidth()
	h.top = max(h.labels(), h.cutTitles(), h.tagged())
	return h
}

// SkipTitles takes a number of rows at the top for titles.
func (h *Head) SkipTitles(rows int) { h.top = max(h.top, rows) }

// cutTitles returns how many rows at the top are titles that the delimiter cuts, such as
// Museum of amber, 2026. Spaces follow it only there, and the next full row is below a blank
// line or heads typed columns.
func (h *Head) cutTitles() int {
	titles := 0
	for titles < min(h.Rows.Len(), maxHead) && h.Rows.Width(titles) == h.Width && h.spaceLed(titles) && len(bytes.Fields(h.Rows.Text(titles))) > 2 {
		titles++
	}
	header := titles
	for header < h.Rows.Len() && h.Rows.Width(header) != h.Width {
		header++
	}
	if titles == 0 || header >= h.Rows.Len() || h.Filled(header) < h.Width || !h.DistinctTexts(header) {
		return 0
	}
	gap := gapAbove(h.Rows, header)
	if h.units(header) && !gap || h.recurs(header, header+1) {
		return 0
	}
	for r := header; r < min(h.Rows.Len(), header+KindRows); r++ {
		if h.spaceLed(r) {
			return 0
		}
	}
	for c := range h.Width {
		if gap || h.KindBelow(c, header+1, noHeader) != value.Text {
			return titles
		}
	}
	return 0
}

// labels returns how many rows at the top are labels and what they stand for, such as
// Period: and 2026, or titles of one cell. A label is the last of them, and blank lines follow.
func (h *Head) labels() (rows int) {
	for r := range min(h.Rows.Len()-1, maxHead) {
		label := h.isLabel(r)
		if !label && h.Filled(r) > 1 {
			return rows
		}
		if label && gapAbove(h.Rows, r+1) {
			rows = r + 1
		}
	}
	return rows
}

// WithWidth returns the head with another width.
func (h Head) WithWidth(width int) Head {
	h.Width = width
	return h
}

// CommonWidth returns the number of cells that most rows have. Drawn rows only count if there are
// no others.
func (h *Head) CommonWidth() int {
	width, most := 0, 0
	widths := map[int]int{}
	for r := range h.Rows.Len() {
		if !IsRuler(h.Rows.Text(r)) {
			widths[h.Rows.Width(r)]++
		}
	}
	if len(widths) == 0 {
		widths = h.widths(0)
	}
	for w, rows := range widths {
		if rows > most || rows == most && w > width {
			width, most = w, rows
		}
	}
	return width
}

// Widen takes the width of a header that is wider than most records, where none
// is wider than it: their last cells are left out. The rows above it are titles, and not full.
func (h *Head) Widen() {
	for r := h.top; r < min(h.Rows.Len()-1, h.top+maxHead); r++ {
		w := h.Rows.Width(r)
		labelled := w == h.Width+1 && isLabelled(JoinHeadings(h.Rows, r, 1))
		if w <= h.Width || h.Width < 2 || labelled || !h.DistinctTexts(r) {
			if w == h.Width && h.Filled(r) == w {
				return
			}
			continue
		}
		wide, typed := h.WithWidth(w), 0
		for c := range h.Width {
			if wide.KindBelow(c, r+1, noHeader) != value.Text {
				typed++
			}
		}
		if typed == 0 && (h.BySpaces || h.spaced(r) || h.widths(r + 1)[h.Width] < h.Rows.Len()-r-1) || h.BySpaces && 2*typed < h.Width {
			return // a title that the delimiter cuts
		}
		for below := r + 1; below < h.Rows.Len(); below++ {
			if h.Rows.Width(below) > w {
				return
			}
		}
		h.Width, h.Short = w, true
		return
	}
}

// DistinctTexts reports whether the cells of a row are different texts; the last
// may be blank.
func (h *Head) DistinctTexts(r int) bool { return h.distinctTexts(r, 0) }

// distinctTexts is DistinctTexts for the cells from one on.
func (h *Head) distinctTexts(r, from int) bool {
	seen := map[string]bool{}
	for c := from; c < h.Rows.Width(r); c++ {
		text := string(h.Cell(r, c))
		if text == "" && c == h.Rows.Width(r)-1 {
			continue
		}
		k := h.kind(r, c)
		if k != value.Text && !(k == value.Boolean && (len(text) > 1 || h.caseHeading(r, c))) && !isYear(text) || seen[text] {
			return false
		}
		seen[text] = true
	}
	return true
}

// FirstFull returns the first row of the common width whose cells are mostly
// filled: titles above a table are neither.
func (h *Head) FirstFull() int {
	for r := h.top; r < min(h.Rows.Len(), h.top+maxTitles); r++ {
		if h.Rows.Width(r) == h.Width && 2*h.Filled(r) > h.Width && !h.Alike(r) {
			return r
		}
	}
	for r := range h.Rows.Len() {
		if h.Rows.Width(r) == h.Width {
			return r
		}
	}
	return 0
}

// maxTitles is how many rows of titles there may be.
const maxTitles = 50

func (h *Head) Filled(r int) (n int) {
	for c := range h.Rows.Width(r) {
		if !value.Blank(h.Rows.Cell(r, c)) {
			n++
		}
	}
	return n
}

// Alike reports whether the cells of a row are all the same, as those of a merged
// title are.
func (h *Head) Alike(r int) bool {
	for c := range h.Width {
		if !bytes.Equal(h.Rows.Cell(r, c), h.Rows.Cell(r, 0)) {
			return false
		}
	}
	return h.Width > 2
}

// OfOneKind is the share of columns whose values, from a row on, are of one
// kind other than text.
func (h *Head) OfOneKind(from int) float64 {
	n := 0
	for c := range h.Width {
		k := h.KindBelow(c, from, noHeader)
		if k != value.Text && k != value.NullWord {
			n++
		}
	}
	return float64(n) / float64(h.Width)
}

// KindRows is how many rows below the header are compared with it.
const KindRows = 200

// kind returns the kind of a cell; a missing one is as good as a blank one.
func (h *Head) kind(r, c int) value.Kind {
	if c >= h.Rows.Width(r) {
		return value.NullWord
	}
	if h.kinds[r] == nil {
		h.kinds[r] = make([]uint8, h.Rows.Width(r))
	}
	known := &h.kinds[r][c]
	if *known == 0 {
		*known = 1 + uint8(kindOf(h.Rows.Cell(r, c)))
	}
	return value.Kind(*known - 1)
}

// KindBelow returns the kind that three quarters of the values of a column have
// from a row on, and Text when no kind has. Null words, blank cells and rows
// that repeat the header, unless that is noHeader, do not count.
func (h *Head) KindBelow(c, from, header int) value.Kind {
	var counts [value.Impossible + 1]int
	n, most := 0, value.Text
	for r := from; r < min(h.Rows.Len(), from+KindRows); r++ {
		if h.Rows.Width(r) > h.Width || header != noHeader && h.repeated(header, r) {
			continue
		}
		k := h.kind(r, c)
		if k == value.NullWord {
			continue
		}
		n++
		counts[k]++
		if counts[k] > counts[most] {
			most = k
		}
	}
	if counts[most]*4 < n*3 {
		return value.Text
	}
	return most
}

const noHeader = -1

// repeated reports whether a row has the text of another one.
func (h *Head) repeated(header, r int) bool {
	at := [2]int{header, r}
	same, known := h.same[at]
	if !known {
		same = bytes.Equal(h.Rows.Text(r), h.Rows.Text(header))
		h.same[at] = same
	}
	return same
}

// kindOf returns the kind of a cell, all kinds of numbers being one. A blank or
// drawn cell is as good as a null word.
func kindOf(cell []byte) value.Kind {
	var v value.Value
	if value.Blank(cell) || IsRuler(cell) {
		return value.NullWord
	}
	if cell[0] == '0' && hexadecimal.Match(cell) {
		return value.Integer
	}
	k := value.Scan(cell, &v).Kind
	switch k {
	case value.Decimal, value.Exponent, value.Code:
		return value.Integer
	case value.Impossible, value.Timestamp, value.Instant:
		return value.Date
	default:
		return k
	}
}

// hexadecimal matches hexadecimal numbers. They identify records as other numbers do, although
// they are loaded as text.
var hexadecimal = regexp.MustCompile(`^0[xX][0-9A-Fa-f]+$`)

// CutsMoments reports whether the two columns are the dates and the times of timestamps,
// which have no heading each.
func (h *Head) CutsMoments() bool {
	return h.Width == 2 && h.Rows.Len() > 1 && h.Moments(0) && (h.Filled(0) < 2 || h.kind(0, 0) == value.Date)
}

// HasText reports whether a column is one of texts.
func (h *Head) HasText(c int) bool { return h.KindBelow(c, 0, noHeader) == value.Text }

// Moments reports whether a column is one of dates, and the next one of times of day.
func (h *Head) Moments(c int) bool {
	return h.KindBelow(c, 1, noHeader) == value.Date && h.KindBelow(c+1, 1, noHeader) == value.Time
}

// OneValueEach reports whether the first of several lines is a word, and nearly all others
// are one number, date or other value each.
func (h *Head) OneValueEach() bool {
	first, values := h.Cell(0, 0), 0
	if h.Rows.Len() <= minAlike || h.Rows.Width(0) != 1 || h.kind(0, 0) != value.Text || bytes.ContainsAny(first, " ,;\t|:") {
		return false
	}
	for r := 1; r < h.Rows.Len(); r++ {
		if h.Rows.Width(r) > 0 && h.kind(r, 0) != value.Text {
			values++
		}
	}
	return 10*values >= 9*(h.Rows.Len()-1)
}

// HeadsTexts reports whether a single word stands right above texts of two words: it
// is the heading of one column.
func (h *Head) HeadsTexts(first int) bool {
	return h.Width == 2 && first <= 1 && h.Rows.Len() > 1 && h.Filled(0) == 1 &&
		!gapAbove(h.Rows, 1) && h.KindBelow(0, 1, noHeader) == value.Text
}

// spaced reports whether a cell after the first is blank or begins with a space, as in prose
// after a comma.
func (h *Head) spaced(at int) bool {
	return h.afterFirst(at, func(cell []byte) bool { return value.Blank(cell) || cell[0] == ' ' })
}

// spaceLed reports whether a cell after the first begins with a space.
func (h *Head) spaceLed(at int) bool {
	return h.afterFirst(at, func(cell []byte) bool { return len(cell) > 0 && cell[0] == ' ' })
}

// afterFirst reports whether a cell of a row after the first meets a condition.
func (h *Head) afterFirst(at int, condition func(cell []byte) bool) bool {
	for c := 1; c < h.Rows.Width(at); c++ {
		if condition(h.Rows.Cell(at, c)) {
			return true
		}
	}
	return false
}

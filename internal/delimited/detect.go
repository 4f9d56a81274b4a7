package delimited

import (
	"bytes"
	"math"
	"slices"
	"strings"

	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// headRows is how many rows from the beginning the detection looks at.
const headRows = 1000

// Detect finds out the layout of the text that begins with head; whole tells
// that there is no more of it. told, unless nil, puts in what the user says,
// and what depends on it is detected with that.
//
// There are few rules, and they look at the whole shape. A dialect is good when
// it cuts most rows into the same number of cells and when the cells below each
// other are of one kind. The first record is the first row whose cells are of
// the kinds of their columns; the header is the fullest row above it, and what
// stands above that is titles.
func Detect(head []byte, whole bool, told func(*source.Layout)) source.Layout {
	lay := source.Layout{Format: "delimited", Quote: `"`, Escape: source.Doubled, LineEnd: lineEnd(head), FindFooter: true, Told: []string{}}
	if told == nil {
		told = func(*source.Layout) {}
	}
	told(&lay)
	matter, above := frontMatter(head)
	head, whole = firstLines(head[matter:], whole, "\r\n", headRows)
	lay.Comment = commentSign(head)
	var best shape
	doubled := shape{} // the cut by the same delimiter with quotes that are doubled
	for _, try := range dialects(head, lay) {
		told(&try)
		s := shapeOf(head, whole, try)
		if try.Quote != "" && try.Escape != source.Doubled && s.misplaced() >= doubled.misplaced() {
			continue // nothing speaks for it
		}
		if s.score > best.score || best.rows == nil {
			best = s
		}
		if try.Escape == source.Doubled && try.Quote != "" {
			doubled = s
		}
	}
	lay = best.layout
	if best.width < 2 && lay.Columns == "" { // whatever stands in it delimits nothing
		lay.Delimiter = ""
	}
	best.findHeader(&lay)
	best.findShort(&lay)
	if lay.HeaderLine > 0 {
		lay.HeaderLine += above
	}
	if lay.FirstDataLine > 0 {
		lay.FirstDataLine += above
	}
	lay.Told = lay.Told[:0]
	told(&lay)
	return lay
}

// firstLines cuts the head down to so many lines, which end in one of the given
// signs.
func firstLines(head []byte, whole bool, ends string, lines int) ([]byte, bool) {
	end := 0
	for range lines {
		i := bytes.IndexAny(head[end:], ends)
		if i < 0 {
			return head, whole
		}
		end += i + 1
	}
	return head[:end], whole && end == len(head)
}

// lineEnd returns the word for how lines end. A carriage return now and then
// among line feeds is part of a cell; several before a line feed belong to it.
func lineEnd(head []byte) string {
	lf := bytes.Count(head, []byte("\n"))
	crlf := bytes.Count(head, []byte("\r\n"))
	crcrlf := bytes.Count(head, []byte("\r\r\n"))
	lone := record.LoneReturns(head)
	switch {
	case lf == 0 && lone > 0:
		return "cr"
	case lone*10 > lf:
		return "mixed"
	case crcrlf*2 > lf:
		return "crcrlf"
	case crlf*2 > lf:
		return "crlf"
	}
	return "lf"
}

// shape is how a dialect cuts the head.
type shape struct {
	layout source.Layout
	rows   *record.Batch
	width  int // the number of cells of most rows, or of a header that is wider
	short  bool
	score  float64
	first  int                   // the row of the first record, once the header is found
	kinds  map[[2]int]value.Kind // of cells, as they are asked for
}

func shapeOf(head []byte, whole bool, lay source.Layout) shape {
	s := shape{layout: lay, kinds: map[[2]int]value.Kind{}}
	c, err := newCutter(lay)
	if err != nil {
		return s
	}
	if lay.Format == source.SheetRows {
		c.fill = widest(c.cutText(head, whole))
	}
	s.rows = c.cutText(head, whole)
	s.width = s.commonWidth()
	if c.quote != 0 && s.width > 1 {
		c.width = s.width
		s.rows = c.cutText(head, whole)
	}
	s.widen()
	s.score = s.rate()
	return s
}

// commonWidth returns the number of cells that most rows have.
func (s *shape) commonWidth() int {
	count, width := map[int]int{}, 0
	for r := range s.rows.Len() {
		w := s.rows.Width(r)
		if count[w]++; count[w] > count[width] || count[w] == count[width] && w > width {
			width = w
		}
	}
	return width
}

// widen takes the width of a header that is wider than most records, where none
// is wider than it: their last cells are left out.
func (s *shape) widen() {
	for r := range min(s.rows.Len()-1, maxHead) {
		w := s.rows.Width(r)
		if w <= s.width || s.width < 2 || !s.distinctTexts(r) {
			continue
		}
		typed := 0
		for c := range s.width {
			if s.kindBelow(c, r+1, nil) != value.Text {
				typed++
			}
		}
		if typed == 0 || s.bySpaces() && 2*typed < s.width {
			return
		}
		for below := r + 1; below < s.rows.Len(); below++ {
			if s.rows.Width(below) > w {
				return
			}
		}
		s.width, s.short = w, true
		return
	}
}

// misplaced counts the quotes that do not stand where the dialect has them.
func (s *shape) misplaced() (n int) {
	if s.rows == nil {
		return math.MaxInt
	}
	for _, o := range s.rows.Oddities {
		if o.What == record.StrayQuote || o.What == record.OpenQuote || o.What == record.LiteralQuote {
			n++
		}
	}
	return n
}

// bySpaces reports whether spaces stand between cells, so that a blank cell cannot
// be seen.
func (s *shape) bySpaces() bool {
	return s.layout.Delimiter == source.Spaces || s.layout.Delimiter == source.WideSpaces
}

// distinctTexts reports whether the cells of a row are different texts; the last
// may be blank.
func (s *shape) distinctTexts(r int) bool {
	seen := map[string]bool{}
	for c := range s.rows.Width(r) {
		text := string(s.cell(r, c))
		if text == "" && c == s.rows.Width(r)-1 {
			continue
		}
		k := s.kind(r, c)
		if k != value.Text && !(k == value.Boolean && (len(text) > 1 || s.letterHeading(r, c))) && !isYear(text) || seen[text] {
			return false
		}
		seen[text] = true
	}
	return true
}

// rate says how good the cut is: how even from the first full row on, how much
// the cells below each other are of one kind, and a little for more cells. A
// dialect that leaves quotes or spaces at the ends of cells is not the one.
func (s *shape) rate() float64 {
	if s.rows.Len() == 0 {
		return 0
	}
	first := s.firstFull()
	even, less := 0, 0
	for r := first; r < s.rows.Len(); r++ {
		switch w := s.rows.Width(r); {
		case w == s.width || s.short && w > 1 && w < s.width:
			even++
		case w == s.width-1 && w > 1 && !s.bySpaces(): // the last cell may be left out where it is blank
			less++
		}
	}
	share := (float64(even) + 0.8*float64(less)) / float64(s.rows.Len()-first)
	if s.width < 2 {
		if d := s.layout.Delimiter; d != "" && d != common[0] {
			share *= 0.9
		}
		return 0.3 * share
	}
	if even < 2 && s.rows.Len() > 2 {
		share /= 4
	}
	score := share + 0.4*s.ofOneKind(first+1) + min(float64(s.width), 50)/500 - 0.3*float64(first)/float64(s.rows.Len())
	if s.short {
		score -= 0.15
	}
	switch d := s.layout.Delimiter; {
	case s.headsTexts(first):
		return 0.1
	case s.layout.Columns != "":
		return s.rateAligned(score)
	case s.bySpaces() && share < 0.9:
		return 0.1 // sentences
	case d == source.Spaces:
		score -= 0.25
	case d == source.WideSpaces:
		score -= 0.2
	case !slices.Contains(common, d) && len(d) == 1:
		score -= 0.1
	}
	if s.layout.Quote != `"` || s.layout.Escape == source.Unescaped {
		score -= 0.01 // the usual is taken where it does as well
	}
	if s.layout.Quote == "" && s.wrapped() {
		score -= 0.5
	}
	return score - s.untidy(first)
}

// headsTexts reports whether a single word stands right above texts of two words:
// it is the heading of one column.
func (s *shape) headsTexts(first int) bool {
	bySpace := s.layout.Delimiter == source.Spaces || s.layout.Columns != ""
	return bySpace && s.width == 2 && first <= 1 && s.rows.Len() > 1 && s.filled(0) == 1 &&
		s.rows.Line(1) == s.rows.Line(0)+1 && s.kindBelow(0, 1, nil) == value.Text
}

// rateAligned says how good columns at fixed places are: worse than any delimiter
// that does as well, and nothing at all in a few lines of text.
func (s *shape) rateAligned(score float64) float64 {
	if s.ofOneKind(1) == 0 && s.rows.Len() < manyAligned {
		return 0
	}
	return score - 0.5
}

// firstFull returns the first row of the common width whose cells are mostly
// filled: titles above a table are neither.
func (s *shape) firstFull() int {
	for r := range min(s.rows.Len(), maxTitles) {
		if s.rows.Width(r) == s.width && 2*s.filled(r) > s.width && !s.alike(r) {
			return r
		}
	}
	for r := range s.rows.Len() {
		if s.rows.Width(r) == s.width {
			return r
		}
	}
	return 0
}

// maxTitles is how many rows of titles there may be.
const maxTitles = 50

func (s *shape) filled(r int) (n int) {
	for c := range s.rows.Width(r) {
		if !value.Blank(s.rows.Cell(r, c)) {
			n++
		}
	}
	return n
}

// alike reports whether the cells of a row are all the same, as those of a merged
// title are.
func (s *shape) alike(r int) bool {
	for c := range s.width {
		if !bytes.Equal(s.rows.Cell(r, c), s.rows.Cell(r, 0)) {
			return false
		}
	}
	return s.width > 2
}

// ofOneKind is the share of columns whose values, from a row on, are of one
// kind other than text.
func (s *shape) ofOneKind(from int) float64 {
	n := 0
	for c := range s.width {
		if k := s.kindBelow(c, from, nil); k != value.Text && k != value.NullWord {
			n++
		}
	}
	return float64(n) / float64(s.width)
}

// untidy is the share of cells that begin or end with a quote, begin with a space
// or have half of a pair of quotes: marks of a dialect that was not understood.
func (s *shape) untidy(first int) float64 {
	bad, all := 0, 0
	for r := first; r < min(s.rows.Len(), first+kindRows); r++ {
		for c := range s.rows.Width(r) {
			cell := s.rows.Cell(r, c)
			if all++; len(cell) < 2 {
				continue
			}
			if s.bySpaces() && bytes.Count(cell, []byte(`"`))%2 == 1 { // a space in quotes was cut
				bad += 2
				continue
			}
			if last := cell[len(cell)-1]; cell[0] == ' ' || strings.IndexByte(`"'`, cell[0]) >= 0 && cell[0] == last || last == '\\' {
				bad++
			}
		}
	}
	return 0.5 * float64(bad) / float64(max(all, 1))
}

// wrapped reports whether cells stand between quotes, and more of them than begin
// with a quote only: then quotes go around cells.
func (s *shape) wrapped() bool {
	both, only := 0, 0
	for r := range s.rows.Len() {
		for c := range s.rows.Width(r) {
			cell := s.rows.Cell(r, c)
			switch {
			case len(cell) < 2 || cell[0] != '"':
			case cell[len(cell)-1] == '"':
				both++
			default:
				only++
			}
		}
	}
	return both > only
}

// kindRows is how many rows below the header are held against it.
const kindRows = 200

// kind returns the kind of a cell; a missing one is as good as a blank one.
func (s *shape) kind(r, c int) value.Kind {
	if c >= s.rows.Width(r) {
		return value.NullWord
	}
	at := [2]int{r, c}
	k, known := s.kinds[at]
	if !known {
		k = kindOf(s.rows.Cell(r, c))
		s.kinds[at] = k
	}
	return k
}

// kindBelow returns the kind that three quarters of the values of a column have
// from a row on, and Text when no kind has. Null words, blank cells and rows
// that repeat the header do not count.
func (s *shape) kindBelow(c, from int, header []byte) value.Kind {
	var counts [value.Impossible + 1]int
	n, most := 0, value.Text
	for r := from; r < min(s.rows.Len(), from+kindRows); r++ {
		if s.rows.Width(r) > s.width || header != nil && bytes.Equal(s.rows.Text(r), header) {
			continue
		}
		k := s.kind(r, c)
		if k == value.NullWord {
			continue
		}
		n++
		if counts[k]++; counts[k] > counts[most] {
			most = k
		}
	}
	if counts[most]*4 < n*3 {
		return value.Text
	}
	return most
}

// kindOf returns the kind of a cell, all kinds of numbers being one. A blank or
// drawn cell is as good as a null word.
func kindOf(cell []byte) value.Kind {
	var v value.Value
	if value.Blank(cell) || isRuler(cell) {
		return value.NullWord
	}
	switch k := value.Scan(cell, &v).Kind; k {
	case value.Decimal, value.Exponent, value.Code:
		return value.Integer
	case value.Impossible, value.Timestamp, value.Instant:
		return value.Date
	default:
		return k
	}
}

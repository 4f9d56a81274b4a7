package delimited

import (
	"regexp"
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

// columnKinds returns the kind of each column from a row on.
func (s *shape) columnKinds(from int) []value.Kind {
	kinds := make([]value.Kind, s.width)
	for c := range kinds {
		kinds[c] = s.kindBelow(c, from, nil)
	}
	return kinds
}

// fitOf compares a row with the kinds of the columns below it. A heading may be a
// letter that looks like a truth value, or a year above amounts.
func (s *shape) fitOf(r int, kinds []value.Kind) (f fit) {
	for c, kind := range kinds {
		k := s.kind(r, c)
		switch {
		case kind == value.Text || k == value.NullWord || k == value.Boolean && s.letterHeading(r, c):
		case k != kind || s.yearHeading(r, c):
			f.wrong++
		default:
			f.right++
		}
	}
	return f
}

// letterHeading reports whether a cell is a single letter, and no letter of its
// case stands below it: n above Y and N, t above yes and no.
func (s *shape) letterHeading(r, c int) bool {
	heading := s.cell(r, c)
	if len(heading) != 1 {
		return false
	}
	for below := r + 1; below < min(s.rows.Len(), r+kindRows); below++ {
		cell := s.cell(below, c)
		if len(cell) == 1 && isLower(cell[0]) == isLower(heading[0]) {
			return false
		}
	}
	return true
}

func isLower(c byte) bool { return c >= 'a' && c <= 'z' }

// yearHeading reports whether a cell is a year and those below it are not.
func (s *shape) yearHeading(r, c int) bool {
	return c < s.rows.Width(r) && isYear(string(s.cell(r, c))) && !s.yearsBelow(c, r+1)
}

// firstRecord returns the first row whose cells are of the kinds of their
// columns, with these; found is false where no column has a kind.
func (s *shape) firstRecord() (r int, kinds []value.Kind, found bool) {
	for r = range min(s.rows.Len(), maxTitles+maxHead) {
		if s.filled(r) < min(s.width, 2) || isRuler(s.rows.Text(r)) {
			continue
		}
		if kinds = s.columnKinds(r); r+1 == s.rows.Len() { // it shows nothing but itself
			for c := range kinds {
				if kinds[c] == value.Boolean {
					kinds[c] = value.Text
				}
			}
		}
		if s.fitOf(r, kinds).record() && (r+1 == s.rows.Len() || !s.fitOf(r+1, kinds).none()) {
			return s.earlier(r, kinds), kinds, true
		}
	}
	return 0, nil, false
}

// earlier returns the first of the rows right above a record that are records
// too, of which a few cells are not of the kind of their column.
func (s *shape) earlier(r int, kinds []value.Kind) int {
	for r > 0 && s.rows.Width(r-1) == s.width {
		if f := s.fitOf(r-1, kinds); f.right <= f.wrong {
			break
		}
		r--
	}
	return r
}

// headerAbove returns the row above the first record that names the columns:
// the fullest one near it in which nothing is of the kind of its column, and of
// equally full ones the highest without a gap below it. It is -1 where there is
// no such row.
func (s *shape) headerAbove(first int, kinds []value.Kind) int {
	best, most := -1, 0
	for r := first - 1; r >= max(0, first-maxHead); r-- {
		f := s.fitOf(r, kinds)
		if f.right > 0 || isRuler(s.rows.Text(r)) || s.typeRow(r) || s.alike(r) {
			continue
		}
		filled := s.filled(r)
		if filled < min(2, s.width) || s.rows.Width(r) < s.width-1 || !s.named(r) {
			continue
		}
		if filled > most || filled == most && s.rows.Line(best) == s.rows.Line(r)+1 {
			best, most = r, filled
		}
	}
	return best
}

// titlesAbove reports whether the rows above a header can be titles: they have
// fewer cells, or several that are not of the kind of their column.
func (s *shape) titlesAbove(header int, kinds []value.Kind) bool {
	for r := range header {
		if s.rows.Width(r) >= s.rows.Width(header) && s.filled(r) >= s.filled(header) && s.fitOf(r, kinds).wrong < 2 && !s.alike(r) {
			return false
		}
	}
	return true
}

// named reports whether a row can be a header: most of its cells are filled, with
// texts.
func (s *shape) named(r int) bool {
	texts, width := 0, s.rows.Width(r)
	for c := range width {
		if k := s.kind(r, c); k == value.Text || k == value.Boolean || s.yearHeading(r, c) {
			texts++
		}
	}
	return 2*texts > width
}

// descriptions returns how many lines below a header that ends at row `at` are
// about the columns: rows of the names of types, and rows in which several cells
// are not of the kind of their column and none is.
func (s *shape) descriptions(at int) int64 {
	lines := int64(0)
	for r := at + 1; r < min(s.rows.Len()-1, at+maxHead); r++ {
		switch {
		case isRuler(s.rows.Text(r)):
			continue
		case s.typeRow(r) || s.describes(r):
			lines = s.rows.Line(r) - s.rows.Line(at)
		default:
			return lines
		}
	}
	return lines
}

// describes reports whether a row has texts in place of what several columns have,
// and nothing that they have.
func (s *shape) describes(r int) bool {
	f := s.fitOf(r, s.columnKinds(r+1))
	return f.right == 0 && f.wrong > 1 && s.rows.Width(r) <= s.width
}

// typeWords are names of types, as they stand below headers.
var typeWords = regexp.MustCompile(`(?i)^(num|number|numeric|int|integer|smallint|bigint|int(8|16|32|64)|float(32|64)?|real|double|decimal|money|text|str|string|char|varchar|c|n|d|s|i|f|b|t|l|date|datetime|time|timestamp|bool|boolean|logical|factor|category|object|id|uuid)(\(\d+(,\d+)?\))?$`)

// typeRow reports whether a row names the types of the columns. Single letters do
// so only where they differ and stand in most columns.
func (s *shape) typeRow(r int) bool {
	words, letters, seen := 0, 0, map[string]bool{}
	for c := range s.rows.Width(r) {
		text := strings.ToLower(string(s.cell(r, c)))
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
	if r == 0 || s.width < 2 {
		return false
	}
	return words > 1 && words+letters == s.width || letters == s.width && len(seen) > 1 && s.fitOf(r, s.columnKinds(r+1)).wrong > 0
}

const (
	// minShort records, and this share of all, lack the same cells where that
	// is no accident.
	minShort      = 3
	minShortShare = 0.05
)

// ManyShort reports whether too many records lack the same cells for this to be an
// accident.
func ManyShort(short, records int64) bool {
	return short >= minShort && float64(short) >= minShortShare*float64(records)
}

// findShort sets that short records are filled, where the header is wider than
// most of them, or where more than a few lack the same cells.
func (s *shape) findShort(lay *source.Layout) {
	if s.layout.Format == source.SheetRows || s.width < 2 || s.rows == nil {
		return
	}
	if lay.FillShort = s.short; s.short {
		return
	}
	widths, records := map[int]int{}, s.rows.Len()-s.first
	for r := s.first; r < s.rows.Len(); r++ {
		widths[s.rows.Width(r)]++
	}
	for width, n := range widths {
		if width > 1 && width < s.width && ManyShort(int64(n), int64(records)) {
			lay.FillShort = true
		}
	}
}

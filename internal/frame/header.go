package frame

import (
	"bytes"
	"regexp"
	"strings"
	"unicode"

	"ambertray/internal/source"
	"ambertray/internal/value"
)

// FindHeader sets the header line, or the first data line where there is no
// header, the ruler below it and the lines that describe the columns.
func (h *Head) FindHeader(lay *source.Layout) {
	lay.HeaderLine, lay.HeaderLines, lay.FirstDataLine, lay.DescriptionLines = 0, 1, 0, 0
	lay.HeaderGuess, lay.Ruler = false, false
	if h.Rows.Len() == 0 {
		return
	}
	header, record, guess := h.seek()
	if header >= 0 && IsRuler(h.Rows.Text(header)) {
		header, record = -1, header
	}
	if header < 0 || guess {
		first := record
		if header >= 0 {
			first = header
		}
		line := h.commentHeader(first, guess)
		if line > 0 {
			width := h.Comments.cells([]byte(h.commentOn(line)), h).Width(0)
			h.Short = h.Short || width > h.Width
			h.Width = max(h.Width, width)
			lay.HeaderLine, h.First = line, first
			return
		}
	}
	lay.Ruler = h.hasRuler(max(header, 0))
	if header < 0 {
		record = h.wideAbove(record)
		h.First = record
		lay.FirstDataLine = h.Rows.Line(record)
		return
	}
	from, to := h.headerRows(header)
	if h.fitsNone(from, to) {
		h.First = h.below(to)
		lay.FirstDataLine = h.Rows.Line(h.First)
		return
	}
	lay.HeaderLine = h.Rows.Line(from)
	lay.HeaderLines = h.Rows.Line(to) - lay.HeaderLine + 1
	lay.DescriptionLines = h.descriptions(to)
	lay.HeaderGuess = guess && lay.DescriptionLines == 0
	for h.First = to + 1; h.First < h.Rows.Len()-1 && (IsRuler(h.Rows.Text(h.First)) || h.Rows.Line(h.First) <= h.Rows.Line(to)+lay.DescriptionLines); {
		h.First++
	}
}

// fitsNone reports whether no row below a header, which are several, has as many cells. Most likely
// the header belongs to something else.
func (h *Head) fitsNone(from, to int) bool {
	first := h.below(to)
	if h.Sparse || h.Short || h.Rows.Len()-first < minAlike {
		return false
	}
	headings, _ := FitHeadings(JoinHeadings(h.Rows, from, to-from+1), h.Rows, first, false)
	for r := first; r < h.Rows.Len(); r++ {
		if h.Rows.Width(r) == len(headings) {
			return false
		}
	}
	return true
}

// seek returns the row of the header, -1 without one, and that of the first record.
// guess says that the header looks like the records, or that the first record looks like
// a header.
func (h *Head) seek() (header, record int, guess bool) {
	if h.numbersHead(h.top) || h.quotedHead(h.top) {
		return h.top, h.top + 1, false
	}
	header = h.ruledHeader()
	if header >= 0 {
		return header, h.below(header), false
	}
	record, kinds, typed := h.firstRecord()
	if typed {
		header = h.headerAbove(record, kinds)
		typed = h.titlesAbove(header, kinds)
		if typed && h.blankAbove(header, record, kinds) {
			header, record = h.top, h.top+1
			if !h.hasHeader(h.top) {
				header, record = -1, h.top
			}
		}
		guess = h.shortSeries(header)
	}
	if typed && header < 0 {
		record = h.fullAbove(record, kinds)
	}
	if !typed {
		header, record = h.wordsHeader()
		guess = header >= 0 && h.Rows.Len()-record >= minAlike && h.likeRecords(header, record)
		if header >= 0 && (h.firstInOrder(header, record, guess) || h.commentNames(header)) {
			return -1, header, true
		}
	}
	return header, record, guess
}

// ruledHeader returns the row of texts right above a line that draws the columns, or -1.
func (h *Head) ruledHeader() int {
	for r := h.top; r < min(h.Rows.Len()-1, h.top+maxHead); r++ {
		if !IsRuler(h.Rows.Text(r)) && IsRuler(h.Rows.Text(r+1)) && h.drawn(r+1) == h.Width && h.Width > 1 && h.DistinctTexts(r) {
			return r
		}
	}
	return -1
}

// drawn returns the number of cells of a row that are drawn.
func (h *Head) drawn(r int) (n int) {
	for c := range h.Rows.Width(r) {
		if IsRuler(h.Cell(r, c)) {
			n++
		}
	}
	return n
}

// hasRuler reports whether a line is drawn near the header.
func (h *Head) hasRuler(at int) bool {
	for r := max(at, 1); r < min(h.Rows.Len(), at+3); r++ {
		if IsRuler(h.Rows.Text(r)) {
			return true
		}
	}
	return false
}

// wordsHeader returns the row of the header, -1 without one, and that of the
// first record, where no column is of a kind by which to know records.
func (h *Head) wordsHeader() (header, record int) {
	first := h.FirstFull()
	if IsRuler(h.Rows.Text(first)) && first+1 < h.Rows.Len() {
		first++
	}
	for r := first - 1; r >= h.top; r-- {
		if h.namesUsedColumns(r, r+1) {
			return r, h.below(r)
		}
	}
	if h.lacksFirst(first-1) || first > 0 && h.loneHeading(first-1, first) && !h.numbersOn(first-1) {
		return first - 1, first
	}
	later := h.behindGap(first)
	if later > 0 {
		first = later
	}
	above := h.shortAbove(first)
	records := above < first && (value.Blank(h.Rows.Cell(above, 0)) || first-above >= manyAbove) // a title has a first cell
	if !records && h.hasHeader(first) {
		return first, h.below(first)
	}
	return -1, above
}

// maxGroups is how many rows may head groups of columns.
const maxGroups = 3

// headerRows returns the rows of the header, of which one is known: rows
// above belong to it when its headings alone are not distinct, the row below
// when it completes them or gives their units.
func (h *Head) headerRows(at int) (from, to int) {
	if h.loneHeading(at, at+1) {
		return at, at
	}
	if repeats(JoinHeadings(h.Rows, at, 1)) {
		for from = at - 1; from >= max(at-maxGroups, 0) && h.headsGroups(from); from-- {
			if !repeats(JoinHeadings(h.Rows, from, at-from+1)) {
				return from, at
			}
		}
	}
	if h.completes(at+1) || h.units(at+1) {
		return at, at + 1
	}
	return at, at
}

// next reports whether a row is in the batch, is not drawn, and stands right below the one
// before it.
func (h *Head) next(at int) bool {
	return at > 0 && at < h.Rows.Len() && !IsRuler(h.Rows.Text(at)) && !gapAbove(h.Rows, at) && h.Rows.Width(at) <= max(h.Width, h.Rows.Width(at-1))
}

// Cell returns a cell of a row, which may be too short to have it.
func (h *Head) Cell(r, c int) []byte {
	if c >= h.Rows.Width(r) {
		return nil
	}
	return value.Trim(h.Rows.Cell(r, c))
}

// repeats reports whether a heading occurs twice.
func repeats(headings []string) bool {
	seen := map[string]bool{}
	for _, h := range headings {
		if h != "" && seen[h] {
			return true
		}
		seen[h] = true
	}
	return false
}

// completes reports whether a row below the header names what that leaves blank,
// and nothing that has a heading but for parts of a group.
func (h *Head) completes(at int) bool {
	if !h.next(at) {
		return false
	}
	named, other := 0, false
	for c := range h.Width {
		above, here := h.Cell(at-1, c), h.Cell(at, c)
		switch {
		case len(above) == 0 && len(here) == 0:
			continue
		case len(here) > 0 && kindOf(here) != value.Text && kindOf(here) != value.Boolean: // such as on
			return false
		case len(above) == 0:
			named++
			other = other || h.KindBelow(c, at+1, noHeader) != value.Text
		case len(here) > 0:
			if (c+1 >= h.Width || len(h.Cell(at-1, c+1)) > 0) && !(unit.Match(here) && h.KindBelow(c, at+1, noHeader) != value.Text) { // the one above heads no group
				return false
			}
		}
	}
	return named > 0 && (other || !h.recurs(at, at+1) && !h.isAboveGroup(at))
}

// units reports whether a row below the header gives the units of numbers: it has
// text in columns of numbers only.
func (h *Head) units(at int) bool {
	if !h.next(at) {
		return false
	}
	some := false
	for c := range h.Width {
		here := h.Cell(at, c)
		if len(here) == 0 {
			continue
		}
		kind := h.KindBelow(c, at+1, noHeader)
		if !unit.Match(here) || kindOf(here) != value.Text || kind != value.Integer && !bracketed(here) {
			return false
		}
		some = some || kind != value.Text
	}
	return some
}

// unit is what a unit looks like: short, without a digit in front, perhaps in
// brackets.
var unit = regexp.MustCompile(`^[(\[]?[\p{L}%°µ€$£/][\p{L}%°µ€$£²³/·. \d^-]{0,9}[)\]]?$`)

func bracketed(text []byte) bool {
	return strings.ContainsRune("([", rune(text[0])) && strings.ContainsRune(")]", rune(text[len(text)-1]))
}

// hasHeader reports whether a row names the columns: it is text where the column
// below it is something else. Where nothing distinguishes them, a row of distinct
// words is a header, unless nothing stands below it and it has figures.
func (h *Head) hasHeader(at int) bool {
	below := h.below(at)
	votes, words := h.votes(at, below)
	if below >= h.Rows.Len() && h.digitFirst(at) || h.sentenceAmong(at, below) || h.onlyRepeats(at, below) || h.allCodes(at, below) {
		return false
	}
	return votes > 0 || votes == 0 && words && !h.recurs(at, below)
}

// onlyRepeats reports whether all rows below a row, two or more, are the same as it.
func (h *Head) onlyRepeats(at, below int) bool {
	for r := below; r < h.Rows.Len(); r++ {
		if !bytes.Equal(h.Rows.Text(r), h.Rows.Text(at)) {
			return false
		}
	}
	return below+1 < h.Rows.Len()
}

// below returns the row below a header, after rulers.
func (h *Head) below(at int) int {
	for at++; at < h.Rows.Len() && IsRuler(h.Rows.Text(at)); at++ {
	}
	return at
}

// behindGap returns the row of a header that stands after blank lines, where
// what seemed to be the first row is less filled: a title of several cells. It is 0
// where there is no such header.
func (h *Head) behindGap(first int) int {
	votes, _ := h.votes(first, h.below(first))
	if votes > 0 {
		return 0
	}
	most := h.Filled(first)
	for r := first + 1; r < min(h.Rows.Len(), first+maxHead); r++ {
		filled := h.Filled(r)
		votes, _ := h.votes(r, h.below(r))
		if filled > most && votes > 0 && gapAbove(h.Rows, r) {
			return r
		}
		most = max(most, filled)
	}
	return 0
}

// votes counts the columns in which a row is text above what is not, less those
// in which it is of the same kind or pattern; words says that it is of distinct words.
func (h *Head) votes(at, below int) (votes int, words bool) {
	words = true
	seen := map[string]bool{}
	for c := range h.Rows.Width(at) {
		name, first := string(h.Cell(at, c)), h.kind(at, c)
		kind := h.KindBelow(c, below, at)
		if first == value.Boolean && (kind != value.Boolean || h.caseHeading(at, c)) || h.yearHeading(at, c) || h.inSeries(at, c) {
			first = value.Text // a heading such as No, a year above amounts, or one of a series
		}
		words = words && (name == "" || (!seen[name] || h.unlike(at, below, c)) && first == value.Text && !strings.Contains(name, "://") && !isNumbering(name))
		seen[name] = true
		switch {
		case kind == value.Text && h.likeCodes(at, below, c):
			votes--
		case kind == value.Text:
		case first == value.Text:
			votes++
		case first == kind:
			votes--
		}
	}
	return votes, words
}

// isNumbering reports whether a text has digits, such as 33-1-2, and no letter.
func isNumbering(text string) bool {
	return !isYear(text) && strings.ContainsAny(text, "0123456789") && !strings.ContainsFunc(text, unicode.IsLetter)
}

// unlike reports whether a cell is written as none of the values below it, two at least.
func (h *Head) unlike(at, below, c int) bool {
	alike, values := h.countAlike(at, below, c, styleOf)
	return alike == 0 && values > 1
}

// recurs reports whether a cell of a row occurs again below it in its column,
// which the name of a column does not, unless the column is a list of different words. Rows
// that repeat the whole header do not count, unless the header looks like the records.
func (h *Head) recurs(at, from int) bool {
	repeats := false
	for r := from; r < min(h.Rows.Len(), from+KindRows); r++ {
		if h.repeated(at, r) {
			repeats = true
			continue
		}
		for c := range min(h.Rows.Width(r), h.Rows.Width(at)) {
			cell := h.Rows.Cell(at, c)
			if !value.Blank(cell) && bytes.Equal(cell, h.Rows.Cell(r, c)) && !h.allDiffer(c, from) {
				return true
			}
		}
	}
	return repeats && h.likeRecords(at, from)
}

// allDiffer reports whether a column has many values from a row on, without duplicates.
func (h *Head) allDiffer(c, from int) bool {
	seen := map[string]bool{}
	for r := from; r < min(h.Rows.Len(), from+KindRows); r++ {
		cell := string(h.Cell(r, c))
		if seen[cell] {
			return false
		}
		seen[cell] = true
	}
	return len(seen) >= minOrdered
}

// numbersHead reports whether a row of different numbers is the header of all columns except the
// first, which contains different names of the rows.
func (h *Head) numbersHead(at int) bool {
	if h.Width < minSteps || h.Rows.Width(at) != h.Width-1 || !h.allDiffer(0, at+1) {
		return false
	}
	for c := range h.Width - 1 {
		if h.kind(at, c) != value.Integer {
			return false
		}
	}
	for r := at + 1; r < min(h.Rows.Len(), at+KindRows); r++ {
		if h.Rows.Width(r) != h.Width || h.kind(r, 0) != value.Text {
			return false
		}
	}
	return !repeats(JoinHeadings(h.Rows, at, 1))
}

// quotedHead reports whether a row of different cells in quotes, such as years, is the header: of
// the columns below, some are in quotes and some not, and a heading is a number above plain ones.
// The first column may lack its heading.
func (h *Head) quotedHead(at int) bool {
	shift := h.Width - h.Rows.Width(at)
	if shift < 0 || shift > 1 || at+2 >= h.Rows.Len() || repeats(JoinHeadings(h.Rows, at, 1)) {
		return false
	}
	numbers := false
	for c := range h.Rows.Width(at) {
		quoted, plain := h.quotes(c+shift, at+1)
		if !h.inQuotes(at, c) || value.Blank(h.Rows.Cell(at, c)) || quoted && plain {
			return false
		}
		numbers = numbers || plain && h.kind(at, c) == value.Integer && h.KindBelow(c+shift, at+1, noHeader) == value.Integer
	}
	return numbers
}

// quotes reports whether values of a column from a row on are in quotes, and whether some are not.
func (h *Head) quotes(c, from int) (quoted, plain bool) {
	for r := from; r < min(h.Rows.Len(), from+KindRows); r++ {
		if h.kind(r, c) == value.NullWord {
			continue
		}
		in := h.inQuotes(r, c)
		quoted, plain = quoted || in, plain || !in
	}
	return quoted, plain
}

// inQuotes reports whether a cell is in quotes. One that had escapes in it counts too.
func (h *Head) inQuotes(r, c int) bool {
	start := int(h.Rows.Span(r, c).Start)
	return h.Quote != 0 && (start >= h.Rows.Raw || start > 0 && h.Rows.Data[start-1] == h.Quote)
}

// lacksFirst reports whether a row names all columns but the first, which holds
// the names of the rows. A row is a title instead if only there spaces
// follow the delimiter.
func (h *Head) lacksFirst(at int) bool {
	if at < 0 || h.Width < 3 || h.Rows.Width(at) != h.Width-1 || at+1 < h.Rows.Len() && h.spaceLed(at) && !h.spaceLed(at+1) {
		return false
	}
	for c := range h.Rows.Width(at) {
		if kindOf(h.Rows.Cell(at, c)) != value.Text || h.patterned(at, at+1, c) {
			return false
		}
	}
	return true
}

var (
	// year is what a year in a heading looks like, and anyYear what one in a column does.
	year    = regexp.MustCompile(`^(19|20)\d\d$`)
	anyYear = regexp.MustCompile(`^(1[5-9]|20)\d\d$`)
)

func isYear(text string) bool { return year.MatchString(text) }

// yearsBelow reports whether half of the values of a column from a row on are years.
func (h *Head) yearsBelow(c, from int) bool {
	years, others := 0, 0
	for r := from; r < min(h.Rows.Len(), from+KindRows); r++ {
		cell := h.Cell(r, c)
		switch {
		case anyYear.Match(cell):
			years++
		case len(cell) > 0:
			others++
		}
	}
	return years >= others
}

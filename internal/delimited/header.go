package delimited

import (
	"bytes"
	"regexp"
	"slices"
	"strings"

	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// findHeader sets the header line, or the first data line where there is no
// header, the ruler below it and the lines that describe the columns.
func (s *shape) findHeader(lay *source.Layout) {
	lay.HeaderLine, lay.HeaderLines, lay.FirstDataLine, lay.DescriptionLines, lay.Ruler = 0, 1, 0, 0, false
	if s.rows.Len() == 0 {
		return
	}
	record, kinds, typed := s.firstRecord()
	header := -1
	if typed {
		header = s.headerAbove(record, kinds)
		typed = s.titlesAbove(header, kinds)
	}
	if !typed {
		header, record = s.wordsHeader()
	}
	if line := s.commentHeader(max(record, 0)); header < 0 && line > 0 {
		lay.HeaderLine, s.first = line, record
		return
	}
	if lay.Ruler = s.hasRuler(max(header, 0)); header < 0 {
		s.first = record
		lay.FirstDataLine = s.rows.Line(record)
		return
	}
	from, to := s.headerRows(header)
	lay.HeaderLine = s.rows.Line(from)
	lay.HeaderLines = s.rows.Line(to) - lay.HeaderLine + 1
	lay.DescriptionLines = s.descriptions(to)
	for s.first = to + 1; s.first < s.rows.Len()-1 && (isRuler(s.rows.Text(s.first)) || s.rows.Line(s.first) <= s.rows.Line(to)+lay.DescriptionLines); {
		s.first++
	}
}

// hasRuler reports whether a line is drawn near the header.
func (s *shape) hasRuler(at int) bool {
	for r := max(at, 1); r < min(s.rows.Len(), at+3); r++ {
		if isRuler(s.rows.Text(r)) {
			return true
		}
	}
	return false
}

// wordsHeader returns the row of the header, -1 without one, and that of the
// first record, where no column is of a kind by which to know records.
func (s *shape) wordsHeader() (header, record int) {
	first := s.firstFull()
	if isRuler(s.rows.Text(first)) && first+1 < s.rows.Len() {
		first++
	}
	if s.lacksFirst(first - 1) {
		return first - 1, first
	}
	if later := s.behindGap(first); later > 0 {
		first = later
	}
	if s.hasHeader(first) {
		return first, s.below(first)
	}
	return -1, first
}

// commentHeader returns the line of a comment right above a row that names the
// columns, or 0.
func (s *shape) commentHeader(at int) int64 {
	if s.layout.Comment == "" || s.width < 2 {
		return 0
	}
	left := s.rows.LeftOut()
	for i := len(left) - 1; i >= 0; i-- {
		if left[i].Rule != record.Comment || left[i].Line != s.rows.Line(at)-1 {
			continue
		}
		lay := s.layout
		lay.Comment = ""
		c, err := newCutter(lay)
		if err != nil {
			return 0
		}
		b := c.cutText(uncomment([]byte(left[i].Text), s.layout.Comment), true)
		h := shape{layout: lay, rows: b, width: s.width, kinds: map[[2]int]value.Kind{}}
		if b.Len() == 1 && b.Width(0) <= s.width && b.Width(0) >= s.width-1 && h.distinctTexts(0) {
			return left[i].Line
		}
	}
	return 0
}

// uncomment returns a line without the comment sign at its beginning.
func uncomment(line []byte, sign string) []byte {
	text := bytes.TrimLeft(line, " \t")
	for sign != "" && bytes.HasPrefix(text, []byte(sign)) {
		text = text[len(sign):]
	}
	if len(text) == len(bytes.TrimLeft(line, " \t")) {
		return line
	}
	return bytes.TrimLeft(text, " ")
}

// SeekHeader returns the layout with the header where the text that begins with
// head has it: on another line than the layout says, if more of the headings that
// are wanted stand there, two at least, and are half of what stands there.
func SeekHeader(head []byte, whole bool, lay source.Layout, wanted []string) source.Layout {
	c, err := newCutter(lay)
	if err != nil || lay.HeaderLine == 0 || len(wanted) == 0 {
		return lay
	}
	head, whole = firstLines(head, whole, c.lineEnds(), headRows+int(lay.HeaderLine)) // what lies further on is no header
	most, found, rows := min(len(wanted), 2)-1, lay.HeaderLine, c.cutText(head, whole)
	for r := 0; r < rows.Len() && r < maxTitles+int(lay.HeaderLine); r++ {
		headings, n := joinHeadings(rows, r, int(max(lay.HeaderLines, 1))), 0
		for _, h := range Distinct(slices.Clone(headings)) {
			if slices.Contains(wanted, h) {
				n++
			}
		}
		if len(headings)-blanks(headings) > 2*n {
			continue
		}
		if line := rows.Line(r); n > most || n == most && line == lay.HeaderLine {
			most, found = n, line
		}
	}
	lay.HeaderLine = found
	return lay
}

func blanks(headings []string) (n int) {
	for _, h := range headings {
		if h == "" {
			n++
		}
	}
	return n
}

// headerRows returns the rows of the header, of which one is known: the row
// above belongs to it when its headings alone are not distinct, the row below
// when it completes them or gives their units.
func (s *shape) headerRows(at int) (from, to int) {
	if s.groups(at - 1) {
		return at - 1, at
	}
	if s.completes(at+1) || s.units(at+1) {
		return at, at + 1
	}
	return at, at
}

// next reports whether a row is in the batch and stands right below the one
// before it.
func (s *shape) next(at int) bool {
	return at > 0 && at < s.rows.Len() && s.rows.Line(at) == s.rows.Line(at-1)+1 && s.rows.Width(at) <= max(s.width, s.rows.Width(at-1))
}

// cell returns a cell of a row, which may be too short to have it.
func (s *shape) cell(r, c int) []byte {
	if c >= s.rows.Width(r) {
		return nil
	}
	return value.Trim(s.rows.Cell(r, c))
}

// groups reports whether a row heads groups of columns: it has several texts, and
// the headings below are distinct only with them.
func (s *shape) groups(at int) bool {
	if at < 0 || !s.next(at+1) || s.rows.Width(at) > s.width {
		return false
	}
	texts := 0
	for c := range s.rows.Width(at) {
		switch kindOf(s.rows.Cell(at, c)) {
		case value.Text:
			texts++
		case value.NullWord:
		default:
			if !isYear(string(s.cell(at, c))) {
				return false
			}
			texts++
		}
	}
	alone, joined := joinHeadings(s.rows, at+1, 1), joinHeadings(s.rows, at, 2)
	return texts > 1 && repeats(alone) && !repeats(joined)
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
func (s *shape) completes(at int) bool {
	if !s.next(at) {
		return false
	}
	named, other := 0, false
	for c := range s.width {
		above, here := s.cell(at-1, c), s.cell(at, c)
		switch {
		case len(above) == 0 && len(here) == 0:
			continue
		case len(here) > 0 && kindOf(here) != value.Text && kindOf(here) != value.Boolean: // such as on
			return false
		case len(above) == 0:
			named++
			other = other || s.kindBelow(c, at+1, nil) != value.Text
		case len(here) > 0:
			if (c+1 >= s.width || len(s.cell(at-1, c+1)) > 0) && !(unit.Match(here) && s.kindBelow(c, at+1, nil) != value.Text) { // the one above heads no group
				return false
			}
		}
	}
	return named > 0 && (other || !s.recurs(at, at+1))
}

// units reports whether a row below the header gives the units of numbers: it has
// text in columns of numbers only.
func (s *shape) units(at int) bool {
	if !s.next(at) {
		return false
	}
	some := false
	for c := range s.width {
		here := s.cell(at, c)
		if len(here) == 0 {
			continue
		}
		kind := s.kindBelow(c, at+1, nil)
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

// joinHeadings joins the cells of rows below each other. What stands above a
// blank cell on its right heads that too.
func joinHeadings(b *record.Batch, at, rows int) []string {
	end, width := min(at+rows, b.Len()), 0
	for r := at; r < end; r++ {
		width = max(width, b.Width(r))
	}
	headings := make([]string, width)
	for r := at; r < end; r++ {
		group := ""
		for c := range headings {
			text := ""
			if c < b.Width(r) {
				text = string(value.Trim(b.Cell(r, c)))
			}
			switch {
			case r+1 == end:
			case blankBelow(b, r, end, c):
				group = ""
			case text != "":
				group = text
			default:
				text = group
			}
			headings[c] = strings.TrimSpace(headings[c] + " " + text)
		}
	}
	return headings
}

// blankBelow reports whether the cells below one are blank, up to a row.
func blankBelow(b *record.Batch, r, end, c int) bool {
	for r++; r < min(end, b.Len()); r++ {
		if c < b.Width(r) && !value.Blank(b.Cell(r, c)) {
			return false
		}
	}
	return true
}

// hasHeader reports whether a row names the columns: it is text where the column
// below it is something else. Where nothing tells them apart, a row of distinct
// words is a header.
func (s *shape) hasHeader(at int) bool {
	below := s.below(at)
	votes, words := s.votes(at, below)
	return votes > 0 || votes == 0 && words && !s.recurs(at, below)
}

// below returns the row below a header, behind rulers.
func (s *shape) below(at int) int {
	for at++; at < s.rows.Len() && isRuler(s.rows.Text(at)); at++ {
	}
	return at
}

// behindGap returns the row of a header that stands behind blank lines, where
// what seemed to be the first row is none and less filled: a title of several
// cells. It is 0 where there is none.
func (s *shape) behindGap(first int) int {
	if votes, _ := s.votes(first, s.below(first)); votes > 0 {
		return 0
	}
	most := s.filled(first)
	for r := first + 1; r < min(s.rows.Len(), first+maxHead); r++ {
		filled := s.filled(r)
		if votes, _ := s.votes(r, s.below(r)); filled > most && votes > 0 && s.rows.Line(r) > s.rows.Line(r-1)+1 {
			return r
		}
		most = max(most, filled)
	}
	return 0
}

// maxHead is how many rows of titles with several cells there may be.
const maxHead = 8

// votes counts the columns in which a row is text above what is not, less those
// in which it is of the same kind; words tells that it is of distinct words.
func (s *shape) votes(at, below int) (votes int, words bool) {
	words = true
	seen := map[string]bool{}
	for c := range s.rows.Width(at) {
		name, first := string(s.cell(at, c)), s.kind(at, c)
		kind := s.kindBelow(c, below, s.rows.Text(at))
		if kind != value.Boolean && first == value.Boolean || isYear(name) && !s.yearsBelow(c, below) {
			first = value.Text // a heading such as No, or a year above amounts
		}
		words = words && (name == "" || !seen[name] && first == value.Text)
		seen[name] = true
		switch {
		case kind == value.Text:
		case first == value.Text:
			votes++
		case first == kind:
			votes--
		}
	}
	return votes, words
}

// recurs reports whether a cell of a row occurs again below it in its column,
// which the name of a column does not.
func (s *shape) recurs(at, from int) bool {
	for r := from; r < min(s.rows.Len(), from+kindRows); r++ {
		for c := range min(s.rows.Width(r), s.rows.Width(at)) {
			if cell := s.rows.Cell(at, c); !value.Blank(cell) && bytes.Equal(cell, s.rows.Cell(r, c)) {
				return true
			}
		}
	}
	return false
}

// lacksFirst reports whether a row names all columns but the first, which holds
// the names of the rows.
func (s *shape) lacksFirst(at int) bool {
	if at < 0 || s.width < 3 || s.rows.Width(at) != s.width-1 {
		return false
	}
	for c := range s.rows.Width(at) {
		if kindOf(s.rows.Cell(at, c)) != value.Text {
			return false
		}
	}
	return true
}

var year = regexp.MustCompile(`^(19|20)\d\d$`)

func isYear(text string) bool { return year.MatchString(text) }

func (s *shape) yearsBelow(c, from int) bool {
	for r := from; r < min(s.rows.Len(), from+kindRows); r++ {
		if s.rows.Width(r) > c && !isYear(string(s.rows.Cell(r, c))) {
			return false
		}
	}
	return true
}

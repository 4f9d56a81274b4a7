// Package fixed reads text whose columns stand at fixed places of each line, such as
// extracts of mainframes and printed listings.
package fixed

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"ambertray/internal/frame"
)

// Place is where the cells of a column stand in each line: characters from
// First up to before End, both counted from 0; End is -1 for the rest of the line.
type Place struct{ First, End int }

// ParsePlaces reads places such as 1-8,9-20,21-, which count characters from 1.
func ParsePlaces(text string) (list []Place, err error) {
	last := 0
	for _, part := range strings.Split(text, ",") {
		from, to, several := strings.Cut(strings.TrimSpace(part), "-")
		first, err := strconv.Atoi(from)
		if err != nil || first <= last {
			return nil, fmt.Errorf("columns %q: %q does not begin after the column before it; write places such as 1-8,9-20,21-", text, part)
		}
		p := Place{first - 1, first}
		switch {
		case several && to == "":
			p.End = -1
		case several:
			p.End, err = strconv.Atoi(to)
			if err != nil || p.End < first {
				return nil, fmt.Errorf("columns %q: %q ends before it begins", text, part)
			}
		}
		if last < 0 {
			return nil, fmt.Errorf("columns %q: only the last column can be open", text)
		}
		list, last = append(list, p), p.End
		if last < 0 {
			last = 1 << 30
		}
	}
	return list, nil
}

// formatPlaces writes columns as ParsePlaces reads them.
func formatPlaces(list []Place) string {
	var parts []string
	for _, p := range list {
		if p.End < 0 {
			parts = append(parts, fmt.Sprintf("%d-", p.First+1))
			continue
		}
		parts = append(parts, fmt.Sprintf("%d-%d", p.First+1, p.End))
	}
	return strings.Join(parts, ",")
}

// bytes returns where the cell of a line is, which begins after a number of characters that
// end at an offset.
func (p Place) bytes(row []byte, offset, chars int) (from, to int) {
	from = offsetOf(row, offset, p.First-chars)
	if p.End < 0 {
		return from, len(row)
	}
	return from, offsetOf(row, from, p.End-p.First)
}

// offsetOf returns the offset of the nth character after an offset, or the end.
func offsetOf(row []byte, from, n int) int {
	for ; n > 0 && from < len(row); n-- {
		if row[from] < utf8.RuneSelf {
			from++
			continue
		}
		_, size := utf8.DecodeRune(row[from:])
		from += size
	}
	return from
}

const (
	minAligned = 3 // lines, to see columns in them
	// blankShare is the share of lines in which a place between columns is blank.
	blankShare = 0.9
	// manyAligned lines make a single blank place the end of a column.
	manyAligned = 20
	// manyWide lines are columns of text, and no text, if more blanks are between them.
	manyWide = 10
)

// aligned is how columns stand in text that is aligned with spaces.
type aligned struct {
	columns []Place
	lines   [][]rune // that show the columns
	titles  int      // lines above the header
	ruled   bool     // a ruler draws the columns
	headed  bool     // a header has a word above each column, and spaces do not cut the lines
}

// alignedColumns finds the columns of text that is aligned with spaces.
func alignedColumns(head []byte) (a aligned) {
	gap := 0 // the line below the last blank line among the first ones
	for line := range bytes.Lines(head) {
		line = bytes.TrimRight(line, " \r\n")
		switch {
		case bytes.IndexByte(line, '\t') >= 0:
			return aligned{}
		case len(line) == 0 && len(a.lines) <= maxTitles:
			gap = len(a.lines)
		case len(line) == 0:
		case frame.IsRuler(line) && bytes.Contains(line, []byte(" ")) && len(bytes.Trim(line, "-= ")) == 0 && !a.ruled:
			a.columns, a.ruled = ruledColumns(line), true
			above := max(0, len(a.lines)-1) // the header; above it are titles
			a.skip(above, above)
		case !frame.IsRuler(line):
			a.lines = append(a.lines, []rune(string(line)))
		}
	}
	if len(a.lines) < minAligned && !a.ruled {
		return aligned{}
	}
	if !a.ruled {
		a.headByWords()
	}
	if !a.ruled && !a.headed {
		a.columns = blankColumns(a.lines)
		a.skip(a.titlesAbove(gap))
	}
	if len(a.columns) < 2 {
		return aligned{}
	}
	a.skipFooter()
	return a
}

// maxFooter is how many lines at the end that are not aligned are a footer.
const maxFooter = 5

// skipFooter leaves out the lines at the end that are not aligned.
func (a *aligned) skipFooter() {
	last, least := len(a.lines), minAligned
	if a.ruled {
		least = 2
	}
	for n := last; n > max(least, last-maxFooter) && !isAligned(a.lines[n-1], a.columns, 1); n-- {
		a.lines = a.lines[:n-1]
	}
}

// skip leaves out the first lines, of which some are titles. Without a ruler the others show the
// columns.
func (a *aligned) skip(titles, lines int) {
	a.titles, a.lines = titles, a.lines[lines:]
	if !a.ruled && lines > 0 {
		a.columns = blankColumns(a.lines)
	}
}

// maxTitles is how many titles there may be.
const maxTitles = 8

// titlesAbove returns how many of the first lines are titles: those above a blank line, if the
// first of them fills places between columns or has few values, and those with single blanks
// that fill places between columns: two and most of them, or any with few values or above a
// line with more blanks. Few values are in fewer than two thirds of the columns. n also counts
// other lines of few values, which do not show the columns either.
func (a *aligned) titlesAbove(gap int) (titles, n int) {
	for n < min(maxTitles, len(a.lines)-minAligned) {
		places, filled, cells := a.crossings(a.lines[n])
		few := 3*cells < 2*len(a.columns)
		switch {
		case len(strings.Fields(string(a.lines[n]))) == len(a.columns) && (hasDigit(a.lines[n+1]) || !hasDigit(a.lines[n+2])):
			return titles, n // headings with single blanks between them, and no title above the header
		case n == 0 && gap > 0 && gap <= len(a.lines)-minAligned && (filled > 0 || few):
			n = gap
			titles = n
		case isApart(a.lines[n]):
			return titles, n
		case filled >= 2 && 2*filled >= places, filled > 0 && (few || isApart(a.lines[n+1])):
			n++
			titles = n
		case few:
			n++
		default:
			return titles, n
		}
	}
	return titles, n
}

// isApart reports whether several blanks stand between words of a line.
func isApart(line []rune) bool { return strings.Contains(strings.TrimSpace(string(line)), "  ") }

func hasDigit(line []rune) bool { return slices.ContainsFunc(line, unicode.IsDigit) }

// crossings returns how many places between columns a line reaches, how many of these it
// fills, and in how many columns it has a value.
func (a *aligned) crossings(line []rune) (places, filled, cells int) {
	for i, c := range a.columns {
		end := len(line)
		if i+1 < len(a.columns) {
			end = min(end, a.columns[i+1].First-1)
		}
		if c.First >= end {
			break
		}
		if i > 0 {
			places++
			if line[c.First-1] != ' ' {
				filled++
			}
		}
		if strings.TrimSpace(string(line[c.First:end])) != "" {
			cells++
		}
	}
	return places, filled, cells
}

// share returns the share of the lines with a number of blanks before each column.
func (a *aligned) share(blanks int) float64 {
	n := 0
	for _, line := range a.lines {
		if isAligned(line, a.columns, blanks) {
			n++
		}
	}
	return float64(n) / float64(max(1, len(a.lines)))
}

// wide returns the number of columns with several blanks before them in all lines.
func (a *aligned) wide() (n int) {
	for i := range a.columns[1:] {
		if !slices.ContainsFunc(a.lines, func(line []rune) bool { return !isAligned(line, a.columns[i:i+2], 2) }) {
			n++
		}
	}
	return n
}

// ruledColumns returns the columns that a line such as "---- ------" draws.
func ruledColumns(line []byte) (list []Place) {
	for i, c := range line {
		if c == ' ' || i > 0 && line[i-1] != ' ' {
			continue
		}
		n := len(list)
		if n > 0 {
			list[n-1].End = i
		}
		list = append(list, Place{i, -1})
	}
	return list
}

// blankColumns returns the columns between the places that are blank in nearly
// all lines. A heading may be wider than the values below it.
func blankColumns(lines [][]rune) (list []Place) {
	width := 0
	for _, line := range lines {
		width = max(width, len(line))
	}
	filled := make([]int, width)
	for _, line := range lines {
		for i, r := range line {
			if r != ' ' {
				filled[i]++
			}
		}
	}
	gap := 0
	for i := range filled {
		if float64(filled[i]) <= (1-blankShare)*float64(len(lines)) {
			gap++
			continue
		}
		if len(list) == 0 {
			list = append(list, Place{0, -1})
		} else if gap > 1 || gap == 1 && (len(lines) >= manyAligned || mostlyWider(lines, i-1)) {
			for _, place := range startsIn(filled, i-gap, i) {
				list[len(list)-1].End = place
				list = append(list, Place{place, -1})
			}
		}
		gap = 0
	}
	return list
}

// minHeaded is the least product of the gaps between the words of a header and the lines below it
// that shows columns.
const minHeaded = 6

// manyHeaded is the least number of lines, with such a header, that shows columns of text only.
const manyHeaded = 6

// headByWords takes the columns from a header of single words, above which may be titles, if a
// place between each two words is blank in every line below but those of a footer.
func (a *aligned) headByWords() {
	for titles := range min(maxTitles, len(a.lines)) {
		if !isWords(a.lines[titles]) {
			continue
		}
		best := aligned{}
		for end := len(a.lines); end >= max(titles+minAligned, len(a.lines)-maxFooter); end-- {
			found := aligned{columns: columnsBelow(a.lines[titles], a.lines[titles+1:end]), lines: a.lines[titles:end], titles: titles, headed: true}
			if len(found.columns) > len(best.columns) && found.misses(a.lines[:titles]) && found.misses(a.lines[end:]) {
				best = found
			}
		}
		if best.headed {
			*a = best
			return
		}
	}
}

// isWords reports whether a line may be a header of single words.
func isWords(line []rune) bool {
	return !hasDigit(line) && !strings.ContainsAny(string(line), `,;|"'`) && len(strings.Fields(string(line))) > 1
}

// misses reports whether every one of some lines fills a place between columns or has few values.
func (a *aligned) misses(lines [][]rune) bool {
	return !slices.ContainsFunc(lines, func(line []rune) bool {
		_, filled, cells := a.crossings(line)
		return filled == 0 && 3*cells >= 2*len(a.columns)
	})
}

// columnsBelow returns the columns that a header of single words shows. It returns nil if a cut at
// spaces or wide spaces gives each line as many cells as the header has words.
func columnsBelow(header []rune, below [][]rune) []Place {
	words := len(strings.Fields(string(header)))
	lines := append([][]rune{header}, below...)
	if cutInto(words, lines, strings.Fields) || cutInto(words, lines, wideFields) {
		return nil
	}
	list := []Place{{0, -1}}
	for at := 1; at < len(header); at++ {
		if header[at] == ' ' || header[at-1] != ' ' {
			continue
		}
		first := at // values at the right may begin before their heading
		for first > 0 && header[first-1] == ' ' && !isBlankPlace(below, first-1) {
			first--
		}
		before := strings.TrimSpace(string(header[:at]))
		switch {
		case before == "" && (first == 0 || (Place{0, first}).isBlank(below)): // it heads the first column
			continue
		case before != "" && header[first-1] != ' ':
			return nil
		}
		list[len(list)-1].End = first
		list = append(list, Place{first, -1})
	}
	several := slices.ContainsFunc(list, func(c Place) bool { return c.isBlank(below) }) // words in a heading
	if several || (len(list)-1)*len(below) < minHeaded {
		return nil
	}
	return list
}

// isBlank reports whether no line has a value in the column.
func (p Place) isBlank(lines [][]rune) bool {
	return !slices.ContainsFunc(lines, func(line []rune) bool {
		end := len(line)
		if p.End >= 0 {
			end = min(end, p.End)
		}
		return p.First < end && strings.TrimSpace(string(line[p.First:end])) != ""
	})
}

// cutInto reports whether a cut gives all lines as many cells as there are words.
func cutInto(words int, lines [][]rune, cut func(string) []string) bool {
	return !slices.ContainsFunc(lines, func(line []rune) bool { return len(cut(string(line))) != words })
}

// wideFields cuts a line where it has several blanks.
func wideFields(line string) []string {
	return strings.FieldsFunc(strings.ReplaceAll(strings.TrimSpace(line), "  ", "\x00"), func(r rune) bool { return r == 0 })
}

// isBlankPlace reports whether a place is blank in all lines.
func isBlankPlace(lines [][]rune, at int) bool {
	return !slices.ContainsFunc(lines, func(line []rune) bool { return at < len(line) && line[at] != ' ' })
}

// startsIn returns where columns start in the gap between two places, or right after it:
// each after a run of the most blank places. A heading that is wider than the values below
// it, or that has none, stands between such runs; single blanks stand between its words.
func startsIn(filled []int, from, to int) (starts []int) {
	least := slices.Min(filled[from:to])
	widest, run := 0, 0
	for i := from; i <= to; i++ {
		if i < to && filled[i] == least {
			run++
			continue
		}
		switch {
		case run > 1 && widest > 1:
			starts = append(starts, i)
		case run > widest:
			starts, widest = []int{i}, run
		}
		run = 0
	}
	return starts
}

// mostlyWider reports whether in most lines the place beside a blank one is blank
// too.
func mostlyWider(lines [][]rune, at int) bool {
	wider := 0
	for _, line := range lines {
		if at+1 >= len(line) || line[at-1] == ' ' || line[at+1] == ' ' {
			wider++
		}
	}
	return 2*wider > len(lines)
}

// isAligned reports whether a line has a number of blanks before each column.
func isAligned(line []rune, list []Place, blanks int) bool {
	for _, c := range list[1:] {
		for at := max(0, c.First-blanks); at < min(c.First, len(line)); at++ {
			if line[at] != ' ' {
				return false
			}
		}
	}
	return true
}

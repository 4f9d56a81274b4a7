package fixed

import (
	"bytes"
	"slices"
	"strings"
	"unicode"

	"ambertray/internal/frame"
)

const (
	minAligned = 3 // lines, to see columns in them
	// blankShare is the share of lines in which a place between columns is blank.
	blankShare = 0.9
	// manyAligned lines make a single blank place the end of a column.
	manyAligned = 20
	// manyWide is the same for columns with several blanks between them, if there are more than two
	// columns or most lines have both.
	manyWide = 6
)

// aligned is how columns stand in text that is aligned with spaces.
type aligned struct {
	columns []Place
	lines   [][]rune // that show the columns
	titles  int      // lines above the header
	gap     int      // lines above the last blank line among the first ones
	ruled   bool     // a ruler draws the columns
	headed  bool     // a header has a word above each column, and spaces do not cut the lines
}

// alignedColumns finds the columns of text that is aligned with spaces.
func alignedColumns(head []byte) (a aligned) {
	for line := range bytes.Lines(head) {
		line = bytes.TrimRight(line, " \r\n")
		switch {
		case bytes.IndexByte(line, '\t') >= 0:
			return aligned{}
		case len(line) == 0 && len(a.lines) <= maxTitles:
			a.gap = len(a.lines)
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
		a.headByBlanks()
	}
	if !a.ruled && !a.headed {
		a.columns = blankColumns(a.lines)
		a.skip(a.titlesAbove())
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

// titlesAbove returns how many of the first lines are titles: those above a blank line, if a header
// is below it, or the first of them fills places between columns or has few values, and those with
// single blanks that fill places between columns: two and most of them, or any with few values or
// above a line with more blanks. Few values are in fewer than two thirds of the columns. n also
// counts other lines of few values, which do not show the columns either.
func (a *aligned) titlesAbove() (titles, n int) {
	enough := a.gap > 0 && a.gap <= len(a.lines)-minAligned // lines below the gap
	for n < min(maxTitles, len(a.lines)-minAligned) {
		places, filled, cells := a.crossings(a.lines[n])
		few := 3*cells < 2*len(a.columns)
		switch {
		case n == 0 && enough && a.isHeaderAboveDigits(a.gap):
			return a.gap, a.gap
		case len(strings.Fields(string(a.lines[n]))) == len(a.columns) && (hasDigit(a.lines[n+1]) || !hasDigit(a.lines[n+2])):
			return titles, n // headings with single blanks between them, and no title above the header
		case n == 0 && enough && (filled > 0 || few):
			n = a.gap
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

// isHeaderAboveDigits reports whether a line may be a header because the lines below it have digits.
func (a *aligned) isHeaderAboveDigits(line int) bool {
	below := a.lines[line+1:]
	return isWords(a.lines[line]) && !slices.ContainsFunc(below[:min(maxTitles, len(below))], func(l []rune) bool { return !hasDigit(l) })
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

// fillsLast reports whether most lines have a value in the last column.
func (a *aligned) fillsLast() bool {
	filled, last := 0, a.columns[len(a.columns)-1]
	for _, line := range a.lines {
		if len(line) > last.First {
			filled++
		}
	}
	return 2*filled > len(a.lines)
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

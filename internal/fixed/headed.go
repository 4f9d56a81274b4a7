package fixed

import (
	"slices"
	"strings"
	"unicode"
)

// headsAll reports whether the first line is a header. Its heading of each column begins where all
// values of the column begin, or ends where they end. There is no blank line below it, and spaces do
// not cut the lines evenly.
func (a *aligned) headsAll() bool {
	header, below := a.lines[0], a.lines[1:]
	if a.cutsEvenly(strings.Fields) || a.cutsEvenly(wideFields) || a.gap > a.titles || !isWords(header) || (len(a.columns)-1)*len(below) < minHeaded {
		return false
	}
	for _, place := range a.columns {
		first, last := place.values(header)
		begins, ends := 0, 0
		for _, line := range below {
			f, l := place.values(line)
			if f == first {
				begins++
			}
			if l == last {
				ends++
			}
		}
		if first == last || max(begins, ends) < len(below) {
			return false
		}
	}
	return true
}

// cutsEvenly reports whether a cut gives all lines the same number of cells, at least one for each
// column.
func (a *aligned) cutsEvenly(cut func(string) []string) bool {
	cells := len(cut(string(a.lines[0])))
	return cells >= len(a.columns) && cutInto(cells, a.lines, cut)
}

// minHeaded is the least product of the gaps between the words of a header and the lines below it
// that shows columns.
const minHeaded = 6

// manyHeaded is the least number of cells, those of such a header among them, that shows columns of
// text only.
const manyHeaded = 12

// headByWords takes the columns from a header of single words, above which may be titles, if a
// place between each two words is blank in every line below but those of a footer.
func (a *aligned) headByWords() {
	a.headBelow(0, columnsBelow)
}

// headByBlanks takes the columns from a header whose headings may have several words, above which may be
// titles: a place before each column is blank in the header and in every line below but those of a footer.
func (a *aligned) headByBlanks() {
	a.headBelow(a.gap, columnsBetween)
}

// headBelow takes the columns of the header that has the most of them, below at least a number of titles.
// columnsOf finds the columns in lines of which the first is the header. Lines that spaces cut evenly
// are left to the formats with delimiters.
func (a *aligned) headBelow(titles int, columnsOf func(lines [][]rune) []Place) {
	best := aligned{}
	for ; titles < min(maxTitles, len(a.lines)); titles++ {
		if cutEvenly(a.lines[titles:]) > len(best.columns) {
			return
		}
		found := a.headedBelow(titles, columnsOf)
		if len(found.columns) > len(best.columns) {
			best = found
		}
	}
	if best.headed {
		*a = best
	}
}

// cutEvenly returns the number of cells into which spaces or wide spaces cut each of some lines, or 0. The
// first line must look like a header of single words.
func cutEvenly(lines [][]rune) int {
	words := len(strings.Fields(string(lines[0])))
	if len(lines) < minAligned || !isWords(lines[0]) || !cutInto(words, lines, strings.Fields) && !cutInto(words, lines, wideFields) {
		return 0
	}
	return words
}

// headedBelow returns the most columns that the line below some titles heads, if that is a header.
// columnsOf finds them in lines of which the first is the header. The lines of a footer are left out.
func (a *aligned) headedBelow(titles int, columnsOf func(lines [][]rune) []Place) (best aligned) {
	if !isWords(a.lines[titles]) {
		return best
	}
	for end := len(a.lines); end >= max(titles+minAligned, len(a.lines)-maxFooter); end-- {
		lines := a.lines[titles:end]
		found := aligned{columns: columnsOf(lines), lines: lines, titles: titles, headed: true}
		if len(found.columns) > len(best.columns) && found.misses(a.lines[:titles]) && found.misses(a.lines[end:]) {
			best = found
		}
	}
	return best
}

// columnsBetween returns the columns between the gaps of lines, of which the first is the header. It
// returns nil if a column has no heading, if the header fills a wide gap of the lines below, or if a cut
// at spaces or wide spaces gives all lines as many cells.
func columnsBetween(lines [][]rune) []Place {
	header, below := lines[0], lines[1:]
	gaps, list := gapsIn(lines), []Place{{0, -1}}
	for _, wide := range gapsIn(below) {
		if wide.End-wide.First > 1 && !slices.ContainsFunc(gaps, func(g Place) bool { return g.First < wide.End && wide.First < g.End }) {
			return nil
		}
	}
	for i, g := range gaps {
		column := Place{g.End, -1}
		if i+1 < len(gaps) {
			column.End = gaps[i+1].First
		}
		if g.End-g.First > 1 || !column.isBlank(lines[:1]) { // and not between the words of values
			list[len(list)-1].End = g.End
			list = append(list, Place{g.End, -1})
		}
	}
	list = joinWords(list, lines)
	unnamed := !allWithLetters(header) || slices.ContainsFunc(list, func(c Place) bool { return c.isBlank(lines[:1]) })
	if unnamed || (len(list)-1)*len(below) < minHeaded || cutInto(len(list), lines, strings.Fields) || cutInto(len(list), lines, wideFields) {
		return nil
	}
	return list
}

// gapsIn returns the places between values that are blank in all lines.
func gapsIn(lines [][]rune) (gaps []Place) {
	blank := true
	for at := range widest(lines) {
		was := blank
		blank = isBlankPlace(lines, at)
		switch {
		case blank && !was:
			gaps = append(gaps, Place{at, -1})
		case !blank && was && len(gaps) > 0:
			gaps[len(gaps)-1].End = at
		}
	}
	return gaps
}

// allWithLetters reports whether all words of a line have a letter.
func allWithLetters(line []rune) bool {
	return !slices.ContainsFunc(strings.Fields(string(line)), func(word string) bool { return !strings.ContainsFunc(word, unicode.IsLetter) })
}

// isWords reports whether a line may be a header: it has several words, no digits and no delimiters.
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

// columnsBelow returns the columns that a header of single words, which is the first of the lines,
// shows. It returns nil if a cut at spaces or wide spaces gives each line as many cells as the header
// has words.
func columnsBelow(lines [][]rune) []Place {
	header, below := lines[0], lines[1:]
	words := len(strings.Fields(string(header)))
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

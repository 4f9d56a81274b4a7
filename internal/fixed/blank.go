package fixed

import "slices"

// blankColumns returns the columns between the places that are blank in nearly
// all lines. A heading may be wider than the values below it.
func blankColumns(lines [][]rune) (list []Place) {
	filled := make([]int, widest(lines))
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
		} else if gap > 1 || gap == 1 && (len(lines) >= manyAligned || mostlyWider(lines, i-1) || isColumnStart(lines, i)) {
			for _, place := range startsIn(lines[0], filled, i-gap, i) {
				list[len(list)-1].End = place
				list = append(list, Place{place, -1})
			}
		}
		gap = 0
	}
	return joinWords(list, lines)
}

// widest returns the length of the longest line.
func widest(lines [][]rune) (width int) {
	for _, line := range lines {
		width = max(width, len(line))
	}
	return width
}

// joinWords joins columns that only have a value in the first line to a neighbour: these values are
// words of a heading. The neighbour is the column before if a single blank separates them, or else the
// column after.
func joinWords(list []Place, lines [][]rune) []Place {
	for i := 0; i < len(list) && len(list) > 1; {
		at := i // the second of the columns to join
		switch {
		case !list[i].isBlank(lines[1:]) || list[i].isBlank(lines[:1]):
			i++
			continue
		case i == 0 || !followsSingleBlank(lines[0], list[i].First):
			at++
		}
		if at == len(list) || !followsSingleBlank(lines[0], list[at].First) {
			i++
			continue
		}
		list[at-1].End = list[at].End
		list = slices.Delete(list, at, at+1)
		i = max(0, at-1)
	}
	return list
}

// followsSingleBlank reports whether a word begins at a place of a line, after a single blank and
// another word.
func followsSingleBlank(line []rune, at int) bool {
	return at > 1 && at < len(line) && line[at] != ' ' && line[at-1] == ' ' && line[at-2] != ' '
}

// startsIn returns where columns start in the gap between two places, or right after it:
// each after a run of the most blank places. A heading that is wider than the values below
// it, or that has none, stands between such runs; single blanks stand between its words. If only a
// heading with single blanks is there, a column starts where one is before its values.
func startsIn(header []rune, filled []int, from, to int) (starts []int) {
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
	if widest != 1 || filled[to-1] != least || slices.Max(filled[from:to]) > 1 {
		return starts
	}
	for at := max(from, 2); at < min(to, len(header)); at++ {
		if header[at] != ' ' && header[at-1] == ' ' && header[at-2] == ' ' {
			return starts
		}
	}
	return []int{to}
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

// isColumnStart reports whether a heading and all values begin at a place, and either several blanks
// precede the heading, or the values before that place are aligned at their ends only.
func isColumnStart(lines [][]rune, at int) bool {
	header, lengths := lines[0], map[int]bool{}
	if at < 2 || at >= len(header) || header[at] == ' ' || header[at-1] != ' ' || len(lines) <= minHeaded {
		return false
	}
	ends := true
	for _, line := range lines[1:] {
		if at >= len(line) || line[at] == ' ' {
			return false
		}
		ends = ends && line[at-2] != ' '
		lengths[at-1-lastBlank(line[:at-1])] = true
	}
	return header[at-2] == ' ' || ends && len(lengths) > 1
}

// lastBlank returns the place of the last blank in a line, or -1.
func lastBlank(line []rune) int {
	for at := len(line) - 1; at >= 0; at-- {
		if line[at] == ' ' {
			return at
		}
	}
	return -1
}

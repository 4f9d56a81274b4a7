// Package fixed reads text whose columns stand at fixed places of each line, such as
// extracts of mainframes and printed listings.
package fixed

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"ambertray/internal/frame"
)

// column is where the cells of a column stand in each line: characters from
// first up to before end, both counted from 0; end is -1 for the rest of the line.
type column struct{ first, end int }

// parseColumns reads places such as 1-8,9-20,21-, which count characters from 1.
func parseColumns(text string) (list []column, err error) {
	last := 0
	for _, part := range strings.Split(text, ",") {
		from, to, several := strings.Cut(strings.TrimSpace(part), "-")
		first, err := strconv.Atoi(from)
		if err != nil || first <= last {
			return nil, fmt.Errorf("columns %q: %q does not begin after the column before it; write places such as 1-8,9-20,21-", text, part)
		}
		c := column{first - 1, first}
		switch {
		case several && to == "":
			c.end = -1
		case several:
			c.end, err = strconv.Atoi(to)
			if err != nil || c.end < first {
				return nil, fmt.Errorf("columns %q: %q ends before it begins", text, part)
			}
		}
		if last < 0 {
			return nil, fmt.Errorf("columns %q: only the last column can be open", text)
		}
		list, last = append(list, c), c.end
		if last < 0 {
			last = 1 << 30
		}
	}
	return list, nil
}

// formatColumns writes columns as parseColumns reads them.
func formatColumns(list []column) string {
	var parts []string
	for _, c := range list {
		if c.end < 0 {
			parts = append(parts, fmt.Sprintf("%d-", c.first+1))
			continue
		}
		parts = append(parts, fmt.Sprintf("%d-%d", c.first+1, c.end))
	}
	return strings.Join(parts, ",")
}

// bytes returns where the cell of a line is, which begins after a number of characters that
// end at an offset.
func (c column) bytes(row []byte, offset, chars int) (from, to int) {
	from = offsetOf(row, offset, c.first-chars)
	if c.end < 0 {
		return from, len(row)
	}
	return from, offsetOf(row, from, c.end-c.first)
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
)

// aligned is how columns stand in text that is aligned with spaces.
type aligned struct {
	columns []column
	share   float64 // of the lines, in which all places between the columns are blank
	lines   int
	ruled   bool // a ruler draws the columns
}

// alignedColumns finds the columns of text that is aligned with spaces.
func alignedColumns(head []byte) (a aligned) {
	var lines [][]rune
	for line := range bytes.Lines(head) {
		line = bytes.TrimRight(line, " \r\n")
		switch {
		case bytes.IndexByte(line, '\t') >= 0:
			return aligned{}
		case len(line) == 0:
		case frame.IsRuler(line) && bytes.Contains(line, []byte(" ")) && len(bytes.Trim(line, "-= ")) == 0 && !a.ruled:
			a.columns, a.ruled = ruledColumns(line), true
			lines = lines[max(0, len(lines)-1):] // what stands above the header is titles
		case !frame.IsRuler(line):
			lines = append(lines, []rune(string(line)))
		}
	}
	if len(lines) < minAligned {
		return aligned{}
	}
	if !a.ruled {
		a.columns = blankColumns(lines)
	}
	if len(a.columns) < 2 {
		return aligned{}
	}
	n := 0
	for _, line := range lines {
		if isAligned(line, a.columns) {
			n++
		}
	}
	a.lines, a.share = len(lines), float64(n)/float64(len(lines))
	return a
}

// ruledColumns returns the columns that a line such as "---- ------" draws.
func ruledColumns(line []byte) (list []column) {
	for i, c := range line {
		if c == ' ' || i > 0 && line[i-1] != ' ' {
			continue
		}
		n := len(list)
		if n > 0 {
			list[n-1].end = i
		}
		list = append(list, column{i, -1})
	}
	return list
}

// blankColumns returns the columns between the places that are blank in nearly
// all lines. A heading may be wider than the values below it.
func blankColumns(lines [][]rune) (list []column) {
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
			list = append(list, column{0, -1})
		} else if gap > 1 || gap == 1 && (len(lines) >= manyAligned || mostlyWider(lines, i-1)) {
			for _, place := range startsIn(filled, i-gap, i) {
				list[len(list)-1].end = place
				list = append(list, column{place, -1})
			}
		}
		gap = 0
	}
	return list
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

// isAligned reports whether the place before each column is blank in a line.
func isAligned(line []rune, list []column) bool {
	for _, c := range list[1:] {
		if c.first-1 < len(line) && line[c.first-1] != ' ' {
			return false
		}
	}
	return true
}

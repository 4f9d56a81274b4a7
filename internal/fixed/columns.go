// Package fixed reads text whose columns stand at fixed places of each line, such as
// extracts of mainframes and printed listings.
package fixed

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
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

// values returns where the text of a line begins in the column and where it ends.
func (p Place) values(line []rune) (first, last int) {
	end := len(line)
	if p.End >= 0 {
		end = min(end, p.End)
	}
	first, last = min(p.First, end), end
	for first < end && line[first] == ' ' {
		first++
	}
	for last > first && line[last-1] == ' ' {
		last--
	}
	return first, last
}

// isBlank reports whether no line has a value in the column.
func (p Place) isBlank(lines [][]rune) bool {
	return !slices.ContainsFunc(lines, func(line []rune) bool {
		first, last := p.values(line)
		return first < last
	})
}

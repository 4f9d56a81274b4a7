package frame

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// JoinHeadings joins the cells of rows below each other. What stands above a
// blank cell on its right heads that too.
func JoinHeadings(b *record.Batch, at, rows int) []string {
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

// FitHeadings adds blank headings for columns that the header lacks. If nearly all records
// have one cell more than the header, the column is the first, with the names of the rows,
// or the last, if the records end in a delimiter. If only some of them have it, it is the
// last too. If nearly all records have the same number of cells, and several more than the
// header, the header names the first columns. If they have one cell less, and the header begins with
// a label such as Data:, that is not a heading. A record that lacks only the cell of a last
// heading that is blank is filled to fillLast cells, unless that is 0.
//
// Rows of a sheet end with their last value. There only columns at the end are added.
func FitHeadings(headings []string, b *record.Batch, from int, sparse bool) (fitted []string, fillLast int) {
	if sparse {
		for width := Widest(b); len(headings) < width; {
			headings = append(headings, "")
		}
		return headings, 0
	}
	more, less, blank, wider, rows := 0, 0, 0, 0, min(b.Len(), HeadRows)
	widths := map[int]int{}
	for r := from; r < rows; r++ {
		w := b.Width(r)
		widths[w]++
		switch {
		case w == len(headings)+1:
			more++
			if value.Blank(b.Cell(r, len(headings))) {
				blank++
			}
		case w == len(headings)-1:
			less++
		case w > len(headings)+1:
			wider++
		}
	}
	records := rows - from
	switch {
	case less*10 >= records*9 && less > 0 && isLabelled(headings):
		return headings[1:], 0
	case more*10 >= records*9 && more > 0 && blank < more:
		return append([]string{""}, headings...), 0
	case more*10 >= records*9 && more > 0, more*optionalShare >= records && more > 1 && wider == 0:
		headings = append(headings, "")
	case wider*10 >= records*9:
		headings = append(headings, make([]string, evenWidth(widths, len(headings), records)-len(headings))...)
	}
	n := len(headings)
	if n > 1 && headings[n-1] == "" {
		fillLast = n
	}
	return headings, fillLast
}

// isLabelled reports whether a label such as Data: is before headings.
func isLabelled(cells []string) bool {
	return len(cells) > 1 && strings.HasSuffix(cells[0], ":") && !strings.HasSuffix(cells[1], ":")
}

// evenWidth returns the number of cells of nearly all records, or otherwise.
func evenWidth(widths map[int]int, otherwise, records int) int {
	for w, n := range widths {
		if n*10 >= records*9 && n > 1 {
			return w
		}
	}
	return otherwise
}

// optionalShare is the part of the records that has a last cell without a heading
// where that is a column, and no mistake.
const optionalShare = 3

// Widest returns the number of cells of the widest row that is filled for the
// most part: rows of a sheet end with their last value.
func Widest(rows *record.Batch) (width int) {
	for r := range rows.Len() {
		filled := 0
		for i := range rows.Width(r) {
			if len(rows.Cell(r, i)) > 0 {
				filled++
			}
		}
		if 2*filled > rows.Width(r) {
			width = max(width, rows.Width(r))
		}
	}
	return width
}

// SeekHeader returns the layout with the header where the rows have it: on another
// line than the layout says, if more of the headings that are wanted stand there,
// two at least, and are half of what stands there. A comment can be the header. It returns also the
// line of the first row that looks like a record where the layout skips it, or 0. Below a header, the new layout reads
// it; without one it stays skipped, because a person may have set the first data line.
func SeekHeader(rows *record.Batch, lay source.Layout, wanted []string, comments *Comments) (found source.Layout, recordLine int64) {
	if lay.HeaderLine == 0 {
		return lay, firstRecordAbove(rows, lay.FirstDataLine)
	}
	want := map[string]bool{}
	for _, h := range wanted {
		want[h] = true
	}
	most := min(len(wanted), 2) - 1
	found = lay
	found.HeaderLines = max(lay.HeaderLines, 1)
	consider := func(headings []string, line, lines int64) {
		n := countWanted(headings, want)
		if len(headings)-blanks(headings) <= 2*n && (n > most || n == most && line == lay.HeaderLine && lines == lay.HeaderLines) {
			most, found.HeaderLine, found.HeaderLines = n, line, lines
		}
	}
	for r := 0; r < rows.Len() && r < maxTitles+int(lay.HeaderLine); r++ {
		for _, lines := range slices.Compact([]int64{max(lay.HeaderLines, 1), 1}) { // an export has one line
			consider(JoinHeadings(rows, r, int(lines)), rows.Line(r), lines)
		}
	}
	for _, left := range rows.LeftOut() {
		if left.Rule == record.Comment && left.Line < maxTitles+lay.HeaderLine {
			consider(comments.Headings([]byte(left.Text), rows), left.Line, 1)
		}
	}
	described := describedBelow(rows, &found)
	if described < lay.DescriptionLines {
		recordLine = found.HeaderLine + found.HeaderLines + described
	}
	found.DescriptionLines = described
	return found, recordLine
}

// Spacers returns the headings of the unnamed columns that have no value in the rows below the
// header. unnamed are the indexes of these columns.
func Spacers(rows *record.Batch, lay *source.Layout, unnamed []int) (names []string) {
	end := lay.HeaderLine + max(lay.HeaderLines, 1) + lay.DescriptionLines
	for _, i := range unnamed {
		blank := true
		for r := range rows.Len() {
			blank = blank && (rows.Line(r) < end || i >= rows.Width(r) || value.Blank(rows.Cell(r, i)))
		}
		if blank {
			names = append(names, Numbered(i))
		}
	}
	return names
}

// Unnamed returns the indexes of the columns without a heading in the header.
func Unnamed(headings []string) (columns []int) {
	for i, h := range headings {
		if h == Numbered(i) {
			columns = append(columns, i)
		}
	}
	return columns
}

// Numbered returns the heading that a column without one has, by its index.
func Numbered(i int) string { return fmt.Sprintf("column_%d", i+1) }

// countWanted returns how many of the wanted headings are among headings.
func countWanted(headings []string, wanted map[string]bool) (n int) {
	for _, h := range Distinct(slices.Clone(headings)) {
		if wanted[h] {
			n++
		}
	}
	return n
}

// firstRecordAbove returns the line of the first of the rows right above a line that are of the kinds
// of the columns below it, or 0.
func firstRecordAbove(rows *record.Batch, line int64) int64 {
	h := NewHead(rows)
	r := 0
	for r < rows.Len() && rows.Line(r) < line {
		r++
	}
	if r == rows.Len() {
		return 0
	}
	first := h.earlier(r, h.columnKinds(r), fit.record)
	if first == r {
		return 0
	}
	return rows.Line(first)
}

// describedBelow returns how many lines below the header describe the columns: as many as the
// layout says, or fewer if one is of the kinds of the columns, and is a record.
func describedBelow(rows *record.Batch, lay *source.Layout) int64 {
	h := NewHead(rows)
	end := lay.HeaderLine + lay.HeaderLines - 1
	for r := range rows.Len() - 1 {
		line := rows.Line(r)
		if line <= end || line > end+lay.DescriptionLines || IsRuler(rows.Text(r)) {
			continue
		}
		if h.fitOf(r, h.columnKinds(r+1)).record() && !numbersColumns(h.Cell(r, 0), h.Width) {
			return line - end - 1
		}
	}
	return lay.DescriptionLines
}

func blanks(headings []string) (n int) {
	for _, h := range headings {
		if h == "" {
			n++
		}
	}
	return n
}

// Distinct names blank headings and numbers repeated ones.
func Distinct(headings []string) []string {
	seen, last := map[string]bool{}, map[string]int{} // last is the number that a repeated heading got last
	for i, h := range headings {
		if h == "" {
			h = Numbered(i)
		}
		name := h
		for n := max(2, last[h]+1); seen[name]; n++ {
			name, last[h] = fmt.Sprintf("%s (%d)", h, n), n
		}
		headings[i], seen[name] = name, true
	}
	return headings
}

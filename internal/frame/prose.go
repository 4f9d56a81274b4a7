package frame

import (
	"bytes"

	"ambertray/internal/value"
)

const (
	// minTable is how many rows show a table below a text, and minSpaced how many do without a header below
	// a blank line if only spaces are between their cells, as between words.
	minTable, minSpaced = 3, 10
	// maxNotes is how many rows below a table may be notes.
	maxNotes = 5
)

// SkipProse takes the rows of a text above a table for titles, even if they are more than the rows of
// the table. The table is at the end, all its rows have as many cells, and some of its columns are of
// one kind. The row right above it may be the header if its first row is not.
func (h *Head) SkipProse() {
	from, to := h.lastTable()
	if from < 2 || to-from < minTable || h.Rows.Width(from) < 2 {
		return
	}
	least := minTable
	if h.BySpaces && !h.headsBlock(from) {
		least = minSpaced
	}
	if to-from < least || !h.isProse(from, h.Rows.Width(from), least) {
		return
	}
	h.Width = h.Rows.Width(from)
	if !gapAbove(h.Rows, from) && !h.fitOf(from, h.columnKinds(from+1)).none() {
		from--
	}
	h.SkipTitles(from)
}

// headsBlock reports whether a row below a blank line is a header: words above at least two columns that are of
// one kind.
func (h *Head) headsBlock(r int) bool {
	table := h.WithWidth(h.Rows.Width(r))
	f := table.fitOf(r, table.columnKinds(r+1))
	return gapAbove(h.Rows, r) && f.right == 0 && f.wrong > 1
}

// isProse reports whether the rows above a table, which begins at a row and has a number of columns, are
// a text: none of them may be a record, most are no values, and they are no table, which least rows show. Of
// rows with several cells, which are not cut by spaces, only labels and those with a space after a
// delimiter, as sentences have, belong to a text.
func (h *Head) isProse(from, width, least int) bool {
	table := h.WithWidth(width)
	kinds, alike, values := table.columnKinds(from), 0, 0
	for r := range from {
		if h.Rows.Width(r) == 1 && h.kind(r, 0) != value.Text {
			values++
		}
		alike++
		if r > 0 && h.Rows.Width(r) != h.Rows.Width(r-1) {
			alike = 1
		}
		switch {
		case h.Filled(r) < 2, h.isLabel(r) && !h.isLabel(from+1):
		case table.mayBeRecord(r, kinds), h.BySpaces && alike >= least, !h.BySpaces && !h.spaceLed(r):
			return false
		}
	}
	return table.OfOneKind(from) > 0 && 2*values < from
}

// mayBeRecord reports whether a row may be a record, which may have more or fewer cells: not much fewer
// of its values are of the kinds of their columns than are not, and the last one is.
func (h *Head) mayBeRecord(r int, kinds []value.Kind) bool {
	f, last := h.fitOf(r, kinds), kinds[h.Width-1]
	return f.record() || f.right > 0 && 2*f.right >= f.wrong && (last == value.Text || last == h.kind(r, h.Rows.Width(r)-1))
}

// isLabel reports whether a row is a label such as Hall: and what it stands for.
func (h *Head) isLabel(r int) bool {
	return h.Filled(r) <= 2 && bytes.HasSuffix(h.Cell(r, 0), []byte(":"))
}

// lastTable returns the longest run of rows with as many cells, and rulers between them, that only
// notes may be below.
func (h *Head) lastTable() (from, to int) {
	for end := h.Rows.Len(); end > max(0, h.Rows.Len()-maxNotes); end-- {
		first := end - 1
		for r := first; r >= 0 && (h.Rows.Width(r) == h.Rows.Width(end-1) || IsRuler(h.Rows.Text(r))); r-- {
			if !IsRuler(h.Rows.Text(r)) {
				first = r
			}
		}
		if end-first > to-from {
			from, to = first, end
		}
	}
	return from, to
}

package frame

import (
	"bytes"

	"ambertray/internal/value"
)

const (
	// minTable is how many rows show a table below a text, and minSpaced how many do if only spaces
	// are between their cells, as between words.
	minTable, minSpaced = 3, 10
	// maxNotes is how many rows below a table may be notes.
	maxNotes = 5
)

// SkipProse takes the rows of a text above a table for titles, even if they are more than the rows of
// the table. The table is at the end, all its rows have as many cells, and some of its columns are of
// one kind. The row right above it may be the header if its first row is not.
func (h *Head) SkipProse() {
	least := minTable
	if h.BySpaces {
		least = minSpaced
	}
	from, to := h.lastTable()
	if from < 2 || to-from < least || h.Rows.Width(from) < 2 || !h.isProse(from, h.Rows.Width(from), least) {
		return
	}
	h.Width = h.Rows.Width(from)
	if !gapAbove(h.Rows, from) && !h.fitOf(from, h.columnKinds(from+1)).none() {
		from--
	}
	h.SkipTitles(from)
}

// isProse reports whether the rows above a table, which begins at a row and has a number of columns, are
// a text: none of them may be a record, and they are no table themselves, which least rows show. If
// most rows have as many cells as those of the table, those above that have several are labels
// or have a space after a delimiter, as sentences have.
func (h *Head) isProse(from, width, least int) bool {
	table := h.WithWidth(width)
	kinds, alike := table.columnKinds(from), 0
	for r := range from {
		alike++
		if r > 0 && h.Rows.Width(r) != h.Rows.Width(r-1) {
			alike = 1
		}
		note := h.Filled(r) < 2 || h.isLabel(r) && !h.isLabel(from+1)
		sentence := h.spaceLed(r) || h.BySpaces
		if !note && (table.mayBeRecord(r, kinds) || alike >= least && !h.spaceLed(r) || width == h.Width && !sentence) {
			return false
		}
	}
	return table.OfOneKind(from) > 0
}

// mayBeRecord reports whether a row may be a record, which may have more or fewer cells: some of its
// values are of the kinds of their columns, and so is the last one.
func (h *Head) mayBeRecord(r int, kinds []value.Kind) bool {
	f, last := h.fitOf(r, kinds), kinds[h.Width-1]
	return f.right > 0 && (f.record() || last == value.Text || last == h.kind(r, h.Rows.Width(r)-1))
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

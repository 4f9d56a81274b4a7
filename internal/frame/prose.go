package frame

import (
	"bytes"

	"ambertray/internal/value"
)

const (
	// minTable is the least number of rows of a table below a text. If only spaces separate cells, as
	// they separate words, it is minSpaced, unless the table begins with a header below a blank line.
	minTable, minSpaced = 3, 10
	// maxNotes is how many rows below a table may be notes.
	maxNotes = 5
)

// SkipProse takes the rows of a text above a table for titles, even if the text has more rows than the
// table. The table is at the end, all its rows have the same number of cells, and some of its columns
// are of one kind. The row right above it may be the header if its first row is not.
func (h *Head) SkipProse() {
	from, to := h.lastTable()
	if from < 2 || to-from < minTable || h.Rows.Width(from) < 2 {
		return
	}
	table, gap := h.WithWidth(h.Rows.Width(from)), gapAbove(h.Rows, from)
	first := table.fitOf(from, table.columnKinds(from+1))
	least := minTable
	if h.BySpaces && !(gap && first.none() && first.wrong > 1) {
		least = minSpaced
	}
	if to-from < least || !table.isProse(from, least) {
		return
	}
	h.Width = table.Width
	if !gap && !first.none() {
		from--
	}
	h.SkipTitles(from)
}

// isProse reports whether the rows above the first row of a table are a text. A row that may be a record
// is not part of a text, and neither are values in most rows, or least rows with the same number of
// cells if spaces cut them. If a delimiter cuts a row into several cells, the row must be a label, or
// have a space after a delimiter, as sentences have.
func (h *Head) isProse(from, least int) bool {
	kinds, alike, values := h.columnKinds(from), 0, 0
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
		case h.mayBeRecord(r, kinds), h.BySpaces && alike >= least, !h.BySpaces && !h.spaceLed(r):
			return false
		}
	}
	return h.OfOneKind(from) > 0 && 2*values < from
}

// mayBeRecord reports whether a row may be a record, even if it has more or fewer cells. At least a third
// of its values in columns of one kind are of that kind, and so is the last one, or more than two thirds are.
func (h *Head) mayBeRecord(r int, kinds []value.Kind) bool {
	f, last := h.fitOf(r, kinds), kinds[h.Width-1]
	return f.record() || f.right > 0 && 2*f.right >= f.wrong && (last == value.Text || last == h.kind(r, h.Rows.Width(r)-1))
}

// isLabel reports whether a row is a label such as Hall: and what it stands for.
func (h *Head) isLabel(r int) bool {
	return h.Filled(r) <= 2 && bytes.HasSuffix(h.Cell(r, 0), []byte(":"))
}

// lastTable returns the longest run of rows with the same number of cells. Rulers may stand between
// them, and a few notes below.
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

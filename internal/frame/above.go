package frame

import (
	"ambertray/internal/record"
	"ambertray/internal/value"
)

// manyAbove is how many rows above a full one are records if each lacks the same values as many
// rows below, or has as many more.
const manyAbove = 3

// wideAbove returns the first of several rows right above a record that have more cells, as many each.
// They are records of another kind, because titles have fewer cells. Otherwise it returns the record.
func (h *Head) wideAbove(record int) int {
	first := record
	for first > h.top && !gapAbove(h.Rows, first) {
		width := h.Rows.Width(first - 1)
		if width <= h.Width || h.Filled(first-1) < width || width != h.Rows.Width(record-1) {
			break
		}
		first--
	}
	if record-first < manyAbove {
		return record
	}
	return first
}

// fullAbove returns the first of the rows right above a record that are as full, or lack the
// same values as many records do. Without a header they are records too, even if they are of
// other kinds, because titles have fewer cells. A row of words above other values is a title.
func (h *Head) fullAbove(first int, kinds []value.Kind) int {
	for first > h.top && !gapAbove(h.Rows, first) {
		full := h.Rows.Width(first-1) == h.Width && h.Filled(first-1) == h.Width && !h.isWords(first-1, kinds)
		if !full && !(h.lacksAlike(first-1) && h.fitOf(first-1, kinds).wrong == 0) {
			break
		}
		first--
	}
	return first
}

// isWords reports whether most cells of a row, at least three, are words, and their columns
// have no other text.
func (h *Head) isWords(at int, kinds []value.Kind) bool {
	words := 0
	for c, kind := range kinds {
		if kind != value.Text && h.kind(at, c) == value.Text && !h.anyText(c, at+1) {
			words++
		}
	}
	return words >= 3 && 2*words > h.Width
}

// anyText reports whether a column has a text from a row on.
func (h *Head) anyText(c, from int) bool {
	for r := from; r < min(h.Rows.Len(), from+KindRows); r++ {
		if h.kind(r, c) == value.Text {
			return true
		}
	}
	return false
}

// shortAbove returns the first of the rows right above a record that lack the same cells, or
// values, as many records do.
func (h *Head) shortAbove(first int) int {
	widths := h.widths(first)
	for first > h.top && !gapAbove(h.Rows, first) {
		width := h.Rows.Width(first - 1)
		many := width >= 2 && h.Filled(first-1) >= 2 && ManyShort(int64(widths[width]), int64(h.Rows.Len()-first))
		if !many && !h.numbersOn(first-1) && !h.lacksAlike(first-1) {
			break
		}
		first--
	}
	return first
}

// numbersOn reports whether a row has the usual number of cells, and all of its values are codes
// whose numbers continue in the rows below.
func (h *Head) numbersOn(r int) bool {
	for c := range h.Rows.Width(r) {
		if len(h.Cell(r, c)) > 0 && !h.numberedOn(r, r+1, c) {
			return false
		}
	}
	return h.Rows.Width(r) == h.Width && h.Filled(r) > 0
}

// widths counts the rows of each width from a row on.
func (h *Head) widths(from int) map[int]int {
	widths := map[int]int{}
	for r := from; r < h.Rows.Len(); r++ {
		widths[h.Rows.Width(r)]++
	}
	return widths
}

// ShortAbove returns the first of several rows right above a row that only lack the last
// cell. They are records that end early. Otherwise it returns the row.
func ShortAbove(rows *record.Batch, row int) int {
	width, first := rows.Width(row)-1, row
	for first > 0 && width > 1 && rows.Width(first-1) == width && !gapAbove(rows, first) {
		first--
	}
	if row-first < manyAbove {
		return row
	}
	return first
}

package frame

import (
	"bytes"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

// manyAbove is how many rows above a full one are records if each lacks the same values as many
// rows below, or has as many more.
const manyAbove = 3

// rowsAbove returns the first of the rows right above a row, up to a top, that belong to it. A gap
// ends them.
func rowsAbove(rows *record.Batch, row, top int, belongs func(r int) bool) int {
	for row > top && !gapAbove(rows, row) && belongs(row-1) {
		row--
	}
	return row
}

// severalAbove is rowsAbove if these are several rows. Otherwise it returns the row.
func severalAbove(rows *record.Batch, row, top int, belongs func(r int) bool) int {
	first := rowsAbove(rows, row, top, belongs)
	if row-first < manyAbove {
		return row
	}
	return first
}

// wideAbove returns the first of several rows right above a record that have more cells, all the same
// number. They are records of another kind, because titles have fewer cells. Otherwise it returns the record.
func (h *Head) wideAbove(record int) int {
	return severalAbove(h.Rows, record, h.top, func(r int) bool {
		width := h.Rows.Width(r)
		return width > h.Width && h.Filled(r) == width && width == h.Rows.Width(record-1)
	})
}

// fullAbove returns the first of the rows right above a record that are as full, lack the same
// values as many records do, or have a code or values as they do. Without a header they are records too, even
// if they are of other kinds, because titles have fewer cells. A row of words above other values is
// a title.
func (h *Head) fullAbove(first int, kinds []value.Kind) int {
	return rowsAbove(h.Rows, first, h.top, func(r int) bool {
		full := h.Rows.Width(r) == h.Width && h.Filled(r) == h.Width && !h.isWords(r, kinds)
		return full || (h.lacksAlike(r) || h.hasCode(r, r+1) || h.repeatsValues(r)) && h.fitOf(r, kinds).wrong == 0
	})
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
// values, as many records do, or have a code or values as they do.
func (h *Head) shortAbove(first int) int {
	widths := h.widths(first)
	return rowsAbove(h.Rows, first, h.top, func(r int) bool {
		width := h.Rows.Width(r)
		many := width >= 2 && h.Filled(r) >= 2 && ManyShort(int64(widths[width]), int64(h.Rows.Len()-r-1))
		return many || h.numbersOn(r) || h.lacksAlike(r) || h.hasCode(r, r+1) || h.repeatsValues(r)
	})
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

// repeatsValues reports whether a row has the usual number of cells, and each of its values is one of
// its column in the rows below too.
func (h *Head) repeatsValues(r int) bool {
	for c := range h.Rows.Width(r) {
		if len(h.Cell(r, c)) > 0 && !h.isValue(h.Cell(r, c), c, r+1) {
			return false
		}
	}
	return h.Rows.Width(r) == h.Width && h.Filled(r) > 0
}

// isValue reports whether a column has a value in the rows from a row on.
func (h *Head) isValue(cell []byte, c, from int) bool {
	for r := from; r < min(h.Rows.Len(), from+KindRows); r++ {
		if bytes.Equal(cell, h.Cell(r, c)) {
			return true
		}
	}
	return false
}

// widths counts the rows of each width from a row on.
func (h *Head) widths(from int) map[int]int {
	widths := map[int]int{}
	for r := from; r < h.Rows.Len(); r++ {
		widths[h.Rows.Width(r)]++
	}
	return widths
}

// FirstRow returns the line of the first row that is as wide as records, or 1. Rows above it are
// titles. columns is how many columns the source has, or 0 if that is not known.
func FirstRow(rows *record.Batch, columns int) int64 {
	h := newHead(rows, columns)
	if columns == 0 {
		headings, _ := FitHeadings(make([]string, h.CommonWidth()), rows, 0, false)
		columns = len(headings)
	}
	widths, least := h.widths(0), columns
	if widths[columns-1] > widths[columns] { // only some records have a last cell
		least--
	}
	for r := range rows.Len() {
		if rows.Width(r) >= least && rows.Width(r) <= columns {
			return rows.Line(endAbove(rows, r))
		}
	}
	return 1
}

// endAbove returns the first of several rows right above a row that only lack the last cell. They are
// records that end early. Otherwise it returns the row.
func endAbove(rows *record.Batch, row int) int {
	width := rows.Width(row) - 1
	return severalAbove(rows, row, 0, func(r int) bool { return width > 1 && rows.Width(r) == width })
}

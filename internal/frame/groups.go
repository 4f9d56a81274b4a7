package frame

import (
	"bytes"
	"regexp"

	"ambertray/internal/value"
)

var (
	// tag is what the sign for the kind of a row looks like.
	tag = regexp.MustCompile(`^[A-Z0-9]{1,6}$`)
	// headTag is such a sign for the first row of a file.
	headTag = regexp.MustCompile(`^(H|HD|HDR|HEAD|HEADER)$`)
)

// tagged returns 1 if the first row has another sign for its kind than all records, such as HDR
// above DTL, and else 0. The second row may be a header. The first row has other cells than the
// records have, and is not a header itself: it has a sign of a first row, or it has a date or a
// number and the last row has another sign too.
func (h *Head) tagged() int {
	rows := h.Rows.Len()
	if rows < minAlike+2 || h.Width < 2 {
		return 0
	}
	first, detail, last := h.Cell(0, 0), h.Cell(rows-2, 0), h.Cell(rows-1, 0)
	if !tag.Match(first) || !tag.Match(detail) || bytes.Equal(first, detail) {
		return 0
	}
	f := h.fitOf(0, h.columnKinds(2))
	if h.Rows.Width(0) == h.Width && (f.wrong == 0 || f.wrong < f.right) {
		return 0 // it may be a record
	}
	for r := 1; r < rows-1; r++ {
		if !bytes.Equal(h.Cell(r, 0), detail) && !(r == 1 && h.DistinctTexts(1)) {
			return 0
		}
	}
	if headTag.Match(first) || tag.Match(last) && !bytes.Equal(last, detail) && h.hasFigure(0) {
		return 1
	}
	return 0
}

// headsGroups reports whether a row may head groups of columns: it has several texts or
// numbers, and no other value.
func (h *Head) headsGroups(at int) bool {
	if !h.next(at+1) || h.Rows.Width(at) > h.Width {
		return false
	}
	texts := 0
	for c := range h.Rows.Width(at) {
		switch kindOf(h.Rows.Cell(at, c)) {
		case value.Text, value.Boolean: // such as No
			texts++
		case value.Integer: // such as numbers of stations
			texts++
		case value.NullWord:
		default:
			return false
		}
	}
	return texts > 1
}

// isAboveGroup reports whether a row has one value, and the row below it none in its column: it is
// above a group of records.
func (h *Head) isAboveGroup(at int) bool {
	if h.Filled(at) != 1 || at+1 >= h.Rows.Len() {
		return false
	}
	column := 0
	for len(h.Cell(at, column)) == 0 {
		column++
	}
	return len(h.Cell(at+1, column)) == 0
}

// hasFigure reports whether a cell of a row, after the first, is a date or a number that is not one
// of several headings in order.
func (h *Head) hasFigure(r int) bool {
	for c := 1; c < h.Rows.Width(r); c++ {
		k := h.kind(r, c)
		if (k == value.Date || k == value.Integer) && !h.yearHeading(r, c) && !h.inSeries(r, c) {
			return true
		}
	}
	return false
}

package delimited

import (
	"ambertray/internal/record"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
)

// DetectSheet is Detect for the text of a sheet, of which it is known how it is
// cut: what is left to find is the header.
func DetectSheet(head []byte, whole bool, told func(*source.Layout)) source.Layout {
	lay := source.Layout{FindFooter: true, Told: []string{}}
	lay.OfSheet()
	if told == nil {
		told = func(*source.Layout) {}
	}
	told(&lay)
	head, whole = firstLines(head, whole, string(sheet.RowEnd), headRows)
	s := shapeOf(head, whole, lay)
	if s.rows == nil {
		return lay
	}
	s.findHeader(&lay)
	lay.Told = lay.Told[:0]
	told(&lay)
	return lay
}

// widest returns the number of cells of the widest row that is filled for the
// most part: rows of a sheet end with their last value.
func widest(rows *record.Batch) (width int) {
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

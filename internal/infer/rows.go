package infer

import "ambertray/internal/record"

// Rows are the records of a batch that have as many cells as the source has columns. They are
// valid as long as the batch.
type Rows struct {
	batch    *record.Batch
	width    int
	cells    []record.Span // record after record
	gathered []record.Span
}

// Of sets the rows to those of another batch.
func (rows *Rows) Of(b *record.Batch, width int) {
	rows.batch, rows.width = b, width
	if b.Even(width) { // the usual case
		rows.cells = b.AllCells()[:b.Len()*width]
		return
	}
	rows.gathered = rows.gathered[:0]
	for r := range b.Len() {
		if b.Width(r) != width {
			continue
		}
		for c := range width {
			rows.gathered = append(rows.gathered, b.Span(r, c))
		}
	}
	rows.cells = rows.gathered
}

func (rows *Rows) cell(r, c int) []byte {
	span := rows.cells[r*rows.width+c]
	return rows.batch.Data[span.Start:span.End]
}

// index returns the place of row r among the records of the batch.
func (rows *Rows) index(r int) int {
	if rows.batch.Even(rows.width) {
		return r
	}
	for i := range rows.batch.Len() {
		if rows.batch.Width(i) == rows.width {
			r--
		}
		if r < 0 {
			return i
		}
	}
	panic("no such row")
}

// Package record holds the one structure that flows through Amber Tray: a
// batch of records whose cells are byte ranges over one shared buffer.
//
// A reader hands out a source as pieces, workers cut pieces into batches and
// do their work on them, and the results come back in source order:
//
//	reader → piece → batch → work → emit
//
// No cell becomes a string or an object of its own on the way, and batches are
// used again, so that memory does not grow with the source.
package record

import (
	"bytes"
	"slices"
)

// Pad is the number of bytes that follow the raw text in a batch's buffer, so
// that a cutter may read whole words past the last record.
const Pad = 64

// Span is one cell: the bytes Data[Start:End] of its batch.
type Span struct{ Start, End uint32 }

// Batch is a run of consecutive records of one source. Its cells are valid
// until Free is called; who got the batch from Piece.Cut frees it.
type Batch struct {
	// Data is the source text of the records, Raw bytes long, then Pad bytes,
	// then the text of cells that had to be unescaped.
	Data []byte
	Raw  int

	// Part is the index of the file or sheet that the records come from.
	Part int
	// FirstRecord is the number of the first record; 1 is the first record
	// of the source. FirstLine is the line of the first byte of Data.
	FirstRecord int64
	FirstLine   int64
	// Offset is that of Data in the text of the source, counted from where its records
	// begin.
	Offset int64

	// Lines is the number of line ends in the text. Skipped counts the rows
	// that were left out by rule.
	Lines   int64
	Skipped Skipped

	// Above are the rows left out above the first record of a source.
	Above []LeftOut

	// Footer are the rows below the last record, which were left out.
	Footer []FooterRow

	// Oddities lists what was not as it should be, in record order.
	Oddities []Oddity

	cells   []Span
	fill    int // shorter records have blank cells up to this number, which are not in cells
	records []place
	left    []leftOut
	uneven  bool // the records differ in their number of cells
	newline byte

	seenRecord int // where the last line was asked for; lines are counted from there
	seenLine   int64
	free       func(*Batch)
}

// place is where a record is: the index in cells after its last cell, and the
// offsets in Data of its first byte and after its last, line end left out.
type place struct{ cells, start, stop uint32 }

// New returns an empty batch for text whose lines end in newline; 0 stands for
// line feeds and carriage returns, alone or together. Free hands the batch to
// free, which may be nil.
func New(newline byte, free func(*Batch)) *Batch {
	return &Batch{newline: newline, free: free}
}

// Reset empties the batch but for its Data.
func (b *Batch) Reset() {
	b.cells, b.records = b.cells[:0], b.records[:0]
	b.Oddities = b.Oddities[:0]
	b.Lines, b.Skipped, b.fill, b.uneven = 0, Skipped{}, 0, false
	b.Above, b.left, b.Footer = nil, b.left[:0], nil
	b.seenRecord, b.seenLine = 0, 0
}

// Reserve makes room for as many records, and as many cells in all, as are expected in a batch
// that has none. A batch that was used before has room.
func (b *Batch) Reserve(expected func() (records, cells int)) {
	if cap(b.cells) == 0 {
		records, cells := expected()
		b.records, b.cells = make([]place, 0, records), make([]Span, 0, cells)
	}
}

// Free gives the batch back to its reader. None of its cells may be used after.
func (b *Batch) Free() {
	if b.free != nil {
		b.free(b)
	}
}

// AddCell appends a cell to the record that is being cut.
func (b *Batch) AddCell(s Span) { b.cells = append(b.cells, s) }

// AllCells returns the cells of all records. A cutter that adds many to them
// gives them back with SetCells before it calls any other method.
func (b *Batch) AllCells() []Span { return b.cells }

// SetCells sets the cells so far.
func (b *Batch) SetCells(cells []Span) { b.cells = cells }

// AddUnescaped appends a cell in which escape stands before each quote, and
// before itself, that is text. The escape may be the quote.
func (b *Batch) AddUnescaped(text []byte, escape, quote byte) {
	start := len(b.Data)
	for {
		i := bytes.IndexByte(text, escape)
		if i < 0 || i+1 >= len(text) {
			break
		}
		next := text[i+1]
		if next == quote || next == escape {
			b.Data = append(append(b.Data, text[:i]...), next)
			text = text[i+2:]
		} else {
			b.Data = append(b.Data, text[:i+1]...)
			text = text[i+1:]
		}
	}
	b.Data = append(b.Data, text...)
	b.AddCell(Span{uint32(start), uint32(len(b.Data))})
}

// TrimLastCell ends the last cell at offset stop of Data when it stands in
// the source text and reaches further.
func (b *Batch) TrimLastCell(stop int) {
	last := &b.cells[len(b.cells)-1]
	if int(last.End) > stop && int(last.End) <= b.Raw {
		last.End = max(uint32(stop), last.Start)
	}
}

// TrimSpaces leaves out the spaces at both ends of the last cell.
func (b *Batch) TrimSpaces() {
	last := &b.cells[len(b.cells)-1]
	for last.Start < last.End && b.Data[last.Start] == ' ' {
		last.Start++
	}
	for last.End > last.Start && b.Data[last.End-1] == ' ' {
		last.End--
	}
}

// EditCells replaces each cell by what edit makes of it.
func (b *Batch) EditCells(edit func(Span) Span) {
	for i := range b.cells {
		b.cells[i] = edit(b.cells[i])
	}
}

// OpenCells returns the number of cells of the record that is being cut.
func (b *Batch) OpenCells() int { return len(b.cells) - b.firstCell(len(b.records)) }

// DropCells forgets the cells of the record that is being cut.
func (b *Batch) DropCells() { b.cells = b.cells[:b.firstCell(len(b.records))] }

// Fill gives records with fewer cells than width blank ones up to that number. They take no
// memory: a few bytes of text could ask for very many.
func (b *Batch) Fill(width int) { b.fill = width }

// EndRecord closes the record whose text is Data[start:stop].
func (b *Batch) EndRecord(start, stop int) {
	n := len(b.records)
	b.records = append(b.records, place{uint32(len(b.cells)), uint32(start), uint32(stop)})
	b.uneven = b.uneven || len(b.cells) != (n+1)*int(b.records[0].cells)
}

// Note records an oddity of the record that is being cut.
func (b *Batch) Note(what What, offset int) {
	b.Oddities = append(b.Oddities, Oddity{Record: len(b.records), Cell: b.OpenCells(), What: what, offset: offset})
}

// DropNotes forgets what was noted of the record that is being cut.
func (b *Batch) DropNotes() {
	n := len(b.Oddities)
	for n > 0 && b.Oddities[n-1].Record == len(b.records) {
		n--
	}
	b.Oddities = b.Oddities[:n]
}

// Even reports whether every record has width cells; then cell c of record r is
// AllCells()[r*width+c].
func (b *Batch) Even(width int) bool {
	return !b.uneven && b.Len() > 0 && int(b.records[0].cells) == width
}

// Truncate keeps the first n records and what was noted of them.
func (b *Batch) Truncate(n int) {
	b.records = b.records[:n]
	b.Oddities = slices.DeleteFunc(b.Oddities, func(o Oddity) bool { return o.Record >= n })
}

// Remap puts the cells of every record that has width of them into another
// order: cell i is the one that was order[i], or blank where that is negative.
// A record of another width keeps one that no record has then.
func (b *Batch) Remap(width int, order []int) {
	cells := make([]Span, 0, len(b.records)*len(order))
	blanks := make([]Span, b.fill)
	from := 0
	b.uneven = false
	for r := range b.records {
		to := int(b.records[r].cells)
		own := b.cells[from:to]
		if len(own) < b.fill {
			own = append(slices.Clone(own), blanks[len(own):]...)
		}
		from = to
		switch {
		case len(own) == width:
			for _, i := range order {
				if i < 0 {
					cells = append(cells, Span{})
				} else {
					cells = append(cells, own[i])
				}
			}
		case len(own) == len(order):
			cells = append(append(cells, own...), Span{})
		default:
			cells = append(cells, own...)
		}
		b.records[r].cells = uint32(len(cells))
		b.uneven = b.uneven || len(cells) != (r+1)*len(order)
	}
	b.cells, b.fill = cells, 0
	for i, row := range b.Footer {
		if len(row.Cells) == width {
			b.Footer[i].Cells = row.inOrder(order)
		}
	}
}

// Len returns the number of records.
func (b *Batch) Len() int { return len(b.records) }

// Width returns the number of cells of record r.
func (b *Batch) Width(r int) int { return max(int(b.records[r].cells)-b.firstCell(r), b.fill) }

// Cell returns the text of cell c of record r, quotes taken off.
func (b *Batch) Cell(r, c int) []byte {
	s := b.Span(r, c)
	return b.Data[s.Start:s.End]
}

// Span returns where in Data cell c of record r is.
func (b *Batch) Span(r, c int) Span {
	i := b.firstCell(r) + c
	if b.fill > 0 && i >= int(b.records[r].cells) {
		return Span{}
	}
	return b.cells[i]
}

// Cells returns the spans of the cells of record r, without those that fill it.
func (b *Batch) Cells(r int) []Span { return b.cells[b.firstCell(r):b.records[r].cells] }

// Text returns record r as it stands in the source, without its line end.
func (b *Batch) Text(r int) []byte { return b.Data[b.records[r].start:b.records[r].stop] }

// Start returns the offset in Data of record r.
func (b *Batch) Start(r int) int { return int(b.records[r].start) }

// Next returns the offset in Data after the line end of record r, before which spaces may stand
// that belong to no cell.
func (b *Batch) Next(r int) int {
	end := int(b.records[r].stop)
	after := end
	for after < b.Raw && (b.Data[after] == ' ' || b.Data[after] == '\t') {
		after++
	}
	if after == b.Raw || b.Data[after] == b.newline || b.Data[after] == '\n' || b.Data[after] == '\r' {
		end = after
	}
	for end < b.Raw && b.Data[end] == '\r' && b.newline != '\r' {
		end++
	}
	if end < b.Raw && (b.Data[end] == b.newline || b.Data[end] == '\n') {
		end++
	}
	return end
}

// Number returns the number of record r in its source; the first is 1.
func (b *Batch) Number(r int) int64 { return b.FirstRecord + int64(r) }

// Line returns the line on which record r begins; the first line is 1. It is
// counted when asked for, and asking in record order costs one pass in all.
func (b *Batch) Line(r int) int64 {
	if r < b.seenRecord {
		b.seenRecord, b.seenLine = 0, 0
	}
	from := 0
	if b.seenLine > 0 {
		from = int(b.records[b.seenRecord].start)
	} else {
		b.seenLine = b.FirstLine
	}
	b.seenLine += b.countLines(from, int(b.records[r].start))
	b.seenRecord = r
	return b.seenLine
}

// OddityLine returns the line on which the oddity stands.
func (b *Batch) OddityLine(o Oddity) int64 {
	return b.FirstLine + b.countLines(0, o.offset)
}

// CountLines sets Lines for text that ends at offset end of Data.
func (b *Batch) CountLines(end int) { b.Lines = b.countLines(0, end) }

// countLines counts the line ends in a part of the text.
func (b *Batch) countLines(from, to int) int64 {
	text := b.Data[from:to]
	if b.newline != 0 {
		return int64(bytes.Count(text, []byte{b.newline}))
	}
	return int64(bytes.Count(text, []byte("\n")) + LoneReturns(text))
}

// LoneReturns counts the carriage returns that end lines without a line feed: those of
// a run that no line feed follows.
func LoneReturns(text []byte) (n int) {
	for run := 0; ; run = 0 {
		i := bytes.IndexByte(text, '\r')
		if i < 0 {
			return n
		}
		text = text[i:]
		for run < len(text) && text[run] == '\r' {
			run++
		}
		text = text[run:]
		if len(text) == 0 || text[0] != '\n' {
			n += run
		}
	}
}

func (b *Batch) firstCell(r int) int {
	if r == 0 {
		return 0
	}
	return int(b.records[r-1].cells)
}

package record

import "slices"

// Share is a run of the records of one part of a source.
type Share struct {
	Part int // its index
	// After and Last are the numbers of the record before the first and of the last.
	After, Last int64
	// Offset is that of the first record in the text, counted from where records begin, and
	// Line the line that it begins on.
	Offset, Line int64
	// Mark is a sum over the texts of the records, by which others know them again.
	Mark uint64
}

// Keep keeps the records of a share. The rows that were left out are not counted any
// more: they belong to no share.
func (b *Batch) Keep(s *Share) {
	b.Skipped, b.Above, b.Footer, b.left = Skipped{}, nil, nil, nil
	n := int64(b.Len())
	from, to := max(s.After+1-b.FirstRecord, 0), min(s.Last+1-b.FirstRecord, n)
	if b.Part != s.Part || from >= to {
		from, to = 0, 0
	}
	b.Truncate(int(to))
	b.dropFirst(int(from))
}

// dropFirst drops the first n records and what was noted of them.
func (b *Batch) dropFirst(n int) {
	cells := b.firstCell(n)
	b.cells, b.records = slices.Delete(b.cells, 0, cells), slices.Delete(b.records, 0, n)
	for i := range b.records {
		b.records[i].cells -= uint32(cells)
	}
	b.Oddities = slices.DeleteFunc(b.Oddities, func(o Oddity) bool { return o.Record < n })
	for i := range b.Oddities {
		b.Oddities[i].Record -= n
	}
	b.FirstRecord += int64(n)
	b.seenRecord, b.seenLine = 0, 0
}

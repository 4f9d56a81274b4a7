package database

import (
	"slices"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// Batch gathers the rows of blocks, for a target that may have to send some of
// them again.
type Batch struct {
	data    []byte
	ends    []int // where each row ends in data
	records []refusal.Where
}

// Add appends the rows of a block.
func (b *Batch) Add(k *convert.Block) {
	at := len(b.data)
	b.data = append(b.data, k.Data...)
	for i, end := range k.Ends {
		b.ends, b.records = append(b.ends, at+end), append(b.records, refusal.Where{Part: k.Part, Record: k.Numbers[i]})
	}
}

// Len returns the number of rows, Size that of their bytes.
func (b *Batch) Len() int  { return len(b.ends) }
func (b *Batch) Size() int { return len(b.data) }

// Rows returns the bytes of the rows with the indexes from up to, but not with,
// to. They are the batch's own.
func (b *Batch) Rows(from, to int) []byte {
	start := 0
	if from > 0 {
		start = b.ends[from-1]
	}
	if to == from {
		return nil
	}
	return b.data[start:b.ends[to-1]]
}

// Record returns which record row i is.
func (b *Batch) Record(i int) refusal.Where { return b.records[i] }

// Reset takes all rows out.
func (b *Batch) Reset() { b.data, b.ends, b.records = b.data[:0], b.ends[:0], b.records[:0] }

// Refuse removes rows, given by their ascending numbers from 1 on, whose key
// is there already, and adds them to a list.
func (b *Batch) Refuse(rows []int, key []string, list *refusal.List) {
	why := map[int]*refusal.Reason{}
	for _, row := range rows {
		why[row] = &refusal.Reason{Columns: key, Reason: SameKey}
	}
	b.RefuseFor(why, list)
}

// RefuseFor removes rows for reasons, by their numbers from 1 on, and adds them
// to a list.
func (b *Batch) RefuseFor(why map[int]*refusal.Reason, list *refusal.List) {
	data, ends, records := b.data[:0], b.ends[:0], b.records[:0]
	start := 0
	for i, end := range b.ends {
		reason := why[i+1]
		if reason != nil {
			list.Add(refusal.Refusal{Where: b.records[i], Columns: reason.Columns, Reason: reason.Reason})
		} else {
			data = append(data, b.data[start:end]...)
			ends, records = append(ends, len(data)), append(records, b.records[i])
		}
		start = end
	}
	b.data, b.ends, b.records = data, ends, records
}

// AtFault returns the columns of a table that a server names as the cause of a
// refusal; nil where they are its key, which only a repeated one names.
func AtFault(t *table.Table, names []string) (columns []string) {
	for _, name := range names {
		c := t.Column(strings.Trim(name, `"`))
		if c != nil {
			columns = append(columns, c.Name)
		}
	}
	if slices.Equal(columns, t.Key) {
		return nil
	}
	return columns
}

package convert

import (
	"ambertray/internal/record"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// spacer is a column that is left out as long as it is blank.
type spacer struct {
	heading string
	source  int // of its cells
}

// ExpectBlank makes the converter reject the records with a value in a column that the plan leaves
// out as blank.
func (c *Converter) ExpectBlank(plan *table.Table, headings []string) {
	at := table.Places(headings)
	for _, col := range plan.Columns {
		place, ok := at[col.From]
		if col.Blank && ok {
			c.blank = append(c.blank, spacer{col.From, place})
		}
	}
}

// rejectFilled rejects a record with a value in a column that is left out because it is blank,
// and reports whether it did.
func (c *Converter) rejectFilled(k *Block, b *record.Batch, r int) (bad bool) {
	for _, s := range c.blank {
		cell := b.Cell(r, s.source)
		if !value.Blank(cell) {
			k.rejectCell(b, r, s.heading, string(cell), "has a value, but the plan leaves this column out as blank", bad)
			bad = true
		}
	}
	return bad
}

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
	reason  string
}

// ExpectBlank makes the converter reject the records with a value in a column that the plan leaves
// out as blank, or does not have. unplanned are the headings of the latter.
func (c *Converter) ExpectBlank(plan *table.Table, headings, unplanned []string) {
	at := table.Places(headings)
	expect := func(heading, reason string) {
		place, ok := at[heading]
		if ok {
			c.blank = append(c.blank, spacer{heading, place, reason})
		}
	}
	for _, col := range plan.Columns {
		if col.Blank {
			expect(col.From, "has a value, but the plan leaves this column out as blank")
		}
	}
	for _, h := range unplanned {
		expect(h, "has a value, but the plan does not have this column")
	}
}

// rejectFilled rejects a record with a value in a column that is left out because it is blank,
// and reports whether it did.
func (c *Converter) rejectFilled(k *Block, b *record.Batch, r int) (bad bool) {
	for _, s := range c.blank {
		cell := b.Cell(r, s.source)
		if !value.Blank(cell) {
			k.rejectCell(b, r, s.heading, string(cell), s.reason, bad)
			bad = true
		}
	}
	return bad
}

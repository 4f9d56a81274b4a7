package convert

import (
	"slices"

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
	for place, h := range headings {
		switch {
		case slices.Contains(unplanned, h):
			c.blank = append(c.blank, spacer{h, place, "has a value, but the plan does not have this column"})
		case slices.ContainsFunc(plan.Columns, func(col table.Column) bool { return col.From == h && col.Blank }):
			c.blank = append(c.blank, spacer{h, place, "has a value, but the plan leaves this column out as blank"})
		}
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

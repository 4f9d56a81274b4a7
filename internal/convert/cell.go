package convert

import (
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Cell reads cells of one column by the plan, as a load does, for those who look at some
// of them. One goroutine uses it at a time.
type Cell struct {
	column
	Name string
}

// NewCell returns the reader of a column, for a server of dialect d.
func NewCell(col table.Column, d *dialect.Dialect) (*Cell, error) {
	if col.Limit == nil && d.Limit != nil {
		col.Limit = d.Limit(col.Type)
	}
	c := &Cell{Name: col.Name}
	return c, c.bindRules(col)
}

// Read sets v to the value of a cell, and returns the reason why there is none, or "".
// The value is valid as long as the cell.
func (c *Cell) Read(cell []byte, v *value.Value) (reason string) {
	if c.rules != nil {
		cell = c.rules.apply(cell)
	}
	return c.read(cell, v)
}

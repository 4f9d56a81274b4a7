package convert

import (
	"strconv"

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

// NewCell returns the reader of a column as a server of dialect d stores it.
func NewCell(col table.Column, d *dialect.Dialect) (*Cell, error) {
	if col.Limit == nil && d.Limit != nil {
		col.Limit = d.Limit(col.Type)
	}
	c := &Cell{Name: col.Name}
	c.asText = dialect.TextWriter(col.Type, d.Stored(col.Type))
	return c, c.bindRules(col)
}

// Read sets v to the value of a cell, and returns the reason why the cell has no value, or "".
// The value is valid as long as the cell.
func (c *Cell) Read(cell []byte, v *value.Value) (reason string) {
	if c.rules != nil {
		cell = c.rules.apply(cell)
	}
	return c.read(cell, v)
}

// Store gives a value that was read the form in which the server holds it.
func (c *Cell) Store(v *value.Value) {
	if c.asText != nil && !v.Null {
		v.Text = c.asText(v)
	}
}

// AppendText writes a value of a type that is not text in the notation that a plan reads
// without rules.
func AppendText(dst []byte, v *value.Value, t table.Type) []byte {
	switch t.Kind {
	case table.Double:
		return strconv.AppendFloat(dst, v.Float, 'g', -1, 64)
	case table.Boolean:
		return strconv.AppendBool(dst, v.Int != 0)
	}
	write := dialect.TextWriter(t, table.Type{Kind: table.Text})
	if write != nil {
		return append(dst, write(v)...)
	}
	return strconv.AppendInt(dst, v.Int, 10)
}

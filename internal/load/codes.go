package load

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/note"
	"ambertray/internal/table"
)

// Codes of one length, such as 00311, are planned as char. Spreadsheet programs remove
// their leading zeros when they save a file.

// keepZeros returns a copy of the columns that refuses fewer digits than the type has, for
// columns in which every value of the load was as long as its type.
func (r *Receipt) keepZeros(columns []table.Column) []table.Column {
	columns = slices.Clone(columns)
	for i := range columns {
		c := &columns[i]
		_, missing, known := r.lengths(c)
		if known && missing == 0 {
			c.Digits = c.Type.Size
		}
	}
	return columns
}

// noteShortCodes notes the columns for codes whose values are digits, and too few of them.
func (r *Receipt) noteShortCodes(columns []table.Column) {
	for i := range columns {
		c := &columns[i]
		f, missing, known := r.lengths(c)
		if known && missing > 0 && strings.Trim(f.Min+f.Max, "0123456789") == "" {
			r.addNote(note.On(c.From, fmt.Sprintf("values have fewer digits than %s: leading zeros may be lost; pad_zeros: %d restores them", c.Type, c.Type.Size)))
		}
	}
}

// lengths returns the figures of a column for codes, and how many bytes are missing until all
// its values are as long as its type. known is false for other columns, and without figures.
func (r *Receipt) lengths(c *table.Column) (f *ColumnFigures, missing int64, known bool) {
	at := slices.IndexFunc(r.Columns, func(f ColumnFigures) bool { return f.Name == c.Name })
	if c.Type.Kind != table.Char || c.PadZeros > 0 || at < 0 {
		return nil, 0, false
	}
	f = &r.Columns[at]
	values := r.Counts.Loaded - f.Nulls
	var sum int64
	_, err := fmt.Sscan(f.Sum, &sum)
	return f, values*int64(c.Type.Size) - sum, err == nil && values > 0
}

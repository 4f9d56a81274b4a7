package convert

import (
	"math/big"

	"ambertray/internal/figures"
	"ambertray/internal/parse"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Stated is what a row below the records states of a column, as figures write a sum.
type Stated struct {
	Column int // index among the loaded ones
	Sum    string
}

// Stated reads the cells of a row as the values of their columns, with room for sums
// of them.
func (c *Converter) Stated(cells []string) (list []Stated) {
	for i := range c.columns {
		col := &c.columns[i]
		if col.compute != nil || !col.stored.Summable() || col.source >= len(cells) || value.Blank([]byte(cells[col.source])) {
			continue
		}
		var v value.Value
		if col.sum([]byte(cells[col.source]), &v) == "" {
			list = append(list, Stated{i, sumOf(&v, col.stored)})
		}
	}
	return list
}

// sumParser returns the parser of sums of a column, which have more digits than its
// values.
func sumParser(col table.Column, stored table.Type) (parse.Parser, error) {
	col.Type, col.Limit = table.Type{Kind: table.Decimal, Size: table.MaxPrecision, Scale: stored.Scale}, nil
	return parse.New(col)
}

func sumOf(v *value.Value, t table.Type) string {
	n := big.NewInt(v.Int)
	if v.Wide {
		n.SetString(string(v.Text), 10)
		if v.Negative {
			n.Neg(n)
		}
	}
	return figures.FormatUnscaled(n, t.Scale)
}

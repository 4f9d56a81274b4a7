package load

import (
	"fmt"

	"github.com/dustin/go-humanize"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// counted are rows and the figures of their columns.
type counted struct {
	rows    int64
	figures []table.Figures
}

// plus returns what both have together.
func (a counted) plus(b counted, cols []table.Column, d *dialect.Dialect) counted {
	switch {
	case b.rows == 0:
		return a
	case a.rows == 0:
		return b
	}
	sum := counted{rows: a.rows + b.rows}
	for i, c := range cols {
		f, g := a.figures[i], b.figures[i]
		switch {
		case g.Nulls == b.rows:
			f.Nulls += g.Nulls
		case f.Nulls == a.rows:
			g.Nulls += f.Nulls
			f = g
		default:
			f = f.Plus(g, d.Stored(c.Type))
		}
		sum.figures = append(sum.figures, f)
	}
	return sum
}

// Difference is a figure that is one thing in the source and another in the
// table. Column is empty for the number of rows.
type Difference struct {
	Column string `json:"column"`
	Figure string `json:"figure"` // rows, nulls, min, max or sum
	Source string `json:"source"`
	Table  string `json:"table"`
}

// compare compares the figures of the source with those of the table.
func compare(cols []table.Column, want, got counted) []Difference {
	diffs := []Difference{}
	add := func(column, figure string, source, table any) {
		if source != table {
			diffs = append(diffs, Difference{column, figure, fmt.Sprint(source), fmt.Sprint(table)})
		}
	}
	add("", "rows", want.rows, got.rows)
	for i, c := range cols {
		add(c.Name, "nulls", want.figures[i].Nulls, got.figures[i].Nulls)
		add(c.Name, "min", want.figures[i].Min, got.figures[i].Min)
		add(c.Name, "max", want.figures[i].Max, got.figures[i].Max)
		add(c.Name, "sum", want.figures[i].Sum, got.figures[i].Sum)
	}
	return diffs
}

// rowsText is a number of rows for people.
func rowsText(n int64) string {
	if n == 1 {
		return "1 row"
	}
	return humanize.Comma(n) + " rows"
}

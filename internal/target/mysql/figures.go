package mysql

import (
	"context"
	"fmt"
	"math/big"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/target"
	"ambertray/internal/value"
)

// Figures implements target.Target. Doubles are read and added up here: the
// server's sum of them depends on the order.
func (t *Target) Figures(ctx context.Context, tab *table.Table) (rows int64, figures []table.Figures, err error) {
	cols := tab.Loaded()
	terms := []string{"count(*)"}
	for _, c := range cols {
		e := expressions(dialect.MySQL.Quote(c.Name), dialect.MySQL.Stored(c.Type))
		terms = append(terms, e[:]...)
	}
	op := "ask for the figures of " + tab.Name
	from := " FROM " + dialect.MySQL.QuoteTable(t.current(tab.Name))
	texts := make([]*string, perColumn*len(cols))
	into := []any{&rows}
	for i := range texts {
		into = append(into, &texts[i])
	}
	if err := t.conn.QueryRowContext(ctx, "SELECT "+strings.Join(terms, ", ")+from).Scan(into...); err != nil {
		return 0, nil, t.fail(op, err)
	}
	for i, c := range cols {
		figures = append(figures, figuresOf(dialect.MySQL.Stored(c.Type), rows, texts[perColumn*i:perColumn*(i+1)]))
		if c.Type.Kind == table.Double {
			if figures[i], err = t.doubles(ctx, dialect.MySQL.Quote(c.Name), from); err != nil {
				return 0, nil, t.fail(op, err)
			}
		}
	}
	return rows, figures, nil
}

// perColumn is how many expressions a column is asked for: the number of its
// values, the least and greatest as text, and the sum in two parts: of days or
// numbers, and of microseconds.
const perColumn = 5

// expressions asks for a column in a way that is exact: text is compared and
// measured by its bytes.
func expressions(name string, t table.Type) [perColumn]string {
	count := "count(" + name + ")"
	least, greatest := "CAST(min("+name+") AS CHAR)", "CAST(max("+name+") AS CHAR)"
	days := "CAST(sum(to_days(" + name + ") - 719528) AS CHAR)" // of 1970-01-01
	micros := fmt.Sprintf("CAST(sum(hour(%[1]s) * 3600000000 + minute(%[1]s) * 60000000 + second(%[1]s) * 1000000 + microsecond(%[1]s)) AS CHAR)", name)
	switch t.Kind {
	case table.Date:
		return [...]string{count, least, greatest, days, "NULL"}
	case table.Time:
		return [...]string{count, least, greatest, "NULL", micros}
	case table.Timestamp:
		return [...]string{count, least, greatest, days, micros}
	case table.Double:
		return [...]string{"0", "NULL", "NULL", "NULL", "NULL"}
	case table.Char, table.Varchar, table.Text:
		return [...]string{count, "min(CAST(" + name + " AS BINARY))", "max(CAST(" + name + " AS BINARY))", "CAST(sum(length(" + name + ")) AS CHAR)", "NULL"}
	}
	return [...]string{count, least, greatest, "CAST(sum(" + name + ") AS CHAR)", "NULL"}
}

const microsPerDay = 86400 * 1_000_000

func figuresOf(t table.Type, rows int64, texts []*string) table.Figures {
	f := table.Figures{Nulls: rows - target.Number(texts[0]).Int64(), Min: target.Text(texts[1]), Max: target.Text(texts[2]), Sum: "0"}
	switch t.Kind {
	case table.Time, table.Timestamp:
		sum := target.Number(texts[3])
		f.Sum = sum.Mul(sum, big.NewInt(microsPerDay)).Add(sum, target.Number(texts[4])).String()
		f.Min, f.Max = strings.TrimSuffix(f.Min, ".000000"), strings.TrimSuffix(f.Max, ".000000")
	default:
		if texts[3] != nil {
			f.Sum = *texts[3]
		}
	}
	return f
}

// doubles reads a column in the protocol's binary form, which is exact.
func (t *Target) doubles(ctx context.Context, name, from string) (f table.Figures, err error) {
	statement, err := t.conn.PrepareContext(ctx, "SELECT "+name+from)
	if err != nil {
		return f, err
	}
	defer statement.Close()
	rows, err := statement.QueryContext(ctx)
	if err != nil {
		return f, err
	}
	defer rows.Close()
	totals := convert.NewTotals([]table.Type{{Kind: table.Double}})
	var x *float64
	for rows.Next() {
		if err := rows.Scan(&x); err != nil {
			return f, err
		}
		if x == nil {
			totals.Null(0)
		} else {
			totals.Value(0, &value.Value{Float: *x})
		}
	}
	return totals.Figures()[0], rows.Err()
}

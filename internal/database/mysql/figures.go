package mysql

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/big"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/figures"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Figures implements database.Target. The rows of a stage are committed, so that
// two connections can each ask for half of its columns at once: a query has one
// core of the server.
func (t *Target) Figures(ctx context.Context, tab *table.Table) (rows int64, figures []table.Figures, err error) {
	op := "ask for the figures of " + tab.Name
	name, cols := t.current(tab.Name), tab.Loaded()
	if tab.Name != t.staged || len(cols) < 2 {
		rows, figures, err = figuresOver(ctx, t.conn, name, cols)
		return rows, figures, t.fail(op, err)
	}
	second, err := t.db.Conn(ctx)
	if err != nil {
		return 0, nil, t.fail(op, err)
	}
	defer second.Close()
	var halves [2][]table.Column
	for i, c := range cols {
		halves[i%2] = append(halves[i%2], c)
	}
	var other []table.Figures
	var group errgroup.Group
	group.Go(func() (err error) { _, other, err = figuresOver(ctx, second, name, halves[1]); return err })
	rows, figures, err = figuresOver(ctx, t.conn, name, halves[0])
	if err := errors.Join(err, group.Wait()); err != nil {
		return 0, nil, t.fail(op, err)
	}
	for i, f := range other {
		figures = slices.Insert(figures, 2*i+1, f)
	}
	return rows, figures, nil
}

// figuresOver asks for columns over one connection. Doubles are read and added
// up here: the server's sum of them depends on the order.
func figuresOver(ctx context.Context, conn *sql.Conn, name string, cols []table.Column) (rows int64, figures []table.Figures, err error) {
	unicode, err := unicodeColumns(ctx, conn, name)
	if err != nil {
		return 0, nil, err
	}
	terms := []string{"count(*)"}
	for _, c := range cols {
		e := expressions(dialect.MySQL.Quote(c.Name), dialect.MySQL.Stored(c.Type), !unicode[strings.ToLower(c.Name)])
		terms = append(terms, e[:]...)
	}
	from := " FROM " + dialect.MySQL.QuoteTable(name)
	texts := make([]*string, perColumn*len(cols))
	into := []any{&rows}
	for i := range texts {
		into = append(into, &texts[i])
	}
	if err := conn.QueryRowContext(ctx, "SELECT "+strings.Join(terms, ", ")+from).Scan(into...); err != nil {
		return 0, nil, err
	}
	for i, c := range cols {
		figures = append(figures, figuresOf(dialect.MySQL.Stored(c.Type), rows, texts[perColumn*i:perColumn*(i+1)]))
		if c.Type.Kind == table.Double {
			if figures[i], err = doubles(ctx, conn, dialect.MySQL.Quote(c.Name), from, c.Type.Size == table.Single); err != nil {
				return 0, nil, err
			}
		}
	}
	return rows, figures, nil
}

// perColumn is how many expressions a column is asked for: the number of its
// values, the least and greatest as text, and the sum in two parts: of numbers,
// days or seconds, and of microseconds.
const perColumn = 5

// unicodeColumns returns the columns of text of a table that hold UTF-8.
func unicodeColumns(ctx context.Context, conn *sql.Conn, name string) (map[string]bool, error) {
	schema, bare := split(name)
	rows, err := conn.QueryContext(ctx, `SELECT lower(column_name) FROM information_schema.columns
		WHERE table_schema = coalesce(nullif(?, ''), database()) AND table_name = ? AND character_set_name LIKE 'utf8%'`, schema, bare)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	columns := map[string]bool{}
	for rows.Next() {
		var column string
		if err := rows.Scan(&column); err != nil {
			return nil, err
		}
		columns[column] = true
	}
	return columns, rows.Err()
}

// expressions asks for a column in a way that is exact: text is compared and
// measured by its bytes in UTF-8, into which it is converted where it is not.
func expressions(name string, t table.Type, convert bool) [perColumn]string {
	if convert && t.Textual() {
		name = "CONVERT(" + name + " USING utf8mb4)"
	}
	count := "count(" + name + ")"
	least, greatest := "CAST(min("+name+") AS CHAR)", "CAST(max("+name+") AS CHAR)"
	days := "CAST(sum(to_days(" + name + ") - 719528) AS CHAR)" // of 1970-01-01
	switch t.Kind {
	case table.Date:
		return [...]string{count, least, greatest, days, "NULL"}
	case table.Time:
		micros := "CAST(sum(hour(%[1]s) * 3600000000 + minute(%[1]s) * 60000000 + second(%[1]s) * 1000000 + microsecond(%[1]s)) AS CHAR)"
		return [...]string{count, least, greatest, "NULL", fmt.Sprintf(micros, name)}
	case table.Timestamp:
		seconds := "CAST(sum(to_seconds(" + name + ") - 62167219200) AS CHAR)" // since 1970
		return [...]string{count, least, greatest, seconds, "CAST(sum(microsecond(" + name + ")) AS CHAR)"}
	case table.Double:
		return [...]string{"0", "NULL", "NULL", "NULL", "NULL"}
	case table.Char, table.Varchar, table.Text:
		return [...]string{count, "min(CAST(" + name + " AS BINARY))", "max(CAST(" + name + " AS BINARY))", "CAST(sum(length(" + name + ")) AS CHAR)", "NULL"}
	}
	return [...]string{count, least, greatest, "CAST(sum(" + name + ") AS CHAR)", "NULL"}
}

func figuresOf(t table.Type, rows int64, texts []*string) table.Figures {
	f := table.Figures{Nulls: rows - database.Number(texts[0]).Int64(), Min: database.Text(texts[1]), Max: database.Text(texts[2]), Sum: "0"}
	switch t.Kind {
	case table.Time, table.Timestamp:
		sum := database.Number(texts[3])
		f.Sum = sum.Mul(sum, big.NewInt(1_000_000)).Add(sum, database.Number(texts[4])).String()
		f.Min, f.Max = padFraction(f.Min), padFraction(f.Max)
	default:
		if texts[3] != nil {
			f.Sum = *texts[3]
		}
	}
	return f
}

// padFraction gives a fraction of a second all six decimals, and leaves out one of
// zero.
func padFraction(s string) string {
	if i := strings.IndexByte(s, '.'); i >= 0 {
		s += strings.Repeat("0", table.Micros-(len(s)-i-1))
	}
	return strings.TrimSuffix(s, ".000000")
}

// doubles reads a column in the protocol's binary form, which is exact.
func doubles(ctx context.Context, conn *sql.Conn, name, from string, single bool) (f table.Figures, err error) {
	statement, err := conn.PrepareContext(ctx, "SELECT "+name+from)
	if err != nil {
		return f, err
	}
	defer statement.Close()
	rows, err := statement.QueryContext(ctx)
	if err != nil {
		return f, err
	}
	defer rows.Close()
	totals := figures.NewTotals([]table.Type{{Kind: table.Double}})
	var x *float64
	for rows.Next() {
		if err := rows.Scan(&x); err != nil {
			return f, err
		}
		switch {
		case x == nil:
			totals.Null(0)
		case single: // which the driver makes a double of by its digits
			totals.Value(0, &value.Value{Float: float64(float32(*x))})
		default:
			totals.Value(0, &value.Value{Float: *x})
		}
	}
	return totals.Figures()[0], rows.Err()
}

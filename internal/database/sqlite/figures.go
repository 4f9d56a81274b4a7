package sqlite

import (
	"context"
	"math"
	"slices"
	"strconv"
	"strings"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/figures"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Figures implements database.Target. The engine runs in this process, so that
// reading every value and adding it up here is both exact and several times
// faster than its aggregate functions.
func (t *Target) Figures(ctx context.Context, tab *table.Table) (rows int64, list []table.Figures, err error) {
	t.conn.SetInterrupt(ctx.Done())
	op := "ask for the figures of " + tab.Name
	if exists, err := t.Exists(ctx, tab.Name); err != nil {
		return 0, nil, err
	} else if !exists {
		return 0, nil, &database.Error{Target: t.path, Op: op, Kind: database.ErrNoTable}
	}
	var names []string
	var types []table.Type
	for _, c := range tab.Loaded() {
		names = append(names, dialect.SQLite.Quote(c.Name))
		types = append(types, dialect.SQLite.Stored(c.Type))
	}
	if len(names) == 0 { // the rows alone are asked for
		counted, err := t.Query(ctx, "SELECT count(*) FROM "+dialect.SQLite.Quote(tab.Name))
		if err != nil {
			return 0, nil, err
		}
		rows, err = strconv.ParseInt(counted[0][0], 10, 64)
		return rows, nil, err
	}
	stmt, err := t.conn.Prepare("SELECT " + strings.Join(names, ", ") + " FROM " + dialect.SQLite.Quote(tab.Name))
	if err != nil {
		return 0, nil, t.fail(op, err)
	}
	defer stmt.Finalize()
	totals := figures.NewTotals(types)
	readers := make([]reader, len(types))
	for i, typ := range types {
		readers[i] = readerOf(typ)
	}
	var v value.Value
	for {
		more, err := stmt.Step()
		if err != nil {
			return 0, nil, t.fail(op, err)
		}
		if !more {
			return rows, totals.Figures(), nil
		}
		rows++
		for i, read := range readers {
			if stmt.ColumnIsNull(i) {
				totals.Null(i)
				continue
			}
			read(stmt, i, &v)
			totals.Value(i, &v)
		}
	}
}

// reader sets v to the value in column i of the current row.
type reader func(stmt *sqlite.Stmt, i int, v *value.Value)

func readerOf(t table.Type) reader {
	switch {
	case t.Textual():
		return func(stmt *sqlite.Stmt, i int, v *value.Value) {
			v.Text = slices.Grow(v.Text[:0], stmt.ColumnLen(i))
			v.Text = v.Text[:stmt.ColumnBytes(i, v.Text[:cap(v.Text)])]
		}
	case t.Kind == table.Double:
		return func(stmt *sqlite.Stmt, i int, v *value.Value) { v.Float = stmt.ColumnFloat(i) }
	case t.Kind == table.Decimal:
		unit := math.Pow10(t.Scale)
		return func(stmt *sqlite.Stmt, i int, v *value.Value) { v.Int = int64(math.Round(stmt.ColumnFloat(i) * unit)) }
	}
	return func(stmt *sqlite.Stmt, i int, v *value.Value) { v.Int = stmt.ColumnInt64(i) }
}

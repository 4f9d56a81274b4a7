package sqlite

import (
	"context"
	"fmt"
	"math/big"
	"strings"

	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/target"
)

// Each column is asked for five expressions: how many values it has, the least
// and the greatest, and the sum in two halves, for SQLite's sum of 64-bit
// numbers fails where it overflows.
const perColumn = 5

// Figures implements target.Target.
func (t *Target) Figures(ctx context.Context, tab *table.Table) (rows int64, figures []table.Figures, err error) {
	t.conn.SetInterrupt(ctx.Done())
	op := "ask for the figures of " + tab.Name
	if exists, err := t.Exists(ctx, tab.Name); err != nil {
		return 0, nil, err
	} else if !exists {
		return 0, nil, &target.Error{Target: t.path, Op: op, Kind: target.ErrNoTable}
	}
	cols := tab.Loaded()
	terms := []string{"count(*)"}
	for _, c := range cols {
		terms = append(terms, expressions(c)...)
	}
	sql := "SELECT " + strings.Join(terms, ", ") + " FROM " + dialect.SQLite.Quote(tab.Name)
	err = sqlitex.ExecuteTransient(t.conn, sql, &sqlitex.ExecOptions{ResultFunc: func(stmt *sqlite.Stmt) error {
		rows = stmt.ColumnInt64(0)
		for i, c := range cols {
			figures = append(figures, readFigures(stmt, 1+i*perColumn, stored(c), rows))
		}
		return nil
	}})
	return rows, figures, t.fail(op, err)
}

func stored(c table.Column) table.Type { return dialect.SQLite.Stored(c.Type) }

func expressions(c table.Column) []string {
	name := dialect.SQLite.Quote(c.Name)
	unscaled := name
	switch typ := stored(c); {
	case typ.Kind == table.Decimal:
		unscaled = fmt.Sprintf("CAST(round(%s * 1e%d) AS INTEGER)", name, typ.Scale)
		return []string{
			"count(" + name + ")", strings.ReplaceAll(unscaled, name, "min("+name+")"), strings.ReplaceAll(unscaled, name, "max("+name+")"),
			"sum(" + unscaled + " >> 32)", "sum(" + unscaled + " & 4294967295)",
		}
	case typ.Kind == table.Double:
		unscaled = "double_bits(" + name + ")"
	case typ.Textual():
		unscaled = "octet_length(" + name + ")"
	}
	return []string{
		"count(" + name + ")", "min(" + name + ")", "max(" + name + ")",
		"sum(" + unscaled + " >> 32)", "sum(" + unscaled + " & 4294967295)",
	}
}

func readFigures(stmt *sqlite.Stmt, at int, typ table.Type, rows int64) table.Figures {
	sum := big.NewInt(stmt.ColumnInt64(at + 3))
	sum.Lsh(sum, 32).Add(sum, big.NewInt(stmt.ColumnInt64(at+4)))
	f := table.Figures{Nulls: rows - stmt.ColumnInt64(at), Sum: sum.String()}
	if f.Nulls == rows {
		return f
	}
	switch typ.Kind {
	case table.Decimal:
		f.Min = convert.FormatUnscaled(big.NewInt(stmt.ColumnInt64(at+1)), typ.Scale)
		f.Max = convert.FormatUnscaled(big.NewInt(stmt.ColumnInt64(at+2)), typ.Scale)
		f.Sum = convert.FormatUnscaled(sum, typ.Scale)
	case table.Double:
		f.Min, f.Max = convert.FormatFloat(stmt.ColumnFloat(at+1)), convert.FormatFloat(stmt.ColumnFloat(at+2))
	default:
		f.Min, f.Max = stmt.ColumnText(at+1), stmt.ColumnText(at+2)
	}
	return f
}

package load

import (
	"context"
	"fmt"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// prepare makes or opens the table: what it does with one that is there is up
// to the plan.
func (l *loading) prepare(ctx context.Context) error {
	if l.parts != nil {
		if done, err := l.beginParts(ctx); done || err != nil {
			return err
		}
	}
	mode := l.plan.Existing
	exists, err := l.to.Exists(ctx, l.table.Name)
	if err != nil {
		return err
	}
	if !exists {
		if err := l.makeSchema(ctx); err != nil {
			return err
		}
	}
	how := database.Creation{Whole: l.parts != nil, NoLedger: l.NoLedger}
	if !exists || mode == table.Refuse {
		l.receipt.Done = "created"
		return l.tx.Create(ctx, l.table, how)
	}
	if mode == table.Rebuild { // of one that is there
		if l.receipt.Counts.TableBefore, err = l.rows(ctx); err != nil {
			return err
		}
		if err := l.checkDependents(ctx); err != nil {
			return err
		}
		l.receipt.Done, how.Replace = "rebuilt", true
		return l.tx.Create(ctx, l.table, how)
	}
	if err := l.checkStorage(ctx); err != nil {
		return err
	}
	if err := l.fitTable(ctx); err != nil {
		return err
	}
	if mode == table.Merge {
		return l.stageMerge(ctx)
	}
	before, err := l.figures(ctx, l.table)
	if err != nil {
		return err
	}
	l.receipt.Counts.TableBefore = before.rows
	if mode == table.Empty {
		l.receipt.Done = "emptied"
		return l.tx.Empty(ctx, l.table)
	}
	l.before, l.receipt.Before = before, before.figures
	l.receipt.Done = "appended"
	return nil
}

// LossError says what would be lost with a table that is rebuilt.
type LossError struct {
	Table string
	What  []string
}

func (e *LossError) Error() string {
	return fmt.Sprintf("rebuild table %s: these would be lost with it: %s", e.Table, strings.Join(e.What, ", "))
}

// checkDependents refuses to rebuild a table on which other things hang, unless
// that was accepted.
func (l *loading) checkDependents(ctx context.Context) error {
	to, ok := l.to.(database.Depended)
	if !ok {
		return nil
	}
	lost, err := to.Dependents(ctx, l.table)
	if err != nil || len(lost) == 0 {
		return err
	}
	if !l.AcceptLoss {
		return &LossError{l.table.Name, lost}
	}
	l.receipt.Remarks = append(l.receipt.Remarks, "lost with the table that was rebuilt: "+strings.Join(lost, ", "))
	return nil
}

// EngineError says that the engine of a table takes nothing back.
type EngineError struct{ Table, Engine string }

func (e *EngineError) Error() string {
	return fmt.Sprintf("table %s is kept by %s, which has no transactions: a load that fails would leave rows in it", e.Table, e.Engine)
}

// checkStorage refuses to load into a table that takes nothing back, unless that
// was accepted, and prepares for one that lies on several servers.
func (l *loading) checkStorage(ctx context.Context) error {
	to, ok := l.to.(database.Stored)
	if !ok {
		return nil
	}
	storage, err := to.Storage(ctx, l.table.Name)
	if err != nil {
		return err
	}
	if storage.Servers != nil {
		return l.enterDoubt(ctx, storage)
	}
	if !storage.NoTransactions {
		return nil
	}
	if !l.NoRollback {
		return &EngineError{l.table.Name, storage.Engine}
	}
	l.engine = storage.Engine
	l.receipt.Remarks = append(l.receipt.Remarks, "the table is kept by "+storage.Engine+", which has no transactions")
	return nil
}

// rows counts the rows of the table.
func (l *loading) rows(ctx context.Context) (int64, error) {
	rows, _, err := l.to.Figures(ctx, &table.Table{Name: l.table.Name})
	return rows, err
}

// makeSchema makes the schema of the table, if the plan says so and there is none.
func (l *loading) makeSchema(ctx context.Context) error {
	d := l.to.Dialect()
	schema := d.Schema(l.table.Name)
	if schema == "" || !l.plan.CreateSchema {
		return nil
	}
	found, err := l.to.Query(ctx, "SELECT 1 FROM information_schema.schemata WHERE schema_name = "+d.Literal(schema))
	if err != nil || len(found) > 0 {
		return err
	}
	_, err = l.to.Exec(ctx, "CREATE SCHEMA "+d.Quote(schema))
	if err == nil && d.DefinitionsCommit {
		l.schema = schema
	}
	return err
}

// dropSchema takes a schema away that a load has made for nothing.
func (l *loading) dropSchema() error {
	ctx, d := context.Background(), l.to.Dialect()
	tables, err := l.to.Query(ctx, "SELECT count(*) FROM information_schema.tables WHERE table_schema = "+d.Literal(l.schema))
	if err == nil && tables[0][0] == "0" {
		_, err = l.to.Exec(ctx, "DROP SCHEMA "+d.Quote(l.schema))
	}
	return err
}

// fitTable gives the plan the types that its table has.
func (l *loading) fitTable(ctx context.Context) error {
	live, err := l.to.Columns(ctx, l.table.Name)
	if err != nil {
		return err
	}
	fitted, bad := fit(l.table, live, l.to.Dialect())
	if bad != nil {
		return &UnfitError{l.table.Name, bad}
	}
	l.table = fitted
	return nil
}

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

package sqlserver

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	mssql "github.com/microsoft/go-mssqldb"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// aside is a sink for a table with a trigger, which may end the whole transaction for
// one row. The rows go into a temporary table first, outside of the transaction. From
// there they are copied with one statement, before which the transaction has written
// nothing, so that it can be tried again without the rows that were refused.
type aside struct {
	*sink   // fills the temporary table
	x       *tx
	tab     *table.Table
	numbers database.Numbers
	refuser database.Refuser
}

// asideName is the name of the temporary table.
const asideName = "#ambertray_aside"

// hasTriggers reports whether rows that are inserted into a table run a trigger.
func (t *Target) hasTriggers(ctx context.Context, name string) (bool, error) {
	found, err := t.Query(ctx, "SELECT TOP (1) g.name FROM sys.triggers g JOIN sys.trigger_events e ON e.object_id = g.object_id WHERE g.is_disabled = 0 AND e.type_desc = 'INSERT' AND g.parent_id = "+t.id(name))
	return len(found) > 0, err
}

// loadAside opens such a sink. The transaction, which has read only, ends.
func (x *tx) loadAside(ctx context.Context, tab *table.Table) (database.Sink, error) {
	err := x.stage(ctx, tab, asideName)
	if err != nil {
		return nil, err
	}
	err = x.exec(ctx, "COMMIT TRANSACTION")
	if err != nil {
		return nil, x.t.fail("load rows", err)
	}
	staged := *tab
	staged.Name, staged.Key = asideName, nil
	s, err := x.newSink(ctx, &staged)
	if err != nil {
		return nil, err
	}
	a := &aside{sink: s, x: x, tab: tab}
	a.refuser = database.Refuser{DB: x.t, Stage: dialect.SQLServer.Quote(asideName), Row: database.RowOfStage, At: &a.numbers}
	return a, nil
}

// Write implements database.Sink.
func (a *aside) Write(k *convert.Block) error {
	a.numbers.Add(k)
	return a.sink.Write(k)
}

// Refused implements database.Sink.
func (a *aside) Refused() *refusal.List { return &a.refuser.Refused }

// Reopens implements database.ReopenedSink: a second one could not be retried without the rows of the first.
func (a *aside) Reopens() bool { return false }

// Close implements database.Sink.
func (a *aside) Close(abort error) (int64, error) {
	_, err := a.sink.Close(abort)
	if err != nil || abort != nil {
		return 0, err
	}
	refused := a.sink.Refused()
	if refused.Len() > 0 { // a temporary table has no rules
		return 0, a.x.t.fail("load rows", errors.New(refused.Reasons[0].Reason))
	}
	err = a.sift()
	if err != nil {
		return 0, err
	}
	rows, err := a.copy(1, a.numbers.Rows())
	if a.refusing(err) {
		err = a.search(1, a.numbers.Rows())
		if err != nil {
			return 0, err
		}
		rows, err = a.copy(1, a.numbers.Rows())
	}
	if err != nil {
		return 0, a.x.t.fail("load rows", err)
	}
	return rows, a.noteKeys()
}

// sift removes the rows that break a constraint.
func (a *aside) sift() error {
	constraints, err := a.x.constraints(a.ctx, a.tab, asideName)
	if err != nil {
		return err
	}
	stage := dialect.SQLServer.Quote(asideName)
	for _, c := range constraints {
		query := fmt.Sprintf("SELECT s.%s FROM %s s WHERE %s ORDER BY 1", database.RowOfStage, stage, c.Violated)
		err := a.refuser.RefuseAll(a.ctx, query, c.Reason)
		if err != nil && !numbered(err, []int32{invalidColumn}) {
			return err
		}
	}
	return nil
}

// copy begins the transaction again and copies some rows.
func (a *aside) copy(from, to int64) (rows int64, err error) {
	t, d := a.x.t, dialect.SQLServer
	_, err = t.Exec(a.ctx, "IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION")
	if err != nil {
		return 0, err
	}
	_, err = t.Exec(a.ctx, "BEGIN TRANSACTION")
	if err != nil {
		return 0, err
	}
	if a.x.marked {
		_, err := a.x.Mark(a.ctx, a.tab)
		if err != nil {
			return 0, err
		}
	}
	end, err := a.x.ownIdentity(a.ctx, a.tab)
	if err != nil {
		return 0, err
	}
	columns := d.Columns(a.tab)
	result, err := t.conn.ExecContext(a.ctx, fmt.Sprintf("INSERT INTO %s (%s) SELECT %s FROM %s s WHERE s.%s BETWEEN %d AND %d ORDER BY s.%[5]s",
		t.quoted(a.tab.Name), columns, columns, d.Quote(asideName), database.RowOfStage, from, to))
	if err != nil {
		return 0, err
	}
	rows, err = result.RowsAffected()
	if err != nil {
		return 0, err
	}
	return rows, end()
}

// transactionEnded is the error of a statement whose trigger has ended the transaction.
const transactionEnded = 3609

// fromClient is the first number of errors that triggers throw.
const fromClient = 50000

// refusing reports whether an error is about a row, also one that a trigger has thrown.
func (a *aside) refusing(err error) bool {
	var e mssql.Error
	return refused(err) || errors.As(err, &e) && slices.ContainsFunc(allOf(e), func(x mssql.Error) bool { return x.Number == transactionEnded || x.Number >= fromClient })
}

// search finds by halving which rows are refused, in transactions that are rolled back,
// and takes them out.
func (a *aside) search(from, to int64) error {
	_, err := a.copy(from, to)
	if err != nil && !a.refusing(err) {
		return err
	}
	_, back := a.x.t.Exec(a.ctx, "IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION")
	if back != nil || err == nil {
		return back
	}
	if from == to {
		var e mssql.Error
		errors.As(err, &e)
		return a.refuser.Refuse(a.ctx, []int64{from}, refusal.Reason{Reason: withoutValue(allOf(e)[0].Message)})
	}
	middle := (from + to) / 2
	err = a.search(from, middle)
	if err != nil {
		return err
	}
	return a.search(middle+1, to)
}

// noteKeys gives the keys of all rows to what finds those that were added.
func (a *aside) noteKeys() error {
	if a.x.added == nil || a.x.added.key == nil {
		return nil
	}
	d := dialect.SQLServer
	var names []string
	for _, at := range a.x.added.key {
		names = append(names, d.Quote(a.tab.Loaded()[at].Name))
	}
	list := strings.Join(names, ", ")
	_, err := a.x.t.Exec(a.ctx, fmt.Sprintf("INSERT INTO %s (%s) SELECT %s FROM %s", d.Quote(keysName), list, list, d.Quote(asideName)))
	return err
}

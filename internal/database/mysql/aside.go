package mysql

import (
	"context"
	"fmt"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// aside is a sink for a table whose engine has no savepoints, where one row that
// is refused would take back the whole load. The rows go into a temporary table
// first. From there they are copied with one statement, before which the
// transaction has written nothing else, so that it can be tried again without
// the rows that were refused.
type aside struct {
	*sink   // fills the temporary table
	x       *tx
	tab     *table.Table
	numbers database.Numbers
	refuser database.Refuser
}

// asideName is the name of the temporary table.
const asideName = "ambertray_aside"

// loadAside opens such a sink.
func (x *tx) loadAside(ctx context.Context, tab *table.Table) (database.Sink, error) {
	err := x.Stage(ctx, tab, asideName)
	if err != nil {
		return nil, err
	}
	stage := *tab
	stage.Name, stage.Key = asideName, nil
	s, err := x.newSink(ctx, &stage)
	if err != nil {
		return nil, err
	}
	a := &aside{sink: s, x: x, tab: tab}
	a.refuser = database.Refuser{DB: x.t, Stage: asideName, Row: database.RowOfStage, At: &a.numbers}
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
	a.refuser.Refused.Append(refused)
	a.numbers.Remove(refused)
	err = a.x.renumber(a.ctx, asideName)
	if err != nil {
		return 0, err
	}
	err = a.removeDuplicates()
	if err != nil {
		return 0, err
	}
	return a.copy()
}

// removeDuplicates removes the rows that repeat a unique index of the table or an earlier row. Indexes with columns
// that are not loaded, and those on the beginning of a text, are left to the servers that hold the rows.
func (a *aside) removeDuplicates() error {
	keys, err := a.x.t.UniqueKeys(a.ctx, a.tab.Name)
	if err != nil {
		return err
	}
	d := dialect.MySQL
	for _, k := range keys {
		if !a.tab.HasColumns(k.Columns) {
			continue
		}
		why := refusal.Reason{Columns: k.Columns, Reason: inUnique + k.Name}
		if k.Primary {
			why.Reason = database.SameKey
		}
		query := database.Repeated(d, k.Columns, database.RowOfStage, database.Filled(d, k.Columns, asideName), "")
		err := a.refuser.RefuseAll(a.ctx, query, why)
		if err != nil {
			return err
		}
		if a.x.empties { // so that the table's rows are no obstacle
			continue
		}
		query = fmt.Sprintf("SELECT s.%s FROM %s s STRAIGHT_JOIN %s t%s ON %s", database.RowOfStage, asideName, d.QuoteTable(a.tab.Name), useIndex(k.Name), database.SameIn(d, k.Columns))
		err = a.refuser.RefuseAll(a.ctx, query, why)
		if err != nil {
			return err
		}
	}
	return nil
}

// copy copies the rows into the table; if some are refused, without them.
func (a *aside) copy() (int64, error) {
	_, err := a.x.t.Exec(a.ctx, "COMMIT")
	if err != nil { // of the temporary table alone
		return 0, err
	}
	all := a.numbers.Rows()
	rows, err := a.begin(1, all)
	_, refused := refusalOf(err, a.tab)
	if !refused {
		return rows, err
	}
	err = a.search(1, all)
	if err != nil {
		return 0, err
	}
	return a.begin(1, all)
}

// begin begins the transaction again, which writes nothing but these rows into the
// table, once that is emptied if it is to be.
func (a *aside) begin(from, to int64) (rows int64, err error) {
	d := dialect.MySQL
	table, columns := d.QuoteTable(a.tab.Name), d.Columns(a.tab)
	steps := []string{"ROLLBACK", "START TRANSACTION"}
	if a.x.empties {
		steps = append(steps, "DELETE FROM "+table)
	}
	steps = append(steps, fmt.Sprintf("INSERT INTO %s (%s) SELECT %s FROM %s WHERE %s BETWEEN %d AND %d ORDER BY %[5]s",
		table, columns, columns, asideName, database.RowOfStage, from, to))
	for _, statement := range steps {
		rows, err = a.x.t.Exec(a.ctx, statement)
		if err != nil {
			break
		}
	}
	return rows, err
}

// search finds by halving which rows the server refuses, in transactions that are
// rolled back, and takes them out.
func (a *aside) search(from, to int64) error {
	_, err := a.begin(from, to)
	why, refused := refusalOf(err, a.tab)
	if err != nil && !refused {
		return err
	}
	_, back := a.x.t.Exec(a.ctx, "ROLLBACK")
	if back != nil || err == nil {
		return back
	}
	if from == to {
		return a.refuser.Refuse(a.ctx, []int64{from}, why) // with no transaction open
	}
	middle := (from + to) / 2
	err = a.search(from, middle)
	if err != nil {
		return err
	}
	return a.search(middle+1, to)
}

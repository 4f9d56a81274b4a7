package sqlserver

import (
	"context"
	"errors"

	mssql "github.com/microsoft/go-mssqldb"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/table"
)

type tx struct {
	t       *Target
	done    bool
	created string // the table that the transaction has made
	wrote   bool   // it has written before its rows were loaded
	marked  bool   // the rows that it adds are to be distinguished, or others kept out
	added   *added
}

// Begin implements database.Target.
func (t *Target) Begin(ctx context.Context) (database.Tx, error) {
	_, err := t.Exec(ctx, "BEGIN TRANSACTION")
	if err != nil {
		return nil, err
	}
	return &tx{t: t}, nil
}

// Create implements database.Tx. The table has its key from the start: where a heap
// keeps its rows is no order by which one that repeats a key could be named.
func (x *tx) Create(ctx context.Context, tab *table.Table, how database.Creation) error {
	d := x.t.dialect
	x.wrote = true
	if how.Replace {
		err := x.exec(ctx, "DROP TABLE IF EXISTS "+d.QuoteTable(tab.Name))
		if err != nil {
			return x.t.fail("drop table "+tab.Name, err)
		}
	}
	described := *tab // comments go by the schema
	if d.Schema(tab.Name) == "" {
		described.Name = x.t.home + "." + tab.Name
	}
	err := x.exec(ctx, append([]string{d.CreateTable(tab)}, d.Comments(&described)...)...)
	if err == nil {
		x.created = tab.Name
	}
	return x.t.fail("create table "+tab.Name, err)
}

func (x *tx) exec(ctx context.Context, statements ...string) error {
	for _, s := range statements {
		_, err := x.t.conn.ExecContext(ctx, s)
		if err != nil {
			return err
		}
	}
	return nil
}

// Empty implements database.Emptier. A table that others refer to cannot be truncated,
// and not every login may; its rows can be deleted.
func (x *tx) Empty(ctx context.Context, tab *table.Table) error {
	x.wrote = true
	op, name := "empty table "+tab.Name, dialect.SQLServer.QuoteTable(tab.Name)
	err := x.exec(ctx, "SAVE TRANSACTION empty_table", "TRUNCATE TABLE "+name)
	var refused mssql.Error
	if errors.As(err, &refused) {
		err = x.exec(ctx, "ROLLBACK TRANSACTION empty_table", "DELETE FROM "+name)
	}
	return x.t.fail(op, err)
}

// Index implements database.Indexer.
func (x *tx) Index(ctx context.Context, tab *table.Table) error {
	return x.t.fail("index table "+tab.Name, x.exec(ctx, dialect.SQLServer.Finish(tab, true)...))
}

// Commit implements database.Tx.
func (x *tx) Commit(ctx context.Context, entry *ledger.Entry) error {
	if entry != nil {
		// Two loads at once that are the first ones would both make the ledger.
		err := x.t.appLock(ctx, "lock the ledger", "'"+ledger.Name+"'", "Transaction", 12*patience)
		if err != nil {
			return err
		}
		err = ledger.Write(ctx, x.t, entry)
		if err != nil {
			return err
		}
	}
	err := x.exec(ctx, "COMMIT TRANSACTION")
	x.done = err == nil
	x.forget()
	return x.t.fail("commit", err)
}

// forget drops the temporary tables, which the session would keep.
func (x *tx) forget() {
	for name, temporary := range x.t.stages {
		_ = x.exec(context.Background(), "DROP TABLE IF EXISTS "+dialect.SQLServer.Quote(temporary))
		delete(x.t.stages, name)
	}
}

// noTransaction is the server's answer if the driver still refers to a transaction that has
// ended, as after an interruption at the moment of its end.
const noTransaction = 3971

// Rollback implements database.Tx. Where the load was interrupted in the middle of a
// request, the connection is gone, and with it, on the server, the transaction.
func (x *tx) Rollback() error {
	if x.done {
		return nil
	}
	x.done = true
	err := x.exec(context.Background(), "IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION")
	clear(x.t.stages)
	var refused mssql.Error
	if errors.As(err, &refused) && refused.Number == noTransaction {
		return nil
	}
	failed := x.t.fail("roll back", err)
	if errors.Is(failed, database.ErrUnreachable) {
		return nil
	}
	return failed
}

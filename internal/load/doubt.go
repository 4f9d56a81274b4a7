package load

import (
	"context"
	"errors"
	"fmt"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
)

// ErrOneCommit is returned for a load with checkpoints into a table on several
// servers, which do not commit together with the ledger.
var ErrOneCommit = errors.New("the table is on several servers, which do not commit together with the ledger: only a load in one transaction is possible")

// DoubtError says that it is not known whether all servers that hold a table have
// committed the rows of a load.
type DoubtError struct {
	Table string
	Load  string // its id in the ledger; "" without one
	Err   error  // of the commit; nil where an earlier load was interrupted
}

func (e *DoubtError) Error() string {
	if e.Err == nil {
		return fmt.Sprintf("load %s into %s was interrupted, and the table is on several servers: whether all, some or none of its rows are there is not known", e.Load, e.Table)
	}
	return fmt.Sprintf("%v; the table is on several servers: whether all, some or none of them have committed is not known", e.Err)
}

func (e *DoubtError) Unwrap() error { return e.Err }

// doubt is the state of a load into a table on several servers. Its entry in the
// ledger is committed before any row, as one that is in doubt, and settled when
// all servers have committed.
type doubt struct {
	entry *ledger.Entry // nil without a ledger
}

func (d *doubt) fail(table string, err error) error {
	e := &DoubtError{Table: table, Err: err}
	if d.entry != nil {
		e.Load = d.entry.ID
	}
	return e
}

// complete replaces the entry by that of a load that is complete.
func (d *doubt) complete(ctx context.Context, to database.Target, entry *ledger.Entry) error {
	if d.entry == nil {
		return nil
	}
	if entry == nil {
		return ledger.Forget(ctx, to, d.entry.ID)
	}
	entry.ID, entry.Last = d.entry.ID, &ledger.Place{}
	tx, err := to.Begin(ctx)
	if err != nil {
		return err
	}
	return errors.Join(tx.Commit(ctx, entry), tx.Rollback())
}

// dismiss takes the entry of a load that was rolled back out of the ledger.
func (d *doubt) dismiss(to database.Target, err error) {
	var inDoubt *DoubtError
	if d.entry != nil && !errors.As(err, &inDoubt) {
		_ = ledger.Forget(context.Background(), to, d.entry.ID) // otherwise it stays in doubt
	}
}

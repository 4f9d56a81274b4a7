package load

import (
	"context"
	"fmt"

	"ambertray/internal/database"
	"ambertray/internal/note"
	"ambertray/internal/table"
)

// openTable creates the table, or opens an existing one as the plan says. With
// checkpoints it is committed more than once.
func (j *job) openTable(ctx context.Context, checkpoints bool) error {
	mode := j.plan.Existing
	exists, err := j.to.Exists(ctx, j.table.Name)
	if err != nil {
		return err
	}
	if !exists {
		err := j.createSchema(ctx)
		if err != nil {
			return err
		}
	}
	how := database.Creation{Whole: checkpoints, NoLedger: j.NoLedger}
	how.Lanes, err = j.chooseLanes(ctx, !exists || mode == table.Rebuild, checkpoints)
	if err != nil {
		return err
	}
	if !exists || mode == table.Refuse {
		j.receipt.Outcome = Created
		j.receipt.Counts.TableBefore = new(int64)
		return j.tx.Create(ctx, j.table, how)
	}
	if mode == table.Rebuild {
		err := j.countBefore(ctx)
		if err != nil {
			return err
		}
		err = j.checkLosses(ctx)
		if err != nil {
			return err
		}
		j.receipt.Outcome, how.Replace = Rebuilt, true
		return j.tx.Create(ctx, j.table, how)
	}
	err = j.openExisting(ctx, checkpoints)
	if err != nil {
		return err
	}
	if mode == table.Empty {
		j.receipt.Outcome = Emptied
		err := j.countBefore(ctx)
		if err != nil {
			return err
		}
		tx, err := database.Require[database.Emptier](j.to, j.tx, "emptying a table")
		if err != nil {
			return err
		}
		err = j.checkLosses(ctx)
		if err != nil {
			return err
		}
		return tx.Empty(ctx, j.table)
	}
	j.receipt.Outcome = Appended
	return j.mark(ctx)
}

// countBefore counts the rows of the table.
func (j *job) countBefore(ctx context.Context) error {
	rows, err := j.to.Count(ctx, j.table.Name)
	j.receipt.Counts.TableBefore = &rows
	return err
}

// openExisting checks that rows can be sent to an existing table.
func (j *job) openExisting(ctx context.Context, checkpoints bool) error {
	err := j.checkStorage(ctx)
	if err != nil {
		return err
	}
	if j.storage.Servers != nil {
		if checkpoints {
			return ErrOneCommit
		}
		err := j.enterDoubt(ctx)
		if err != nil {
			return err
		}
	}
	return j.fitTable(ctx)
}

// EngineError says that the engine of a table takes nothing back.
type EngineError struct{ Table, Engine string }

func (e *EngineError) Error() string {
	return fmt.Sprintf("table %s is stored by %s, which has no transactions: a load that fails would leave rows in it", e.Table, e.Engine)
}

// checkHidden refuses to load into a table if rows of it may be hidden from the login, except to merge,
// which it notes: COPY does not write into such a table, and DELETE does not empty it.
func checkHidden(to database.Target, plan *table.Table, hides bool) ([]note.Note, error) {
	switch {
	case !hides:
		return nil, nil
	case plan.Existing != table.Merge:
		return nil, &database.Error{Target: to.Name(), Op: "load into " + plan.Name, Kind: database.ErrHidden}
	}
	return []note.Note{note.About(database.ErrHidden.Error())}, nil
}

// checkStorage refuses to load into a table that rolls nothing back, unless that
// was accepted, and into one with hidden rows.
func (j *job) checkStorage(ctx context.Context) (err error) {
	to, ok := j.to.(database.Stored)
	if !ok {
		return nil
	}
	storage, err := to.Storage(ctx, j.table.Name)
	if err != nil {
		return err
	}
	if storage.NoTransactions && !j.NoRollback {
		return &EngineError{j.table.Name, storage.Engine}
	}
	hidden, err := checkHidden(j.to, j.table, storage.HidesRows)
	if err != nil {
		return err
	}
	for _, n := range hidden {
		j.receipt.addNote(n)
	}
	if storage.Unlogged {
		j.receipt.addNote(note.About("the table is unlogged: the server empties it after a crash, and the ledger does not know"))
	}
	j.storage = storage
	if storage.NoTransactions {
		j.receipt.Remarks = append(j.receipt.Remarks, "the table is kept by "+storage.Engine+", which has no transactions")
	}
	return nil
}

// createSchema creates the schema of the table, if the plan says so and it does
// not exist.
func (j *job) createSchema(ctx context.Context) error {
	schema := j.to.Dialect().Schema(j.table.Name)
	if schema == "" || !j.plan.CreateSchema {
		return nil
	}
	to, err := database.Require[database.SchemaCreator](j.to, j.to, "creating a schema")
	if err == nil {
		j.undoSchema, err = to.CreateSchema(ctx, schema)
	}
	return err
}

// fitTable gives the plan the types that its table has.
func (j *job) fitTable(ctx context.Context) error {
	live, err := database.Columns(ctx, j.to, j.table.Name)
	if err != nil {
		return err
	}
	fitted, bad := fit(j.table, live, j.to.Dialect())
	if bad != nil {
		return &MismatchError{j.table.Name, bad}
	}
	for _, n := range fitNotes(j.table, fitted, live) {
		j.receipt.addNote(n)
	}
	j.table = fitted
	return nil
}

package database

import (
	"context"
	"fmt"

	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// The capabilities that a Target may have.
type (
	// Locker keeps other loads off a table, which is named by its identity, until
	// unlock is called or the connection ends. ErrLocked is returned when another
	// load keeps it for long.
	Locker interface {
		Lock(ctx context.Context, table string) (unlock func(), err error)
	}
	// Inspector describes existing tables.
	Inspector interface {
		Columns(ctx context.Context, name string) ([]ColumnInfo, error)
		// Identity returns the name by which the database knows a table, whatever
		// its spelling: with its schema, letters folded as the database folds them.
		// The table need not exist.
		Identity(ctx context.Context, name string) (string, error)
	}
	// Prober reports what matters to a load about the server and the login.
	Prober interface {
		Facts(ctx context.Context) ([]Fact, error)
		// Grant returns the statement that gives the login a right: to create or to
		// insert.
		Grant(right string) string
	}
	// SchemaCreator creates a schema unless it exists. undo, unless nil, drops it
	// again if it is empty, where a rollback does not.
	SchemaCreator interface {
		CreateSchema(ctx context.Context, name string) (undo func() error, err error)
	}
	// Analyzer refreshes what the server knows of the values of a table, so that it
	// finds fast ways to its rows.
	Analyzer interface {
		Analyze(ctx context.Context, table string) error
	}
	// Stored reports how an existing table is stored, where that may limit a load.
	Stored interface {
		Storage(ctx context.Context, name string) (Storage, error)
	}
	// Depended lists what depends on an existing table, would be lost if that were
	// dropped, and is not in its plan: indexes, triggers, foreign keys, rights, views.
	Depended interface {
		Dependents(ctx context.Context, t *table.Table) ([]string, error)
	}
)

// The capabilities that a Tx may have.
type (
	// Emptier removes the rows of an existing table.
	Emptier interface {
		Empty(ctx context.Context, t *table.Table) error
	}
	// Indexer creates the indexes of a table, which is faster after its rows are
	// loaded.
	Indexer interface {
		Index(ctx context.Context, t *table.Table) error
	}
	// StagingTx merges rows into an existing table through a staging table.
	StagingTx interface {
		// Stage creates a temporary table with the columns of an existing one, and
		// RowOfStage.
		Stage(ctx context.Context, t *table.Table, name string) error
		// Merge merges a staging table into the table by its key; at says which
		// records the rows of the staging table are.
		Merge(ctx context.Context, t *table.Table, stage string, at *Numbers) (Merged, *refusal.List, error)
	}
)

// MissingError says that a database does not have a capability.
type MissingError struct {
	Target string
	What   string // what cannot be done without it
}

func (e *MissingError) Error() string {
	return fmt.Sprintf("%s: %s is not supported for this kind of database", e.Target, e.What)
}

// Require returns a capability of a target, or of its transaction. what is what
// cannot be done without it.
func Require[C any](t Target, of any, what string) (C, error) {
	c, ok := of.(C)
	if !ok {
		return c, &MissingError{t.Name(), what}
	}
	return c, nil
}

// Lock locks a table.
func Lock(ctx context.Context, t Target, table string) (unlock func(), err error) {
	l, err := Require[Locker](t, t, "locking a table")
	if err != nil {
		return nil, err
	}
	return l.Lock(ctx, table)
}

// Identity returns the identity of a table.
func Identity(ctx context.Context, t Target, name string) (string, error) {
	i, err := Require[Inspector](t, t, "identifying a table")
	if err != nil {
		return "", err
	}
	return i.Identity(ctx, name)
}

// Columns returns the columns of an existing table.
func Columns(ctx context.Context, t Target, name string) ([]ColumnInfo, error) {
	i, err := Require[Inspector](t, t, "loading into an existing table")
	if err != nil {
		return nil, err
	}
	return i.Columns(ctx, name)
}

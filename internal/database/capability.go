package database

import (
	"context"
	"fmt"

	"ambertray/internal/proof"
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
		// Grant returns the statement that gives the login a right: to create, to insert, or to keep the
		// ledger.
		Grant(right string) string
	}
	// SchemaCreator creates a schema unless it exists. undo, unless nil, drops it
	// again if it is empty, where a rollback does not.
	SchemaCreator interface {
		CreateSchema(ctx context.Context, name string) (undo func() error, err error)
	}
	// Analyzer refreshes what the server knows of the values of a table, so that it
	// finds fast ways to its rows. Added is how many rows are new: where these are few among
	// those that are known, nothing is done, as it takes longer than to add them.
	Analyzer interface {
		Analyze(ctx context.Context, table string, added int64) error
	}
	// Laned loads a new table over several connections side by side. Other sessions see
	// nothing of it but a staging table, until it is committed.
	Laned interface {
		// Lanes returns how many the server can work on at once, as far as it reports.
		Lanes(ctx context.Context) (int, error)
	}
	// Sharer is a database into which several loaders load one source.
	Sharer interface {
		// SignAs makes the session known by a name of at most 60 letters.
		SignAs(ctx context.Context, name string) error
		// EndSessions ends the sessions that are known by it.
		EndSessions(ctx context.Context, name string) error
	}
	// Stored reports how an existing table is stored, where that may limit a load.
	Stored interface {
		Storage(ctx context.Context, name string) (Storage, error)
	}
	// Cascader lists what the deletion of rows of a table changes elsewhere: its
	// triggers, and foreign keys of other tables that follow.
	Cascader interface {
		Cascades(ctx context.Context, table string) ([]string, error)
	}
	// Definer returns the statements that make a table as it is: with its key, foreign
	// keys, identity and indexes.
	Definer interface {
		Definition(ctx context.Context, table string) ([]string, error)
		// UniqueKeys returns the primary key first.
		UniqueKeys(ctx context.Context, table string) ([]UniqueKey, error)
		ForeignKeys(ctx context.Context, table string) ([]ForeignKey, error)
	}
	// Snapshotter lets all reads until release see the database of one moment.
	Snapshotter interface {
		Snapshot(ctx context.Context) (release func() error, err error)
	}
	// Querier reads what any query returns.
	Querier interface {
		// Describe returns the columns of a query, without its rows.
		Describe(ctx context.Context, query string) ([]ColumnInfo, error)
		// QueryRows reads its rows, as Target.Rows does, as values of the columns of
		// t, in their order.
		QueryRows(ctx context.Context, query string, t *table.Table, each EachRow) error
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
	// Adder distinguishes the rows that the transaction adds to an existing table from
	// those that are there, so that only these are read to prove them.
	Adder interface {
		// Mark notes where the table ends, before rows are added. It reports whether
		// the rows can be distinguished.
		Mark(ctx context.Context, t *table.Table) (bool, error)
		// Added reads the rows that were added since Mark, as Target.Rows does; rows
		// is how many they should be.
		Added(ctx context.Context, t *table.Table, rows int64, each EachRow) error
	}
	// Summer sums the rows of a table where they are, by a hash of the server.
	Summer interface {
		// RowHash returns that hash, of encoded rows, or nil where the server has
		// none that we know.
		RowHash(ctx context.Context, t *table.Table) (proof.RowHash, error)
		// Sum sums all rows, or those that were added since Mark; rows is how many
		// these should be.
		Sum(ctx context.Context, t *table.Table, rows int64, added bool) (proof.Sum, error)
	}
	// Indexer creates the indexes of a table, which is faster after its rows are
	// loaded.
	Indexer interface {
		Index(ctx context.Context, t *table.Table) error
	}
	// StagingTx merges rows into an existing table through a staging table.
	StagingTx interface {
		// Stage creates a temporary table with the columns of an existing one, and
		// RowOfStage. It replaces one of the same name.
		Stage(ctx context.Context, t *table.Table, name string) error
		// Merge merges a staging table into the table by its key, as Merger.Merge does; at says
		// which records the rows of the staging table are.
		Merge(ctx context.Context, t *table.Table, stage, before string, at *Numbers) (Merged, *refusal.List, error)
	}
)

// LanedSink is a Sink that may load in lanes.
type LanedSink interface {
	// Lanes returns how many it has.
	Lanes() int
}

// ReopenedSink is a Sink that may be followed by another one for the same table, in the same transaction.
type ReopenedSink interface {
	// Reopens reports whether another sink can follow.
	Reopens() bool
}

// Few reports whether rows that were added to a table of a number of rows are too
// few to matter.
func Few(added, known int64) bool { return 10*added < known }

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

// Snapshot lets all reads until release see the database of one moment.
func Snapshot(ctx context.Context, t Target) (release func() error, err error) {
	s, err := Require[Snapshotter](t, t, "reading at one moment")
	if err != nil {
		return nil, err
	}
	return s.Snapshot(ctx)
}

// SnapshotBy makes a snapshot with the statement that begins a transaction, and ends
// it with that.
func SnapshotBy(ctx context.Context, t Target, begin string) (release func() error, err error) {
	_, err = t.Exec(ctx, begin)
	return func() error {
		_, err := t.Exec(context.WithoutCancel(ctx), "ROLLBACK")
		return err
	}, err
}

// LiveColumns returns the columns of a table, or ErrNoTable if it does not exist.
func LiveColumns(ctx context.Context, t Target, name string) ([]ColumnInfo, error) {
	live, err := Columns(ctx, t, name)
	if err == nil && len(live) == 0 {
		err = &Error{Target: t.Name(), Op: "read " + name, Kind: ErrNoTable}
	}
	return live, err
}

// Columns returns the columns of a table, none if it does not exist.
func Columns(ctx context.Context, t Target, name string) ([]ColumnInfo, error) {
	i, err := Require[Inspector](t, t, "loading into an existing table")
	if err != nil {
		return nil, err
	}
	return i.Columns(ctx, name)
}

// Package database is what the story of a load needs of a database. Each
// database has a package of its own below this one.
package database

import (
	"context"
	"errors"
	"fmt"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/table"
)

// The conditions that callers can act on.
var (
	ErrUnreachable = errors.New("does not answer")
	ErrLogin       = errors.New("refuses the login")
	ErrPermission  = errors.New("does not permit it")
	ErrExists      = errors.New("the table exists already")
	ErrNoTable     = errors.New("there is no such table")
	ErrNoSchema    = errors.New("there is no such schema")
	ErrFull        = errors.New("the disk is full")
	ErrLocked      = errors.New("somebody else is writing to it")
	ErrNoDatabase  = errors.New("it is not a database")
	ErrCannotOpen  = errors.New("the file cannot be opened or made")
)

// Target is an open database. It is used by one goroutine at a time.
type Target interface {
	// Name tells people which database this is; it never holds a password.
	Name() string
	Dialect() *dialect.Dialect
	// Encoder returns the encoder of the blocks that a Sink takes, for records
	// of so many columns.
	Encoder(columns int) convert.Encoder
	// Exec runs a statement, within the transaction if there is one, and returns
	// how many rows it changed.
	Exec(ctx context.Context, statement string) (rows int64, err error)
	// Query returns the rows of a query as text, NULL as "".
	Query(ctx context.Context, query string) ([][]string, error)
	// Lock keeps other loads off a table, which is named by its identity, until
	// unlock is called or the connection ends. ErrLocked is returned when one holds it for long.
	Lock(ctx context.Context, table string) (unlock func(), err error)
	// Columns returns the columns of a table that is there.
	Columns(ctx context.Context, name string) ([]Live, error)
	// Identity returns the name by which the database knows a table, whatever its
	// spelling: with its schema, letters folded as the database folds them. The
	// table need not exist.
	Identity(ctx context.Context, name string) (string, error)
	// Exists reports whether the database has a table of that name.
	Exists(ctx context.Context, name string) (bool, error)
	// Figures asks for the number of rows and the figures of every loaded
	// column of the table; of a table without columns it tells the rows only. It
	// works inside and outside a transaction.
	Figures(ctx context.Context, t *table.Table) (rows int64, figures []table.Figures, err error)
	// Facts tells what matters to a load about the server and the connection.
	Facts(ctx context.Context) ([]Fact, error)
	// Grant returns what gives the login a right: to create or to insert.
	Grant(right string) string
	// Begin starts a transaction; there is one at a time.
	Begin(ctx context.Context) (Tx, error)
	// Close ends the connection, and with it a transaction that is open.
	Close() error
}

// Depended is a target where other things hang on a table, which are lost when
// that is dropped.
type Depended interface {
	// Dependents names what would be lost with an existing table and is not in
	// its plan: indexes, triggers, foreign keys, rights, views.
	Dependents(ctx context.Context, t *table.Table) ([]string, error)
}

// Tx is the transaction of one load.
type Tx interface {
	// Create makes the table with its comments. ErrExists is returned for one
	// that is there and is not to be replaced.
	Create(ctx context.Context, t *table.Table, how Creation) error
	// Empty takes the rows out of a table that is there.
	Empty(ctx context.Context, t *table.Table) error
	// Index makes the table's indexes, which is quicker when its rows are there.
	Index(ctx context.Context, t *table.Table) error
	// Stage makes a temporary table with the columns of one that is there, and
	// RowOfStage, to be merged into that.
	Stage(ctx context.Context, t *table.Table, name string) error
	// Merge merges a stage into the table by its key; at tells which records
	// the rows of the stage are.
	Merge(ctx context.Context, t *table.Table, stage string, at *Numbers) (Merged, *convert.Refusals, error)
	// Load opens the bulk path into the table's loaded columns.
	Load(ctx context.Context, t *table.Table) (Sink, error)
	// Commit makes it permanent, and with it the entry in the ledger, if any.
	Commit(ctx context.Context, entry *ledger.Entry) error
	// Rollback leaves the database as it was before Begin, also when the
	// context of the load has ended. After Commit it does nothing.
	Rollback() error
}

// Creation is how a table is made.
type Creation struct {
	Replace bool // it takes the place of one that is there
	// Whole makes it at once as it will be, for a load that commits more than
	// once. Otherwise a target may leave to the end what is cheaper then.
	Whole bool
	// NoLedger forbids touching the ledger.
	NoLedger bool
}

// Sink takes blocks in source order. It is used by one goroutine.
type Sink interface {
	// Write hands over a block, which it does not keep.
	Write(k *convert.Block) error
	// Close ends the load and returns how many rows the server took. It must
	// be called in any case; abort tells that the load is to be given up.
	Close(abort error) (rows int64, err error)
	// Refused returns the rows that the server does not take: a key that occurs
	// twice, a constraint that does not hold. It is known after Close.
	Refused() *convert.Refusals
	// Remarks are what the administrator should know of how the rows went in.
	Remarks() []string
}

// Error is a failure of a target.
type Error struct {
	Target string // its Name
	Op     string // what was being done: "connect", "create table loan"
	Kind   error  // one of the conditions above, or nil
	Err    error  // what the server or its driver says
}

func (e *Error) Error() string {
	if e.Kind == nil {
		return fmt.Sprintf("%s: %s: %v", e.Target, e.Op, e.Err)
	}
	if e.Err == nil {
		return fmt.Sprintf("%s: %s: %v", e.Target, e.Op, e.Kind)
	}
	return fmt.Sprintf("%s: %s: %v: %v", e.Target, e.Op, e.Kind, e.Err)
}

// Unwrap returns the condition and the cause.
func (e *Error) Unwrap() []error {
	var errs []error
	if e.Kind != nil {
		errs = append(errs, e.Kind)
	}
	if e.Err != nil {
		errs = append(errs, e.Err)
	}
	return errs
}

// SameKey is why a row is refused whose key another one has.
const SameKey = "its key is there already"

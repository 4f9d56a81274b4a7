// Package database is the contract between loads and databases: a small core
// that every database fulfils, and capabilities that it may have beside. Each
// database has a package of its own below this one.
package database

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// The conditions that callers can act on.
var (
	ErrUnreachable = errors.New("does not answer")
	ErrLogin       = errors.New("login refused")
	ErrPermission  = errors.New("permission denied")
	ErrExists      = errors.New("the table already exists")
	ErrNoTable     = errors.New("no such table")
	ErrNotTable    = errors.New("not a table")
	ErrNoSchema    = errors.New("no such schema")
	ErrFull        = errors.New("the disk is full")
	ErrKeyRequired = errors.New("the server requires a primary key")
	ErrTooLong     = errors.New("too long for the server")
	ErrLocked      = errors.New("locked by another session")
	ErrEnding      = errors.New("the server is still rolling it back")
	ErrConflict    = errors.New("the server rolled it back for another session")
	ErrRolledBack  = errors.New("a rule of the table rolled the whole transaction back")
	ErrNoDatabase  = errors.New("not a database")
	ErrReadOnly    = errors.New("the database is read only")
	ErrCertificate = errors.New("the server's certificate is not trusted")
	ErrEncryption  = errors.New("the server takes no encrypted connection")
	ErrPlain       = errors.New("the server takes encrypted connections only")
	ErrTooOld      = errors.New("the server is too old")
	ErrCannotOpen  = errors.New("the file cannot be opened or created")
	ErrHidden      = errors.New("row-level security may hide rows of the table from this login")
	ErrSequence    = errors.New("the login may not move the sequence")
	ErrPooled      = errors.New("a connection pool runs each transaction in another session")
	ErrURL         = errors.New("the URL cannot be parsed") // without the URL, which may contain a password
	// ErrInOrder ends a load in lanes of which a row is refused: which one that is, is
	// known when the rows are loaded in their order.
	ErrInOrder = errors.New("a key occurs twice")
)

// Target is an open database. One goroutine uses it at a time. Its methods return
// an *Error; they end soon after the context does.
type Target interface {
	// Name is the name of the database for people, without a password.
	Name() string
	Dialect() *dialect.Dialect
	// Exec runs a statement, within the transaction if one is open, and returns
	// how many rows it changed.
	Exec(ctx context.Context, statement string) (rows int64, err error)
	// Query returns the rows of a query as text, NULL as "".
	Query(ctx context.Context, query string) ([][]string, error)
	// Exists reports whether the database has a table of that name.
	Exists(ctx context.Context, name string) (bool, error)
	// Rows reads a table, within the transaction if one is open. each gets every
	// row: the values of the loaded columns, of the types that the dialect stores
	// them as, to keep nothing of.
	Rows(ctx context.Context, t *table.Table, each EachRow) error
	// Count returns the number of rows of a table.
	Count(ctx context.Context, table string) (int64, error)
	// Begin starts a transaction; only one is open at a time.
	Begin(ctx context.Context) (Tx, error)
	// Close ends the connection, and rolls back a transaction that is open.
	Close() error
}

// EachRow gets a row, which is valid until it returns.
type EachRow func(row []value.Value) error

// Tx is the transaction of one load.
type Tx interface {
	// Create creates the table with its comments. ErrExists is returned for one
	// that exists and is not to be replaced.
	Create(ctx context.Context, t *table.Table, how Creation) error
	// Load opens the bulk path into the table's loaded columns.
	Load(ctx context.Context, t *table.Table) (Sink, error)
	// Commit makes the transaction permanent, and with it the entry in the ledger
	// unless that is nil.
	Commit(ctx context.Context, entry *ledger.Entry) error
	// Rollback undoes everything since Begin, also when the context of the load has
	// ended. After Commit it does nothing.
	Rollback() error
}

// Creation is how a table is made.
type Creation struct {
	Replace bool // it takes the place of an existing one
	// Whole makes it at once as it will be, for a load that commits more than
	// once. Otherwise a target may leave to the end what is cheaper then.
	Whole bool
	// NoLedger forbids touching the ledger.
	NoLedger bool
	// Lanes is over how many connections the rows are to be loaded side by side. More
	// than one are asked for only where the target is Laned, and not with Whole.
	Lanes int
}

// Sink takes blocks in source order, from one goroutine.
type Sink interface {
	// Encoder returns the encoder of the blocks that the sink takes.
	Encoder() convert.Encoder
	// Write hands over a block, which it does not keep.
	Write(k *convert.Block) error
	// Close ends the load and returns how many rows the server took. It must
	// be called in any case; abort says that the load is to be given up.
	Close(abort error) (rows int64, err error)
	// Refused returns the rows that the server does not take: a key that occurs
	// twice, a constraint that does not hold. It is known after Close.
	Refused() *refusal.List
	// Remarks are what the administrator should know of how the rows went in.
	Remarks() []string
}

// NotTable returns an error if a query finds another kind of object, such as a view, and
// returns the name of that kind.
func NotTable(ctx context.Context, t Target, op, query string) error {
	found, err := t.Query(ctx, query)
	if err == nil && len(found) > 0 {
		err = &Error{Target: t.Name(), Op: op, Kind: ErrNotTable, Err: errors.New("it is a " + found[0][0])}
	}
	return err
}

// Error is a failure of a target.
type Error struct {
	Target string // its Name
	Op     string // what was being done: "connect", "create table loan"
	Kind   error  // one of the conditions above, or nil
	Err    error  // what the server or its driver says
}

func (e *Error) Error() string {
	switch {
	case e.Err == nil:
		return fmt.Sprintf("%s: %s: %v", e.Target, e.Op, e.Kind)
	case e.Kind == nil, strings.HasPrefix(e.Err.Error(), e.Kind.Error()): // the server says it in the same words
		return fmt.Sprintf("%s: %s: %v", e.Target, e.Op, e.Err)
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

// Explain wraps an error of a server or its driver in an *Error, and lets explain set its
// kind. It returns nil and errors that are wrapped already unchanged.
func Explain(target, op string, err error, explain func(e *Error)) error {
	var known *Error
	if err == nil || errors.As(err, &known) {
		return err
	}
	e := &Error{Target: target, Op: op, Err: err}
	explain(e)
	return e
}

// Untrusted reports whether the server's certificate was refused, and makes that the error. Some
// drivers say so in words only.
func (e *Error) Untrusted() bool {
	_, why, found := strings.Cut(e.Err.Error(), "x509: ")
	if found {
		e.Kind, e.Err = ErrCertificate, errors.New(why)
	}
	return found
}

// Innermost returns the last cause of an error, which says what happened in a few words
// and without the settings of a connection. Of several causes that is the last one.
func Innermost(err error) error {
	for {
		inner := errors.Unwrap(err)
		several, ok := err.(interface{ Unwrap() []error })
		if ok && len(several.Unwrap()) > 0 {
			inner = several.Unwrap()[len(several.Unwrap())-1]
		}
		if inner == nil {
			return err
		}
		err = inner
	}
}

// SameKey is why a row is refused whose key another one has.
const SameKey = "duplicate key"

const notInTable = "not in table "

// NotInTable returns why a row is refused that references a missing row of a table. foreignKey is the name of the
// foreign key, or "" if it has no name.
func NotInTable(table, foreignKey string) string {
	if foreignKey == "" {
		return notInTable + table
	}
	return fmt.Sprintf("%s%s (foreign key %s)", notInTable, table, foreignKey)
}

// IsNotInTable reports whether a reason is one of NotInTable.
func IsNotInTable(reason string) bool { return strings.HasPrefix(reason, notInTable) }

// Made is a database that was created.
type Made struct {
	What string // was created, for people
	// Undo drops it again if nothing is in it.
	Undo func(ctx context.Context) error
}

// LockedBy returns the error of a table that another session has locked. The query finds a description
// of that session, as far as the login may see it.
func LockedBy(ctx context.Context, t Target, table, query string) error {
	e := &Error{Target: t.Name(), Op: "lock table " + table, Kind: ErrLocked}
	holders, err := FirstColumn(ctx, t, query)
	if err == nil && len(holders) > 0 {
		e.Err = errors.New(holders[0])
	}
	return e
}

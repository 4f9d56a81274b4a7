// Package sqlite loads into SQLite files: prepared statements through the
// driver's direct interface, inside one transaction.
package sqlite

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/table"
)

// errNoFolder says that a file cannot be made where it is to be.
var errNoFolder = errors.New("no such folder")

// busyTimeout is how long another writer is waited for.
const busyTimeout = 5 * time.Second

// Target is an SQLite file.
type Target struct {
	path      string
	created   bool // the file was not there before
	committed bool
	conn      *sqlite.Conn
	file      os.FileInfo // that the connection has open
	closed    bool
	locked    bool   // a transaction was begun that Begin is to hand out
	bounds    bounds // of a fast load
}

var (
	_ database.Target    = (*Target)(nil)
	_ database.Locker    = (*Target)(nil)
	_ database.Inspector = (*Target)(nil)
	_ database.Prober    = (*Target)(nil)
	_ database.Analyzer  = (*Target)(nil)
	_ database.Emptier   = (*tx)(nil)
	_ database.Indexer   = (*tx)(nil)
	_ database.StagingTx = (*tx)(nil)
	_ database.Adder     = (*tx)(nil)
	_ database.Summer    = (*tx)(nil)
	_ convert.Encoder    = encoder{}
)

// Open opens the file at path. Without create a file that is not there is an
// error; with it one is made as soon as something is written.
func Open(path string, create bool) (*Target, error) {
	t := &Target{path: path, bounds: usualBounds}
	_, err := os.Stat(path)
	if errors.Is(err, os.ErrNotExist) {
		if !create {
			return nil, &database.Error{Target: path, Op: "open", Err: os.ErrNotExist}
		}
		t.created = true
	}
	err = t.connect()
	if err != nil {
		return nil, err
	}
	return t, nil
}

// connect opens a connection, again where the file is removed meanwhile by another
// program that has made it for nothing.
func (t *Target) connect() error {
	for {
		err := t.connectOnce()
		if !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
}

func (t *Target) connectOnce() (err error) {
	_, err = os.Stat(filepath.Dir(t.path))
	if err != nil {
		return &database.Error{Target: t.path, Op: "open", Err: errNoFolder}
	}
	t.conn, err = sqlite.OpenConn(t.path, sqlite.OpenReadWrite|sqlite.OpenCreate)
	if err != nil {
		return t.fail("open", err)
	}
	t.conn.SetBlockOnBusy()
	t.conn.SetBusyTimeout(busyTimeout)
	for _, setting := range []string{
		"PRAGMA analysis_limit = 1000", // rows of an index are enough for statistics
		"PRAGMA foreign_keys = ON",     // which the engine does not check otherwise
	} {
		_, err := t.Exec(context.Background(), setting)
		if err != nil {
			t.conn.Close()
			return err
		}
	}
	t.file, err = os.Stat(t.path)
	if err != nil {
		t.conn.Close()
		return t.fail("open", err)
	}
	return nil
}

// Name implements database.Target.
func (t *Target) Name() string { return t.path }

// Dialect implements database.Target.
func (t *Target) Dialect() *dialect.Dialect { return dialect.SQLite }

// Close implements database.Target. A file that was made, and into which nothing
// was committed, is removed again.
func (t *Target) Close() error {
	if t.created && !t.committed {
		t.removeEmpty()
	}
	t.closed = true
	return t.conn.Close()
}

// removeEmpty removes the file while no other session can write to it, unless another session
// has written: who waits for it meanwhile notices in Begin that it is gone.
func (t *Target) removeEmpty() {
	t.conn.SetInterrupt(nil)
	err := sqlitex.ExecuteTransient(t.conn, "BEGIN EXCLUSIVE", nil)
	if err != nil {
		return
	}
	now, err := os.Stat(t.path)
	if err == nil && now.Size() == 0 && os.SameFile(now, t.file) {
		os.Remove(t.path)
	}
	_ = sqlitex.ExecuteTransient(t.conn, "ROLLBACK", nil) // the connection ends anyway
}

// Identity implements database.Inspector. The engine folds letters of ASCII.
func (t *Target) Identity(_ context.Context, name string) (string, error) {
	return strings.Map(func(r rune) rune {
		if r >= 'A' && r <= 'Z' {
			r += 'a' - 'A'
		}
		return r
	}, name), nil
}

// Exists implements database.Target.
func (t *Target) Exists(ctx context.Context, name string) (bool, error) {
	t.conn.SetInterrupt(ctx.Done())
	found := false
	err := sqlitex.Execute(t.conn, "SELECT 1 FROM pragma_table_list(?)",
		&sqlitex.ExecOptions{Args: []any{name}, ResultFunc: func(*sqlite.Stmt) error { found = true; return nil }})
	return found, t.fail("look for table "+name, err)
}

// Columns implements database.Inspector. The engine lets any column take any value;
// here they take what they were declared for.
func (t *Target) Columns(ctx context.Context, name string) (list []database.ColumnInfo, err error) {
	t.conn.SetInterrupt(ctx.Done())
	const query = `SELECT name, type, "notnull", dflt_value IS NOT NULL OR pk = 1 AND lower(type) = 'integer', hidden IN (2, 3)
		FROM pragma_table_xinfo(?) WHERE hidden <> 1` // hidden columns of virtual tables take commands
	err = sqlitex.Execute(t.conn, query, &sqlitex.ExecOptions{Args: []any{name}, ResultFunc: func(s *sqlite.Stmt) error {
		c := database.ColumnInfo{
			Name: s.ColumnText(0), Native: s.ColumnText(1), Known: true, Nullable: !s.ColumnBool(2), Default: s.ColumnBool(3), Generated: s.ColumnBool(4),
		}
		c.Type, c.Limit = typeOf(c.Native)
		c.Own, c.Doubles = c.Limit != nil, affinityOf(c.Native) == toNumber
		list = append(list, c)
		return nil
	}})
	return list, t.fail("ask for the columns of "+name, err)
}

// Exec implements database.Target.
func (t *Target) Exec(ctx context.Context, statement string) (int64, error) {
	t.conn.SetInterrupt(ctx.Done())
	err := sqlitex.ExecuteTransient(t.conn, statement, nil)
	if err != nil {
		return 0, t.fail("run a statement", err)
	}
	return int64(t.conn.Changes()), nil
}

// Query implements database.Target.
func (t *Target) Query(ctx context.Context, query string) (rows [][]string, err error) {
	t.conn.SetInterrupt(ctx.Done())
	err = sqlitex.ExecuteTransient(t.conn, query, &sqlitex.ExecOptions{ResultFunc: func(s *sqlite.Stmt) error {
		row := make([]string, s.ColumnCount())
		for i := range row {
			row[i] = textOf(s, i)
		}
		rows = append(rows, row)
		return nil
	}})
	return rows, t.fail("run a query", err)
}

// Lock implements database.Locker. The engine has one writer at a time, whatever the
// table: the transaction that Begin hands out is begun here. A load with
// checkpoints lets others in when it commits.
func (t *Target) Lock(ctx context.Context, _ string) (func(), error) {
	err := t.begin(ctx)
	if err != nil {
		return nil, err
	}
	t.locked = true
	return func() {
		if t.closed { // and with it the transaction
			return
		}
		t.locked = false
		t.conn.SetInterrupt(nil)
		if !t.conn.AutocommitEnabled() {
			_ = sqlitex.ExecuteTransient(t.conn, "ROLLBACK", nil) // the connection ends otherwise
		}
	}, nil
}

// Analyze implements database.Analyzer.
func (t *Target) Analyze(ctx context.Context, table string, added int64) error {
	known, err := t.Query(ctx, "SELECT stat FROM sqlite_stat1 WHERE tbl = "+dialect.SQLite.Literal(table)+" LIMIT 1")
	if err == nil && len(known) == 1 {
		rows, _, _ := strings.Cut(known[0][0], " ")
		if database.Few(added, database.ParseCount(rows)) {
			return nil
		}
	}
	name := dialect.SQLite.QuoteTable(table)
	some, err := t.Query(ctx, fmt.Sprintf("SELECT count(*) FROM (SELECT 1 FROM %s LIMIT %d)", name, worthAnalyzing))
	if err != nil || database.ParseCount(some[0][0]) < worthAnalyzing {
		return err
	}
	_, err = t.Exec(ctx, "ANALYZE "+name)
	return err
}

// worthAnalyzing is the number of rows from which statistics make queries faster. Collecting
// them writes the file to disk once more.
const worthAnalyzing = 1000

// Begin implements database.Target.
func (t *Target) Begin(ctx context.Context) (database.Tx, error) {
	if t.locked && !t.conn.AutocommitEnabled() {
		t.locked = false
		return &tx{t: t}, nil
	}
	err := t.begin(ctx)
	if err != nil {
		return nil, err
	}
	return &tx{t: t}, nil
}

// begin waits for its turn to write. Where the file was removed meanwhile, by
// another program that had made it for nothing, it is made again.
func (t *Target) begin(ctx context.Context) error {
	for {
		t.conn.SetInterrupt(ctx.Done())
		err := sqlitex.ExecuteTransient(t.conn, "BEGIN IMMEDIATE", nil)
		now, statErr := os.Stat(t.path)
		if statErr == nil && os.SameFile(now, t.file) {
			return t.fail("begin", err)
		}
		t.conn.Close() // its file is not the database any more
		t.created = true
		err = t.connect()
		if err != nil {
			return err
		}
	}
}

type tx struct {
	t     *Target
	done  bool
	added *added // nil unless the rows that are added can be distinguished
	// fresh is a table that the transaction has created and not loaded into, used that
	// files of a fast load were written, and attached what statements call them.
	fresh    string
	used     bool
	attached []string
}

// Create implements database.Tx.
func (x *tx) Create(ctx context.Context, tab *table.Table, how database.Creation) error {
	op := "create table " + tab.Name
	if how.Replace {
		err := sqlitex.ExecuteTransient(x.t.conn, "DROP TABLE IF EXISTS "+dialect.SQLite.Quote(tab.Name), nil)
		if err != nil {
			return x.t.fail("drop table "+tab.Name, err)
		}
	}
	exists, err := x.t.Exists(ctx, tab.Name)
	switch {
	case err != nil:
		return err
	case exists:
		return &database.Error{Target: x.t.path, Op: op, Kind: database.ErrExists}
	}
	x.fresh = tab.Name
	return x.t.fail(op, sqlitex.ExecuteTransient(x.t.conn, dialect.SQLite.CreateTable(tab), nil))
}

// Empty implements database.Emptier.
func (x *tx) Empty(_ context.Context, tab *table.Table) error {
	return x.t.fail("empty table "+tab.Name, sqlitex.ExecuteTransient(x.t.conn, "DELETE FROM "+dialect.SQLite.Quote(tab.Name), nil))
}

// Index implements database.Indexer.
func (x *tx) Index(_ context.Context, tab *table.Table) error {
	for _, s := range dialect.SQLite.Finish(tab, true) {
		err := sqlitex.ExecuteTransient(x.t.conn, s, nil)
		if err != nil {
			return x.t.fail("index table "+tab.Name, err)
		}
	}
	return nil
}

// Commit implements database.Tx.
func (x *tx) Commit(ctx context.Context, entry *ledger.Entry) error {
	if entry != nil {
		err := ledger.Write(ctx, x.t, entry)
		if err != nil {
			return err
		}
	}
	x.t.conn.SetInterrupt(ctx.Done())
	err := sqlitex.ExecuteTransient(x.t.conn, "COMMIT", nil)
	if sqlite.ErrCode(err) == sqlite.ResultIOErrDeleteNoEnt {
		// A transaction is committed when its journal is gone. Another program that
		// opened the new file may have removed it first.
		x.t.conn.Close()
		err = x.t.connect()
	}
	if err != nil {
		return x.t.fail("commit", err)
	}
	x.done, x.t.committed = true, true
	return x.detach()
}

// Rollback implements database.Tx.
func (x *tx) Rollback() error {
	if x.done {
		return nil
	}
	x.done = true
	x.t.conn.SetInterrupt(nil)
	if x.t.conn.AutocommitEnabled() { // SQLite has rolled back on its own
		return x.detach()
	}
	return errors.Join(x.t.fail("roll back", sqlitex.ExecuteTransient(x.t.conn, "ROLLBACK", nil)), x.detach())
}

// isRefusal reports whether an error of a statement is about a row that a constraint does
// not let in, and the transaction goes on.
func (t *Target) isRefusal(err error) bool {
	return sqlite.ErrCode(err).ToPrimary() == sqlite.ResultConstraint && !t.conn.AutocommitEnabled()
}

// fail says which condition an error of SQLite is.
func (t *Target) fail(op string, err error) error {
	if err == nil {
		return nil
	}
	e := &database.Error{Target: t.path, Op: op, Err: err}
	switch sqlite.ErrCode(err).ToPrimary() {
	case sqlite.ResultConstraint:
		if t.conn.AutocommitEnabled() {
			e.Kind, e.Err = database.ErrRolledBack, errors.New(saidBy(err))
		}
	case sqlite.ResultBusy, sqlite.ResultLocked:
		e.Kind = database.ErrLocked
	case sqlite.ResultFull:
		e.Kind = database.ErrFull
	case sqlite.ResultReadOnly, sqlite.ResultPerm, sqlite.ResultAuth:
		e.Kind = database.ErrPermission
	case sqlite.ResultNotADB, sqlite.ResultCorrupt:
		e.Kind = database.ErrNoDatabase
	case sqlite.ResultCantOpen:
		e.Kind = database.ErrCannotOpen
	case sqlite.ResultInterrupt:
		e.Kind = context.Canceled
	}
	return e
}

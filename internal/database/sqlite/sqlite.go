// Package sqlite loads into SQLite files: prepared statements through the
// driver's direct interface, inside one transaction.
package sqlite

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"
	"unsafe"

	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/refusal"
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
	if _, err := os.Stat(path); errors.Is(err, os.ErrNotExist) {
		if !create {
			return nil, &database.Error{Target: path, Op: "open", Err: os.ErrNotExist}
		}
		t.created = true
	}
	if err := t.connect(); err != nil {
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
	if _, err := os.Stat(filepath.Dir(t.path)); err != nil {
		return &database.Error{Target: t.path, Op: "open", Err: errNoFolder}
	}
	if t.conn, err = sqlite.OpenConn(t.path, sqlite.OpenReadWrite|sqlite.OpenCreate); err != nil {
		return t.fail("open", err)
	}
	t.conn.SetBlockOnBusy()
	t.conn.SetBusyTimeout(busyTimeout)
	for _, setting := range []string{
		"PRAGMA analysis_limit = 1000", // rows of an index are enough for statistics
		"PRAGMA foreign_keys = ON",     // which the engine does not check otherwise
	} {
		if _, err := t.Exec(context.Background(), setting); err != nil {
			t.conn.Close()
			return err
		}
	}
	if t.file, err = os.Stat(t.path); err != nil {
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
	if err := sqlitex.ExecuteTransient(t.conn, "BEGIN EXCLUSIVE", nil); err != nil {
		return
	}
	if now, err := os.Stat(t.path); err == nil && now.Size() == 0 && os.SameFile(now, t.file) {
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
	const query = `SELECT name, type, "notnull", dflt_value IS NOT NULL OR pk = 1 AND lower(type) = 'integer', hidden IN (2, 3) FROM pragma_table_xinfo(?)`
	err = sqlitex.Execute(t.conn, query, &sqlitex.ExecOptions{Args: []any{name}, ResultFunc: func(s *sqlite.Stmt) error {
		list = append(list, database.ColumnInfo{
			Name: s.ColumnText(0), Native: s.ColumnText(1), Known: true, Type: typeOf(s.ColumnText(1)),
			Nullable: !s.ColumnBool(2), Default: s.ColumnBool(3), Generated: s.ColumnBool(4),
		})
		return nil
	}})
	return list, t.fail("ask for the columns of "+name, err)
}

// Exec implements database.Target.
func (t *Target) Exec(ctx context.Context, statement string) (int64, error) {
	t.conn.SetInterrupt(ctx.Done())
	if err := sqlitex.ExecuteTransient(t.conn, statement, nil); err != nil {
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
			row[i] = s.ColumnText(i)
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
	if err := t.begin(ctx); err != nil {
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
	if known, err := t.Query(ctx, "SELECT stat FROM sqlite_stat1 WHERE tbl = "+dialect.SQLite.Literal(table)+" LIMIT 1"); err == nil && len(known) == 1 {
		rows, _, _ := strings.Cut(known[0][0], " ")
		if database.Few(added, database.ParseCount(rows)) {
			return nil
		}
	}
	_, err := t.Exec(ctx, "ANALYZE "+dialect.SQLite.QuoteTable(table))
	return err
}

// Begin implements database.Target.
func (t *Target) Begin(ctx context.Context) (database.Tx, error) {
	if t.locked && !t.conn.AutocommitEnabled() {
		t.locked = false
		return &tx{t: t}, nil
	}
	if err := t.begin(ctx); err != nil {
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
		if now, statErr := os.Stat(t.path); statErr == nil && os.SameFile(now, t.file) {
			return t.fail("begin", err)
		}
		t.conn.Close() // its file is not the database any more
		t.created = true
		if err := t.connect(); err != nil {
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
		if err := sqlitex.ExecuteTransient(x.t.conn, "DROP TABLE IF EXISTS "+dialect.SQLite.Quote(tab.Name), nil); err != nil {
			return x.t.fail("drop table "+tab.Name, err)
		}
	}
	switch exists, err := x.t.Exists(ctx, tab.Name); {
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
		if err := sqlitex.ExecuteTransient(x.t.conn, s, nil); err != nil {
			return x.t.fail("index table "+tab.Name, err)
		}
	}
	return nil
}

// Commit implements database.Tx.
func (x *tx) Commit(ctx context.Context, entry *ledger.Entry) error {
	if entry != nil {
		if err := ledger.Write(ctx, x.t, entry); err != nil {
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

// Load implements database.Tx.
func (x *tx) Load(ctx context.Context, tab *table.Table) (database.Sink, error) {
	cols := tab.Loaded()
	d := dialect.SQLite
	sql := fmt.Sprintf("INSERT INTO %s (%s) VALUES (?%s)", d.Quote(tab.Name), d.Columns(tab), strings.Repeat(", ?", len(cols)-1))
	stmt, err := x.t.conn.Prepare(sql)
	if err != nil && strings.HasSuffix(err.Error(), "because it is a view") {
		return nil, &database.Error{Target: x.t.path, Op: "load", Kind: database.ErrNotTable, Err: fmt.Errorf("%s is a view", tab.Name)}
	}
	if err != nil {
		return nil, x.t.fail("prepare the load", err)
	}
	s := &sink{t: x.t, stmt: stmt, columns: len(cols), tab: tab, key: tab.Key, added: x.added}
	fast, err := x.newScratch(ctx, tab, s)
	if fast == nil || err != nil {
		return s, err
	}
	return fast, nil
}

type sink struct {
	t       *Target
	stmt    *sqlite.Stmt
	columns int
	rows    int64
	tab     *table.Table
	key     []string // names of the columns of the key
	refused refusal.List
	added   *added
	// foreign are the foreign keys of the table, read when one does not hold.
	foreign     []foreignKey
	foreignRead bool
}

// failedOn finds the one column of a constraint that does not hold.
var failedOn = regexp.MustCompile(`^(?:NOT NULL|UNIQUE) constraint failed: [^.,]+\.([^.,]+)$`)

// refuse keeps a row that a constraint does not let in; the statement that
// failed has changed nothing.
func (s *sink) refuse(where refusal.Where, row []byte, err error) error {
	_ = s.stmt.Reset() // it repeats the error
	r := refusal.Refusal{Where: where, Reason: reasonOf(err)}
	at := failedOn.FindStringSubmatch(r.Reason)
	switch code := sqlite.ErrCode(err); {
	case code == sqlite.ResultConstraintPrimaryKey, code == sqlite.ResultConstraintRowID:
		r.Reason, r.Columns = database.SameKey, s.key
	case code == sqlite.ResultConstraintForeignKey:
		key, err := s.orphaned(row)
		if err != nil {
			return s.t.fail("find the foreign key", err)
		}
		if key != nil {
			r.Reason, r.Columns = "not in table "+key.refers, database.AtFault(s.tab, key.columns)
		}
	case at != nil:
		r.Columns = database.AtFault(s.tab, at[1:])
	}
	s.refused.Add(r)
	return nil
}

// Refused implements database.Sink.
func (s *sink) Refused() *refusal.List { return &s.refused }

// Encoder implements database.Sink.
func (s *sink) Encoder() convert.Encoder { return encoder{} }

// Remarks implements database.Sink.
func (s *sink) Remarks() []string { return nil }

// Write implements database.Sink.
func (s *sink) Write(k *convert.Block) error {
	data := k.Data
	for i := range k.Ends {
		row := data
		data = bind(s.stmt, s.columns, row)
		if _, err := s.stmt.Step(); err != nil {
			if s.t.isRefusal(err) {
				err = s.refuse(refusal.Where{Part: k.Part, Record: k.Numbers[i]}, row, err)
				if err != nil {
					return err
				}
				continue
			}
			return s.t.fail("insert", err)
		}
		if err := s.stmt.Reset(); err != nil {
			return s.t.fail("insert", err)
		}
		s.rows++
		if s.added != nil {
			s.added.add(s.t.conn.LastInsertRowID())
		}
	}
	return nil
}

// bind sets the parameters of a statement, one for each column, from the next
// record of data and returns the rest.
func bind(stmt *sqlite.Stmt, columns int, data []byte) []byte {
	for i := 1; i <= columns; i++ {
		tag := data[0]
		data = data[1:]
		switch tag {
		case tagNull:
			stmt.BindNull(i)
		case tagInt:
			stmt.BindInt64(i, int64(binary.LittleEndian.Uint64(data)))
			data = data[8:]
		case tagFloat:
			stmt.BindFloat(i, math.Float64frombits(binary.LittleEndian.Uint64(data)))
			data = data[8:]
		case tagText:
			n := binary.LittleEndian.Uint32(data)
			data = data[4:]
			stmt.BindText(i, unsafe.String(unsafe.SliceData(data), n)) // the driver copies it
			data = data[n:]
		}
	}
	return data
}

// Close implements database.Sink.
func (s *sink) Close(abort error) (int64, error) {
	for i := range s.foreign {
		_ = s.foreign[i].orphan.Finalize()
	}
	err := s.stmt.Finalize()
	if abort != nil {
		err = nil // it repeats the error of the last step
	}
	return s.rows, s.t.fail("end the load", err)
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
			e.Kind, e.Err = database.ErrRolledBack, errors.New(reasonOf(err))
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

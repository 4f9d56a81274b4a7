// Package mysql loads into MySQL and MariaDB with the server's local bulk load,
// streamed from memory.
//
// That load turns what it cannot take into warnings: it cuts and coerces values
// and leaves out rows. So every batch is counted, and one that does not add up
// is taken back and inserted again row by row, where the server says no.
package mysql

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"database/sql/driver"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"slices"
	"strings"

	"github.com/go-sql-driver/mysql"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/table"
)

// Target is a MySQL or MariaDB database.
type Target struct {
	name string
	db   *sql.DB
	conn *sql.Conn
	// staged is the table that a load is filling, and stage the name that it
	// has until the load is committed.
	staged, stage string
	noLedger      bool // that load may not touch the ledger
	noBulk        bool // do without the bulk load
	// session is the number of the connection, and client the address that the server has
	// it from.
	session int64
	client  string
	ending  error // of a session that was interrupted, and that the server has not ended
	// For facts: the account as the server writes it, once it was
	// asked for facts, and whether it is on this machine.
	account, database string
	host              string
	local             bool
}

var (
	_ database.Target    = (*Target)(nil)
	_ database.Locker    = (*Target)(nil)
	_ database.Inspector = (*Target)(nil)
	_ database.Prober    = (*Target)(nil)
	_ database.Analyzer  = (*Target)(nil)
	_ database.Emptier   = (*tx)(nil)
	_ database.Indexer   = (*tx)(nil)
	_ database.Adder     = (*tx)(nil)
	_ database.StagingTx = (*tx)(nil)
)

// Open connects to the database that the URL names. What it leaves out comes
// from the server's customary environment variables and option file; password,
// unless empty, is used instead of any that is found there.
func Open(ctx context.Context, address, password string) (*Target, error) {
	return open(ctx, address, password, func(*mysql.Config) {})
}

func open(ctx context.Context, address, password string, adjust func(*mysql.Config)) (*Target, error) {
	config, err := parse(address)
	if err != nil {
		return nil, &database.Error{Target: "MySQL", Op: "read the URL", Err: err}
	}
	if password != "" {
		config.Passwd = password
	}
	adjust(config)
	t := &Target{
		name: fmt.Sprintf("%s on %s", config.DBName, hostOf(config.Addr)), database: config.DBName, host: hostOf(config.Addr),
		local: isLocal(config),
	}
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return nil, t.fail("read the URL", err)
	}
	t.db = sql.OpenDB(connector)
	t.conn, err = t.db.Conn(ctx)
	if err != nil {
		t.db.Close()
		return nil, t.fail("connect", err)
	}
	err = t.identify(ctx)
	if err != nil {
		return nil, errors.Join(err, t.Close())
	}
	return t, nil
}

// silent keeps the driver from writing to standard error.
type silent struct{}

func (silent) Print(...any) {}

func hostOf(address string) string {
	host, _, err := net.SplitHostPort(address)
	if err == nil {
		return host
	}
	return address
}

// Name implements database.Target.
func (t *Target) Name() string { return t.name }

// Dialect implements database.Target.
func (t *Target) Dialect() *dialect.Dialect { return dialect.MySQL }

// Close implements database.Target. If the server has not ended a session that was
// interrupted, it returns an error.
func (t *Target) Close() error {
	ctx, cancel := context.WithTimeout(context.Background(), database.EndPatience)
	defer cancel()
	if t.conn.PingContext(ctx) != nil {
		_ = t.reconnect() // to end the session; a server that is gone has ended it
	}
	_ = t.conn.Close() // which fails if it was lost
	return errors.Join(t.fail("end the interrupted session", t.ending), t.db.Close())
}

// Identity implements database.Inspector. Where the server folds names, it does so as
// it says of itself.
func (t *Target) Identity(ctx context.Context, name string) (identity string, err error) {
	schema, bare := split(name)
	const query = `SELECT if(@@lower_case_table_names = 0, concat(s, '.', t), lower(concat(s, '.', t)))
		FROM (SELECT coalesce(nullif(?, ''), database()) AS s, ? AS t) AS named`
	err = t.conn.QueryRowContext(ctx, query, schema, bare).Scan(&identity)
	return identity, t.fail("look for table "+name, err)
}

// Exists implements database.Target.
func (t *Target) Exists(ctx context.Context, name string) (bool, error) {
	schema, bare := split(name)
	var n int
	err := t.conn.QueryRowContext(ctx, "SELECT count(*) FROM information_schema.tables WHERE table_schema = coalesce(nullif(?, ''), database()) AND table_name = ?",
		schema, bare).Scan(&n)
	return n > 0, t.fail("look for table "+name, err)
}

func split(name string) (schema, bare string) {
	schema, bare, ok := strings.Cut(name, ".")
	if !ok {
		return "", name
	}
	return schema, bare
}

// Exec implements database.Target.
func (t *Target) Exec(ctx context.Context, statement string) (int64, error) {
	res, err := t.conn.ExecContext(ctx, statement)
	if err != nil {
		return 0, t.fail("run a statement", err)
	}
	rows, err := res.RowsAffected()
	return rows, t.fail("run a statement", err)
}

// Query implements database.Target.
func (t *Target) Query(ctx context.Context, query string) (all [][]string, err error) {
	const op = "run a query"
	rows, err := t.conn.QueryContext(ctx, query)
	if err != nil {
		return nil, t.fail(op, err)
	}
	defer rows.Close()
	names, err := rows.Columns()
	if err != nil {
		return nil, t.fail(op, err)
	}
	for rows.Next() {
		values, into := make([]sql.NullString, len(names)), make([]any, len(names))
		row := make([]string, len(names))
		for i := range values {
			into[i] = &values[i]
		}
		err := rows.Scan(into...)
		if err != nil {
			return nil, t.fail(op, err)
		}
		for i := range values {
			row[i] = values[i].String
		}
		all = append(all, row)
	}
	return all, t.fail(op, rows.Err())
}

// patience is how many seconds a load waits for another one of the same table:
// the server needs a moment to notice that one was killed.
const patience = 5

// lockName returns the name of a table's lock as a literal. Locks are the server's, and their names
// have at most 64 characters.
func lockName(table string) string {
	sum := sha256.Sum256([]byte(table))
	return dialect.MySQL.Literal("ambertray " + hex.EncodeToString(sum[:16]))
}

// Lock implements database.Locker.
func (t *Target) Lock(ctx context.Context, table string) (func(), error) {
	name := lockName(table)
	rows, err := t.Query(ctx, fmt.Sprintf("SELECT get_lock(%s, %d)", name, patience))
	if err != nil {
		return nil, err
	}
	if rows[0][0] != "1" {
		return nil, database.LockedBy(ctx, t, table, `SELECT concat('connection ', id, ' of ', user, ' at ', host, ', ', lower(command), ' for ', time, ' s')
			FROM information_schema.processlist WHERE id = is_used_lock(`+name+`)`)
	}
	return func() { _, _ = t.Exec(context.Background(), "DO release_lock("+name+")") }, nil
}

// Analyze implements database.Analyzer.
func (t *Target) Analyze(ctx context.Context, table string, added int64) error {
	known, err := t.Query(ctx, "SELECT coalesce(table_rows, 0) FROM information_schema.tables WHERE "+place(table))
	if err != nil || len(known) == 1 && database.Few(added, database.ParseCount(known[0][0])) {
		return err
	}
	_, err = t.Exec(ctx, "ANALYZE TABLE "+dialect.MySQL.QuoteTable(table))
	return err
}

// Begin implements database.Target.
func (t *Target) Begin(ctx context.Context) (database.Tx, error) {
	// What other sessions commit meanwhile is not seen, so that it is not taken for ours.
	err := t.exec(ctx, "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
	if err != nil {
		return nil, t.fail("begin", err)
	}
	return &tx{t: t}, t.fail("begin", t.exec(ctx, "START TRANSACTION"))
}

// tx is a load into a table of its own, which gets its name when the load is
// committed: the server commits at every table definition, so that no one
// sees a table that is not full.
//
// A load into a table that exists already is an ordinary transaction.
type tx struct {
	t        *Target
	replaces bool   // there is a table whose place the new one takes
	comment  string // of the table
	added    *added // nil unless the rows that are added can be distinguished
	lanes    int    // over how many connections the new table is loaded
	empties  bool   // the table is to be emptied before rows are copied into it
	done     bool
}

// Create implements database.Tx.
func (x *tx) Create(ctx context.Context, tab *table.Table, how database.Creation) error {
	op := "create table " + tab.Name
	exists, err := x.t.Exists(ctx, tab.Name)
	switch {
	case err != nil:
		return err
	case exists && !how.Replace:
		return &database.Error{Target: x.t.name, Op: op, Kind: database.ErrExists}
	case exists:
		x.replaces = true
		err := x.t.checkTable(ctx, tab.Name)
		if err != nil {
			return err
		}
	}
	identity, err := x.t.Identity(ctx, tab.Name)
	if err != nil {
		return err
	}
	x.t.noLedger, x.lanes = how.NoLedger, how.Lanes
	err = x.removeLeftOver(ctx, identity)
	if err != nil {
		return err
	}
	staged := *tab
	staged.Name, staged.Comment = database.NewStage(tab.Name), database.StageMark(identity)
	x.t.staged, x.t.stage, x.comment = tab.Name, staged.Name, tab.Comment
	return x.t.fail(op, x.t.exec(ctx, dialect.MySQL.CreateTable(&staged)))
}

// checkTable returns an error for a view or a sequence, which could be renamed, but not
// dropped, like a table.
func (t *Target) checkTable(ctx context.Context, name string) error {
	return database.NotTable(ctx, t, "change "+name, "SELECT lower(table_type) FROM information_schema.tables WHERE table_type NOT IN ('BASE TABLE', 'SYSTEM VERSIONED') AND "+place(name))
}

func (t *Target) exec(ctx context.Context, statement string) error {
	_, err := t.conn.ExecContext(ctx, statement)
	return err
}

// current returns the name that a table has now.
func (t *Target) current(name string) string {
	if name == t.staged {
		return t.stage
	}
	return name
}

// Index implements database.Indexer.
func (x *tx) Index(ctx context.Context, tab *table.Table) error {
	for _, statement := range dialect.MySQL.FinishOn(x.t.current(tab.Name), tab) {
		err := x.t.exec(ctx, statement)
		if err != nil {
			return x.t.fail("index table "+tab.Name, err)
		}
	}
	return nil
}

// Commit implements database.Tx.
func (x *tx) Commit(ctx context.Context, entry *ledger.Entry) error {
	if x.t.staged != "" {
		return x.rename(ctx, entry)
	}
	if entry != nil {
		err := ledger.Write(ctx, x.t, entry)
		if err != nil {
			return err
		}
	}
	err := x.t.exec(ctx, "COMMIT")
	x.done = err == nil
	return x.t.fail("commit", err)
}

// rename gives the stage its name. The entry in the ledger is written before
// and counts as soon as the staging table is gone.
func (x *tx) rename(ctx context.Context, entry *ledger.Entry) error {
	if entry != nil {
		staged := *entry
		staged.Stage = x.t.stage
		err := ledger.Write(ctx, x.t, &staged)
		if err != nil {
			return err
		}
	}
	q := dialect.MySQL.QuoteTable
	rename := "RENAME TABLE " + q(x.t.stage) + " TO " + q(x.t.staged)
	old := x.t.stage + replacedSuffix
	if x.replaces {
		rename = fmt.Sprintf("RENAME TABLE %s TO %s, %s TO %s", q(x.t.staged), q(old), q(x.t.stage), q(x.t.staged))
	}
	err := x.t.exec(ctx, rename)
	if err != nil {
		return x.t.fail("commit", err)
	}
	x.done = true
	err = x.t.fail("set the comment of the table", x.t.exec(ctx, "ALTER TABLE "+q(x.t.staged)+" COMMENT = "+dialect.MySQL.Literal(x.comment)))
	if x.replaces {
		err = errors.Join(err, x.t.fail("drop the table that was replaced", x.t.exec(ctx, "DROP TABLE "+q(old))))
	}
	err = errors.Join(err, x.resolve(ctx))
	x.t.staged, x.t.stage = "", ""
	return err
}

// Rollback implements database.Tx.
func (x *tx) Rollback() error {
	if x.done {
		return nil
	}
	x.done = true
	if x.t.staged == "" {
		err := x.t.exec(context.Background(), "ROLLBACK")
		if gone(err) { // and the transaction with it
			err = x.t.reconnect()
		}
		return x.t.fail("roll back", err)
	}
	err := x.drop()
	if gone(err) { // with the load that was interrupted
		err = x.t.reconnect()
		if err == nil {
			err = x.drop()
		}
	}
	x.t.staged, x.t.stage = "", ""
	return x.t.fail("roll back", err)
}

// drop takes the stage away.
func (x *tx) drop() error {
	ctx := context.Background()
	err := x.resolve(ctx)
	if err != nil {
		return err
	}
	return x.t.exec(ctx, "DROP TABLE IF EXISTS "+dialect.MySQL.QuoteTable(x.t.stage))
}

// gone reports whether an error is that the connection is gone.
func gone(err error) bool {
	return errors.Is(err, driver.ErrBadConn) || errors.Is(err, mysql.ErrInvalidConn) || errors.Is(err, sql.ErrConnDone)
}

// reconnect opens a connection in place of one that is gone. An interruption closes a
// connection in the middle of a statement, which the server would run to its end: its session
// is ended first, so that its locks are free.
func (t *Target) reconnect() error {
	ctx, cancel := context.WithTimeout(context.Background(), database.EndPatience)
	defer cancel()
	conn, err := t.db.Conn(ctx)
	if err != nil {
		return err
	}
	t.ending = database.AwaitEnd(ctx, func(ctx context.Context) (running bool, err error) {
		// A server that was started again gives its number to another session.
		err = conn.QueryRowContext(ctx, "SELECT count(*) > 0 FROM information_schema.processlist WHERE id = ? AND host = ?", t.session, t.client).Scan(&running)
		if running && err == nil {
			_, _ = conn.ExecContext(ctx, fmt.Sprintf("KILL %d", t.session)) // unless it has just ended
		}
		return running, err
	})
	t.conn.Close()
	t.conn = conn
	return t.identify(context.Background())
}

// identify asks which session of the server this is.
func (t *Target) identify(ctx context.Context) error {
	err := t.conn.QueryRowContext(ctx, "SELECT id, host FROM information_schema.processlist WHERE id = connection_id()").Scan(&t.session, &t.client)
	return t.fail("connect", err)
}

// fail says which condition an error of the server or the driver is.
func (t *Target) fail(op string, err error) error {
	if err == nil {
		return nil
	}
	e := &database.Error{Target: t.name, Op: op, Err: err}
	var refused *mysql.MySQLError
	var network net.Error
	switch {
	case errors.As(err, &refused):
		e.Err, e.Kind = serverError{refused}, conditions[refused.Number]
		if slices.Contains(tooLong, refused.Number) {
			e.Kind = database.ErrTooLong
		}
	case errors.Is(err, context.Canceled):
		e.Kind = context.Canceled
	case e.Untrusted():
	case errors.Is(err, mysql.ErrNoTLS), strings.Contains(err.Error(), "tls: "):
		e.Kind = database.ErrEncryption
	case errors.As(err, &network), errors.Is(err, driver.ErrBadConn), errors.Is(err, mysql.ErrInvalidConn):
		e.Kind = database.ErrUnreachable
	}
	return e
}

// serverError is what the server says, in its own words only.
type serverError struct{ err *mysql.MySQLError }

func (e serverError) Error() string { return e.err.Message }
func (e serverError) Unwrap() error { return e.err }

// tooLong are errors of definitions, and of rows that are refused one by one: a row, a key, and
// the number of columns.
var tooLong = []uint16{1118, 1071, 1117}

// conditions are the server's errors that mean something to callers.
var conditions = map[uint16]error{
	1290: database.ErrReadOnly, 1792: database.ErrReadOnly,
	1044: database.ErrPermission, 1142: database.ErrPermission, 1227: database.ErrPermission, 1045: database.ErrLogin, 1698: database.ErrLogin, 1049: database.ErrNoDatabase,
	1173: database.ErrKeyRequired, 3750: database.ErrKeyRequired,
	1050: database.ErrExists, 1146: database.ErrNoTable, 1021: database.ErrFull, 1114: database.ErrFull, 1205: database.ErrLocked, 1213: database.ErrConflict, 1020: database.ErrConflict, 1040: database.ErrUnreachable,
	3159: database.ErrPlain, 1053: database.ErrUnreachable, 1927: database.ErrUnreachable,
}

// Package sqlserver loads into Microsoft SQL Server with the bulk load of its protocol,
// in rows that are encoded here.
package sqlserver

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
	"sync"
	"time"

	mssql "github.com/microsoft/go-mssqldb"
	"github.com/microsoft/go-mssqldb/msdsn"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/platform"
)

// Target is a SQL Server database.
type Target struct {
	name     string
	host     string
	database string
	config   msdsn.Config
	db       *sql.DB
	conn     *sql.Conn
	dialer   *dialer
	dialect  *dialect.Dialect // for the code page of the database
	home     string           // the schema of tables whose name has none
	// stages are the temporary tables of the transaction, by the names that callers know
	// them by.
	stages map[string]string
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
	_ convert.Encoder    = encoder{}
)

// dialer remembers the connection beneath the driver's, so that a request of ours can
// be broken off.
type dialer struct {
	net.Dialer
	mu   sync.Mutex
	conn net.Conn
}

// DialContext implements the driver's Dialer.
func (d *dialer) DialContext(ctx context.Context, network, address string) (net.Conn, error) {
	c, err := d.Dialer.DialContext(ctx, network, address)
	if err == nil && strings.HasPrefix(network, "tcp") {
		d.mu.Lock()
		d.conn = c
		d.mu.Unlock()
	}
	return c, err
}

func (d *dialer) cut() {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.conn != nil {
		_ = d.conn.Close()
	}
}

// settings are those that the server would take from the login otherwise. A statement
// that fails must not roll the transaction back.
const settings = `SET XACT_ABORT OFF; SET NOCOUNT OFF; SET ANSI_NULLS ON; SET ANSI_PADDING ON; SET ANSI_WARNINGS ON; SET ARITHABORT ON; SET QUOTED_IDENTIFIER ON;
	SET CONCAT_NULL_YIELDS_NULL ON; SET IMPLICIT_TRANSACTIONS OFF; SET DATEFORMAT ymd; SET LOCK_TIMEOUT -1; SET TRANSACTION ISOLATION LEVEL READ COMMITTED`

// Open connects to the database that the URL names. password, unless empty, is used
// instead of any in the URL or the environment.
func Open(ctx context.Context, address, password string) (*Target, error) {
	return open(ctx, address, password, func(*msdsn.Config) {})
}

func open(ctx context.Context, address, password string, adjust func(*msdsn.Config)) (*Target, error) {
	config, err := parse(address)
	if err != nil {
		return nil, &database.Error{Target: "SQL Server", Op: "read the URL", Err: err}
	}
	if password != "" {
		config.Password = password
	}
	adjust(&config)
	t := &Target{name: fmt.Sprintf("%s on %s", config.Database, config.Host), host: config.Host, database: config.Database, config: config, dialer: &dialer{}, stages: map[string]string{}}
	connector := mssql.NewConnectorConfig(config)
	t.dialer.KeepAlive, t.dialer.Control = config.KeepAlive, platform.EndSilent
	connector.Dialer = t.dialer
	t.db = sql.OpenDB(connector)
	t.conn, err = t.db.Conn(ctx)
	if err != nil {
		t.db.Close()
		return nil, t.fail("connect", err)
	}
	err = t.prepareSession(ctx)
	if err != nil {
		return nil, errors.Join(err, t.Close())
	}
	return t, nil
}

// prepareSession makes the session ready, and finds out the code page of the database.
func (t *Target) prepareSession(ctx context.Context) error {
	_, err := t.Exec(ctx, settings)
	if err != nil {
		return err
	}
	found, err := t.Query(ctx, `SELECT CAST(COLLATIONPROPERTY(CAST(DATABASEPROPERTYEX(DB_NAME(), 'Collation') AS nvarchar(128)), 'CodePage') AS int),
		CAST(SERVERPROPERTY('ProductVersion') AS nvarchar(60)), SCHEMA_NAME()`)
	if err != nil {
		return err
	}
	t.dialect = dialect.SQLServerIn(int(database.ParseCount(found[0][0])))
	t.home = found[0][2]
	major, _, _ := strings.Cut(found[0][1], ".")
	if database.ParseCount(major) < oldest {
		return &database.Error{Target: t.name, Op: "connect", Kind: database.ErrTooOld, Err: fmt.Errorf("version %s; loads need %d.0 or later, which is SQL Server 2016", found[0][1], oldest)}
	}
	return nil
}

// oldest is the version from which on servers have all that loads need.
const oldest = 13

// Name implements database.Target.
func (t *Target) Name() string { return t.name }

// Dialect implements database.Target.
func (t *Target) Dialect() *dialect.Dialect { return t.dialect }

// Close implements database.Target. A connection that was lost is closed already.
func (t *Target) Close() error {
	err := t.conn.Close()
	if errors.Is(err, sql.ErrConnDone) {
		err = nil
	}
	return errors.Join(err, t.db.Close())
}

// named is the name of a table as the server is asked for it: that of a temporary one,
// where a load has made it.
func (t *Target) named(name string) string {
	temporary, ok := t.stages[name]
	if ok {
		return temporary
	}
	return name
}

// quoted is it as statements write it.
func (t *Target) quoted(name string) string { return dialect.SQLServer.QuoteTable(t.named(name)) }

// id is the function for the number by which the server knows a table.
func (t *Target) id(name string) string {
	full := t.quoted(name)
	if strings.HasPrefix(t.named(name), "#") {
		full = "tempdb.." + full
	}
	return "OBJECT_ID(" + dialect.SQLServer.Literal(full) + ")"
}

// Identity implements database.Inspector. The names of a database are compared by its
// collation, so that a table is called what its creator has called it.
func (t *Target) Identity(ctx context.Context, name string) (string, error) {
	schema, bare, ok := strings.Cut(name, ".")
	if !ok {
		schema, bare = "", name
	}
	d := dialect.SQLServer
	found, err := t.Query(ctx, "SELECT s.name, o.name FROM sys.objects o JOIN sys.schemas s ON s.schema_id = o.schema_id WHERE o.object_id = "+t.id(name))
	if err != nil {
		return "", err
	}
	if len(found) == 1 {
		return found[0][0] + "." + found[0][1], nil
	}
	if schema == "" {
		return t.home + "." + bare, nil
	}
	known, err := t.Query(ctx, "SELECT name FROM sys.schemas WHERE name = "+d.Literal(schema))
	if err == nil && len(known) == 1 {
		schema = known[0][0]
	}
	return schema + "." + bare, err
}

// Exists implements database.Target.
func (t *Target) Exists(ctx context.Context, name string) (bool, error) {
	found, err := t.Query(ctx, "SELECT object_id FROM sys.objects WHERE object_id = "+t.id(name))
	return len(found) > 0, err
}

// Exec implements database.Target.
func (t *Target) Exec(ctx context.Context, statement string) (int64, error) {
	result, err := t.conn.ExecContext(ctx, statement)
	if err != nil {
		return 0, t.fail("run a statement", err)
	}
	n, err := result.RowsAffected()
	return n, t.fail("run a statement", err)
}

// Query implements database.Target.
func (t *Target) Query(ctx context.Context, query string) (rows [][]string, err error) {
	err = t.read(ctx, query, func(a *answer) error {
		row := &rowReader{}
		return row.each(a, func() error {
			texts := make([]string, len(a.columns))
			for i := range texts {
				texts[i] = textOf(&a.columns[i], &row.values[i])
			}
			rows = append(rows, texts)
			return nil
		})
	})
	return rows, t.fail("run a query", err)
}

// grace is how long the server may take to break a request off, before the connection
// is cut.
const grace = 5 * time.Second

// raw gives a function the stream beneath the driver. When ctx ends meanwhile, or has
// ended already, the server is asked to break off when it has the message: after INSERT BULK it
// waits for one.
func (t *Target) raw(ctx context.Context, use func(w *wire) error) error {
	return t.conn.Raw(func(c any) error {
		conn, ok := c.(*mssql.Conn)
		if !ok {
			return errDriver
		}
		w, err := newWire(conn)
		if err != nil {
			return err
		}
		done := make(chan struct{})
		stop := context.AfterFunc(ctx, func() {
			w.cancel()
			select {
			case <-done:
			case <-time.After(grace):
				t.dialer.cut()
			}
		})
		err = use(w)
		if errors.Is(err, errMangled) {
			t.dialer.cut()
		}
		close(done)
		if !stop() {
			err = errors.Join(context.Cause(ctx), err)
		}
		return err
	})
}

// read sends a query and gives its answer, when the columns are known, to a function
// that reads the rows.
func (t *Target) read(ctx context.Context, query string, use func(a *answer) error) error {
	return t.raw(ctx, func(w *wire) error {
		a, err := w.batch(query)
		if err != nil {
			return err
		}
		err = use(a)
		if err != nil {
			w.cancel() // the rest of the rows
		}
		return errors.Join(a.failure(), err, a.finish())
	})
}

// Lock implements database.Locker. The lock is the session's, so that it holds from
// one transaction to the next.
func (t *Target) Lock(ctx context.Context, table string) (func(), error) {
	resource := dialect.SQLServer.Literal(lockName(table))
	err := t.appLock(ctx, "lock table "+table, resource, "Session", patience)
	if err != nil {
		return nil, err
	}
	return func() {
		_, _ = t.Exec(context.Background(), "EXEC sp_releaseapplock @Resource = "+resource+", @LockOwner = 'Session'")
	}, nil
}

// appLock takes a lock that the server keeps for applications, until its owner ends:
// the Session or the Transaction.
func (t *Target) appLock(ctx context.Context, op, resource, owner string, milliseconds int) error {
	got, err := t.Query(ctx, fmt.Sprintf("DECLARE @got int; EXEC @got = sp_getapplock @Resource = %s, @LockMode = 'Exclusive', @LockOwner = '%s', @LockTimeout = %d; SELECT @got", resource, owner, milliseconds))
	if err != nil {
		return err
	}
	if strings.HasPrefix(got[0][0], "-") {
		return &database.Error{Target: t.name, Op: op, Kind: database.ErrLocked}
	}
	return nil
}

// patience is how many milliseconds a load waits for another one of the same table: the
// server needs a moment to notice that one was killed.
const patience = 5000

// maxLockName is the longest name that a lock can have.
const maxLockName = 255

func lockName(table string) string {
	name := "ambertray " + table
	runes := []rune(name)
	return string(runes[:min(len(runes), maxLockName)])
}

// Analyze implements database.Analyzer. The server refreshes its statistics itself when
// enough rows have changed; of a table that was empty it does so at the next query.
func (t *Target) Analyze(context.Context, string, int64) error { return nil }

// fail says which condition an error of the server or the driver is.
func (t *Target) fail(op string, err error) error {
	return database.Explain(t.name, op, err, explain)
}

func explain(e *database.Error) {
	err := e.Err
	var refused mssql.Error
	var network net.Error
	switch {
	case errors.As(err, &refused):
		e.Err = newServerError(refused)
		for _, x := range refused.All {
			if e.Kind == nil {
				e.Kind = conditions[x.Number]
			}
		}
		if e.Kind == nil {
			e.Kind = conditions[refused.Number]
		}
	case e.Untrusted():
	case strings.Contains(err.Error(), "server does not support encryption"):
		e.Kind, e.Err = database.ErrEncryption, nil
	case errors.As(err, &network), errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, net.ErrClosed), errors.Is(err, sql.ErrConnDone), brokenStream(err):
		e.Kind, e.Err = database.ErrUnreachable, database.Innermost(err)
	}
}

// brokenStream reports whether the driver has lost the connection, which it says in
// words only.
func brokenStream(err error) bool {
	var stream mssql.StreamError
	var server mssql.ServerError
	return errors.As(err, &stream) || errors.As(err, &server) || strings.Contains(err.Error(), "unable to open tcp connection") ||
		strings.Contains(err.Error(), "driver: bad connection") || strings.Contains(err.Error(), "failed to send")
}

// serverError is what the server says, in its own words only: the first error, which
// those after it follow from.
type serverError struct {
	text  string
	cause mssql.Error
}

func newServerError(e mssql.Error) serverError {
	first := e
	if len(e.All) > 0 {
		first = e.All[0]
	}
	return serverError{strings.TrimPrefix(first.Message, "login error: "), e}
}

func (e serverError) Error() string { return e.text }
func (e serverError) Unwrap() error { return e.cause }

// conditions are the numbers of errors that mean something to callers.
var conditions = map[int32]error{
	208: database.ErrNoTable, 2714: database.ErrExists, 2760: database.ErrNoSchema,
	229: database.ErrPermission, 230: database.ErrPermission, 262: database.ErrPermission, 297: database.ErrPermission, 300: database.ErrPermission,
	1088: database.ErrPermission, 4902: database.ErrPermission, 3704: database.ErrPermission, 15247: database.ErrPermission,
	18456: database.ErrLogin, 18452: database.ErrLogin, 18488: database.ErrLogin, 18487: database.ErrLogin,
	4060: database.ErrNoDatabase, 911: database.ErrNoDatabase, 916: database.ErrNoDatabase,
	1105: database.ErrFull, 9002: database.ErrFull, 1101: database.ErrFull,
	1222: database.ErrLocked, 1205: database.ErrConflict, 3960: database.ErrConflict,
	3906:  database.ErrReadOnly,
	17142: database.ErrUnreachable, 17187: database.ErrUnreachable, 6005: database.ErrUnreachable,
}

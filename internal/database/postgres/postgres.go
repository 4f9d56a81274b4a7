// Package postgres loads into PostgreSQL with COPY in its binary format, which
// spares the server parsing text.
package postgres

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// Target is a PostgreSQL database.
type Target struct {
	name    string
	config  *pgx.ConnConfig
	conn    *pgx.Conn
	ending  error // why an interrupted session may still be there, if it may
	unicode bool  // the database can hold any character
	// newSchema is the schema that was created in the transaction, if any.
	newSchema string
	// The hash of rows on the server: whether it was tried, whether it is ours, and
	// its seed.
	hashTried, hashWorks bool
	hashSeed             uint64
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
	_ database.Laned     = (*Target)(nil)
	_ database.Adder     = (*tx)(nil)
	_ database.Summer    = (*tx)(nil)
	_ convert.Encoder    = encoder{}
)

// Open connects to the database that the URL names. What the URL leaves out
// comes from the server's customary environment variables and password file;
// password, unless empty, is used instead of any that is found there.
func Open(ctx context.Context, url, password string) (*Target, error) {
	return open(ctx, url, password, func(*pgx.ConnConfig) {})
}

func open(ctx context.Context, url, password string, adjust func(*pgx.ConnConfig)) (*Target, error) {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, &database.Error{Target: "PostgreSQL", Op: "read the URL", Err: hideSecrets(err)}
	}
	if password != "" {
		config.Password = password
	}
	adjust(config)
	config.DialFunc = database.Dialer().DialContext
	config.DefaultQueryExecMode = pgx.QueryExecModeExec // one round trip for each query instead of two
	config.RuntimeParams["application_name"] = "ambertray"
	config.RuntimeParams["client_encoding"] = "UTF8"
	t := &Target{name: fmt.Sprintf("%s on %s", config.Database, config.Host), config: config}
	config.AfterConnect = t.beginSession
	t.conn, err = pgx.ConnectConfig(ctx, config)
	if err != nil {
		return nil, t.fail("connect", err)
	}
	t.unicode = t.conn.PgConn().ParameterStatus("server_encoding") == "UTF8"
	return t, nil
}

// hideSecrets keeps the reason of a parse error and drops the URL that the
// driver puts before it.
func hideSecrets(err error) error {
	inner := errors.Unwrap(err)
	if inner != nil {
		return inner
	}
	return database.ErrURL
}

// Name implements database.Target.
func (t *Target) Name() string { return t.name }

// Dialect implements database.Target.
func (t *Target) Dialect() *dialect.Dialect { return dialect.PostgreSQL }

// Close implements database.Target. If the server has not ended a session that was
// interrupted, it returns an error.
func (t *Target) Close() error {
	if t.conn.IsClosed() {
		_ = t.reconnect() // to see the session end; a server that is gone has ended it
	}
	return errors.Join(t.fail("end the interrupted session", t.ending), t.conn.Close(context.Background()))
}

// reconnect opens a connection in place of one that is gone. An interruption closes a
// connection in the middle of a statement. The server, which may not notice before the
// statement ends, is asked to cancel it, and reconnect waits until the session has ended and
// its locks are free.
func (t *Target) reconnect() error {
	ctx, cancel := context.WithTimeout(context.Background(), database.EndPatience)
	defer cancel()
	interrupted := t.conn.PgConn()
	select {
	case <-interrupted.CleanupDone(): // the driver has asked
	case <-ctx.Done():
	}
	conn, err := pgx.ConnectConfig(ctx, t.config)
	if err != nil {
		return err
	}
	t.conn = conn
	t.ending = database.AwaitEnd(ctx, func(ctx context.Context) (running bool, err error) {
		err = conn.QueryRow(ctx, "SELECT count(*) > 0 FROM pg_stat_activity WHERE pid = $1 AND application_name LIKE 'ambertray%'", interrupted.PID()).Scan(&running)
		return running, err
	})
	return nil
}

// Identity implements database.Inspector.
func (t *Target) Identity(ctx context.Context, name string) (identity string, err error) {
	schema, bare, ok := strings.Cut(name, ".")
	if !ok {
		schema, bare = "", name
	}
	const query = `SELECT coalesce((SELECT n.nspname || '.' || c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.oid = to_regclass($1)),
		coalesce(nullif($2, ''), current_schema(), 'public') || '.' || $3)`
	err = t.conn.QueryRow(ctx, query, dialect.PostgreSQL.QuoteTable(name), schema, bare).Scan(&identity)
	return identity, t.fail("look for table "+name, err)
}

// Exists implements database.Target. Only a statement that reads a table, which is why it
// does, notices within a transaction what another session has created.
func (t *Target) Exists(ctx context.Context, name string) (bool, error) {
	var found bool
	err := t.conn.QueryRow(ctx, "SELECT to_regclass($1) IS NOT NULL FROM pg_namespace LIMIT 1", dialect.PostgreSQL.QuoteTable(name)).Scan(&found)
	return found, t.fail("look for table "+name, err)
}

// Exec implements database.Target.
func (t *Target) Exec(ctx context.Context, statement string) (int64, error) {
	tag, err := t.conn.Exec(ctx, statement)
	return tag.RowsAffected(), t.fail("run a statement", err)
}

// Query implements database.Target.
func (t *Target) Query(ctx context.Context, query string) (rows [][]string, err error) {
	results, err := t.conn.PgConn().Exec(ctx, query).ReadAll() // whose values are text
	if err != nil {
		return nil, t.fail("run a query", err)
	}
	for _, values := range results[len(results)-1].Rows {
		row := make([]string, len(values))
		for i, v := range values {
			row[i] = string(v)
		}
		rows = append(rows, row)
	}
	return rows, nil
}

// Lock implements database.Locker. The lock is the session's, so that it holds
// from one transaction to the next.
func (t *Target) Lock(ctx context.Context, table string) (func(), error) {
	key := "hashtextextended(" + dialect.PostgreSQL.Literal("ambertray "+table) + ", 0)"
	_, err := t.Query(ctx, "SET lock_timeout = '"+patience+"'; SELECT pg_advisory_lock("+key+"); RESET lock_timeout")
	if errors.Is(err, database.ErrLocked) {
		return nil, database.LockedBy(ctx, t, table, `SELECT 'process ' || a.pid || ' of ' || a.usename || coalesce(' at ' || host(a.client_addr), '') || ', ' || a.state || ' since ' || to_char(a.state_change, 'YYYY-MM-DD HH24:MI:SS') || ' UTC'
			FROM pg_locks l JOIN pg_stat_activity a ON a.pid = l.pid CROSS JOIN (SELECT `+key+` AS key) k
			WHERE l.locktype = 'advisory' AND l.granted AND l.classid = ((k.key >> 32) & 4294967295)::oid AND l.objid = (k.key & 4294967295)::oid AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())`)
	}
	if err != nil {
		return nil, err
	}
	return func() { _, _ = t.conn.Exec(context.Background(), "SELECT pg_advisory_unlock("+key+")") }, nil
}

// patience is how long a load waits for another one of the same table: the
// server needs a moment to notice that one was killed.
const patience = "5s"

// Analyze implements database.Analyzer.
func (t *Target) Analyze(ctx context.Context, table string, added int64) error {
	name := dialect.PostgreSQL.QuoteTable(table)
	known, err := t.Query(ctx, "SELECT reltuples::bigint FROM pg_class WHERE oid = to_regclass("+dialect.PostgreSQL.Literal(name)+")")
	if err != nil || len(known) == 1 && database.Few(added, database.ParseCount(known[0][0])) {
		return err
	}
	_, err = t.Exec(ctx, "ANALYZE "+name)
	return err
}

// Begin implements database.Target.
func (t *Target) Begin(ctx context.Context) (database.Tx, error) {
	x := &tx{t: t}
	t.newSchema = ""
	return x, t.fail("begin", x.begin(ctx))
}

type tx struct {
	t       *Target
	tx      pgx.Tx
	created bool
	done    bool
	blocks  int64        // of the table when rows began to be added
	staging *stage       // nil unless the rows are loaded in lanes
	filled  *table.Table // an existing table to which rows were added, or nil
}

func (x *tx) begin(ctx context.Context) (err error) {
	// What other sessions do meanwhile must not show in the figures.
	x.tx, err = x.t.conn.BeginTx(ctx, pgx.TxOptions{IsoLevel: pgx.RepeatableRead})
	return err
}

// Create implements database.Tx. The table gets its primary key when its rows are
// there, which takes a fraction of the time.
func (x *tx) Create(ctx context.Context, tab *table.Table, how database.Creation) error {
	err := x.removeLeftOver(ctx, tab.Name)
	if err != nil {
		return err
	}
	if how.Lanes > 1 && x.t.unicode {
		return x.createStage(ctx, tab, how)
	}
	if how.Replace {
		err := x.exec(ctx, []string{"DROP TABLE IF EXISTS " + dialect.PostgreSQL.QuoteTable(tab.Name)})
		if err != nil {
			return x.t.fail("drop table "+tab.Name, err)
		}
	}
	plan := *tab
	if !how.Whole {
		plan.Key = nil
	}
	err = x.exec(ctx, dialect.PostgreSQL.BeforeRows(&plan))
	x.created = err == nil && !how.Whole
	return x.t.fail("create table "+tab.Name, err)
}

// Empty implements database.Emptier. A table that others refer to cannot be truncated,
// but its rows be deleted where none of them is referred to.
func (x *tx) Empty(ctx context.Context, tab *table.Table) error {
	op, name := "empty table "+tab.Name, dialect.PostgreSQL.QuoteTable(tab.Name)
	err := x.exec(ctx, []string{"SAVEPOINT empty", "TRUNCATE " + name})
	var pg *pgconn.PgError
	if errors.As(err, &pg) && (pg.Code == featureNotSupported || pg.Code == notPermitted) { // rows may be deleted then
		err = x.exec(ctx, []string{"ROLLBACK TO SAVEPOINT empty", "DELETE FROM " + name})
	}
	return x.t.fail(op, err)
}

const (
	featureNotSupported = "0A000"
	notPermitted        = "42501"
)

// Index implements database.Indexer.
func (x *tx) Index(ctx context.Context, tab *table.Table) error {
	return x.t.fail("index table "+tab.Name, x.exec(ctx, dialect.PostgreSQL.Finish(tab, true)))
}

func (x *tx) exec(ctx context.Context, statements []string) error {
	for _, s := range statements {
		_, err := x.tx.Exec(ctx, s)
		if err != nil {
			return err
		}
	}
	return nil
}

// Commit implements database.Tx.
func (x *tx) Commit(ctx context.Context, entry *ledger.Entry) error {
	if x.filled != nil {
		err := x.moveSequences(ctx, x.filled)
		if err != nil {
			return err
		}
	}
	if entry != nil {
		err := ledger.Write(ctx, x.t, entry)
		if err != nil {
			return err
		}
	}
	err := x.tx.Commit(ctx)
	x.done = err == nil
	return x.t.fail("commit", err)
}

// Rollback implements database.Tx. When the load was interrupted the connection
// is gone, and with it, on the server, the transaction.
func (x *tx) Rollback() error {
	if x.done {
		return nil
	}
	x.done = true
	var err error
	if !x.t.conn.IsClosed() {
		err = x.tx.Rollback(context.Background())
		if errors.Is(err, pgx.ErrTxClosed) { // that of a load in lanes ends before their rows are there
			err = nil
		}
	}
	if err == nil && x.staging != nil {
		err = x.dropStage()
	}
	return x.t.fail("roll back", err)
}

// Load implements database.Tx.
func (x *tx) Load(ctx context.Context, tab *table.Table) (database.Sink, error) {
	if x.staging != nil {
		return x.loadLanes(ctx, tab)
	}
	sql := copyInto(tab.Name, tab)
	if !x.created || !x.t.unicode { // where the server may refuse rows
		return newAdder(ctx, x, tab, sql+")")
	}
	sql += ", FREEZE)" // no other session can see the table yet, so its rows need no later freezing
	r, w := io.Pipe()
	s := &sink{t: x.t, columns: len(tab.Loaded()), pipe: w, done: make(chan copied, 1)}
	s.finish = func() error { return x.addKey(ctx, tab, s) }
	go func() {
		tag, err := x.t.conn.PgConn().CopyFrom(ctx, r, sql)
		r.CloseWithError(errEnded)
		s.done <- copied{tag.RowsAffected(), err}
	}()
	return s, s.write(header)
}

// copyInto is the COPY of a table's rows, but for its last parenthesis.
func copyInto(name string, tab *table.Table) string {
	return fmt.Sprintf("COPY %s (%s) FROM STDIN (FORMAT binary", dialect.PostgreSQL.QuoteTable(name), dialect.PostgreSQL.Columns(tab))
}

// errEnded reports to the writer that the server has ended the COPY; why is in the
// result of the COPY.
var errEnded = errors.New("the server ended the load")

type copied struct {
	rows int64
	err  error
}

// sink hands blocks to the goroutine that runs the COPY.
type sink struct {
	t       *Target
	columns int
	pipe    *io.PipeWriter
	done    chan copied
	finish  func() error // what is left to do when the rows are there
	ended   bool         // the result of the COPY was taken
	numbers database.Numbers
	copied  int64 // taken by the server
	refused refusal.List
}

// Encoder implements database.Sink.
func (s *sink) Encoder() convert.Encoder { return encoder{s.columns} }

// Write implements database.Sink.
func (s *sink) Write(k *convert.Block) error {
	s.numbers.Add(k)
	return s.write(k.Data)
}

// Refused implements database.Sink.
func (s *sink) Refused() *refusal.List { return &s.refused }

// Remarks implements database.Sink.
func (s *sink) Remarks() []string { return nil }

func (s *sink) write(data []byte) error {
	_, err := s.pipe.Write(data)
	if errors.Is(err, errEnded) {
		return s.wait()
	}
	return err
}

// wait returns what COPY says when it has ended.
func (s *sink) wait() error {
	res := <-s.done
	s.ended, s.copied = true, res.rows
	return s.t.fail("copy", res.err)
}

// Close implements database.Sink.
func (s *sink) Close(abort error) (int64, error) {
	if abort != nil {
		s.pipe.CloseWithError(abort)
		if !s.ended {
			<-s.done
		}
		return 0, nil
	}
	err := s.write(trailer)
	if err != nil {
		return 0, err
	}
	s.pipe.Close()
	err = s.wait()
	if err != nil {
		return s.copied, err
	}
	err = s.finish()
	return s.copied, err
}

// addKey gives a new table its key. Rows that repeat one are removed first
// and are refused.
func (x *tx) addKey(ctx context.Context, tab *table.Table, s *sink) error {
	add := dialect.PostgreSQL.AddKey(tab)
	if add == "" {
		return nil
	}
	const op = "add the key"
	err := x.exec(ctx, []string{"SAVEPOINT key"})
	if err != nil {
		return x.t.fail(op, err)
	}
	err = x.exec(ctx, []string{add})
	var pg *pgconn.PgError
	if !errors.As(err, &pg) || pg.Code != uniqueViolation {
		return x.t.fail(op, err)
	}
	err = x.exec(ctx, []string{"ROLLBACK TO SAVEPOINT key"})
	if err != nil {
		return x.t.fail(op, err)
	}
	err = x.takeOut(ctx, tab, s)
	if err != nil {
		return x.t.fail("remove the rows whose key occurs twice", err)
	}
	return x.t.fail(op, x.exec(ctx, []string{add}))
}

// takeOut deletes the rows whose key an earlier one has. In a new table the
// rows lie in the order in which they were sent.
func (x *tx) takeOut(ctx context.Context, tab *table.Table, s *sink) error {
	d := dialect.PostgreSQL
	var keys []string
	for _, k := range tab.Key {
		keys = append(keys, d.Quote(k))
	}
	query := fmt.Sprintf(`WITH numbered AS (SELECT ctid AS at, row_number() OVER (ORDER BY ctid) AS n, %[2]s FROM %[1]s),
		twice AS (SELECT at, n, first_value(n) OVER (PARTITION BY %[2]s ORDER BY n) AS first FROM numbered),
		gone AS (DELETE FROM %[1]s WHERE ctid IN (SELECT at FROM twice WHERE n > first))
		SELECT n FROM twice WHERE n > first ORDER BY n`, d.QuoteTable(tab.Name), strings.Join(keys, ", "))
	rows, err := x.tx.Query(ctx, query)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var n int64
		err := rows.Scan(&n)
		if err != nil {
			return err
		}
		s.copied--
		s.refused.Add(refusal.Refusal{Where: s.numbers.Record(n), Columns: tab.Key, Reason: database.SameKey})
	}
	return rows.Err()
}

const uniqueViolation = "23505"

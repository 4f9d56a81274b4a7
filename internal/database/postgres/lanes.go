package postgres

import (
	"context"
	"errors"
	"fmt"
	"net"
	"runtime"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// Lanes implements database.Laned. On the machine of the server a lane takes two
// processors, one for COPY and one for us.
func (t *Target) Lanes(ctx context.Context) (int, error) {
	// The setting is the nearest to its processors that the server reports.
	found, err := t.Query(ctx, "SHOW max_parallel_workers")
	if err != nil {
		return 0, err
	}
	lanes := int(database.ParseCount(found[0][0]))
	if t.onThisMachine() {
		lanes = min(lanes, runtime.NumCPU()/2)
	}
	return lanes, nil
}

// onThisMachine reports whether the server shares our processors, as far as its address
// shows.
func (t *Target) onThisMachine() bool {
	host, _, err := net.SplitHostPort(t.conn.PgConn().Conn().RemoteAddr().String())
	return err != nil || net.ParseIP(host).IsLoopback() // without a port it is a socket
}

// stage is the staging table of a load in lanes. Its connections see it because it is
// committed; with the rows it takes the name of its table in one transaction.
type stage struct {
	name      string // with the schema of the table
	table     *table.Table
	replaces  bool
	lanes     int
	newSchema string // that was committed with it
}

// createStage commits a staging table. What keeps the table from being replaced is found
// now, and not when the rows are there.
func (x *tx) createStage(ctx context.Context, tab *table.Table, how database.Creation) error {
	op, d := "create table "+tab.Name, dialect.PostgreSQL
	exists, err := x.t.Exists(ctx, tab.Name)
	if err != nil {
		return err
	}
	if exists && !how.Replace {
		return &database.Error{Target: x.t.name, Op: op, Kind: database.ErrExists}
	}
	if exists {
		err := x.exec(ctx, []string{d.Savepoint("drop"), "DROP TABLE " + d.QuoteTable(tab.Name), d.RollbackTo("drop")})
		if err != nil {
			return x.t.fail("drop table "+tab.Name, err)
		}
	}
	identity, err := x.t.Identity(ctx, tab.Name)
	if err != nil {
		return err
	}
	staged := *tab
	staged.Name, staged.Key, staged.Comment = database.NewStage(tab.Name), nil, database.StageMark(identity)
	err = x.exec(ctx, d.BeforeRows(&staged))
	if err != nil {
		return x.t.fail(op, err)
	}
	x.staging = &stage{name: staged.Name, table: tab, replaces: exists, lanes: how.Lanes, newSchema: x.t.newSchema}
	return x.t.fail(op, x.tx.Commit(ctx))
}

// removeLeftOver removes the staging tables that loads of a table have left which were
// killed. It holds the table's lock.
func (x *tx) removeLeftOver(ctx context.Context, name string) error {
	identity, err := x.t.Identity(ctx, name)
	if err != nil {
		return err
	}
	d := dialect.PostgreSQL
	found, err := x.t.Query(ctx, `SELECT format('%I.%I', n.nspname, c.relname) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE c.relkind = 'r' AND c.relname LIKE `+d.Literal(strings.ReplaceAll(database.StagePrefix, "_", `\_`)+"%")+
		` AND obj_description(c.oid, 'pg_class') = `+d.Literal(database.StageMark(identity)))
	if err != nil {
		return err
	}
	for _, row := range found {
		err := x.exec(ctx, []string{"DROP TABLE " + row[0]})
		if err != nil {
			return x.t.fail("drop a staging table", err)
		}
	}
	return nil
}

// dropStage removes the staging table of a load that failed, over another connection where
// that of the load is gone.
func (x *tx) dropStage() error {
	ctx, d := context.Background(), dialect.PostgreSQL
	if x.t.conn.IsClosed() {
		err := x.t.reconnect()
		if err != nil {
			return err
		}
	}
	_, err := x.t.conn.Exec(ctx, "DROP TABLE IF EXISTS "+d.QuoteTable(x.staging.name))
	if err != nil || x.staging.newSchema == "" {
		return err
	}
	_, err = x.t.conn.Exec(ctx, "DROP SCHEMA "+d.Quote(x.staging.newSchema))
	if about(err, dependentObjects) { // of another session
		return nil
	}
	return err
}

const dependentObjects = "2BP01"

// publish begins the transaction in which the staging table takes the name of its table.
func (x *tx) publish(ctx context.Context) error {
	d, s := dialect.PostgreSQL, x.staging
	err := x.begin(ctx)
	if err != nil {
		return x.t.fail("begin", err)
	}
	var statements []string
	if s.replaces {
		statements = append(statements, "DROP TABLE IF EXISTS "+d.QuoteTable(s.table.Name))
	}
	comment := "NULL"
	if s.table.Comment != "" {
		comment = d.Literal(s.table.Comment)
	}
	err = x.exec(ctx, append(statements,
		fmt.Sprintf("ALTER TABLE %s RENAME TO %s", d.QuoteTable(s.name), d.Quote(bare(s.table.Name))),
		fmt.Sprintf("COMMENT ON TABLE %s IS %s", d.QuoteTable(s.table.Name), comment)))
	if err != nil {
		return x.t.fail("create table "+s.table.Name, err)
	}
	return x.renameConstraints(ctx)
}

// renameConstraints gives the constraints that the server named for the staging table,
// as newer ones do with NOT NULL, the names that they would have in its table.
func (x *tx) renameConstraints(ctx context.Context) error {
	d, staged := dialect.PostgreSQL, bare(x.staging.name)
	name := d.QuoteTable(x.staging.table.Name)
	found, err := x.t.Query(ctx, "SELECT conname FROM pg_constraint WHERE conrelid = "+d.Literal(name)+"::regclass")
	if err != nil {
		return err
	}
	for _, row := range found {
		to := bare(x.staging.table.Name) + strings.TrimPrefix(row[0], staged)
		if !strings.HasPrefix(row[0], staged) || len(to) > d.MaxName {
			continue
		}
		err := x.exec(ctx, []string{fmt.Sprintf("ALTER TABLE %s RENAME CONSTRAINT %s TO %s", name, d.Quote(row[0]), d.Quote(to))})
		if err != nil {
			return x.t.fail("name a constraint", err)
		}
	}
	return nil
}

// bare is the name of a table without its schema.
func bare(name string) string { return strings.TrimPrefix(name, dialect.PostgreSQL.Schema(name)+".") }

// laned copies batches over several connections into the staging table, each in a
// transaction of its own. Which row has a key first is not known of them, so that a key
// which occurs twice ends the load.
type laned struct {
	x       *tx
	ctx     context.Context
	tab     *table.Table
	lanes   []*laneConn
	feeder  *database.Feeder
	remarks []string
}

// laneConn is one of the connections. The first is the target's own.
type laneConn struct {
	conn *pgx.Conn
	sql  string
	rows int64
}

// loadLanes opens the lanes: fewer, where the server takes no more connections.
func (x *tx) loadLanes(ctx context.Context, tab *table.Table) (database.Sink, error) {
	l := &laned{x: x, ctx: ctx, tab: tab}
	sql := copyInto(x.staging.name, tab) + ")"
	conn := x.t.conn
	var loads []func(*database.Batch) error
	for {
		_, err := conn.Exec(ctx, "BEGIN")
		if err != nil {
			return nil, errors.Join(x.t.fail("begin", err), l.hangUp())
		}
		lane := &laneConn{conn: conn, sql: sql}
		l.lanes = append(l.lanes, lane)
		loads = append(loads, func(b *database.Batch) error { return x.t.fail("copy", lane.load(ctx, b)) })
		if len(l.lanes) == x.staging.lanes {
			break
		}
		conn, err = pgx.ConnectConfig(ctx, x.t.config)
		if err != nil {
			l.remarks = append(l.remarks, fmt.Sprintf("lanes: %d, as the server took no more connections: %v", len(l.lanes), x.t.fail("connect", err)))
			break
		}
	}
	l.feeder = database.NewFeeder(batchSize, loads...)
	return l, nil
}

// load copies a batch.
func (c *laneConn) load(ctx context.Context, b *database.Batch) error {
	tag, err := c.conn.PgConn().CopyFrom(ctx, wire(b.Rows(0, b.Len())), c.sql)
	c.rows += tag.RowsAffected()
	return err
}

// hangUp ends the connections that are not the target's own.
func (l *laned) hangUp() (err error) {
	for _, lane := range l.lanes[1:] {
		err = errors.Join(err, lane.conn.Close(context.Background()))
	}
	l.lanes = l.lanes[:1]
	return err
}

// Encoder implements database.Sink.
func (l *laned) Encoder() convert.Encoder { return encoder{len(l.tab.Loaded())} }

// Write implements database.Sink.
func (l *laned) Write(k *convert.Block) error { return l.feeder.Add(k) }

// Refused implements database.Sink: a load in lanes refuses no row, it ends.
func (l *laned) Refused() *refusal.List { return &refusal.List{} }

// Lanes implements database.LanedSink.
func (l *laned) Lanes() int { return len(l.lanes) }

// Remarks implements database.Sink.
func (l *laned) Remarks() []string { return l.remarks }

// Close implements database.Sink.
func (l *laned) Close(abort error) (rows int64, err error) {
	if abort != nil {
		_ = l.feeder.Wait() // for the connections; why it failed is known
		return 0, errors.Join(l.hangUp(), l.x.leave())
	}
	err = l.feeder.End()
	for _, lane := range l.lanes {
		if err == nil {
			_, err = lane.conn.Exec(l.ctx, "COMMIT")
		}
		rows += lane.rows
	}
	if err != nil {
		return 0, errors.Join(l.x.t.fail("copy", err), l.hangUp(), l.x.leave())
	}
	err = l.hangUp()
	if err != nil {
		return 0, l.x.t.fail("end a connection", err)
	}
	err = l.x.publish(l.ctx)
	if err != nil {
		return 0, err
	}
	return rows, l.x.addKeyOnce(l.ctx, l.tab)
}

// leave rolls back what the first lane has copied.
func (x *tx) leave() error {
	if x.t.conn.IsClosed() {
		return nil
	}
	_, err := x.t.conn.Exec(context.Background(), "ROLLBACK")
	return x.t.fail("roll back", err)
}

// addKeyOnce gives the table its key, whose values must all differ.
func (x *tx) addKeyOnce(ctx context.Context, tab *table.Table) error {
	add := dialect.PostgreSQL.AddKey(tab)
	if add == "" {
		return nil
	}
	err := x.exec(ctx, []string{add})
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == uniqueViolation {
		return &database.Error{Target: x.t.name, Op: "add the key", Kind: database.ErrInOrder, Err: serverError{pg}}
	}
	return x.t.fail("add the key", err)
}

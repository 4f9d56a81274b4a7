package postgres

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// batchSize is how much is copied at a time into an existing table: enough
// for its cost not to count, and little enough to be sent again.
const batchSize = 4 << 20

// adder copies into an existing table, whose constraints may refuse rows. A
// COPY that fails takes all of its rows back, so that batches are copied within
// savepoints, and again without the row that is refused.
type adder struct {
	ctx context.Context
	x   *tx
	tab *table.Table
	sql string
	// remote says that the rows lie on other servers, to which COPY sends them one by one.
	remote  bool
	feeder  *database.Feeder
	batch   *database.Batch // that is being copied
	rows    int64
	refused refusal.List
}

// Encoder implements database.Sink.
func (a *adder) Encoder() convert.Encoder { return encoder{len(a.tab.Loaded())} }

// Refused implements database.Sink.
func (a *adder) Refused() *refusal.List { return &a.refused }

// Remarks implements database.Sink.
func (a *adder) Remarks() []string { return nil }

// newAdder returns an adder; sql is the COPY.
func newAdder(ctx context.Context, x *tx, tab *table.Table, sql string) (*adder, error) {
	storage, err := x.t.Storage(ctx, tab.Name)
	if err != nil {
		return nil, err
	}
	err = x.checkAtOnce(ctx, tab)
	if err == nil {
		err = x.checkSequences(ctx, tab)
	}
	if err != nil {
		return nil, err
	}
	a := &adder{ctx: ctx, x: x, tab: tab, sql: sql, remote: len(storage.Servers) > 0}
	a.feeder = database.NewFeeder(batchSize, a.load)
	return a, nil
}

// Write implements database.Sink.
func (a *adder) Write(k *convert.Block) error { return a.feeder.Add(k) }

func (a *adder) load(b *database.Batch) error {
	a.batch = b
	c := database.Copier{
		Batch: b, Try: a.try, Sift: a.removeViolations, Failed: a.failed,
		Refused: refused,
		Breaks: func(err error) bool {
			return about(err, constraintViolations) && len(a.tab.Loaded()) < dialect.PostgreSQL.MaxColumns // a temporary table has one more
		},
		Refuse: func(row int, err error) {
			var pg *pgconn.PgError
			errors.As(err, &pg)
			a.refuse(row, pg)
		},
	}
	err := c.Copy(0, b.Len())
	a.rows += c.Rows
	return a.x.t.fail("copy", err)
}

// refused reports whether an error is about a row: a constraint, a value, its length, or what a
// trigger raises.
func refused(err error) bool { return about(err, constraintViolations, "22", "P0", programLimit) }

// about reports whether an error of the server is of some classes.
func about(err error, classes ...string) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && slices.ContainsFunc(classes, func(class string) bool { return strings.HasPrefix(pg.Code, class) })
}

// Reopens implements database.ReopenedSink.
func (a *adder) Reopens() bool { return !a.remote }

// Close implements database.Sink.
func (a *adder) Close(abort error) (int64, error) {
	if abort != nil {
		_ = a.feeder.Wait() // for the connection; why it failed is known
		return 0, nil
	}
	err := a.feeder.End()
	if a.rows > 0 { // without rows, advancing a sequence would only skip a number
		a.x.filled = a.tab
	}
	return a.rows, err
}

// batchName is the name of the temporary table of a batch.
const batchName = "ambertray_batch"

// failed returns the row that an error of a COPY is about. It is not known of a
// constraint that is examined when all rows are there.
func (a *adder) failed(err error, from, end int) (row int, known bool) {
	var pg *pgconn.PgError
	errors.As(err, &pg)
	m := copyLine.FindStringSubmatch(pg.Where)
	if m != nil {
		n, _ := strconv.Atoi(m[1])
		if n > 0 && from+n <= end {
			return from + n - 1, true
		}
	}
	return from, end-from == 1
}

var copyLine = regexp.MustCompile(`^COPY .*, line (\d+)`)

// sameColumns finds which columns a unique constraint is on.
var sameColumns = regexp.MustCompile(`^Key \((.*?)\)=`)

// missingIn finds in which table a foreign key looks in vain, copyColumn at which
// column a COPY has stopped.
var (
	missingIn  = regexp.MustCompile(`is not present in table "(.*)"`)
	copyColumn = regexp.MustCompile(`^COPY .*, line \d+, column ("(?:[^"]|"")+"|[^":, ]+)`)
)

// refuse keeps a row that the server does not take.
func (a *adder) refuse(row int, pg *pgconn.PgError) {
	why := reasonOf(pg, a.tab)
	a.refused.Add(refusal.Refusal{Where: a.batch.Record(row), Columns: why.Columns, Reason: why.Reason})
}

// reasonOf returns why a row is refused, with the columns at fault. The reason for a foreign key names the referenced
// table.
func reasonOf(pg *pgconn.PgError, tab *table.Table) refusal.Reason {
	r := refusal.Reason{Reason: pg.Message}
	var columns []string
	m := sameColumns.FindStringSubmatch(pg.Detail)
	if m != nil {
		columns = strings.Split(m[1], ", ")
	}
	missing := missingIn.FindStringSubmatch(pg.Detail)
	switch {
	case pg.Code == uniqueViolation && strings.Join(columns, ", ") == dialect.PostgreSQL.List(tab.Key):
		r.Reason, r.Columns = database.SameKey, tab.Key
	case missing != nil:
		r.Reason, r.Columns = database.NotInTable(missing[1], pg.ConstraintName), database.AtFault(tab, columns)
	case columns != nil:
		r.Columns = database.AtFault(tab, columns)
	case pg.ColumnName != "":
		r.Columns = database.AtFault(tab, []string{pg.ColumnName})
	default:
		m := copyColumn.FindStringSubmatch(pg.Where)
		if m != nil {
			r.Columns = database.AtFault(tab, m[1:])
		}
	}
	return r
}

// try copies rows in one go, or none of them.
func (a *adder) try(from, to int) error {
	if a.remote {
		err := a.within(from, to, a.insert)
		if err == nil || !refused(err) {
			return err
		}
		// COPY says which row it is.
	}
	return a.within(from, to, a.copy)
}

// copy copies rows.
func (a *adder) copy(from, to int) error {
	_, err := a.x.t.conn.PgConn().CopyFrom(a.ctx, wire(a.batch.Rows(from, to)), a.sql)
	return err
}

// insert copies rows into a temporary table and inserts them from there, which sends them
// to other servers in batches.
func (a *adder) insert(from, to int) error {
	d := dialect.PostgreSQL
	columns := d.Columns(a.tab)
	err := a.x.exec(a.ctx, []string{fmt.Sprintf("CREATE TEMPORARY TABLE %s AS SELECT %s FROM %s WITH NO DATA", remoteName, columns, d.QuoteTable(a.tab.Name))})
	if err != nil {
		return err
	}
	_, err = a.x.t.conn.PgConn().CopyFrom(a.ctx, wire(a.batch.Rows(from, to)), copyInto(remoteName, a.tab)+")")
	if err != nil {
		return err
	}
	return a.x.exec(a.ctx, []string{
		fmt.Sprintf("INSERT INTO %s (%s) OVERRIDING SYSTEM VALUE SELECT %[2]s FROM %s", d.QuoteTable(a.tab.Name), columns, remoteName),
		"DROP TABLE " + remoteName,
	})
}

// remoteName is the name of the temporary table of rows for other servers.
const remoteName = "ambertray_remote"

// within runs something that writes rows, in a savepoint to which an error goes back.
func (a *adder) within(from, to int, write func(from, to int) error) error {
	err := a.x.exec(a.ctx, []string{"SAVEPOINT batch"})
	if err != nil {
		return err
	}
	err = write(from, to)
	if err == nil {
		return a.x.exec(a.ctx, []string{"RELEASE SAVEPOINT batch"})
	}
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		back := a.x.exec(a.ctx, []string{"ROLLBACK TO SAVEPOINT batch", "RELEASE SAVEPOINT batch"}) // otherwise the next one is nested in it
		if back != nil {
			return back
		}
	}
	return err
}

// wire returns rows as COPY sends them.
func wire(rows []byte) io.Reader {
	return io.MultiReader(bytes.NewReader(header), bytes.NewReader(rows), bytes.NewReader(trailer))
}

// sequence numbers the rows in a column.
type sequence struct {
	column, name string
	mayMove      bool // whether the login has the right to set its value
}

// sequences returns the sequences of the loaded columns.
func (x *tx) sequences(ctx context.Context, tab *table.Table) ([]sequence, error) {
	var whole []string
	for _, c := range tab.Loaded() {
		if c.Type.Whole() {
			whole = append(whole, c.Name)
		}
	}
	rows, err := x.tx.Query(ctx, `SELECT c, s, has_sequence_privilege(s, 'UPDATE') FROM unnest($2::text[]) c, pg_get_serial_sequence($1, c) s WHERE s IS NOT NULL`,
		dialect.PostgreSQL.QuoteTable(tab.Name), whole)
	if err != nil {
		return nil, x.t.fail("look for sequences", err)
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (s sequence, err error) {
		return s, row.Scan(&s.column, &s.name, &s.mayMove)
	})
	return list, x.t.fail("look for sequences", err)
}

// checkSequences returns an error if the login may not move a sequence of the table, which the commit does.
func (x *tx) checkSequences(ctx context.Context, tab *table.Table) error {
	list, err := x.sequences(ctx, tab)
	if err != nil {
		return err
	}
	for _, s := range list {
		if !s.mayMove {
			return &database.Error{Target: x.t.Name(), Op: "load into " + tab.Name, Kind: database.ErrSequence, Err: fmt.Errorf("%s, from which column %s is numbered", s.name, s.column)}
		}
	}
	return nil
}

// moveSequences lets identity columns continue after the maximum, because the values
// that were loaded did not come from their sequences. A rollback would not move them back.
func (x *tx) moveSequences(ctx context.Context, tab *table.Table) error {
	list, err := x.sequences(ctx, tab)
	if err != nil {
		return err
	}
	for _, s := range list {
		_, err := x.tx.Exec(ctx, fmt.Sprintf("SELECT setval($1::regclass, greatest((SELECT max(%s) FROM %s), nextval($1::regclass)), true)",
			dialect.PostgreSQL.Quote(s.column), dialect.PostgreSQL.QuoteTable(tab.Name)), s.name)
		if err != nil {
			return x.t.fail("move the sequences on", err)
		}
	}
	return nil
}

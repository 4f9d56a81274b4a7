package sqlserver

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	mssql "github.com/microsoft/go-mssqldb"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// batchSize is how many bytes of rows go in one bulk load: enough for its cost not to
// count, and little enough to be sent again without a row that is refused. One row must
// not have the locks of a whole load.
const batchSize = 8 << 20

// sink loads rows in batches.
type sink struct {
	ctx     context.Context
	x       *tx
	tab     *table.Table
	columns []wireColumn
	insert  string // the INSERT BULK
	feeder  *database.Feeder
	batch   *database.Batch        // that is being loaded
	left    map[refusal.Where]bool // rows of it that the server did not take one by one
	rows    int64
	refused refusal.List
	remarks []string
	foreign map[string][]string // the columns of foreign keys, nil until one fails
	ends    func() error        // what is left to do when the rows are there
}

// Load implements database.Tx.
func (x *tx) Load(ctx context.Context, tab *table.Table) (database.Sink, error) {
	if x.created != tab.Name && !x.wrote && x.t.stages[tab.Name] == "" {
		triggers, err := x.t.hasTriggers(ctx, tab.Name)
		if err != nil {
			return nil, err
		}
		if triggers {
			return x.loadAside(ctx, tab)
		}
	}
	return x.newSink(ctx, tab)
}

func (x *tx) newSink(ctx context.Context, tab *table.Table) (*sink, error) {
	s := &sink{ctx: ctx, x: x, tab: tab}
	s.feeder = database.NewFeeder(batchSize, s.load)
	var err error
	s.columns, err = x.t.describe(ctx, tab)
	if err != nil {
		return nil, err
	}
	s.insert = insertBulk(x.t.quoted(tab.Name), s.columns, x.created == tab.Name)
	s.ends, err = x.ownIdentity(ctx, tab)
	return s, err
}

// describe returns the loaded columns of a table as the server describes them.
func (t *Target) describe(ctx context.Context, tab *table.Table) (columns []wireColumn, err error) {
	query := "SELECT TOP (0) " + dialect.SQLServer.Columns(tab) + " FROM " + t.quoted(tab.Name)
	err = t.read(ctx, query, func(a *answer) error {
		err := (&rowReader{}).each(a, func() error { return nil })
		if err != nil {
			return err
		}
		columns = a.columns
		return nil
	})
	if err == nil && len(columns) != len(tab.Loaded()) {
		err = fmt.Errorf("the server describes %d columns instead of %d", len(columns), len(tab.Loaded()))
	}
	return columns, t.fail("look at table "+tab.Name, err)
}

// insertBulk announces rows. A NULL stays one, also where the column has a default, and
// constraints and triggers hold as for any other row. A table that nobody else sees is
// locked as a whole, which spares a lock for each row, and log where the recovery model
// allows it.
func insertBulk(table string, columns []wireColumn, own bool) string {
	var list []string
	for i := range columns {
		list = append(list, dialect.SQLServer.Quote(columns[i].name)+" "+columns[i].declaration())
	}
	options := "CHECK_CONSTRAINTS, FIRE_TRIGGERS, KEEP_NULLS"
	if own {
		options += ", TABLOCK"
	}
	return fmt.Sprintf("INSERT BULK %s (%s) WITH (%s)", table, strings.Join(list, ", "), options)
}

// ownIdentity lets an identity column take the values of the source, until end is
// called. The server continues after the greatest of them by itself.
func (x *tx) ownIdentity(ctx context.Context, tab *table.Table) (end func() error, err error) {
	none := func() error { return nil }
	var names []string
	for _, c := range tab.Loaded() {
		names = append(names, dialect.SQLServer.Literal(c.Name))
	}
	if len(names) == 0 {
		return none, nil
	}
	found, err := x.t.Query(ctx, fmt.Sprintf("SELECT name FROM sys.columns WHERE object_id = %s AND is_identity = 1 AND name IN (%s)", x.t.id(tab.Name), strings.Join(names, ", ")))
	if err != nil || len(found) == 0 {
		return none, err
	}
	set := func(to string) error {
		_, err := x.t.Exec(ctx, "SET IDENTITY_INSERT "+x.t.quoted(tab.Name)+" "+to)
		return err
	}
	return func() error { return set("OFF") }, set("ON")
}

// Encoder implements database.Sink.
func (s *sink) Encoder() convert.Encoder { return encoder{s.columns} }

// Write implements database.Sink.
func (s *sink) Write(k *convert.Block) error { return s.feeder.Add(k) }

// Refused implements database.Sink.
func (s *sink) Refused() *refusal.List { return &s.refused }

// Remarks implements database.Sink.
func (s *sink) Remarks() []string { return s.remarks }

// Close implements database.Sink.
func (s *sink) Close(abort error) (int64, error) {
	if abort != nil {
		_ = s.feeder.Wait() // for the connection; why it failed is known
		return 0, nil
	}
	err := s.feeder.End()
	if err != nil {
		return 0, err
	}
	return s.rows, s.ends()
}

// load loads a batch but for the rows that are refused.
func (s *sink) load(b *database.Batch) error {
	if b.Len() == 0 {
		return nil
	}
	s.batch, s.left = b, map[refusal.Where]bool{}
	before := len(s.refused.Reasons)
	c := database.Copier{
		Batch: b, Try: s.try, Sift: s.sift, Refused: refused, Refuse: s.refuse,
		Breaks: func(err error) bool { // found in a table with one more column
			return numbered(err, constraintErrors) && len(s.columns) < dialect.SQLServer.MaxColumns
		},
		Failed: func(_ error, from, to int) (int, bool) { return from, to-from == 1 },
	}
	err := c.Copy(0, b.Len())
	s.rows += c.Rows
	if err == nil && len(s.refused.Reasons) > before && s.remarks == nil {
		s.remarks, err = s.collationRemarks()
	}
	if err == nil && s.x.added != nil && s.tab.Name == s.x.added.table {
		err = s.x.added.note(s.ctx, b, s)
	}
	return s.x.t.fail("load rows", err)
}

// try loads rows in one go, or none of them. An error of the server takes the rows of
// this bulk load back, and nothing before: the transaction goes on, unless a trigger or
// the server has ended it.
func (s *sink) try(from, to int) error {
	_, err := s.x.t.bulk(s.ctx, s.insert, s.columns, s.batch.Rows(from, to))
	return err
}

// bulk sends rows.
func (t *Target) bulk(ctx context.Context, insert string, columns []wireColumn, rows []byte) (n int64, err error) {
	_, err = t.conn.ExecContext(ctx, insert)
	if err != nil {
		return 0, err
	}
	err = t.raw(ctx, func(w *wire) error {
		n, err = w.bulk(columns, rows)
		return err
	})
	return n, err
}

// The numbers of errors that are about rows: constraints that are broken, and values
// that do not fit or that a trigger does not want.
var (
	constraintErrors = []int32{2601, 2627, 547, 515}
	valueErrors      = []int32{2628, 8152, 8115, 220, 232, 8114, 245, 241, 242, 4819, 4815, 7339, 7705, 13535}
)

func numbered(err error, numbers []int32) bool {
	var e mssql.Error
	return errors.As(err, &e) && slices.ContainsFunc(allOf(e), func(x mssql.Error) bool { return slices.Contains(numbers, x.Number) })
}

func allOf(e mssql.Error) []mssql.Error {
	if len(e.All) > 0 {
		return e.All
	}
	return []mssql.Error{e}
}

// refused reports whether an error is about a row, and the transaction goes on.
func refused(err error) bool { return numbered(err, constraintErrors) || numbered(err, valueErrors) }

// withoutValue leaves the value of the row out of a message, which the reject has anyway:
// all rows that are refused for the same reason have the same one.
func withoutValue(message string) string {
	for _, begins := range []string{" The duplicate key value is ", " Truncated value: "} {
		message, _, _ = strings.Cut(message, begins)
	}
	return message
}

// inColumn finds the column in an error message, and foreignFailed the foreign key and the referenced table.
var (
	inColumn      = regexp.MustCompile(`column '([^']*)'`)
	foreignFailed = regexp.MustCompile(`FOREIGN KEY (?:SAME TABLE )?constraint "([^"]*)".*, table "([^"]*)"`)
)

// Reopens implements database.ReopenedSink.
func (s *sink) Reopens() bool { return true }

// refuse keeps a row that the server does not take.
func (s *sink) refuse(row int, err error) {
	var e mssql.Error
	errors.As(err, &e)
	why := reasonOf(e, s.tab, s.foreignColumns)
	r := refusal.Refusal{Where: s.batch.Record(row), Columns: why.Columns, Reason: why.Reason}
	s.left[r.Where] = true
	s.refused.Add(r)
}

// reasonOf returns why the server does not take a row; columns returns those of a foreign key.
func reasonOf(e mssql.Error, tab *table.Table, columns func(foreignKey string) []string) refusal.Reason {
	first := allOf(e)[0]
	r := refusal.Reason{Reason: withoutValue(first.Message)}
	m := inColumn.FindStringSubmatch(first.Message)
	foreign := foreignFailed.FindStringSubmatch(first.Message)
	switch {
	case foreign != nil:
		r.Reason = database.NotInTable(strings.TrimPrefix(foreign[2], "dbo."), foreign[1])
		r.Columns = columns(foreign[1])
	case m != nil && first.Number != 547:
		r.Columns = database.AtFault(tab, m[1:])
	}
	return r
}

// foreignColumns returns the columns of a foreign key, or nil if they are not found.
func (s *sink) foreignColumns(name string) []string {
	if s.foreign == nil {
		keys, _ := s.x.t.ForeignKeys(s.ctx, s.tab.Name)
		s.foreign = columnsByKey(s.tab, keys)
	}
	return s.foreign[name]
}

// columnsByKey returns the loaded columns of foreign keys by the names of the keys.
func columnsByKey(tab *table.Table, keys []database.ForeignKey) map[string][]string {
	columns := map[string][]string{}
	for _, k := range keys {
		columns[k.Name] = database.AtFault(tab, k.Columns)
	}
	return columns
}

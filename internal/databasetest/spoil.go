package databasetest

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/differ"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// spoilt is a target whose table is changed after the rows are in, in the same
// transaction, and before they are verified.
type spoilt struct {
	database.Target
	statements []string
	reading    func() error // called, unless nil, when a row is read
}

// Rows calls reading before each row.
func (s spoilt) Rows(ctx context.Context, t *table.Table, each database.EachRow) error {
	return s.Target.Rows(ctx, t, s.watch(each))
}

func (s spoilt) watch(each database.EachRow) database.EachRow {
	if s.reading == nil {
		return each
	}
	return func(row []value.Value) error { return errors.Join(s.reading(), each(row)) }
}

func (s spoilt) Begin(ctx context.Context) (database.Tx, error) {
	tx, err := s.Target.Begin(ctx)
	return spoiltTx{tx, tx.(database.Adder), s}, err
}

// Lock and the two below are the capabilities that a load needs.
func (s spoilt) Lock(ctx context.Context, name string) (func(), error) {
	return database.Lock(ctx, s.Target, name)
}

func (s spoilt) Columns(ctx context.Context, name string) ([]database.ColumnInfo, error) {
	return database.Columns(ctx, s.Target, name)
}

func (s spoilt) Identity(ctx context.Context, name string) (string, error) {
	return database.Identity(ctx, s.Target, name)
}

type spoiltTx struct {
	database.Tx
	database.Adder
	of spoilt
}

func (x spoiltTx) Load(ctx context.Context, t *table.Table) (database.Sink, error) {
	sink, err := x.Tx.Load(ctx, t)
	return spoiltSink{sink, x.of}, err
}

func (x spoiltTx) Added(ctx context.Context, t *table.Table, rows int64, each database.EachRow) error {
	return x.Adder.Added(ctx, t, rows, x.of.watch(each))
}

type spoiltSink struct {
	database.Sink
	of spoilt
}

func (s spoiltSink) Close(abort error) (int64, error) {
	rows, err := s.Sink.Close(abort)
	for _, statement := range s.of.statements {
		if err == nil && abort == nil {
			_, err = s.of.Exec(context.Background(), statement)
		}
	}
	return rows, err
}

// spoils are changes of rows, and what is named of them where they have a key.
var spoils = []struct {
	fault      string
	statements []string
	named      []string // the key, line, column and values
	rows       int64
}{
	{"a letter", []string{"UPDATE %s SET name = 'lmo' WHERE no = 11"}, []string{"11 on 2: name 'lmn' 'lmo'"}, 1},
	{"swapped cells", []string{"UPDATE %s SET name = 'Opq' WHERE no = 11", "UPDATE %s SET name = 'lmn' WHERE no = 12"},
		[]string{"11 on 2: name 'lmn' 'Opq'", "12 on 3: name 'Opq' 'lmn'"}, 2},
	{"one more and one less", []string{"UPDATE %s SET amount = amount + 1 WHERE no = 11", "UPDATE %s SET amount = amount - 1 WHERE no = 12"},
		[]string{"11 on 2: amount 1.50 2.50", "12 on 3: amount 2.00 1.00"}, 2},
	{"a lost row", []string{"DELETE FROM %s WHERE no = 13"}, []string{"13 on 4:  13, ' r', 3.25, 0.1, 2026-03-03, NULL "}, 1},
	{"trimmed spaces", []string{"UPDATE %s SET name = 'r' WHERE no = 13"}, []string{"13 on 4: name ' r' 'r'"}, 1},
	{"changed case", []string{"UPDATE %s SET name = 'opq' WHERE no = 12"}, []string{"12 on 3: name 'Opq' 'opq'"}, 1},
	{"less of a double", []string{"UPDATE %s SET mass = 0.10000000000000003 WHERE no = 13"}, []string{"13 on 4: mass 0.1 0.10000000000000003"}, 1},
	{"another day", []string{"UPDATE %s SET day = '2026-03-04' WHERE no = 13"}, []string{"13 on 4: day 2026-03-03 2026-03-04"}, 1},
	{"a blank for NULL", []string{"UPDATE %s SET note = '' WHERE no = 13"}, []string{"13 on 4: note NULL ''"}, 1},
	{"NULL for a number", []string{"UPDATE %s SET amount = NULL WHERE no = 12"}, []string{"12 on 3: amount 2.00 NULL"}, 1},
}

// spoilPlan is the plan of a table of 3 rows.
func spoilPlan(t *testing.T, name, text string, keyed bool) *tray.Tray {
	column := func(name string, typ table.Type) table.Column {
		return table.Column{From: name, Name: name, Type: typ, Nullable: name != "no"}
	}
	tr := NewTray(t, name, text, column("no", table.Type{Kind: table.Integer}), column("name", table.Type{Kind: table.Varchar, Size: 9}),
		column("amount", table.Type{Kind: table.Decimal, Size: 7, Scale: 2}), column("mass", table.Type{Kind: table.Double}),
		column("day", table.Type{Kind: table.Date}), column("note", table.Type{Kind: table.Text}))
	if keyed {
		tr.Table.Key = []string{"no"}
	}
	return tr
}

const (
	spoilHeader = "no,name,amount,mass,day,note\n"
	spoilRows   = spoilHeader + "11,lmn,1.5,1e9,2026-03-01,a\n12,Opq,2,-3,2026-03-02,b\n13, r,3.25,0.1,2026-03-03,\n"
)

// everyFaultIsFound spoils rows that are added to a table, or in a new one, after
// they are in and before they are verified. Nothing of them stays.
func everyFaultIsFound(t *testing.T, to database.Target) {
	for _, mode := range []string{"keyed", "plain", "new"} {
		if mode == "new" && to.Dialect().DDLAutoCommits { // it has another name until it is verified
			continue
		}
		for i, s := range spoils {
			if i > 3 && mode != "keyed" { // for those the way is the same
				break
			}
			tr := spoilPlan(t, fmt.Sprintf("%s_%d", mode, i), spoilRows, mode != "plain")
			if mode != "new" {
				first := spoilPlan(t, tr.Table.Name, spoilHeader+"1,x,1,1,2026-01-01,x\n2,x,1,1,2026-01-01,x\n", mode == "keyed")
				_, err := load.Run(context.Background(), first, &source.Opener{}, to, load.Options{})
				require.NoError(t, err)
				tr.Table.Existing = table.Append
			}
			var statements []string
			for _, sql := range s.statements {
				statements = append(statements, fmt.Sprintf(sql, tr.Table.Name))
			}
			r, err := load.Run(context.Background(), tr, &source.Opener{}, spoilt{Target: to, statements: statements}, load.Options{})
			require.ErrorIs(t, err, load.ErrDiffers, s.fault)
			require.Equal(t, s.rows, r.RowsDiffer.Missing+r.RowsDiffer.Changed, s.fault)
			if mode != "plain" {
				require.Equal(t, s.named, named(r.RowsDiffer, to.Dialect()), s.fault)
			}
			if mode != "new" {
				requireRows(t, to, tr.Table.Name, 2)
			}
		}
	}
	doubledRow(t, to)
	rewritingTrigger(t, to)
}

// named writes differences for comparison. SQLite keeps days as text.
func named(r *differ.Result, d *dialect.Dialect) (list []string) {
	for _, x := range r.First {
		text := fmt.Sprintf("%s on %d: %s %s %s", x.Key, x.Line, x.Column, x.InSource, x.InTable)
		if d == dialect.SQLite {
			text = unquotedDay.ReplaceAllString(text, "$1")
		}
		list = append(list, text)
	}
	return list
}

var unquotedDay = regexp.MustCompile(`'(2026-\d\d-\d\d)'`)

// doubledRow finds a row that is in the table twice.
func doubledRow(t *testing.T, to database.Target) {
	tr := spoilPlan(t, "plain_0", spoilRows, false)
	tr.Table.Existing = table.Append
	r, err := load.Run(context.Background(), tr, &source.Opener{}, spoilt{Target: to, statements: []string{"INSERT INTO plain_0 SELECT * FROM plain_0 WHERE no = 11"}}, load.Options{})
	require.ErrorIs(t, err, load.ErrDiffers)
	require.Equal(t, []load.Difference{{Figure: "rows", Source: "3", Table: "4"}}, r.Differences)
	requireRows(t, to, "plain_0", 2)
}

// rewritingTrigger names the rows that a trigger has changed.
func rewritingTrigger(t *testing.T, to database.Target) {
	for _, statement := range map[string][]string{
		"SQLite":     {"CREATE TRIGGER shout AFTER INSERT ON keyed_0 BEGIN UPDATE keyed_0 SET name = upper(name) WHERE no = new.no; END"},
		"MySQL":      {"CREATE TRIGGER shout BEFORE INSERT ON keyed_0 FOR EACH ROW SET NEW.name = upper(NEW.name)"},
		"SQL Server": {"CREATE TRIGGER shout ON keyed_0 AFTER INSERT AS UPDATE t SET name = upper(t.name) FROM keyed_0 AS t JOIN inserted AS i ON i.no = t.no"},
		"PostgreSQL": {
			"CREATE FUNCTION shout() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.name := upper(NEW.name); RETURN NEW; END $$",
			"CREATE TRIGGER shout BEFORE INSERT ON keyed_0 FOR EACH ROW EXECUTE FUNCTION shout()",
		},
	}[to.Dialect().Title] {
		_, err := to.Exec(context.Background(), statement)
		require.NoError(t, err)
	}
	tr := spoilPlan(t, "keyed_0", spoilRows, true)
	tr.Table.Existing = table.Append
	r, err := load.Run(context.Background(), tr, &source.Opener{}, to, load.Options{})
	require.ErrorIs(t, err, load.ErrDiffers)
	require.Equal(t, []string{"11 on 2: name 'lmn' 'LMN'", "12 on 3: name 'Opq' 'OPQ'", "13 on 4: name ' r' ' R'"}, named(r.RowsDiffer, to.Dialect()))
	requireRows(t, to, "keyed_0", 2)
}

// lostInProof ends the connection of a load while its rows are read back.
func lostInProof(t *testing.T, open func() database.Target) {
	to, other := open(), open()
	defer to.Close()
	defer other.Close()
	ctx := context.Background()
	session := map[string]string{"PostgreSQL": "SELECT pg_backend_pid()", "MySQL": "SELECT connection_id()", "SQL Server": "SELECT @@SPID"}[to.Dialect().Title]
	if session == "" {
		return // there is no connection
	}
	own, err := to.Query(ctx, session)
	require.NoError(t, err)
	end := map[string]string{"PostgreSQL": "SELECT pg_terminate_backend(%s)", "MySQL": "KILL %s", "SQL Server": "KILL %s"}[to.Dialect().Title]
	var rows strings.Builder
	rows.WriteString(spoilHeader)
	for i := range 50_000 { // more than is under way at once
		fmt.Fprintf(&rows, "%d,x,1,1,2026-01-01,%0200d\n", i+3, i)
	}
	first := spoilPlan(t, "lost", spoilHeader+"1,x,1,1,2026-01-01,x\n", true)
	_, err = load.Run(ctx, first, &source.Opener{}, to, load.Options{})
	require.NoError(t, err)
	tr := spoilPlan(t, "lost", rows.String(), true)
	tr.Table.Existing = table.Append
	sent := 0
	_, err = load.Run(ctx, tr, &source.Opener{}, spoilt{Target: to, reading: func() error {
		sent++
		if sent != 2 { // the row that was there may be read before
			return nil
		}
		_, err := other.Query(ctx, fmt.Sprintf(end, own[0][0]))
		return err
	}}, load.Options{})
	require.ErrorIs(t, err, database.ErrUnreachable)
	requireRows(t, other, "lost", 1)
}

package databasetest

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/infer"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/tighten"
)

// wide makes a table whose columns are wider than their values.
func wide(t *testing.T, to database.Target, name string, rows ...string) {
	ctx := context.Background()
	exec := func(statement string) {
		_, err := to.Exec(ctx, statement)
		require.NoError(t, err, statement)
	}
	exec("CREATE TABLE " + name + ` (no bigint NULL, lent varchar(200) NULL, seen varchar(200) NULL, fee varchar(200) NULL, mass decimal(20,6) NULL,
		lent_out varchar(200) NULL, name varchar(200) NULL, due varchar(200) NULL, spare varchar(20) NULL)`)
	for i := range 60 {
		rows = append(rows, fmt.Sprintf("(%d, '%02d/%02d/2026', '2026-01-%02d 10:%02d:00', '%d,%03d.50', %d.250000, '%s', 'ant %d', '%02d.03.2026', NULL)",
			i+1, 1+i%28, 1+i%12, 1+i%28, i, 1+i%9, i, i, []string{"Yes", "no"}[i%2], i, 1+i%28))
	}
	for _, row := range rows {
		exec("INSERT INTO " + name + " (no, lent, seen, fee, mass, lent_out, name, due, spare) VALUES " + row)
	}
}

// tightensWords makes booleans of columns with one of the words for true and false alone, and of words whose
// order is another one. Dates in an order that no value shows stay as they are, unless somebody says which it is.
func tightensWords(t *testing.T, to database.Target) {
	ctx := context.Background()
	execAll(t, to, "CREATE TABLE words (no integer NOT NULL, lent varchar(200) NULL, sold varchar(200) NULL, paid varchar(200) NULL, seen varchar(200) NULL, kept integer NULL)",
		"INSERT INTO words VALUES (1, 'TRUE', 'FALSE', 'ja', '05/06/2026', 1)", "INSERT INTO words VALUES (2, 'TRUE', 'FALSE', 'nein', '07/08/2026', 1)")
	p, err := tighten.Propose(ctx, to, "words", tighten.Options{})
	require.NoError(t, err)
	require.Contains(t, *p.Columns[4].Unchanged, "ambiguous: no number is over 12")
	p, err = tighten.Propose(ctx, to, "words", tighten.Options{Set: map[string]tighten.Set{"seen": {Format: "MM/dd/yyyy"}, "kept": {Type: &table.Type{Kind: table.Boolean}}}})
	require.NoError(t, err)
	require.NoError(t, p.Apply(ctx, to))
	rows, err := to.Query(ctx, "SELECT count(*) FROM words WHERE lent = '1' AND sold = '0' AND kept = '1' AND (paid = '1' AND no = 1 OR paid = '0' AND no = 2) AND seen IN ('2026-05-06', '2026-07-08')")
	require.NoError(t, err)
	require.Equal(t, "2", rows[0][0])
}

// tightensSpaces makes numbers of texts that a load has left with returns and tabs, in a table with the name of an
// alias. A column that is NOT NULL and has blank texts stays unchanged, and the others are changed.
func tightensSpaces(t *testing.T, to database.Target) {
	ctx, d := context.Background(), to.Dialect()
	execAll(t, to, "CREATE TABLE t (no integer NOT NULL, pieces varchar(200) NULL, room varchar(200) NOT NULL)")
	for no, pieces := range []string{"12\r", "\t13", "\t\r\n", "14"} {
		execAll(t, to, fmt.Sprintf("INSERT INTO t VALUES (%d, %s, '%s')", no, d.Literal(pieces), []string{"1", ""}[no/3]))
	}
	p, err := tighten.Propose(ctx, to, "t", tighten.Options{})
	require.NoError(t, err)
	require.Nil(t, p.Columns[1].Unchanged)
	require.Contains(t, *p.Columns[2].Unchanged, "its blank texts would become NULL, and it is NOT NULL")
	require.Equal(t, []tighten.Row{{Column: "room", Key: "3", Value: "", Reason: "no value, but the column is not nullable"}}, p.Obstacles)
	require.NoError(t, p.Apply(ctx, to))
	rows, err := to.Query(ctx, "SELECT count(pieces), sum(pieces), count(*) FROM t WHERE room IN ('1', '')")
	require.NoError(t, err)
	require.Equal(t, []string{"3", "39", "4"}, rows[0])
}

func tightens(t *testing.T, to database.Target) {
	ctx := context.Background()
	wide(t, to, "tight", "(100, '  ', NULL, NULL, NULL, NULL, 'a ''quoted'' name', 'soon', NULL)")
	p, err := tighten.Propose(ctx, to, "tight", tighten.Options{Survey: survey.Options{Fit: infer.Snug}})
	require.NoError(t, err)
	require.Equal(t, int64(61), p.Rows)
	require.Equal(t, []string{"no"}, p.Key)
	require.Equal(t, []tighten.Row{{Column: "due", Key: "100", Value: "soon", Reason: "not a date written dd.MM.yyyy"}}, p.Obstacles)
	d := to.Dialect()
	types := map[string]string{}
	for _, c := range p.Columns {
		types[c.Name] = fmt.Sprintf("%s %t %t", c.Type, c.Nullable, c.Changes)
	}
	kind := func(text string) string {
		typ, err := table.ParseType(text)
		require.NoError(t, err)
		return d.TypeName(typ)
	}
	require.Equal(t, map[string]string{
		"no": kind("smallint") + " false true", "lent": kind("date") + " true true", "seen": kind("timestamp(0)") + " true true", "fee": kind("decimal(6,2)") + " true true",
		"mass": kind("decimal(4,2)") + " true true", "lent_out": kind("boolean") + " true true", "name": kind("varchar(15)") + " false true",
		"due": kind("varchar(10)") + " false true", "spare": p.Columns[8].Was + " true false",
	}, types)

	require.NoError(t, p.Apply(ctx, to))
	live, err := database.Columns(ctx, to, "tight")
	require.NoError(t, err)
	require.Equal(t, []string{"no", "lent", "seen", "fee", "mass", "lent_out", "name", "due", "spare"}, namesOf(live), "columns keep their places")
	require.False(t, live[0].Nullable)
	key, err := database.PrimaryKey(ctx, to, "tight")
	require.NoError(t, err)
	require.Equal(t, []string{"no"}, key)
	rows, err := to.Query(ctx, "SELECT sum(no), count(lent), count(seen), count(lent_out), sum(fee), sum(mass) FROM tight")
	require.NoError(t, err)
	whole := func(s string) string { s, _, _ = strings.Cut(s, "."); return s }
	require.Equal(t, []string{"1930", "60", "60", "60"}, rows[0][:4])
	require.Equal(t, []string{"292800", "1785"}, []string{whole(rows[0][4]), whole(rows[0][5])})
	rows, err = to.Query(ctx, "SELECT no FROM tight WHERE lent = '2026-03-03' AND fee = 3002.5 AND name = 'ant 2' AND due = '03.03.2026'")
	require.NoError(t, err)
	require.Equal(t, [][]string{{"3"}}, rows)

	again, err := tighten.Propose(ctx, to, "tight", tighten.Options{Survey: survey.Options{Fit: infer.Snug}})
	require.NoError(t, err)
	require.Empty(t, again.Statements, "what is tight stays")
}

func namesOf(live []database.ColumnInfo) (names []string) {
	for _, l := range live {
		names = append(names, l.Name)
	}
	return names
}

// doubts changes a table between the proposal and its changes, and asks for a type that
// not all values have.
func doubts(t *testing.T, to database.Target) {
	ctx := context.Background()
	wide(t, to, "doubtful")
	p, err := tighten.Propose(ctx, to, "doubtful", tighten.Options{})
	require.NoError(t, err)
	_, err = to.Exec(ctx, "INSERT INTO doubtful (no, lent) VALUES (70, '30/02/2026')")
	require.NoError(t, err)
	before, err := database.Definition(ctx, to, "doubtful")
	require.NoError(t, err)
	unchanged := func() {
		t.Helper()
		after, err := database.Definition(ctx, to, "doubtful")
		require.NoError(t, err)
		require.Equal(t, before, after)
		requireRows(t, to, "doubtful", 61)
		_, err = to.Exec(ctx, "UPDATE doubtful SET no = no") // nothing is locked any more
		require.NoError(t, err)
	}
	var doubt *tighten.DoubtError
	require.ErrorAs(t, p.Apply(ctx, to), &doubt)
	require.Contains(t, doubt.What, `column lent has "30/02/2026": no such date`)
	unchanged()

	forced, err := tighten.Propose(ctx, to, "doubtful", tighten.Options{Set: map[string]tighten.Set{"name": {Type: &table.Type{Kind: table.Date}}}})
	require.NoError(t, err)
	require.Len(t, forced.Obstacles, 11, "ten of the sixty names, and the day that does not exist")
	require.ErrorAs(t, forced.Apply(ctx, to), &doubt)
	unchanged()

	p, err = tighten.Propose(ctx, to, "doubtful", tighten.Options{})
	require.NoError(t, err)
	_, err = to.Exec(ctx, "ALTER TABLE doubtful ADD late integer NULL")
	require.NoError(t, err)
	require.ErrorAs(t, p.Apply(ctx, to), &doubt)
	require.Contains(t, doubt.What, "another session changed its columns")
}

// Keeps tightens a table named kept, which the statements make, and wants what hangs on it
// to stay. left are the columns that are left as they are, and a part of the reason.
func Keeps(t *testing.T, to database.Target, statements []string, left map[string]string) {
	ctx := context.Background()
	execAll(t, to, statements...)
	hangs := func() []string {
		d, err := database.Require[database.Depended](to, to, "")
		require.NoError(t, err)
		list, err := d.Dependents(ctx, &table.Table{Name: "kept"})
		require.NoError(t, err)
		return list
	}
	before := hangs()
	require.NotEmpty(t, before)
	p, err := tighten.Propose(ctx, to, "kept", tighten.Options{})
	require.NoError(t, err)
	for _, c := range p.Columns {
		why, ok := left[c.Name]
		if ok {
			require.NotNil(t, c.Unchanged, c.Name)
			require.Contains(t, *c.Unchanged, why)
			require.False(t, c.Changes, c.Name)
		} else {
			require.True(t, c.Changes, c.Name)
		}
	}
	require.NoError(t, p.Apply(ctx, to))
	require.Equal(t, before, hangs())
}

// Partitioned tightens a table named parted, which the statements make: the column day, which decides
// in which partition a row is, stays, and no key is proposed, because it would have to have that column.
func Partitioned(t *testing.T, to database.Target, statements ...string) {
	ctx := context.Background()
	execAll(t, to, statements...)
	p, err := tighten.Propose(ctx, to, "parted", tighten.Options{})
	require.NoError(t, err)
	require.Empty(t, p.Key)
	unchanged := map[string]string{}
	for _, c := range p.Columns {
		if !c.Changes {
			unchanged[c.Name] = *c.Unchanged
		}
	}
	require.Equal(t, map[string]string{"day": "the partitioning uses it"}, unchanged)
	require.NoError(t, p.Apply(ctx, to))
}

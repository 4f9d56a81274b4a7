package sqlite_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/database/sqlite"
	"ambertray/internal/databasetest"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

func TestContract(t *testing.T) {
	path := filepath.Join(t.TempDir(), "museum.db")
	databasetest.Run(t, func() database.Target {
		to, err := sqlite.Open(path, true)
		require.NoError(t, err)
		return to
	})
}

// TestNewFile loads into a file that another program makes at the same time, and
// removes because its own load fails.
func TestNewFile(t *testing.T) {
	ctx := context.Background()
	for range 200 {
		path := filepath.Join(t.TempDir(), "new.db")
		var both sync.WaitGroup
		both.Go(func() {
			to, err := sqlite.Open(path, true)
			if assert.NoError(t, err) {
				assert.NoError(t, to.Close())
			}
		})
		both.Go(func() {
			to, err := sqlite.Open(path, true)
			if !assert.NoError(t, err) {
				return
			}
			tx, err := to.Begin(ctx)
			if assert.NoError(t, err) {
				_, err = to.Exec(ctx, "CREATE TABLE loan (no INTEGER)")
				assert.NoError(t, err)
				assert.NoError(t, tx.Commit(ctx, nil))
			}
			assert.NoError(t, to.Close())
		})
		both.Wait()
		to, err := sqlite.Open(path, false)
		require.NoError(t, err)
		there, err := to.Exists(ctx, "loan")
		require.NoError(t, err)
		require.True(t, there)
		require.NoError(t, to.Close())
	}
}

// open makes a database, which is closed when the test ends.
func open(t *testing.T) *sqlite.Target {
	to, err := sqlite.Open(filepath.Join(t.TempDir(), "museum.db"), true)
	require.NoError(t, err)
	t.Cleanup(func() { to.Close() })
	return to
}

func TestOpen(t *testing.T) {
	path := filepath.Join(t.TempDir(), "new.db")
	_, err := sqlite.Open(path, false)
	require.ErrorIs(t, err, os.ErrNotExist)
	to, err := sqlite.Open(path, true)
	require.NoError(t, err)
	require.NoError(t, to.Close())
	require.NoFileExists(t, path, "a file into which nothing was loaded is not left behind")

	require.NoError(t, os.WriteFile(path, []byte("this is a text, and not a database at all"), 0o600))
	to, err = sqlite.Open(path, false)
	if err == nil {
		_, err = to.Exists(context.Background(), "loan")
	}
	require.ErrorIs(t, err, database.ErrNoDatabase)
}

// TestDeclared keeps to what the columns of an existing table were declared for,
// which the engine does not.
func TestDeclared(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	to, err := sqlite.Open(filepath.Join(dir, "museum.db"), true)
	require.NoError(t, err)
	defer to.Close()
	_, err = to.Exec(ctx, "CREATE TABLE loan (no SMALLINT, name VARCHAR(5), mass DECIMAL(5,1), size REAL, day DATE, other)")
	require.NoError(t, err)
	text := "no,name,mass,size,day,other\n1,ant,1.5,0.1,2026-01-31,x\n40000,ant,1.5,1,2026-01-31,x\n3,beetle,1.5,1,2026-01-31,x\n" +
		"4,ant,1.25,1,2026-01-31,x\n5,ant,1.5,9007199254740993,2026-01-31,x\n6,ant,1.5,1,2026-02-31,x\n7,7,1,9007199254740992,2026-01-31,x\n"
	tr := databasetest.NewTray(t, "loan", text)
	tr.Table.Existing = table.Append
	for name, typ := range map[string]string{"no": "integer", "name": "varchar(20)", "mass": "decimal(9,2)", "size": "bigint", "day": "date", "other": "text"} {
		typ, err := table.ParseType(typ)
		require.NoError(t, err)
		tr.Table.Columns = append(tr.Table.Columns, table.Column{From: name, Name: name, Type: typ, Nullable: true})
	}
	check, err := load.DryRun(ctx, tr, &source.Opener{}, to, load.CheckOptions{})
	require.NoError(t, err)
	require.Equal(t, int64(5), check.Rejected())
	r, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
	require.NoError(t, err)
	var reasons []string
	for _, g := range r.Rejects.ByReason {
		reasons = append(reasons, g.Column+" "+g.Reason)
	}
	require.Equal(t, []string{"no does not fit smallint", "name longer than varchar(5)", "mass does not fit decimal(5,1)",
		"size double would not give it back unchanged", "day no such date"}, reasons)
	rows, err := to.Query(ctx, "SELECT name, typeof(name), CAST(size AS INTEGER) FROM loan ORDER BY no")
	require.NoError(t, err)
	require.Equal(t, [][]string{{"ant", "text", "0"}, {"7", "text", "9007199254740992"}}, rows)
}

// TestWideNumbers keeps doubles exactly. Columns of numbers have decimals as doubles, and other
// columns may have doubles too.
func TestWideNumbers(t *testing.T) {
	ctx := context.Background()
	to := open(t)
	const reason = "double would not give it back unchanged"
	var columns []databasetest.Limited
	for _, native := range []string{"REAL", "NUMERIC", "DECIMAL(20,4)", "MONEY"} {
		columns = append(columns, databasetest.LimitedTo(native, "decimal(38,10)",
			[]string{"1.50", "7", "-0.25", "689724.3412292182", "1234567890123456.5", "100000000000000000"}, [2]string{"12345678901234567.89", reason}, [2]string{"9007199254740993", reason}))
	}
	columns = append(columns, databasetest.LimitedTo("TEXT", "decimal(38,10)", []string{"12345678901234567.89", "1.5"}),
		databasetest.LimitedTo("boolean", "integer", []string{"0", "1"}, [2]string{"2", "neither true nor false"}))
	databasetest.Limits(t, to, columns)

	exact := []string{"689724.3412292182", "12345678901234.56", "0.30000000000000004", "2.5"}
	for _, native := range []string{"", "BLOB", "NUMERIC", "DATE"} {
		name := "loan_" + native
		for _, statement := range []string{"CREATE TABLE " + name + " (v " + native + ")", "INSERT INTO " + name + " VALUES (" + strings.Join(exact, "), (") + ")"} {
			_, err := to.Exec(ctx, statement)
			require.NoError(t, err)
		}
		tab := &table.Table{Name: name, Columns: []table.Column{{Name: "v", Type: table.Type{Kind: table.Text}}}}
		var texts []string
		require.NoError(t, to.Rows(ctx, tab, func(row []value.Value) error {
			texts = append(texts, string(row[0].Text))
			return nil
		}))
		require.Equal(t, exact, texts, native)
	}
}

// TestForeignKeys finds which of several foreign keys a row fails: of one column,
// of two that refer to a primary key by its table only, and of the table itself.
func TestForeignKeys(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	to, err := sqlite.Open(filepath.Join(dir, "museum.db"), true)
	require.NoError(t, err)
	defer to.Close()
	for _, statement := range []string{
		"CREATE TABLE drawer (room INT, shelf TEXT, PRIMARY KEY (room, shelf))",
		"CREATE TABLE finder (code TEXT UNIQUE COLLATE NOCASE)",
		"INSERT INTO drawer VALUES (1, 'A'), (2, 'B')",
		"INSERT INTO finder VALUES ('ann')",
		`CREATE TABLE loan (no INT PRIMARY KEY, room INT, shelf TEXT, finder TEXT REFERENCES finder (code), after INT REFERENCES loan (no), kept TEXT DEFAULT 'no' REFERENCES finder (code),
			FOREIGN KEY (room, shelf) REFERENCES drawer)`,
		"INSERT INTO finder VALUES ('no')",
	} {
		_, err = to.Exec(ctx, statement)
		require.NoError(t, err)
	}
	text := "no,room,shelf,finder,after\n1,1,A,ANN,1\n2,1,B,ann,1\n3,2,B,bob,3\n4,2,,ann,9\n5,9,A,bob,9\n6,,A,,1\n"
	tr := databasetest.NewTray(t, "loan", text)
	tr.Table.Existing = table.Append
	for _, name := range []string{"no", "room", "shelf", "finder", "after"} {
		typ := table.Type{Kind: table.Integer}
		if name == "shelf" || name == "finder" {
			typ = table.Type{Kind: table.Text}
		}
		tr.Table.Columns = append(tr.Table.Columns, table.Column{From: name, Name: name, Type: typ, Nullable: true})
	}
	r, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
	require.NoError(t, err)
	var reasons []string
	for _, g := range r.Rejects.ByReason {
		reasons = append(reasons, fmt.Sprintf("%d %s %s", g.Count, g.Column, g.Reason))
	}
	require.ElementsMatch(t, []string{"1 room, shelf not in table drawer", "2 finder not in table finder", "1 after not in table loan"}, reasons)
	require.Equal(t, int64(2), r.Counts.Loaded)
}

// TestVirtual has a table of texts whose engine adds columns of its own, which take commands.
func TestVirtual(t *testing.T) {
	ctx := context.Background()
	to := open(t)
	_, err := to.Exec(ctx, "CREATE VIRTUAL TABLE label USING fts5(title, body)")
	require.NoError(t, err)
	live, err := to.Columns(ctx, "label")
	require.NoError(t, err)
	require.Len(t, live, 2)
}

func TestIgnoresCase(t *testing.T) { databasetest.IgnoresCase(t, open(t), "nocase") }

// TestLosses names what emptying and rebuilding a table would lose in SQLite only.
func TestLosses(t *testing.T) {
	to := open(t)
	databasetest.Loses(t, to, table.Rebuild, []string{"trigger added", "unique constraint on name, no", "default of both", "clause COLLATE", "clause CHECK"},
		"CREATE TABLE lent (no integer PRIMARY KEY, name varchar(9) COLLATE nocase, both GENERATED ALWAYS AS (no || name), UNIQUE (name, no), CHECK (no > 0), CHECK (name <> ''))",
		"CREATE TRIGGER added AFTER INSERT ON lent BEGIN SELECT 1; END")
	databasetest.Loses(t, to, table.Empty, nil)
	databasetest.Loses(t, to, table.Empty, []string{"trigger noted"}, "CREATE TRIGGER noted AFTER DELETE ON lent BEGIN SELECT 1; END")
}

// TestRolledBack ends a load whose transaction the table itself rolls back, before a row
// is inserted outside of it, and a load into a view.
func TestRolledBack(t *testing.T) {
	ctx := context.Background()
	both := []table.Existing{table.Append, table.Merge}
	for _, c := range []struct {
		name  string
		ways  []table.Existing
		setup string
		want  error
	}{
		{"trigger", both, "CREATE TABLE lent (no integer PRIMARY KEY, name text); CREATE TRIGGER kept BEFORE INSERT ON lent WHEN new.no = 2 BEGIN SELECT raise(ROLLBACK, 'stays here'); END", database.ErrRolledBack},
		{"constraint", both[:1], "CREATE TABLE lent (no integer PRIMARY KEY, name text UNIQUE ON CONFLICT ROLLBACK); INSERT INTO lent VALUES (9, 'bee')", database.ErrRolledBack},
		{"constraint of an update", both[1:], "CREATE TABLE lent (no integer PRIMARY KEY, name text UNIQUE ON CONFLICT ROLLBACK); INSERT INTO lent VALUES (2, 'x'), (9, 'bee')", database.ErrRolledBack},
		{"view", both, "CREATE TABLE loan (no integer PRIMARY KEY, name text); CREATE VIEW lent AS SELECT * FROM loan", database.ErrNotTable},
	} {
		for _, existing := range c.ways {
			t.Run(c.name+" "+existing.String(), func(t *testing.T) {
				to := open(t)
				for _, statement := range strings.SplitAfter(strings.ReplaceAll(c.setup, "; END", "\x00"), ";") {
					_, err := to.Exec(ctx, strings.ReplaceAll(statement, "\x00", "; END"))
					require.NoError(t, err)
				}
				before, err := to.Count(ctx, "lent")
				require.NoError(t, err)
				tr := databasetest.NewTray(t, "lent", "no,name\n1,ant\n2,bee\n3,cat\n",
					table.Column{From: "no", Name: "no", Type: table.Type{Kind: table.Integer}}, table.Column{From: "name", Name: "name", Type: table.Type{Kind: table.Text}})
				tr.Table.Key, tr.Table.Existing = []string{"no"}, existing
				_, err = load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
				require.Error(t, err)
				if existing == table.Append {
					require.ErrorIs(t, err, c.want)
				}
				after, err := to.Count(ctx, "lent")
				require.NoError(t, err)
				require.Equal(t, before, after, "nothing is loaded")
			})
		}
	}
}

// TestTakenAway says that a trigger has removed rows which the table had.
func TestTakenAway(t *testing.T) {
	ctx := context.Background()
	to := open(t)
	for _, statement := range []string{
		"CREATE TABLE lent (no int)", "INSERT INTO lent VALUES (70), (71)", "CREATE TRIGGER cleared AFTER INSERT ON lent BEGIN DELETE FROM lent WHERE no >= 70; END",
	} {
		_, err := to.Exec(ctx, statement)
		require.NoError(t, err)
	}
	tr := databasetest.NewTray(t, "lent", "no\n1\n2\n3\n", table.Column{From: "no", Name: "no", Type: table.Type{Kind: table.Integer}})
	tr.Table.Existing = table.Append
	r, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
	require.ErrorIs(t, err, load.ErrDiffers)
	require.Contains(t, strings.Join(r.Remarks, "\n"), "but the load removed existing rows (2), as a trigger")
	rows, err := to.Count(ctx, "lent")
	require.NoError(t, err)
	require.Equal(t, int64(2), rows)
}

// TestMergeNames refuses merges into tables whose columns leave no name that a merge needs.
func TestMergeNames(t *testing.T) {
	ctx := context.Background()
	to, err := sqlite.Open(filepath.Join(t.TempDir(), "museum.db"), true)
	require.NoError(t, err)
	defer to.Close()
	for text, says := range map[string]string{"no,True\n1,2\n": "a column of the key is called true or false", "rowid,oid,_rowid_\n1,2,3\n": "columns have all names of the row id"} {
		names, _, _ := strings.Cut(text, "\n")
		var columns []table.Column
		for name := range strings.SplitSeq(names, ",") {
			columns = append(columns, table.Column{From: name, Name: name, Type: table.Type{Kind: table.Integer}})
		}
		tr := databasetest.NewTray(t, "loan", text, columns...)
		tr.Table.Key = []string{columns[len(columns)-1].Name}
		_, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
		require.NoError(t, err)
		tr.Table.Existing = table.Merge
		_, err = load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
		require.ErrorContains(t, err, says)
		_, err = to.Exec(ctx, "DROP TABLE loan")
		require.NoError(t, err)
	}
}

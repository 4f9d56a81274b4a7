package load_test

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/database/sqlite"
	"ambertray/internal/dialect"
	"ambertray/internal/differ"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// forgetful is a database that loses a value on the way.
type forgetful struct{ *sqlite.Target }

func (f forgetful) Rows(ctx context.Context, t *table.Table, each database.EachRow) error {
	return f.Target.Rows(ctx, t, func(row []value.Value) error {
		if row[0].Int == 2 {
			row[1].Null = true
		}
		return each(row)
	})
}

// Begin returns a transaction that sums nothing itself.
func (f forgetful) Begin(ctx context.Context) (database.Tx, error) {
	tx, err := f.Target.Begin(ctx)
	return struct{ database.Tx }{tx}, err
}

// TestDifference rolls back and names both figures when the table is not what
// the source says.
func TestDifference(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "loans.csv")
	require.NoError(t, os.WriteFile(file, []byte("No,Name\n1,ant\n2,bee\n"), 0o600))
	s, err := survey.Run(context.Background(), &source.Opener{}, []string{file}, survey.Options{})
	require.NoError(t, err)
	db, err := sqlite.Open(filepath.Join(dir, "museum.db"), true)
	require.NoError(t, err)
	defer db.Close()
	tr := s.Draft(filepath.Join(dir, "loans.tray"))
	receipt, err := load.Run(context.Background(), tr, &source.Opener{}, forgetful{db}, load.Options{})
	require.ErrorIs(t, err, load.ErrDiffers)
	require.False(t, receipt.Verified)
	require.Len(t, receipt.Differences, 1)
	named := differ.Difference{Kind: differ.Changed, Key: "2", Source: file, Line: 3, Column: "name", InSource: "'bee'", InTable: "NULL"}
	path := filepath.Join(tr.Dir, "loads", "0001", "differences.csv")
	require.Equal(t, &differ.Result{Changed: 1, Columns: []differ.ColumnCount{{Column: "name", Rows: 1}}, First: []differ.Difference{named}, File: &path}, receipt.RowsDiffer)
	listed, err := os.ReadFile(path)
	require.NoError(t, err)
	require.Equal(t, "difference,key,source,line,column,in_source,in_table\nchanged,2,"+file+",3,name,'bee',NULL\n", string(listed))
	kept, err := load.ReadReceipt(filepath.Join(tr.Dir, "loads", "0001"))
	require.NoError(t, err)
	require.Equal(t, receipt.Differences, kept.Differences)
	exists, err := db.Exists(context.Background(), "loans")
	require.NoError(t, err)
	require.False(t, exists)

	receipt, err = load.Run(context.Background(), tr, &source.Opener{}, db, load.Options{})
	require.NoError(t, err)
	require.True(t, receipt.Verified)
	require.Equal(t, "0002", receipt.Load)
}

// TestFit holds plans against tables.
func TestFit(t *testing.T) {
	typ := func(text string) *table.Type {
		parsed, err := table.ParseType(text)
		require.NoError(t, err)
		return &parsed
	}
	for _, c := range []struct{ planned, live, becomes, why string }{
		{"integer", "bigint", "bigint", ""}, {"decimal(5,2)", "integer", "integer", ""}, {"integer", "double", "double", ""},
		{"text", "varchar(5)", "varchar(5)", ""}, {"char(5)", "integer", "", "write that type in the tray"}, {"date", "timestamp", "", "is timestamp"},
		{"uuid", "char(36)", "char(36)", ""}, {"date", "text", "", "is text"}, {"boolean", "integer", "integer", ""}, {"boolean", "decimal(3,1)", "", "is decimal(3,1)"}, {"date", "", "date", ""},
	} {
		plan := &table.Table{Name: "loan", Columns: []table.Column{{Name: "a", Type: *typ(c.planned), Nullable: true}}}
		live := []database.ColumnInfo{{Name: "A", Known: true, Native: c.live}, {Name: "b", Default: true}, {Name: "c", Generated: true}, {Name: "d", Nullable: true}}
		if c.live != "" {
			live[0].Type = typ(c.live)
		}
		fitted, bad := load.Fit(plan, live, dialect.PostgreSQL)
		if c.why != "" {
			require.Len(t, bad, 1)
			require.Contains(t, bad[0].Why, c.why)
			continue
		}
		require.Empty(t, bad)
		require.Equal(t, c.planned == "boolean", slices.Contains(fitted.Columns[0].TrueWords, "yes"), "which are read as 1")
		fitted.Columns[0].TrueWords, fitted.Columns[0].FalseWords = nil, nil
		require.Equal(t, table.Column{Name: "A", Type: *typ(c.becomes), Exact: typ(c.becomes).Kind == table.Double}, fitted.Columns[0], "nulls are rejected before the server sees them")
	}
	_, bad := load.Fit(&table.Table{Columns: []table.Column{{Name: "g"}, {Name: "x"}, {Name: "z"}}},
		[]database.ColumnInfo{{Name: "g", Generated: true}, {Name: "x", Native: "jsonb"}, {Name: "y", Native: "date"}}, dialect.PostgreSQL)
	var why []string
	for _, v := range bad {
		why = append(why, v.Name+": "+v.Why)
	}
	require.Equal(t, []string{
		"g: the server computes it; leave it out of the plan", "x: type jsonb is not supported", "z: the table has no such column",
		"y: is NOT NULL without a default and would get no value",
	}, why)
}

// plain is a database with nothing but the core of the contract.
type plain struct{ database.Target }

// TestMissing says what a database cannot do.
func TestMissing(t *testing.T) {
	db, err := sqlite.Open(filepath.Join(t.TempDir(), "museum.db"), true)
	require.NoError(t, err)
	defer db.Close()
	_, err = database.Lock(context.Background(), plain{db}, "loan")
	var missing *database.MissingError
	require.ErrorAs(t, err, &missing)
	require.Equal(t, db.Name()+": locking a table is not supported for this kind of database", err.Error())
}

package sqlite_test

import (
	"context"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/target"
	"ambertray/internal/target/sqlite"
	"ambertray/internal/target/targettest"
	"ambertray/internal/tray"
)

func TestContract(t *testing.T) {
	path := filepath.Join(t.TempDir(), "museum.db")
	targettest.Run(t, func() target.Target {
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
	require.ErrorIs(t, err, target.ErrNoDatabase)
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
	require.NoError(t, os.WriteFile(filepath.Join(dir, "loan.csv"), []byte(text), 0o600))
	tr := &tray.Tray{Dir: filepath.Join(dir, "loan.tray"), Files: []string{"loan.csv"}, Layout: source.DefaultLayout(), Table: table.Table{Name: "loan", Existing: table.Append}}
	for name, typ := range map[string]string{"no": "integer", "name": "varchar(20)", "mass": "decimal(9,2)", "size": "bigint", "day": "date", "other": "text"} {
		typ, err := table.ParseType(typ)
		require.NoError(t, err)
		tr.Table.Columns = append(tr.Table.Columns, table.Column{From: name, Name: name, Type: typ, Nullable: true})
	}
	check, err := load.DryRun(ctx, tr, &source.Opener{}, to, nil)
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

package postgres_test

import (
	"context"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/database/postgres"
	"ambertray/internal/databasetest"
	"ambertray/internal/export"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// TestPool refuses a pool that would give the locks and the settings of a load to other programs, and
// leaves no settings in it. A pool that keeps sessions apart is like the server.
func TestPool(t *testing.T) {
	ctx := context.Background()
	url := os.Getenv("AMBERTRAY_TEST_POOL")
	require.NotEmpty(t, url, "start the tests with ./test.sh, which starts the servers")
	_, err := postgres.Open(ctx, url, "")
	require.ErrorIs(t, err, database.ErrPooled)
	other, err := pgx.Connect(ctx, url+"?default_query_exec_mode=simple_protocol")
	require.NoError(t, err)
	defer other.Close(ctx)
	var digits string
	require.NoError(t, other.QueryRow(ctx, "SHOW extra_float_digits").Scan(&digits))
	require.Equal(t, "1", digits)

	to, err := postgres.Open(ctx, strings.Replace(url, "/postgres", "/sessions", 1), "")
	require.NoError(t, err)
	defer to.Close()
	set, err := to.Query(ctx, "SHOW extra_float_digits")
	require.NoError(t, err)
	require.Equal(t, "3", set[0][0])
}

// TestRowSecurity has a login that sees some of the rows of a table. It is neither exported nor
// emptied as if these were all, and a query and a merge take what the login may see.
func TestRowSecurity(t *testing.T) {
	ctx := context.Background()
	to := open(t)
	require.NoError(t, exec(to, `CREATE TABLE room (no int PRIMARY KEY, name text); INSERT INTO room VALUES (1, 'hall'), (2, 'vault');
		ALTER TABLE room ENABLE ROW LEVEL SECURITY; CREATE POLICY open ON room USING (name <> 'vault'); GRANT ALL ON room TO pg_monitor`))
	_, err := export.Table(ctx, to, "room")
	require.NoError(t, err, "the owner sees all rows")
	schema, err := to.Query(ctx, "SELECT current_schema")
	require.NoError(t, err)
	require.NoError(t, exec(to, "GRANT ALL ON SCHEMA "+schema[0][0]+" TO pg_monitor; SET ROLE pg_monitor"))
	_, err = export.Table(ctx, to, "room")
	require.ErrorIs(t, err, database.ErrHidden)
	_, err = export.Query(ctx, to, "SELECT * FROM room")
	require.NoError(t, err)
	tr := databasetest.NewTray(t, "room", "no,name\n3,attic\n", table.Column{From: "no", Name: "no"}, table.Column{From: "name", Name: "name", Type: table.Type{Kind: table.Text}})
	tr.Table.Columns[0].Type.Kind, tr.Table.Key = table.Integer, []string{"no"}
	for _, existing := range []table.Existing{table.Append, table.Empty} {
		tr.Table.Existing = existing
		_, err = load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
		require.ErrorIs(t, err, database.ErrHidden)
		_, err = load.DryRun(ctx, tr, &source.Opener{}, to, load.CheckOptions{})
		require.ErrorIs(t, err, database.ErrHidden)
	}
	tr.Table.Existing = table.Merge
	r, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
	require.NoError(t, err)
	require.Equal(t, database.ErrHidden.Error(), r.Notes[0].What)
	v, err := load.Verify(ctx, tr, &source.Opener{}, to, load.VerifyOptions{})
	require.NoError(t, err)
	require.Equal(t, []any{true, true, int64(2)}, []any{v.Verified, v.RowsHidden, v.Rows})
}

// TestUnlogged notes that the rows of a table do not survive a crash.
func TestUnlogged(t *testing.T) {
	to := open(t)
	require.NoError(t, exec(to, "CREATE UNLOGGED TABLE room (no int)"))
	tr := databasetest.NewTray(t, "room", "no\n3\n", table.Column{From: "no", Name: "no", Type: table.Type{Kind: table.Integer}, Nullable: true})
	tr.Table.Existing = table.Append
	r, err := load.Run(context.Background(), tr, &source.Opener{}, to, load.Options{})
	require.NoError(t, err)
	require.Contains(t, r.Notes[1].What, "unlogged")
}

// TestSavepoints has one savepoint at a time, however many rows a trigger refuses, when rows are added and merged: each
// of them takes a lock, of which a server has some thousands.
func TestSavepoints(t *testing.T) {
	to := open(t)
	for _, statement := range []string{
		"CREATE FUNCTION locks() RETURNS int LANGUAGE sql AS 'SELECT count(*)::int FROM pg_locks WHERE pid = pg_backend_pid() AND locktype = ''transactionid'''",
		"CREATE TABLE room (no int PRIMARY KEY, code int, held int DEFAULT locks())", "CREATE UNIQUE INDEX room_code ON room (code)",
		"CREATE FUNCTION odd() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN IF new.no % 3 = 0 THEN RAISE ''no thirds''; END IF; RETURN new; END'",
		"CREATE TRIGGER odd BEFORE INSERT ON room FOR EACH ROW EXECUTE FUNCTION odd()",
	} {
		require.NoError(t, exec(to, statement))
	}
	for i, existing := range []table.Existing{table.Append, table.Merge} {
		var text strings.Builder
		text.WriteString("no,code\n")
		for no := range 90 {
			fmt.Fprintf(&text, "%d,%d\n", 1000*i+no, 500*i+no/2)
		}
		integer := table.Type{Kind: table.Integer}
		tr := databasetest.NewTray(t, "room", text.String(), table.Column{From: "no", Name: "no", Type: integer}, table.Column{From: "code", Name: "code", Type: integer})
		tr.Table.Existing, tr.Table.Key = existing, []string{"no"}
		r, err := load.Run(context.Background(), tr, &source.Opener{}, to, load.Options{})
		require.NoError(t, err)
		require.Greater(t, r.Counts.Rejected, int64(40), "%v", r.Rejects.ByReason)
		held, err := to.Query(context.Background(), "SELECT max(held) FROM room")
		require.NoError(t, err)
		require.LessOrEqual(t, held[0][0], "4")
	}
}

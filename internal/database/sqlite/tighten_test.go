package sqlite_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/databasetest"
	"ambertray/internal/tighten"
)

// TestTightenKeeps keeps what hangs on a table, and the ids of its rows, and leaves tables
// whose definition it would not take over.
func TestTightenKeeps(t *testing.T) {
	ctx := context.Background()
	to := open(t)
	databasetest.Keeps(t, to, []string{
		"CREATE TABLE shelf (code text PRIMARY KEY)", "INSERT INTO shelf VALUES ('A1')", "CREATE TABLE log (what text)",
		"CREATE TABLE kept (name text, lent text, made text DEFAULT (date('2026-01-01')), code text REFERENCES shelf (code) ON DELETE CASCADE, UNIQUE (name, code))",
		"INSERT INTO kept (rowid, name, lent, code) VALUES (7, 'ant', '2026-01-31', 'A1'), (9, 'bee', '2026-02-01', 'A1')",
		"CREATE INDEX kept_lent ON kept (lent)", "CREATE VIEW shown AS SELECT name, lent FROM kept",
		"CREATE TRIGGER kept_logged AFTER INSERT ON kept BEGIN INSERT INTO log VALUES (new.name); END",
	}, map[string]string{"made": "has a default"})
	found, err := to.Query(ctx, "SELECT group_concat(rowid || name || lent || made) FROM kept")
	require.NoError(t, err)
	require.Equal(t, "7ant2026-01-312026-01-01,9bee2026-02-012026-01-01", found[0][0])
	for _, statement := range []string{"INSERT INTO kept (name, lent, code) VALUES ('fly', '2026-03-01', 'A1')", "DELETE FROM shelf"} {
		_, err = to.Exec(ctx, statement)
		require.NoError(t, err)
	}
	found, err = to.Query(ctx, "SELECT (SELECT group_concat(what) FROM log), (SELECT count(*) FROM shown), (SELECT count(*) FROM kept)")
	require.NoError(t, err)
	require.Equal(t, []string{"fly", "0", "0"}, found[0], "triggers, views and foreign keys still work")

	for definition, why := range map[string]string{
		"CREATE TABLE odd (a text CHECK (a <> ''))":           "has CHECK",
		"CREATE TABLE odd (a text COLLATE NOCASE)":            "has COLLATE",
		"CREATE TABLE odd (a text) STRICT":                    "has STRICT",
		"CREATE TABLE odd (a text UNIQUE ON CONFLICT IGNORE)": "has ON CONFLICT",
		"CREATE TABLE odd (a text, b text AS (a || '!'))":     "the column b is computed",
		"CREATE TABLE odd (a text PRIMARY KEY)":               "the table child refers to this one",
		"CREATE TABLE odd (a text PRIMARY KEY) WITHOUT ROWID": "has WITHOUT ROWID",
	} {
		for _, statement := range []string{"DROP TABLE IF EXISTS child", "DROP TABLE IF EXISTS odd", definition, "INSERT INTO odd VALUES ('2026-01-31')"} {
			_, err := to.Exec(ctx, statement)
			require.NoError(t, err, statement)
		}
		if why == "the table child refers to this one" {
			_, err := to.Exec(ctx, "CREATE TABLE child (a text REFERENCES odd (a))")
			require.NoError(t, err)
		}
		p, err := tighten.Propose(ctx, to, "odd", tighten.Options{})
		require.NoError(t, err)
		require.Empty(t, p.Statements)
		require.NotNil(t, p.Columns[0].Unchanged, definition)
		require.Contains(t, *p.Columns[0].Unchanged, why)
	}
}

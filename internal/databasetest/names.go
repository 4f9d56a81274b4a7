package databasetest

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tighten"
	"ambertray/internal/tray"
)

// awkwardNames are names of columns that a statement could mistake for something else.
var awkwardNames = []string{
	"rowid", "oid", "t", "s", "select", "values", "new", "old", "excluded", "count", "id", "default", "key",
	`a"b`, "a`b", "a]b", "it's", "x.y", "$1", "?", ":p", "@p1", "%d %s", "a--b", "a/*b", "{file}", "ä ö", "数", `back\slash`, "row",
	"current_date", "cast", "raise", "sql_cache", "do_domain_ids",
}

// anyName loads tables whose columns have awkward names, each of which is in a key once:
// with repeated keys, as a new table, by an append and by a merge.
func anyName(t *testing.T, to database.Target) {
	ctx, from := context.Background(), &source.Opener{}
	for key := range slices.Chunk(awkwardNames, 5) {
		run := func(existing table.Existing, records ...string) (*tray.Tray, *load.Receipt) {
			tr := namedTray(t, fmt.Sprintf("it's %s\"`]", key[0]), records)
			tr.Table.Existing, tr.Table.Key = existing, key
			r, err := load.Run(ctx, tr, from, to, load.Options{})
			require.NoError(t, err, "%q: %s", key, existing)
			return tr, r
		}
		_, r := run(table.Refuse, "a", "b", "a", "c")
		require.Equal(t, load.Counts{Read: 4, Loaded: 3, Rejected: 1}, counts(r), key)
		_, r = run(table.Append, "d", "c", "e")
		require.Equal(t, load.Counts{Read: 3, Loaded: 2, Rejected: 1}, counts(r), key)
		require.Equal(t, strings.Join(key, ", "), r.Rejects.ByReason[0].Column)
		tr, r := run(table.Merge, "b", "B2", "f", "f", "a")
		require.Equal(t, load.Counts{Read: 5, Loaded: 4, Rejected: 1}, counts(r), key)
		require.Equal(t, database.Merged{Inserted: 2, Unchanged: 2, Agree: 4}, *r.Merged, key)
		requireRows(t, to, tr.Table.Name, 7)
		v, err := load.Verify(ctx, tr, from, to, load.VerifyOptions{})
		require.NoError(t, err, key)
		require.True(t, v.Verified, key)
	}
}

// ownTables keeps loads and changes of types off the tables of Amber Tray itself.
func ownTables(t *testing.T, to database.Target) {
	ctx := context.Background()
	for _, existing := range []table.Existing{table.Refuse, table.Append, table.Empty, table.Rebuild, table.Merge} {
		tr := namedTray(t, strings.ToUpper(ledger.Name), []string{"a"})
		tr.Table.Existing = existing
		_, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
		require.ErrorContains(t, err, "reserved", existing)
	}
	p := tighten.Proposal{Table: ledger.Name, Statements: []string{"DROP TABLE " + ledger.Name}}
	require.ErrorContains(t, p.Apply(ctx, to), "reserved")
}

// namedTray returns a tray with a column of each awkward name. Each record has one value in
// all of them.
func namedTray(t *testing.T, name string, records []string) *tray.Tray {
	var columns []table.Column
	var headings []string
	for i, column := range append(slices.Clip(awkwardNames), "true") { // which SQLite does not accept in the key of a merge
		headings = append(headings, fmt.Sprint("c", i))
		columns = append(columns, table.Column{From: headings[i], Name: column, Type: table.Type{Kind: table.Varchar, Size: 9}})
	}
	lines := []string{strings.Join(headings, ",")}
	for _, r := range records {
		lines = append(lines, strings.TrimSuffix(strings.Repeat(r+",", len(columns)), ","))
	}
	return NewTray(t, name, strings.Join(lines, "\n")+"\n", columns...)
}

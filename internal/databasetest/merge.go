package databasetest

import (
	"context"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// mergeByKey updates, inserts and leaves alone, with rows that the server
// refuses in each step.
func mergeByKey(t *testing.T, to database.Target) {
	ctx, from := context.Background(), &source.Opener{}
	name := table.Column{From: "name", Name: "name", Type: table.Type{Kind: table.Varchar, Size: 5}, Nullable: true}
	merge := func(text string) (*load.Receipt, error) {
		tr := stock(t, text, no, name, day)
		tr.Table.Name, tr.Table.Existing = "merged_into", table.Merge
		return load.Run(ctx, tr, from, to, load.Options{})
	}
	r, err := merge("no,name,day\n1,ant,2026-01-01\n2,bee,\n3,,2026-01-03\n4,fly,2026-01-04\n")
	require.NoError(t, err)
	require.Equal(t, load.Created, r.Outcome)
	_, err = to.Exec(ctx, "CREATE UNIQUE INDEX merged_into_name ON merged_into (name)")
	require.NoError(t, err)

	r, err = merge("no,name,day\n" +
		"1,ant,2026-01-01\n" + // as it is
		"2,Bee,\n" + // another letter case
		"3,cat,\n" + // a value for none, and none for a value
		"3,dog,\n" + // a key that the source has already
		"4,ant,2026-01-04\n" + // a name that the table has
		"9,eel,2026-01-09\n" + // new
		"8,ant,\n" + // new, with such a name
		"7,caterpillar,\n") // which does not fit
	require.NoError(t, err)
	require.Equal(t, load.Counts{Read: 8, Loaded: 4, Rejected: 4}, counts(r))
	requireRows(t, to, r.Table, 5)
	require.Equal(t, database.Merged{Inserted: 1, Updated: 2, Unchanged: 1, Agree: 4}, *r.Merged)
	require.True(t, r.Verified)
	require.Len(t, r.Rejects.ByReason, 3)
	text, err := os.ReadFile(*r.Rejects.File)
	require.NoError(t, err)
	require.Contains(t, string(text), database.SameKey+"; first on line 4,3,dog")
	rows, err := to.Query(ctx, "SELECT no, name, day FROM merged_into ORDER BY no")
	require.NoError(t, err)
	require.Equal(t, [][]string{
		{"1", "ant", "2026-01-01"}, {"2", "Bee", ""}, {"3", "cat", ""}, {"4", "fly", "2026-01-04"}, {"9", "eel", "2026-01-09"},
	}, rows)

	r, err = merge("no,name,day\n1,ant,2026-01-01\n9,eel,2026-01-09\n") // which is no reason to refuse it
	require.NoError(t, err)
	require.Equal(t, database.Merged{Unchanged: 2, Agree: 2}, *r.Merged)

	r, err = merge("no,name,day\n20,elk,2026-01-01\n9,gnu,2026-01-09\n21,ape,2026-01-02\n9,fox,2026-01-01\n22,elk,2026-01-01\n22,owl,\n23,yak,\n")
	require.NoError(t, err)
	require.Equal(t, database.Merged{Inserted: 4, Updated: 1, Agree: 5}, *r.Merged, "22 is refused first for its name")
	rows, err = to.Query(ctx, "SELECT no, name FROM merged_into WHERE no > 8 ORDER BY no")
	require.NoError(t, err)
	require.Equal(t, [][]string{{"9", "gnu"}, {"20", "elk"}, {"21", "ape"}, {"22", "owl"}, {"23", "yak"}}, rows)

	mergeNeedsKey(t, to, name)
}

// mergeNeedsKey refuses to merge without a key, or by one that means several rows.
func mergeNeedsKey(t *testing.T, to database.Target, name table.Column) {
	ctx, from := context.Background(), &source.Opener{}
	tr := stock(t, "no,name,day\n1,x,\n", no, name, day)
	tr.Table.Name, tr.Table.Existing, tr.Table.Key = "merged_into", table.Merge, nil
	_, err := load.Run(ctx, tr, from, to, load.Options{})
	require.ErrorIs(t, err, load.ErrNoKey)
	tr.Table.Key = []string{"day"}
	_, err = to.Exec(ctx, "UPDATE merged_into SET day = '2026-05-05'")
	require.NoError(t, err)
	tr = stock(t, "no,name,day\n1,x,2026-05-05\n", no, name, day)
	tr.Table.Name, tr.Table.Existing, tr.Table.Key = "merged_into", table.Merge, []string{"day"}
	_, err = load.Run(ctx, tr, from, to, load.Options{})
	var key *database.KeyError
	require.ErrorAs(t, err, &key)
}

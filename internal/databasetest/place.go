package databasetest

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// byPosition adds to a table whose columns have other names than the plan's.
func byPosition(t *testing.T, to database.Target) {
	ctx, from := context.Background(), &source.Opener{}
	first := stock(t, "no,day\n1,2026-01-01\n", no, day)
	first.Table.Name = "by_position"
	_, err := load.Run(ctx, first, from, to, load.Options{})
	require.NoError(t, err)
	number := table.Column{From: "no", Name: "number", Type: table.Type{Kind: table.Integer}}
	found := table.Column{From: "day", Name: "found", Type: day.Type, Nullable: true}
	next := NewTray(t, "by_position", "day,no\n2026-02-02,2\n,1\n", number, found)
	next.Table.Key, next.Table.Existing, next.Table.ByPosition = []string{"number"}, table.Append, true
	r, err := load.Run(ctx, next, from, to, load.Options{})
	require.NoError(t, err)
	require.Equal(t, load.Counts{Read: 2, Loaded: 1, Rejected: 1}, counts(r))
	requireRows(t, to, r.Table, 2)
	require.Equal(t, "no", r.Rejects.ByReason[0].Column, "the key as the table calls it")
	next.Table.Columns = append(next.Table.Columns, table.Column{Value: "x", Name: "more", Type: table.Type{Kind: table.Text}})
	_, err = load.Run(ctx, next, from, to, load.Options{Again: true})
	require.ErrorContains(t, err, "more: the table has fewer columns")
}

// makesSchema makes the schema of a table, and takes it away with a load that
// fails.
func makesSchema(t *testing.T, to database.Target) {
	if to.Dialect().Schema("a.b") == "" { // this one has none
		return
	}
	ctx, from := context.Background(), &source.Opener{}
	tr := NewTray(t, "kestrel_archive.once", "no\n1\nx\n", table.Column{From: "no", Name: "no", Type: no.Type})
	_, err := load.Run(ctx, tr, from, to, load.Options{})
	require.Error(t, err)
	schemas := func() [][]string {
		found, err := to.Query(ctx, "SELECT 1 FROM information_schema.schemata WHERE schema_name = 'kestrel_archive'")
		require.NoError(t, err)
		return found
	}
	tr.Table.CreateSchema, tr.Table.Allow = true, allow(t, "0")
	_, err = load.Run(ctx, tr, from, to, load.Options{})
	require.Error(t, err)
	require.Empty(t, schemas())
	tr.Table.Allow = allow(t, "any")
	r, err := load.Run(ctx, tr, from, to, load.Options{})
	require.NoError(t, err)
	require.Equal(t, int64(1), r.Counts.Loaded)
	require.Len(t, schemas(), 1)
	_, err = to.Exec(ctx, "DROP TABLE "+tr.Table.Name)
	require.NoError(t, err)
	_, err = to.Exec(ctx, "DROP SCHEMA kestrel_archive")
	require.NoError(t, err)
}

// constraintsRefuse adds rows that a foreign key, a check, a unique index and
// NOT NULL do not let in, each with the good ones around it.
func constraintsRefuse(t *testing.T, to database.Target) {
	ctx, from := context.Background(), &source.Opener{}
	for _, statement := range []string{
		"CREATE TABLE shelf (code varchar(5) PRIMARY KEY)",
		"INSERT INTO shelf (code) VALUES ('A1')",
		"CREATE TABLE placed (no bigint PRIMARY KEY, mark varchar(9) UNIQUE, pieces int NOT NULL CHECK (pieces > 0), shelf varchar(5), FOREIGN KEY (shelf) REFERENCES shelf (code))",
	} {
		_, err := to.Exec(ctx, statement)
		require.NoError(t, err)
	}
	text := table.Type{Kind: table.Varchar, Size: 9}
	tr := stock(t, "no,mark,pieces,shelf\n1,a,1,A1\n2,b,1,Z9\n3,c,0,A1\n4,a,1,\n5,e,2,A1\n6,f,,A1\n5,g,1,A1\n7,h,3,A1\n", no,
		table.Column{From: "mark", Name: "mark", Type: text, Nullable: true},
		table.Column{From: "pieces", Name: "pieces", Type: table.Type{Kind: table.Integer}, Nullable: true},
		table.Column{From: "shelf", Name: "shelf", Type: table.Type{Kind: table.Varchar, Size: 5}, Nullable: true})
	tr.Table.Name, tr.Table.Existing = "placed", table.Append
	r, err := load.Run(ctx, tr, from, to, load.Options{})
	require.NoError(t, err)
	require.Equal(t, load.Counts{Read: 8, Loaded: 3, Rejected: 5}, counts(r))
	requireRows(t, to, r.Table, 3)
	require.Len(t, r.Rejects.ByReason, 5, "each for a reason of its own")
	columns := map[string]bool{}
	for _, g := range r.Rejects.ByReason {
		columns[g.Column] = true
	}
	require.True(t, columns["pieces"] && columns["no"] && columns["shelf"], "%v", columns)
	rows, err := to.Query(ctx, "SELECT no FROM placed ORDER BY no")
	require.NoError(t, err)
	require.Equal(t, [][]string{{"1"}, {"5"}, {"7"}}, rows)
}

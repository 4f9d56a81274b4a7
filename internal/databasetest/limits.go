package databasetest

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// Limited is a column of an existing table: its native type, the type of the plan,
// values that it takes, and values that it does not take, each with the reason.
type Limited struct {
	Native, Planned string
	Takes           []string
	Refuses         [][2]string
}

// LimitedTo returns a column; refuses are pairs of a value and a reason.
func LimitedTo(native, planned string, takes []string, refuses ...[2]string) Limited {
	return Limited{native, planned, takes, refuses}
}

// Limits appends to existing columns, which take what they give back unchanged,
// and refuse the rest before the server would round or cut it.
func Limits(t *testing.T, to database.Target, columns []Limited) {
	ctx := context.Background()
	for i, c := range columns {
		name := fmt.Sprintf("limit_%d", i)
		_, err := to.Exec(ctx, "CREATE TABLE "+name+" (v "+c.Native+")")
		require.NoError(t, err)
		typ, err := table.ParseType(c.Planned)
		require.NoError(t, err)
		text := "v\n" + strings.Join(c.Takes, "\n") + "\n"
		want := map[string]int64{}
		for _, r := range c.Refuses {
			text += r[0] + "\n"
			want[r[1]]++
		}
		tr := NewTray(t, name, text, table.Column{From: "v", Name: "v", Type: typ, Nullable: true})
		tr.Table.Existing = table.Append
		check, err := load.DryRun(ctx, tr, &source.Opener{}, to, load.CheckOptions{})
		require.NoError(t, err)
		r, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
		require.NoError(t, err, "%s: %+v", c.Native, r)
		require.True(t, r.Verified, c.Native)
		require.Equal(t, int64(len(c.Takes)), r.Counts.Loaded, c.Native)
		got := map[string]int64{}
		for _, g := range r.Rejects.ByReason {
			got[g.Reason] += g.Count
		}
		require.Equal(t, want, got, c.Native)
		require.Equal(t, int64(len(c.Refuses)), check.Rejected(), "%s: a check finds them before", c.Native)
	}
}

// widest is how many columns a table can have.
var widest = map[string]int{"SQLite": 2000, "PostgreSQL": 1600, "MySQL": 1017, "SQL Server": 1024}

// widestTable loads as many columns as the database takes, and a row that repeats
// a key afterwards.
func widestTable(t *testing.T, to database.Target) {
	ctx, columns := context.Background(), widest[to.Dialect().Title]
	var cols []table.Column
	var header, first, second []string
	for i := range columns {
		name := fmt.Sprintf("c%d", i)
		cols = append(cols, table.Column{From: name, Name: name, Type: table.Type{Kind: table.SmallInt}})
		header, first, second = append(header, name), append(first, "1"), append(second, "2")
	}
	for _, text := range [][]string{first, second} {
		tr := NewTray(t, "widest", strings.Join(header, ",")+"\n"+strings.Join(first, ",")+"\n"+strings.Join(text, ",")+"\n", cols...)
		tr.Table.Key, tr.Table.Existing = []string{"c0"}, table.Append
		r, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
		require.NoError(t, err)
		require.Equal(t, load.Counts{Read: 2, Loaded: 1, Rejected: 1}, counts(r))
		require.Len(t, r.Columns, columns)
	}
}

// matchedKey drafts a file with a column of different texts for a table where that column has texts of any
// length, and loads it.
func matchedKey(t *testing.T, to database.Target) {
	ctx, d := context.Background(), to.Dialect()
	_, err := to.Exec(ctx, "CREATE TABLE matched (name "+d.TypeName(table.Type{Kind: table.Text})+", no "+d.TypeName(table.Type{Kind: table.Integer})+")")
	require.NoError(t, err)
	column := func(name string, typ table.Type) table.Column { return table.Column{From: name, Name: name, Type: typ} }
	tr := NewTray(t, "matched", "name,no\nant,1\nbee,1\n", column("name", table.Type{Kind: table.Varchar, Size: 10}), column("no", table.Type{Kind: table.Integer}))
	tr.Table.Key = []string{"name"}
	_, err = load.MatchTable(ctx, tr, to)
	require.NoError(t, err)
	r, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
	require.NoError(t, err)
	require.Equal(t, load.Counts{Read: 2, Loaded: 2}, counts(r))
}

// TooWide rebuilds a table of one row with columns of a type, each with the same value, of which
// the server finds a row too long, and leaves the table unchanged. Each load commits every n
// records, or at the end for 0.
func TooWide(t *testing.T, to database.Target, columns int, typ, value string, every ...int64) {
	ctx := context.Background()
	tr := NewTray(t, "wide", "no\n1\n", table.Column{From: "no", Name: "no", Type: table.Type{Kind: table.BigInt}})
	_, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
	require.NoError(t, err)
	parsed, err := table.ParseType(typ)
	require.NoError(t, err)
	var cols []table.Column
	var header []string
	for i := range columns {
		name := fmt.Sprintf("c%d", i)
		header = append(header, name)
		cols = append(cols, table.Column{From: name, Name: name, Type: parsed})
	}
	tr = NewTray(t, "wide", strings.Join(header, ",")+"\n"+strings.Repeat(value+",", columns-1)+value+"\n", cols...)
	tr.Table.Existing = table.Rebuild
	for _, n := range every {
		_, err = load.Run(ctx, tr, &source.Opener{}, to, load.Options{Every: n, AcceptLoss: true})
		require.ErrorIs(t, err, database.ErrTooLong)
		requireRows(t, to, "wide", 1)
	}
}

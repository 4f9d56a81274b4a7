package databasetest

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tighten"
)

// IgnoresCase merges into a table whose texts have a collation that ignores case: texts that it finds
// equal are written as the source has them, also in the key. Tightening keeps the collation.
func IgnoresCase(t *testing.T, to database.Target, collation string) {
	ctx, from := context.Background(), &source.Opener{}
	execAll(t, to, "CREATE TABLE labelled (code varchar(90) COLLATE "+collation+" NOT NULL PRIMARY KEY, name varchar(90) COLLATE "+collation+")",
		"INSERT INTO labelled VALUES ('ab', 'ant'), ('cd', 'bee'), ('ef', 'cat')")
	text := table.Type{Kind: table.Varchar, Size: 90}
	tr := NewTray(t, "labelled", "code,name\nAB,ant\ncd,Bee\nef,cat\ngh,dog\nGH,eel\n", table.Column{From: "code", Name: "code", Type: text}, table.Column{From: "name", Name: "name", Type: text})
	tr.Table.Key, tr.Table.Existing = []string{"code"}, table.Merge
	r, err := load.Run(ctx, tr, from, to, load.Options{})
	require.NoError(t, err)
	require.Equal(t, load.Counts{Read: 5, Loaded: 4, Rejected: 1}, counts(r))
	require.Equal(t, database.Merged{Inserted: 1, Updated: 2, Unchanged: 1, Agree: 4}, *r.Merged)
	rows, err := to.Query(ctx, "SELECT code, name FROM labelled ORDER BY code")
	require.NoError(t, err)
	require.Equal(t, [][]string{{"AB", "ant"}, {"cd", "Bee"}, {"ef", "cat"}, {"gh", "dog"}}, rows)
	v, err := load.Verify(ctx, tr, from, to, load.VerifyOptions{})
	require.NoError(t, err)
	require.True(t, v.Verified)

	p, err := tighten.Propose(ctx, to, "labelled", tighten.Options{})
	require.NoError(t, err)
	require.NoError(t, p.Apply(ctx, to))
	definition, err := to.(database.Definer).Definition(ctx, "labelled")
	require.NoError(t, err)
	require.Equal(t, 2, strings.Count(definition[0], "COLLATE "+collation), definition[0])
}

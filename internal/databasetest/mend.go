package databasetest

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// mendOnce corrects one reject after the other, also across interruptions.
func mendOnce(t *testing.T, to database.Target) {
	ctx := context.Background()
	tr := NewTray(t, "mended", "no,line\n1,ant\nx,bee\n3,cat,9\n1,dove\n", no,
		table.Column{From: "line", Name: "name", Type: table.Type{Kind: table.Varchar, Size: 5}, Nullable: true},
		table.Column{Value: "{file} {line}", Name: "place", Type: table.Type{Kind: table.Varchar, Size: 20}})
	tr.Table.Key = []string{"no"}
	from := &source.Opener{}
	_, err := load.Run(ctx, tr, from, to, load.Options{})
	require.NoError(t, err)
	path := filepath.Join(tr.LoadDir("0001"), reject.FileName)
	content := func() string {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		return string(text)
	}
	write := func(name, text string) { require.NoError(t, os.WriteFile(name, []byte(text), 0o600)) }
	mend := func(loaded, rejected, rows int64) { t.Helper(); mendAndVerify(t, to, tr, loaded, rejected, rows) }
	mend(0, 3, 1)
	mend(0, 3, 1) // as often as one likes

	// As a spreadsheet program may save it.
	write(path, "\ufeff"+strings.ReplaceAll(strings.ReplaceAll(strings.Replace(content(), "x,bee", "2,bee", 1), ",", ";"), "\n", "\r\n"))
	mend(1, 2, 2)
	rows, err := to.Query(ctx, "SELECT name, place FROM mended WHERE no = 2")
	require.NoError(t, err)
	require.Equal(t, [][]string{{"bee", "source.csv 3"}}, rows)
	require.Contains(t, content(), "source.csv,3,4,,,3 cells; not 2,,,3;cat;9\n", "which nobody has corrected")

	// A mend that ended between its commit and the change of its files.
	write(path, strings.Replace(content(), "1,dove", "4,dove", 1))
	before := content()
	mend(1, 1, 3)
	after := content()
	write(path, before)
	_, err = load.Mend(ctx, tr, "0001", from, to, load.Options{})
	var again *load.AgainError
	require.ErrorAs(t, err, &again)
	write(path+".mending", after)
	_, err = load.Mend(ctx, tr, "0001", from, to, load.Options{NoLedger: true})
	require.ErrorIs(t, err, load.ErrHalfMended)
	mend(0, 1, 3)
	require.Equal(t, after, content())

	// One that ended before.
	write(path+".mending", "half of it")
	write(path, strings.Replace(after, ",,,3;", ",5,eel,3;", 1))
	mend(1, 0, 4)
	require.NoFileExists(t, path+".mending")
	mend(0, 0, 4)
	_, err = load.Mend(ctx, tr, "0002", from, to, load.Options{})
	require.ErrorIs(t, err, load.ErrNoRejects)
}

// mendAndVerify mends the first load of a tray, and holds the table, which had
// one row before any mend, against the source and what was mended.
func mendAndVerify(t *testing.T, to database.Target, tr *tray.Tray, loaded, rejected, rows int64) {
	t.Helper()
	ctx, from := context.Background(), &source.Opener{}
	r, err := load.Mend(ctx, tr, "0001", from, to, load.Options{})
	require.NoError(t, err)
	require.Equal(t, load.Counts{Read: loaded + rejected, Loaded: loaded, Rejected: rejected}, counts(r))
	requireRows(t, to, r.Table, rows)
	v, err := load.Verify(ctx, tr, from, to, load.VerifyOptions{})
	require.NoError(t, err)
	require.Empty(t, v.Differences)
	require.Equal(t, rows-1, v.Mended)
}

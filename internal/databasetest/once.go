package databasetest

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// onlyOnce loads the same content into a table again, in every way that there
// is, and reads in the ledger what became of each load.
func onlyOnce(t *testing.T, to database.Target) {
	ctx := context.Background()
	plan := func(text string, existing table.Existing) *tray.Tray { return numbers(t, text, existing) }
	run := func(tr *tray.Tray, o load.Options) (*load.Receipt, error) {
		return load.Run(ctx, tr, &source.Opener{}, to, o)
	}
	states := func() []ledger.State { return states(t, to, "once") }
	for range 2 { // the second time the table was dropped by hand
		r, err := run(plan("no\n1\n2\n", table.Append), load.Options{})
		require.NoError(t, err)
		for _, mode := range []table.Existing{table.Append, table.Refuse} {
			_, err = run(plan("no\n1\n2\n", mode), load.Options{})
			var again *load.AgainError
			require.ErrorAs(t, err, &again)
			require.Equal(t, r.ID, again.Parts[0].Load)
			require.Equal(t, int64(2), again.Parts[0].Entry.Loaded)
		}
		_, err = to.Exec(ctx, "DROP TABLE once")
		require.NoError(t, err)
	}
	require.Equal(t, []ledger.State{ledger.Replaced, ledger.Loaded}, states())

	tooMany := plan("no\n1\nx\n", table.Append)
	tooMany.Table.Allow = allow(t, "0")
	_, err := run(tooMany, load.Options{})
	require.Error(t, err)
	require.Len(t, states(), 2, "a load that failed is not in the ledger")
	for _, step := range []struct {
		text  string
		mode  table.Existing
		o     load.Options
		after int64
	}{
		{"no\n1\n2\n", table.Append, load.Options{}, 2},
		{"no\n1\n2\n", table.Append, load.Options{Again: true}, 4},
		{"no\n1\n2\n", table.Append, load.Options{NoLedger: true}, 6},
		{"no\n1\n3\n", table.Append, load.Options{Verify: load.RowsOnly}, 8}, // of the same size
		{"no\n9\n", table.Empty, load.Options{}, 1},
		{"no\n9\n", table.Empty, load.Options{}, 1}, // which takes the first ones away
		{"no\n1\n2\n", table.Append, load.Options{}, 3},
		{"no\n1\n2\n", table.Rebuild, load.Options{}, 2},
	} {
		r, err := run(plan(step.text, step.mode), step.o)
		require.NoError(t, err)
		requireRows(t, to, r.Table, step.after)
		require.NotEqual(t, step.o.NoLedger, r.InLedger)
		require.Equal(t, step.o.Verify != load.RowsOnly, len(r.Columns) == 1)
	}
	last := states()
	require.Equal(t, ledger.Loaded, last[len(last)-1])
	require.NotContains(t, last[:len(last)-1], ledger.Loaded)
}

// nothingLoaded loads a source again by another plan after all of its records were rejected, unless some of them
// were mended since then.
func nothingLoaded(t *testing.T, to database.Target) {
	ctx, from := context.Background(), &source.Opener{}
	unreadable := func(text string) *tray.Tray {
		tr := numbers(t, text, table.Append)
		tr.Table.Name = "nothing"
		return tr
	}
	readable := func(text string) *tray.Tray {
		tr := unreadable(text)
		tr.Table.Columns[0].Words = map[string]string{"x": "5", "y": "6", "v": "7", "w": "8"}
		return tr
	}
	r, err := load.Run(ctx, unreadable("no\nx\ny\n"), from, to, load.Options{})
	require.NoError(t, err)
	require.Zero(t, r.Counts.Loaded)
	r, err = load.Run(ctx, readable("no\nx\ny\n"), from, to, load.Options{})
	require.NoError(t, err)
	requireRows(t, to, r.Table, 2)
	require.Equal(t, []ledger.State{ledger.Replaced, ledger.Loaded}, states(t, to, "nothing"), "so that its rejects are not mended too")
	var again *load.AgainError
	_, err = load.Run(ctx, readable("no\nx\ny\n"), from, to, load.Options{})
	require.ErrorAs(t, err, &again)

	tr := unreadable("no\nv\nw\n")
	_, err = load.Run(ctx, tr, from, to, load.Options{})
	require.NoError(t, err)
	path := filepath.Join(tr.LoadDir("0001"), reject.FileName)
	rejects, err := os.ReadFile(path)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, []byte(strings.Replace(string(rejects), "whole number,v", "whole number,9", 1)), 0o600))
	m, err := load.Mend(ctx, tr, "0001", from, to, load.Options{})
	require.NoError(t, err)
	require.Equal(t, int64(1), m.Counts.Loaded)
	other := readable("no\nv\nw\n")
	_, err = load.Run(ctx, other, from, to, load.Options{})
	require.ErrorAs(t, err, &again, "one of them is in the table")
}

// numbers returns a tray of one column without a key.
func numbers(t *testing.T, text string, existing table.Existing) *tray.Tray {
	tr := NewTray(t, "once", text, table.Column{From: "no", Name: "no", Type: no.Type})
	tr.Table.Existing = existing
	return tr
}

// states returns what the ledger says of the loads of a table.
func states(t *testing.T, to database.Target, name string) (list []ledger.State) {
	identity, err := database.Identity(context.Background(), to, name)
	require.NoError(t, err)
	entries, err := ledger.Read(context.Background(), to, identity)
	require.NoError(t, err)
	for _, e := range entries {
		list = append(list, e.State)
	}
	return list
}

// oneAtATime lets a second load of the same table in when the first has ended.
func oneAtATime(t *testing.T, open func() database.Target) {
	ctx := context.Background()
	first, second := open(), open()
	defer second.Close()
	tr := NewTray(t, "alone", "a\n1\n", table.Column{From: "a", Name: "a", Type: no.Type})
	identity, err := database.Identity(ctx, first, "alone")
	require.NoError(t, err)
	unlock, err := database.Lock(ctx, first, identity)
	require.NoError(t, err)
	_, err = first.Begin(ctx)
	require.NoError(t, err)
	_, err = load.Run(ctx, tr, &source.Opener{}, second, load.Options{})
	require.ErrorIs(t, err, database.ErrLocked)
	holder := map[string]string{"PostgreSQL": "process [0-9]+ of .+ since 20", "MySQL": "connection [0-9]+ of .+ for [0-9]+ s"}[first.Dialect().Title]
	require.Regexp(t, holder, err.Error(), "the session is named")
	require.NoError(t, first.Close()) // as a program does that is killed
	unlock()
	_, err = load.Run(ctx, tr, &source.Opener{}, second, load.Options{})
	require.NoError(t, err)
}

// firstAtOnce begins two loads at once into a database without a ledger, and into a schema that
// does not exist, again and again: both load, and one ledger has both.
func firstAtOnce(t *testing.T, open func() database.Target) {
	ctx := context.Background()
	to := [2]database.Target{open(), open()}
	prefix := ""
	if to[0].Dialect().Schema("a.b") != "" {
		prefix = "east_wing."
	}
	for round := range 12 {
		var both sync.WaitGroup
		for i := range to {
			tr := NewTray(t, fmt.Sprintf("%sfirst_%d", prefix, i), "no\n1\n2\n", table.Column{From: "no", Name: "no", Type: no.Type})
			tr.Table.CreateSchema = prefix != ""
			both.Go(func() {
				_, err := load.Run(ctx, tr, &source.Opener{}, to[i], load.Options{})
				assert.NoError(t, err, "round %d", round)
			})
		}
		both.Wait()
		var drop []string
		for i := range to {
			name := fmt.Sprintf("%sfirst_%d", prefix, i)
			require.Equal(t, []ledger.State{ledger.Loaded}, states(t, to[1-i], name))
			drop = append(drop, "DROP TABLE "+name)
		}
		drop = append(drop, "DROP TABLE "+ledger.Name)
		if prefix != "" {
			drop = append(drop, "DROP SCHEMA east_wing")
		}
		for _, statement := range drop {
			_, err := to[round%2].Exec(ctx, statement)
			require.NoError(t, err, statement)
		}
	}
	for _, target := range to {
		require.NoError(t, target.Close())
	}
}

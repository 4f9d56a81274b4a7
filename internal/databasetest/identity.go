package databasetest

import (
	"compress/gzip"
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// races is how often two loads of the same content are begun at once.
const races = 50

// twoAtOnce begins two loads of the same content at once: one loads and the other
// is refused, every time. The first of them are the first loads of the database.
func twoAtOnce(t *testing.T, open func() database.Target) {
	first, second := open(), open()
	defer first.Close()
	defer second.Close()
	for round := range races {
		plans := [2]*tray.Tray{}
		for i := range plans {
			plans[i] = NewTray(t, "race", "no\n"+strings.Repeat("7\n", round+1), table.Column{From: "no", Name: "no", Type: no.Type})
			plans[i].Table.Existing = table.Append
		}
		var errs [2]error
		var both sync.WaitGroup
		for i, to := range []database.Target{first, second} {
			both.Go(func() { _, errs[i] = load.Run(context.Background(), plans[i], &source.Opener{}, to, load.Options{}) })
		}
		both.Wait()
		loaded := 0
		for _, err := range errs {
			var again *load.AgainError
			if err == nil {
				loaded++
			} else {
				require.True(t, errors.As(err, &again), "round %d: %v", round, err)
			}
		}
		require.Equal(t, 1, loaded, "round %d", round)
	}
	rows, err := first.Query(context.Background(), "SELECT count(*) FROM race")
	require.NoError(t, err)
	require.Equal(t, "1275", rows[0][0], "1 + 2 + … + 50")
}

// everyPartOnce knows files by what is in them, whatever their names, their order,
// their packing and the spelling of the table.
func everyPartOnce(t *testing.T, to database.Target) {
	ctx := context.Background()
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	write("may.csv", "no\n1\n2\n")
	write("june.csv", "no\n3\n")
	write("july.csv", "no\n5\n")
	write("copy.csv", "no\n3\n")
	packed, err := os.Create(filepath.Join(dir, "may.csv.gz"))
	require.NoError(t, err)
	w := gzip.NewWriter(packed)
	_, err = w.Write([]byte("no\n1\n2\n"))
	require.NoError(t, errors.Join(err, w.Close(), packed.Close()))
	run := func(o load.Options, name string, files ...string) (*load.Receipt, error) {
		lay := source.DefaultLayout()
		tr := &tray.Tray{Dir: filepath.Join(dir, "months.tray"), Files: files, Layout: lay}
		tr.Table = table.Table{Name: name, Existing: table.Append, Columns: []table.Column{{From: "no", Name: "no", Type: no.Type}}}
		return load.Run(ctx, tr, &source.Opener{}, to, o)
	}
	_, err = run(load.Options{}, "months", "may.csv", "june.csv")
	require.NoError(t, err)
	identity, err := database.Identity(ctx, to, "months")
	require.NoError(t, err)
	spelt := []string{"months"}
	if to.Dialect().Schema(identity) != "" {
		spelt = append(spelt, identity)
	} else {
		spelt = append(spelt, "MONTHS")
	}
	for _, name := range spelt {
		for _, files := range [][]string{{"june.csv", "may.csv"}, {"may.csv"}, {"may.csv.gz"}, {"copy.csv"}, {"july.csv", "june.csv"}} {
			_, err = run(load.Options{}, name, files...)
			var again *load.AgainError
			require.ErrorAs(t, err, &again, "%s: %v", name, files)
			require.Equal(t, len(files)-len(again.Parts), map[bool]int{true: 1}[files[0] == "july.csv"])
		}
	}
	r, err := run(load.Options{OnlyNew: true}, "months", "may.csv", "july.csv", "june.csv")
	require.NoError(t, err)
	require.Len(t, r.LeftOut, 2)
	require.Equal(t, load.Counts{Read: 1, Loaded: 1}, counts(r))
	requireRows(t, to, r.Table, 4)
	write("may.csv", "no\n8\n9\n")
	r, err = run(load.Options{}, "months", "may.csv")
	require.NoError(t, err)
	require.Contains(t, r.Notes[len(r.Notes)-1].What, "a file of this name was loaded with other content")
	_, err = run(load.Options{OnlyNew: true}, "months", "may.csv", "june.csv")
	var again *load.AgainError
	require.ErrorAs(t, err, &again, "nothing is new")
}

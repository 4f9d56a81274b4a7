package sqlite_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database/sqlite"
	"ambertray/internal/databasetest"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// TestPages loads many rows into new tables, whose pages are written beside the database:
// with keys of every kind, in and out of order, with repeated keys and long texts, into
// databases of every kind. The engine finds each whole, and every row is proved.
func TestPages(t *testing.T) {
	const records = 6_000
	rng := rand.New(rand.NewPCG(3, 4))
	shuffled := rng.Perm(records)
	for _, c := range []struct {
		name     string
		settings string
		key      string
		no       func(i int) int
		longest  int
		rejected int64
	}{
		{"in order", "", "no", func(i int) int { return i - 1000 }, 20, 0},
		{"some out of order, some repeated", "PRAGMA page_size = 512", "no", func(i int) int { return i - 7*(i%1000/999) }, 20, records / 1000},
		{"out of order", "PRAGMA journal_mode = WAL", "no", func(i int) int { return shuffled[i] }, 20, 0},
		{"out of order, most repeated", "", "no", func(i int) int { return shuffled[i] % 100 }, 20, records - 100},
		{"texts", "PRAGMA page_size = 65536", "name", func(i int) int { return i }, 20, 0},
		{"texts, repeated", "PRAGMA auto_vacuum = FULL", "name", func(i int) int { return shuffled[i] % 4000 }, 20, 2000},
		{"several", "", "flag, mass, name, deep", func(i int) int { return shuffled[i] % 5500 }, 20, 500},
		{"without a key", "", "", func(i int) int { return i % 10 }, 20, 0},
		{"long texts", "PRAGMA page_size = 1024", "mass, no", func(i int) int { return i }, 60_000, 0},
		{"several files", "", "no", func(i int) int { return 2*i - 5*(i%1000/999) }, 2, 0},
		{"several files without a key", "", "", func(i int) int { return i }, 2, 0},
		{"UTF-16", "PRAGMA encoding = 'UTF-16'", "name", func(i int) int { return i % 5990 }, 20, 10},
	} {
		t.Run(c.name, func(t *testing.T) {
			var text strings.Builder
			text.WriteString("no,name,mass,deep,found,flag,note\n")
			for i := range records {
				no := c.no(i)
				note := ""
				if i%97 == 0 {
					note = strings.Repeat("é", rng.IntN(c.longest))
				}
				fmt.Fprintf(&text, "%d,n%d,%d.50,%de-1,2026-01-%02d,%t,%s\n", no, no, no%50, no%40, 1+no%28*no%28%28, no%2 == 0, note)
			}
			decimal, double, boolean := table.Type{Kind: table.Decimal, Size: 9, Scale: 2}, table.Type{Kind: table.Double}, table.Type{Kind: table.Boolean}
			varchar, long := table.Type{Kind: table.Varchar, Size: 20}, table.Type{Kind: table.Text}
			column := func(name string, typ table.Type, null bool) table.Column {
				return table.Column{From: name, Name: name, Type: typ, Nullable: null}
			}
			tr := databasetest.NewTray(t, "finds", text.String(),
				column("no", table.Type{Kind: table.Integer}, false), column("name", varchar, false), column("mass", decimal, false),
				column("deep", double, false), table.Column{From: "found", Name: "rowid", Type: varchar, Nullable: true}, column("flag", boolean, false), column("note", long, true))
			if c.key != "" {
				tr.Table.Key = strings.Split(c.key, ", ")
			}
			path := filepath.Join(t.TempDir(), "museum.db")
			to, err := sqlite.Open(path, true)
			require.NoError(t, err)
			defer to.Close()
			to.SetBounds(1000, 900, 500)
			ctx := context.Background()
			if c.settings != "" {
				_, err := to.Query(ctx, c.settings)
				require.NoError(t, err)
			}
			require.NoError(t, os.WriteFile(path+"-ambertray-0", []byte("left by a program that was killed"), 0o600))
			r, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
			require.NoError(t, err)
			require.Equal(t, []int64{records - c.rejected, c.rejected}, []int64{r.Counts.Loaded, r.Counts.Rejected})
			found, err := to.Query(ctx, "PRAGMA integrity_check")
			require.NoError(t, err)
			require.Equal(t, [][]string{{"ok"}}, found)
			left, err := filepath.Glob(path + "-ambertray*")
			require.NoError(t, err)
			require.Empty(t, left)

			next := databasetest.NewTray(t, "finds", "no,name,mass,deep,found,flag,note\n99999,last,1,1,x,true,y\n", tr.Table.Columns...)
			next.Table.Existing, next.Table.Key = table.Append, tr.Table.Key
			_, err = load.Run(ctx, next, &source.Opener{}, to, load.Options{})
			require.NoError(t, err, "the engine goes on with the table")
			v, err := load.Verify(ctx, tr, &source.Opener{}, to, load.VerifyOptions{})
			require.NoError(t, err)
			require.True(t, v.Verified)
		})
	}
}

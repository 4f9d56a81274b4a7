package databasetest

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// refersToLaterRows loads rows that refer to rows below them, also where others refer to nothing, or to a row that is
// refused. Rows that refer to each other are merged and emptied too.
func refersToLaterRows(t *testing.T, to database.Target) {
	integer := table.Type{Kind: table.Integer}
	var lines []string
	for i := range 60 {
		lines = append(lines, fmt.Sprintf("%d,%d", i, i+1))
	}
	lines = append(lines, "60,", "70,99", "71,70", "72,73", "73,60", "73,61", "74,73", "75,75", "81,80", "80,99", "80,")
	tr := NewTray(t, "part", "no,part_of\n"+strings.Join(lines, "\n")+"\n", table.Column{From: "no", Name: "no", Type: integer}, table.Column{From: "part_of", Name: "part_of", Type: integer, Nullable: true})
	for _, existing := range []table.Existing{table.Append, table.Merge, table.Empty} {
		execAll(t, to, "CREATE TABLE part (no integer NOT NULL PRIMARY KEY, part_of integer NULL, FOREIGN KEY (part_of) REFERENCES part (no))")
		switch existing {
		case table.Merge:
			execAll(t, to, "INSERT INTO part VALUES (60, NULL)", "INSERT INTO part VALUES (5, NULL)")
		case table.Empty:
			execAll(t, to, "INSERT INTO part VALUES (5, NULL)", "INSERT INTO part VALUES (6, 5)", "INSERT INTO part VALUES (7, 6)")
		}
		tr.Table.Key, tr.Table.Existing = []string{"no"}, existing
		r, err := load.Run(context.Background(), tr, &source.Opener{}, to, load.Options{Again: true})
		require.NoError(t, err, existing)
		require.True(t, r.Verified)
		c := r.Counts
		require.Equal(t, []int64{71, 67, 4}, []int64{c.Read, c.Loaded, c.Rejected}, "%s: %v", existing, r.Rejects.ByReason)
		if existing == table.Merge {
			require.Equal(t, database.Merged{Inserted: 65, Updated: 1, Unchanged: 1, Agree: 67}, *r.Merged)
		}
		slices.SortFunc(r.Rejects.ByReason, func(a, b reject.Group) int { return int(a.Line - b.Line) })
		first := r.Rejects.ByReason[0]
		require.Equal(t, int64(63), first.Line, "the first that refers to nothing")
		require.Contains(t, first.Reason, "not in table part")
		if existing == table.Append {
			undoes(t, tr, to, r)
			requireRows(t, to, "part", 0)
		}
		execAll(t, to, "DROP TABLE part")
	}
}

// repeatsRefusedRows loads and merges many rows with the keys of rows before them that are refused, for one of two
// reasons.
func repeatsRefusedRows(t *testing.T, to database.Target) {
	integer := table.Type{Kind: table.Integer}
	text := "no,tag,whole\n1,7,\n2,8,\n"
	for i := 10; i < 70; i++ {
		text += fmt.Sprintf("%[1]d,,9999\n%[1]d,7,\n%[1]d,8,\n%[1]d,%[2]d,1\n%[1]d,,1\n", i, 1000+i)
	}
	tr := NewTray(t, "piece", text, table.Column{From: "no", Name: "no", Type: integer}, table.Column{From: "tag", Name: "tag", Type: integer, Nullable: true},
		table.Column{From: "whole", Name: "whole", Type: integer, Nullable: true})
	for _, existing := range []table.Existing{table.Append, table.Merge} {
		execAll(t, to, "CREATE TABLE piece (no integer NOT NULL PRIMARY KEY, tag integer NULL, whole integer NULL, FOREIGN KEY (whole) REFERENCES piece (no))",
			"CREATE UNIQUE INDEX piece_tag ON piece (tag)", "INSERT INTO piece VALUES (1, 7, NULL)", "INSERT INTO piece VALUES (2, 8, NULL)")
		if to.Dialect() == dialect.SQLServer { // where NULL is a value of a unique index
			execAll(t, to, "DROP INDEX piece_tag ON piece", "CREATE UNIQUE INDEX piece_tag ON piece (tag) WHERE tag IS NOT NULL")
		}
		tr.Table.Key, tr.Table.Existing = []string{"no"}, existing
		r, err := load.Run(context.Background(), tr, &source.Opener{}, to, load.Options{Again: true})
		require.NoError(t, err, existing)
		unchanged := int64(0)
		if existing == table.Merge {
			unchanged = 2
		}
		require.Equal(t, []int64{302, 60 + unchanged, 242 - unchanged}, []int64{r.Counts.Read, r.Counts.Loaded, r.Counts.Rejected}, "%s: %v", existing, r.Rejects.ByReason)
		rows, err := to.Query(context.Background(), "SELECT count(*) FROM piece WHERE tag = no + 1000 AND whole = 1")
		require.NoError(t, err)
		require.Equal(t, [][]string{{"60"}}, rows, "the first row of each key that the table can have")
		execAll(t, to, "DROP TABLE piece")
	}
}

// undoes undoes a load.
func undoes(t *testing.T, tr *tray.Tray, to database.Target, r *load.Receipt) {
	ctx := context.Background()
	identity, err := database.Identity(ctx, to, r.Table)
	require.NoError(t, err)
	entries, err := ledger.Read(ctx, to, identity)
	require.NoError(t, err)
	i := slices.IndexFunc(entries, func(e ledger.Entry) bool { return e.ID == r.ID })
	require.GreaterOrEqual(t, i, 0)
	undone, err := load.Undo(ctx, tr, entries[i], &source.Opener{}, to, func(pass.Progress) {})
	require.NoError(t, err)
	require.Equal(t, r.Counts.Loaded, undone.Removed)
}

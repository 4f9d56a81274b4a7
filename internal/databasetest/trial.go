package databasetest

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// triesConstraints rejects the same records in a dry run as in a load: those that violate the keys
// of the table, or its foreign keys. A record that repeats one which is refused is not refused for that.
func triesConstraints(t *testing.T, to database.Target) {
	ctx := context.Background()
	word, rooms := table.Type{Kind: table.Varchar, Size: 9}, to.Dialect().QuoteTable("The Rooms")
	execAll(t, to, "CREATE TABLE keeper (no bigint NOT NULL PRIMARY KEY)", "INSERT INTO keeper VALUES (1), (2)",
		"CREATE TABLE "+rooms+" (code varchar(9) NOT NULL PRIMARY KEY)", "INSERT INTO "+rooms+" VALUES ('east')",
		`CREATE TABLE find (no integer NOT NULL PRIMARY KEY, label varchar(9) NOT NULL, tag varchar(9) NULL, keeper_no bigint NULL, room varchar(9) NULL,
			part_of integer NULL, CONSTRAINT find_label UNIQUE (label), CONSTRAINT find_tag UNIQUE (tag, keeper_no), CONSTRAINT find_keeper FOREIGN KEY (keeper_no) REFERENCES keeper (no),
			CONSTRAINT find_room FOREIGN KEY (room) REFERENCES `+rooms+` (code), CONSTRAINT find_whole FOREIGN KEY (part_of) REFERENCES find (no))`,
		"INSERT INTO find VALUES (1, 'ant', 'a', 1, 'east', NULL)")
	column := func(name string, of table.Type) table.Column {
		return table.Column{From: name, Name: name, Type: of, Nullable: true}
	}
	integer := table.Type{Kind: table.Integer}
	lines := []string{"2,bee,b,1,east,1", "3,ant,c,1,,", "1,cat,d,1,,", "4,dog,a,1,,", "5,dog,a,2,,", "5,eel,e,1,,", "6,fly,,3,,", "7,gnu,f,7,,", "8,bee,,,,", "9,hen,,2,,", "10,ibis,,,,"}
	if to.Dialect() != dialect.MySQL && to.Dialect() != dialect.SQLServer {
		lines = append(lines, "11,jay,,,west,")
	}
	tr := NewTray(t, "find", "no,label,tag,keeper_no,room,part_of\n"+strings.Join(lines, "\n")+"\n",
		column("no", integer), column("label", word), column("tag", word), column("keeper_no", integer), column("room", word), column("part_of", integer))
	tr.Table.Key, tr.Table.Existing = []string{"label"}, table.Append

	check, err := load.DryRun(ctx, tr, &source.Opener{}, to, load.CheckOptions{})
	require.NoError(t, err)
	r, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
	require.NoError(t, err)
	require.Equal(t, []int64{r.Counts.Loaded, r.Counts.Rejected}, []int64{check.WouldLoad, check.Rejected()}, "%v, but loaded %v", check.WouldReject, r.Rejects.ByReason)
	require.Len(t, check.Keys, 3)
	require.Equal(t, []string{"no"}, check.Keys[0].Columns)
	require.Equal(t, []int64{1, 1}, []int64{check.Keys[0].Repeated, check.Keys[0].InTable})
	require.Len(t, check.ForeignKeys, 3)
	for _, f := range check.ForeignKeys {
		untried := f.Columns[0] == "part_of" || f.Columns[0] == "room" && len(lines) == 11
		require.Equal(t, untried, f.Untried != "", "%v", f)
		require.Equal(t, f.Columns[0] == "keeper_no", f.Missing == 2, "%v", f)
	}

	check, err = load.DryRun(ctx, tr, &source.Opener{}, to, load.CheckOptions{})
	require.NoError(t, err)
	require.ErrorContains(t, check.Again(), "was already loaded into find")
	require.NoError(t, os.WriteFile(filepath.Join(tr.Dir, "..", "next.csv"), []byte("no,label,tag,keeper_no,room,part_of\n20,owl,,,,\n"), 0o600))
	tr.Files, tr.Table.OnlyNew = append(tr.Files, "next.csv"), true
	check, err = load.DryRun(ctx, tr, &source.Opener{}, to, load.CheckOptions{})
	require.NoError(t, err)
	require.Equal(t, []int64{1, 1, 0}, []int64{check.Read, check.WouldLoad, check.Keys[0].InTable}, "what the table has is left out, as by a load")
	require.Len(t, check.AlreadyLoaded, 1)

	triesReferences(t, to)
}

// triesReferences finds out before a load that the foreign key of a new table cannot be made, or which rows it
// refuses.
func triesReferences(t *testing.T, to database.Target) {
	ctx := context.Background()
	column := func(name string, of table.Kind) table.Column {
		return table.Column{From: name, Name: name, Type: table.Type{Kind: of}, Nullable: true}
	}
	loan := NewTray(t, "loan", "no,keeper_no\n1,2\n2,3\n3,\n", column("no", table.Integer), column("keeper_no", table.BigInt))
	loan.Table.Columns[1].References = &table.Reference{Table: "keeper", Column: "no"}
	check, err := load.DryRun(ctx, loan, &source.Opener{}, to, load.CheckOptions{})
	require.NoError(t, err)
	require.Equal(t, int64(1), check.ForeignKeys[0].Missing)
	r, err := load.Run(ctx, loan, &source.Opener{}, to, load.Options{})
	if to.Dialect().InlineReferences() {
		require.NoError(t, err)
		require.Equal(t, []int64{r.Counts.Loaded, r.Counts.Rejected}, []int64{check.WouldLoad, check.Rejected()})
		return
	}
	require.ErrorIs(t, err, load.ErrReferences)
	require.False(t, check.Possible(), "the foreign key of a new table cannot be made")
}

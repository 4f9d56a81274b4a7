package databasetest

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// refersToLaterRows loads rows that refer to rows below them, also where others refer to nothing, or to a row that is
// refused.
func refersToLaterRows(t *testing.T, to database.Target) {
	execAll(t, to, "CREATE TABLE part (no integer NOT NULL PRIMARY KEY, part_of integer NULL, FOREIGN KEY (part_of) REFERENCES part (no))")
	integer := table.Type{Kind: table.Integer}
	var lines []string
	for i := range 60 {
		lines = append(lines, fmt.Sprintf("%d,%d", i, i+1))
	}
	lines = append(lines, "60,", "70,99", "71,70", "72,73", "73,60", "73,61", "74,73", "75,75", "81,80", "80,99", "80,")
	tr := NewTray(t, "part", "no,part_of\n"+strings.Join(lines, "\n")+"\n", table.Column{From: "no", Name: "no", Type: integer}, table.Column{From: "part_of", Name: "part_of", Type: integer, Nullable: true})
	tr.Table.Key, tr.Table.Existing = []string{"no"}, table.Append
	r, err := load.Run(context.Background(), tr, &source.Opener{}, to, load.Options{})
	require.NoError(t, err)
	require.True(t, r.Verified)
	require.Equal(t, load.Counts{Read: 71, Loaded: 67, Rejected: 4}, counts(r), "%v", r.Rejects.ByReason)
	slices.SortFunc(r.Rejects.ByReason, func(a, b reject.Group) int { return int(a.Line - b.Line) })
	require.Equal(t, []int64{63, 67}, []int64{r.Rejects.ByReason[0].Line, r.Rejects.ByReason[1].Line}, "what refers to nothing, and the second of two with a key")
	require.Equal(t, []int64{2, 2}, []int64{r.Rejects.ByReason[0].Count, r.Rejects.ByReason[1].Count})
	execAll(t, to, "DROP TABLE part")
}

package databasetest

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// laneRecords make a source of several batches, so that more than one lane has work.
const laneRecords = 30_000

// inLanes loads over several connections where the target can, and holds these loads to
// the promises of one in one lane.
func inLanes(t *testing.T, open func() database.Target) {
	ctx, to, second := context.Background(), open(), open()
	defer to.Close()
	defer second.Close()
	lanes := 1
	_, ok := to.(database.Laned)
	if ok {
		lanes = 3
	}
	run := func(tr *tray.Tray, existing table.Existing) (*load.Receipt, error) {
		plan := *tr
		plan.Table.Existing = existing
		return load.Run(ctx, &plan, &source.Opener{}, to, load.Options{Lanes: 3})
	}
	tr := laneTray(t, laneRecords, "")
	r, err := run(tr, table.Refuse)
	require.NoError(t, err)
	require.Equal(t, lanes, r.Lanes)
	require.True(t, r.Verified)
	require.Equal(t, load.Created, r.Outcome)
	requireRows(t, second, "shelves", laneRecords)
	requireWhole(t, second)

	r, err = run(tr, table.Append)
	require.Nil(t, r)
	require.ErrorContains(t, err, "already", "the same content is known")

	// The table stays until the other one is whole, and is there after a load that fails.
	failed := laneTray(t, 20, "not a number,bad\n")
	_, err = run(failed, table.Rebuild)
	require.Error(t, err, "a record is rejected, and the plan allows none")
	requireRows(t, second, "shelves", laneRecords)
	requireWhole(t, second)

	// Of two rows with one key the first stays, although the lanes may send it later.
	twice := laneTray(t, laneRecords, "7,again\n")
	twice.Table.Allow = allow(t, "any")
	r, err = run(twice, table.Rebuild)
	require.NoError(t, err)
	require.Equal(t, 1, r.Lanes)
	require.Equal(t, int64(1), r.Counts.Rejected)
	require.Equal(t, int64(laneRecords+1), r.Rejects.ByReason[0].Line-1)
	requireRows(t, second, "shelves", laneRecords)
	requireWhole(t, second)
	if lanes > 1 {
		require.Contains(t, strings.Join(r.Remarks, "\n"), "one lane: a key occurs twice")
	}

	more := laneTray(t, 0, "900001,more\n")
	r, err = run(more, table.Append)
	require.NoError(t, err)
	require.Equal(t, 1, r.Lanes)
	require.Contains(t, strings.Join(r.Remarks, "\n"), "one lane: ")

	interruptedInLanes(t, open, second)
	if lanes > 1 {
		leftBehind(t, open)
	}
}

// interruptedInLanes holds a load that is interrupted to leave what was there.
func interruptedInLanes(t *testing.T, open func() database.Target, second database.Target) {
	for _, at := range []int64{1, laneRecords, 2 * laneRecords} {
		to := open()
		ctx, cancel := context.WithCancel(context.Background())
		tr := laneTray(t, 2*laneRecords, "")
		tr.Table.Existing = table.Rebuild
		_, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{Lanes: 3, Progress: func(p pass.Progress) {
			if p.Records >= at {
				cancel()
			}
		}})
		cancel()
		require.ErrorIs(t, err, context.Canceled)
		require.NoError(t, to.Close())
		requireRows(t, second, "shelves", laneRecords+1)
		requireWhole(t, second)
	}
}

// leftBehind lets a load die before it has published its staging table, which the next one
// removes.
func leftBehind(t *testing.T, open func() database.Target) {
	ctx, dying, next := context.Background(), open(), open()
	defer next.Close()
	tr := laneTray(t, 9, "")
	tx, err := dying.Begin(ctx)
	require.NoError(t, err)
	require.NoError(t, tx.Create(ctx, &tr.Table, database.Creation{Replace: true, Lanes: 2}))
	sink, err := tx.Load(ctx, &tr.Table)
	require.NoError(t, err)
	require.Equal(t, 2, sink.(database.LanedSink).Lanes())
	require.NoError(t, dying.Close())
	_, err = next.Exec(ctx, "CREATE TABLE ambertray_stage_mine (a integer)")
	require.NoError(t, err)
	require.Len(t, stages(t, next), 2)
	tr.Table.Existing = table.Rebuild
	_, err = load.Run(ctx, tr, &source.Opener{}, next, load.Options{Lanes: 2})
	require.NoError(t, err)
	require.Equal(t, []string{"ambertray_stage_mine"}, stages(t, next), "what is not ours stays")
	_, _ = sink.Close(context.Canceled)
}

// stages returns the staging tables.
func stages(t *testing.T, to database.Target) (names []string) {
	rows, err := to.Query(context.Background(), to.Dialect().TablesQuery)
	require.NoError(t, err)
	for _, row := range rows {
		if strings.Contains(row[0], database.StagePrefix) {
			names = append(names, row[0])
		}
	}
	return names
}

// comments are queries for the comment of a table, where that is kept.
var comments = map[string]string{
	"postgresql": "SELECT obj_description('shelves'::regclass)",
	"mysql":      "SELECT table_comment FROM information_schema.tables WHERE table_schema = database() AND table_name = 'shelves'",
}

// requireWhole holds the table to its definition, and the database to have no other one.
func requireWhole(t *testing.T, to database.Target) {
	t.Helper()
	ctx := context.Background()
	require.Empty(t, stages(t, to))
	definition, err := database.Definition(ctx, to, "shelves")
	require.NoError(t, err)
	require.Contains(t, strings.Join(definition, "\n"), "PRIMARY KEY")
	require.NotContains(t, strings.Join(definition, "\n"), database.StagePrefix)
	query := comments[to.Dialect().Name]
	if query != "" {
		comment, err := to.Query(ctx, query)
		require.NoError(t, err)
		require.Equal(t, "every shelf", comment[0][0])
	}
}

// laneTray returns a tray over numbered records and some more lines.
func laneTray(t *testing.T, records int, more string) *tray.Tray {
	var text strings.Builder
	text.WriteString("shelf,label\n")
	for i := range records {
		fmt.Fprintf(&text, "%d,drawer %d: %s\n", i, i, strings.Repeat("amber ", 15))
	}
	tr := NewTray(t, "shelves", text.String()+more,
		table.Column{From: "shelf", Name: "shelf", Type: table.Type{Kind: table.Integer}},
		table.Column{From: "label", Name: "label", Type: table.Type{Kind: table.Varchar, Size: 200}})
	tr.Table.Key, tr.Table.Comment = []string{"shelf"}, "every shelf"
	tr.Table.Allow = allow(t, "0")
	return tr
}

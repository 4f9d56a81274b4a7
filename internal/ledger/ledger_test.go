package ledger_test

import (
	"context"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database/sqlite"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
)

// committing is a database where definitions commit, like that of MySQL.
type committing struct {
	*sqlite.Target
	dropped []string
}

func (c *committing) Dialect() *dialect.Dialect {
	d := *dialect.SQLite
	d.DDLAutoCommits = true
	return &d
}

func (c *committing) DropEmpty(_ context.Context, table string) error {
	c.dropped = append(c.dropped, table)
	return nil
}

func open(t *testing.T) *sqlite.Target {
	db, err := sqlite.Open(filepath.Join(t.TempDir(), "museum.db"), true)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return db
}

func entry(id string, minute int) *ledger.Entry {
	return &ledger.Entry{
		ID: id, At: time.Date(2026, 1, 5, 10, minute, 0, 0, time.UTC), Table: "loan", State: ledger.Loaded, Source: "it's.csv", Bytes: 7,
		Content: ledger.Content([]string{"abc"}), Parts: ledger.Parts{{Name: "it's.csv", Content: "abc", Bytes: 7, Loaded: 2}},
		Tray: "loan.tray", Load: "0001", Read: 3, Loaded: 2, Place: ledger.Place{Part: 0, Record: 3},
	}
}

// TestWrite gives back what was written, and marks what was replaced.
func TestWrite(t *testing.T) {
	ctx, db := context.Background(), open(t)
	list, err := ledger.Read(ctx, db, "")
	require.NoError(t, err)
	require.Empty(t, list, "there is no ledger yet")
	require.NoError(t, ledger.Write(ctx, db, entry("b", 2)))
	require.NoError(t, ledger.Write(ctx, db, entry("a", 1)))
	other := entry("c", 3)
	other.Table = "specimen"
	require.NoError(t, ledger.Write(ctx, db, other))
	list, err = ledger.Read(ctx, db, "loan")
	require.NoError(t, err)
	require.Equal(t, []ledger.Entry{*entry("a", 1), *entry("b", 2)}, list)
	replacing := entry("d", 4)
	replacing.Replaces = true
	require.NoError(t, ledger.Write(ctx, db, replacing))
	list, err = ledger.Read(ctx, db, "")
	require.NoError(t, err)
	var states []ledger.State
	for _, e := range list {
		states = append(states, e.State)
	}
	require.Equal(t, []ledger.State{ledger.Replaced, ledger.Replaced, ledger.Loaded, ledger.Loaded}, states)
}

// TestMoved lets only one load continue an entry.
func TestMoved(t *testing.T) {
	ctx, db := context.Background(), open(t)
	first := entry("a", 1)
	first.State = ledger.Partial
	require.NoError(t, ledger.Write(ctx, db, first))
	next := *first
	next.Place, next.Last = ledger.Place{Record: 9}, &ledger.Place{Record: 3}
	require.NoError(t, ledger.Write(ctx, db, &next))
	require.ErrorIs(t, ledger.Write(ctx, db, &next), ledger.ErrMoved)
	list, err := ledger.Read(ctx, db, "loan")
	require.NoError(t, err)
	require.Equal(t, int64(9), list[0].Record)
}

// TestForget removes entries without rows, and unfinished ones on request.
func TestForget(t *testing.T) {
	ctx, db := context.Background(), open(t)
	empty, doubt, loaded := entry("a", 1), entry("b", 2), entry("c", 3)
	empty.Loaded, empty.State, doubt.State = 0, ledger.Partial, ledger.InDoubt
	for _, e := range []*ledger.Entry{empty, doubt, loaded} {
		require.NoError(t, ledger.Write(ctx, db, e))
	}
	for _, e := range []*ledger.Entry{empty, loaded} {
		require.NoError(t, ledger.Forget(ctx, db, e.ID))
	}
	forgotten, err := ledger.ForgetUnfinished(ctx, db, "b")
	require.NoError(t, err)
	require.Equal(t, *doubt, forgotten)
	_, err = ledger.ForgetUnfinished(ctx, db, "c")
	require.ErrorIs(t, err, ledger.ErrFinished)
	list, err := ledger.Read(ctx, db, "")
	require.NoError(t, err)
	require.Equal(t, []ledger.Entry{*loaded}, list)
}

// TestStages counts a load as done when its staging table has become the table.
func TestStages(t *testing.T) {
	ctx, db := context.Background(), open(t)
	published, err := ledger.ResolveStages(ctx, db, "loan")
	require.NoError(t, err)
	require.Empty(t, published)
	_, err = db.Exec(ctx, "CREATE TABLE waiting (a integer)")
	require.NoError(t, err)
	before, done, waits := entry("a", 1), entry("b", 2), entry("c", 3)
	done.Stage, waits.Stage, done.Replaces = "published", "waiting", true
	for _, e := range []*ledger.Entry{before, done, waits} {
		require.NoError(t, ledger.Write(ctx, db, e))
	}
	list, err := ledger.Read(ctx, db, "loan")
	require.NoError(t, err)
	require.Len(t, list, 2, "one whose staging table exists is not done")
	published, err = ledger.ResolveStages(ctx, db, "loan")
	require.NoError(t, err)
	require.Equal(t, []string{"published"}, published)
	list, err = ledger.Read(ctx, db, "loan")
	require.NoError(t, err)
	require.Equal(t, []ledger.State{ledger.Replaced, ledger.Loaded}, []ledger.State{list[0].State, list[1].State})
	require.Empty(t, list[1].Stage)
}

// TestMake makes the ledger before a load only where definitions commit.
func TestMake(t *testing.T) {
	ctx, db := context.Background(), open(t)
	made, err := ledger.Make(ctx, db)
	require.NoError(t, err)
	require.False(t, made)
	tx, err := db.Begin(ctx)
	require.NoError(t, err)
	require.NoError(t, ledger.Try(ctx, db))
	exists, err := db.Exists(ctx, ledger.Name)
	require.NoError(t, err)
	require.False(t, exists, "it was tried, and rolled back")
	require.NoError(t, tx.Rollback())
	c := &committing{Target: db}
	for _, want := range []bool{true, false} {
		made, err = ledger.Make(ctx, c)
		require.NoError(t, err)
		require.Equal(t, want, made)
	}
	require.NoError(t, ledger.Try(ctx, db))
	require.NoError(t, ledger.RemoveEmpty(ctx, c))
	require.Equal(t, []string{ledger.Name}, c.dropped)
	_, err = db.Exec(ctx, "DROP TABLE "+ledger.Name)
	require.NoError(t, err)
	_, err = db.Exec(ctx, "CREATE TABLE "+ledger.Name+" (a integer)")
	require.NoError(t, err)
	require.Error(t, ledger.Write(ctx, db, entry("a", 1)), "a table of another program")
}

// TestContent identifies several parts by all of their sums, in their order.
func TestContent(t *testing.T) {
	require.Equal(t, "abc", ledger.Content([]string{"abc"}))
	require.NotEqual(t, ledger.Content([]string{"a", "b"}), ledger.Content([]string{"b", "a"}))
	now := time.Date(2026, 1, 5, 10, 7, 9, 0, time.FixedZone("", 3600))
	require.Regexp(t, `^20260105-090709-[0-9a-f]{8}$`, ledger.NewID(now))
}

// TestIDs are not the same for loads that begin in the same second.
func TestIDs(t *testing.T) {
	now, seen := time.Now(), map[string]bool{}
	for range 600 {
		id := ledger.NewID(now)
		require.False(t, seen[id])
		seen[id] = true
	}
}

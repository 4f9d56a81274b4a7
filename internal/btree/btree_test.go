package btree

import (
	"fmt"
	"math"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"
)

// query returns the first column of a query, as text.
func query(t *testing.T, db *sqlite.Conn, sql string) (list []string) {
	t.Helper()
	require.NoError(t, sqlitex.ExecuteTransient(db, sql, &sqlitex.ExecOptions{ResultFunc: func(s *sqlite.Stmt) error {
		list = append(list, s.ColumnText(0))
		return nil
	}}), sql)
	return list
}

func one(t *testing.T, db *sqlite.Conn, sql string) string {
	t.Helper()
	list := query(t, db, sql)
	require.NotEmpty(t, list, sql)
	return list[0]
}

// TestFiles writes tables of every size, which the engine finds whole and reads as they
// were meant.
func TestFiles(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for _, c := range []struct {
		rows, longest int
		key           bool
		memory        int
	}{
		{0, 9, false, 0}, {0, 9, true, 0}, {1, 9, true, 0}, {7, 9, true, 1 << 20}, {150, 100_000, true, 1 << 20}, {30, 3_000_000, false, 0},
		{25_000, 40, true, 1 << 16}, {200_000, 12, false, 0}, {3_000, 20_000, true, 1 << 12}, {1_200, 33_000, true, 1 << 20},
	} {
		path := filepath.Join(t.TempDir(), "made.db")
		w, err := Create(path)
		require.NoError(t, err)
		w.Name, w.Definition = "made", "CREATE TABLE made (no integer, name text, mass numeric)"
		if c.key {
			w.Definition = "CREATE TABLE made (no integer, name text, mass numeric, PRIMARY KEY (name, no, mass))"
			w.Key, w.keys.limit = []Kind{Text, Whole, Number}, c.memory
		}
		var r Record
		sum, length := int64(0), 0
		for i := range c.rows {
			no := int64(rng.Uint64()) >> rng.IntN(64)
			name := strings.Repeat(string(rune('a'+rng.IntN(26))), rng.IntN(c.longest+1)>>rng.IntN(8))
			mass := float64(rng.IntN(1000)-500) / 4
			r.Reset()
			r.Int(no)
			r.Text([]byte(name))
			r.Number(mass)
			sum, length = sum^no, length+len(name)
			require.NoError(t, w.Row(int64(i+1), &r, KeyNumber(KeyInt(KeyText(nil, []byte(name)), no), mass)))
		}
		require.NoError(t, w.Close())
		dup := len(w.Duplicates) // by chance
		db, err := sqlite.OpenConn(path, sqlite.OpenReadWrite)
		require.NoError(t, err)
		if dup == 0 {
			require.Equal(t, "ok", one(t, db, "PRAGMA integrity_check"), c)
		}
		require.Equal(t, fmt.Sprint(c.rows, " ", length), one(t, db, "SELECT count(*) || ' ' || coalesce(sum(length(name)), 0) FROM made"))
		got := int64(0)
		require.NoError(t, sqlitex.ExecuteTransient(db, "SELECT no, mass, rowid FROM made ORDER BY rowid", &sqlitex.ExecOptions{ResultFunc: func(s *sqlite.Stmt) error {
			got ^= s.ColumnInt64(0)
			return nil
		}}))
		require.Equal(t, sum, got)
		if c.key && c.rows > 0 {
			require.Equal(t, fmt.Sprint(c.rows-dup), one(t, db, "SELECT count(*) FROM (SELECT name, no, mass FROM made INDEXED BY sqlite_autoindex_made_1 WHERE name >= '')"))
			require.NoError(t, sqlitex.ExecuteTransient(db, "INSERT INTO made VALUES (1, 'zzz', 2.5), (2, '', -3)", nil), "the engine goes on with what was written: %v", c)
			if dup == 0 { // else rows have no entry in the index
				require.NoError(t, sqlitex.ExecuteTransient(db, "DELETE FROM made WHERE rowid % 3 = 0", nil))
				require.Equal(t, "ok", one(t, db, "PRAGMA integrity_check"), c)
			}
		}
		require.NoError(t, db.Close())
	}
}

// TestKeys sorts as the engine does, gives every value back, and finds what repeats.
func TestKeys(t *testing.T) {
	ints := []int64{math.MinInt64, -256, -1, 0, 1, 255, 256, math.MaxInt64}
	for i, n := range ints {
		back, rest := readIntKey(appendIntKey(nil, n))
		require.Equal(t, []any{n, 0}, []any{back, len(rest)})
		require.True(t, i == 0 || string(appendIntKey(nil, ints[i-1])) < string(appendIntKey(nil, n)))
	}
	floats := []float64{math.Inf(-1), -1e300, -2.5, -1e-300, 0, 1e-300, 0.5, 3, 1e300, math.Inf(1)}
	for i, f := range floats {
		back, _ := readFloatKey(appendFloatKey(nil, f))
		require.Equal(t, f, back)
		require.True(t, i == 0 || string(appendFloatKey(nil, floats[i-1])) < string(appendFloatKey(nil, f)))
	}
	require.Equal(t, appendFloatKey(nil, 0), appendFloatKey(nil, math.Copysign(0, -1)))
	texts := []string{"", "\x00", "\x00\x00", "\x00\x01", "\x01", "a", "a\x00", "a\x00b", "ab", "b", "é", "漢"}
	for i, s := range texts {
		key := appendTextKey(nil, []byte(s))
		back, rest := readTextKey(nil, append(key, 'x'))
		require.Equal(t, []string{s, "x"}, []string{string(back), string(rest)})
		require.True(t, i == 0 || string(appendTextKey(nil, []byte(texts[i-1]))) < string(key), "%q", s)
	}
	path := filepath.Join(t.TempDir(), "made.db")
	w, err := Create(path)
	require.NoError(t, err)
	w.Name, w.Definition, w.Key = "made", "CREATE TABLE made (name text PRIMARY KEY)", []Kind{Text}
	w.keys.limit = 64
	var r Record
	for i := range 300 {
		r.Reset()
		r.Text([]byte(fmt.Sprint(i % 100)))
		require.NoError(t, w.Row(int64(i+1), &r, KeyText(nil, []byte(fmt.Sprint(i%100)))))
	}
	require.NoError(t, w.Close())
	require.Len(t, w.Duplicates, 200)
	for _, id := range w.Duplicates {
		require.Greater(t, id, int64(100), "the first of them stays")
	}
	require.NoFileExists(t, path+"-keys")
}

// FuzzVarint holds our form of numbers against its definition.
func FuzzVarint(f *testing.F) {
	for _, n := range []uint64{0, 127, 128, 16383, 16384, 1<<56 - 1, 1 << 56, math.MaxUint64} {
		f.Add(n)
	}
	f.Fuzz(func(t *testing.T, n uint64) {
		b := appendVarint(nil, n)
		back, size := readVarint(b)
		require.Equal(t, []any{n, len(b), varintSize(n)}, []any{back, size, size})
		require.LessOrEqual(t, size, 9)
	})
}

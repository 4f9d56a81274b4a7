package differ_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/differ"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// side is rows in memory; each is a key and a value, and its hash is of both.
type side []differ.Row

func (s side) Hashes(_ context.Context, each func(uint64) error) error {
	for _, row := range s {
		err := each(row.Hash)
		if err != nil {
			return err
		}
	}
	return nil
}

func (s side) Rows(_ context.Context, wanted func(uint64) bool, each func(differ.Row) error) error {
	for _, row := range s {
		if wanted(row.Hash) {
			err := each(row)
			if err != nil {
				return err
			}
		}
	}
	return nil
}

func row(key, val, line int) differ.Row {
	return differ.Row{Hash: uint64(key)*1_000_003 + uint64(val)*7_919, Cells: []string{fmt.Sprint(key), fmt.Sprint(val)}, Line: int64(line)}
}

// find compares with few hashes in memory, so that files hold the rest.
func find(t *testing.T, source, table side, key []string, extras bool, spill int) (*differ.Result, []differ.Difference, int64) {
	temp := t.TempDir()
	t.Setenv("TMPDIR", temp)
	var all []differ.Difference
	f := &differ.Finder{Columns: []string{"no", "mass"}, Key: key, Extras: extras, Spill: spill, Each: func(d differ.Difference) error {
		all = append(all, d)
		return nil
	}}
	res, err := f.Find(context.Background(), source, table)
	require.NoError(t, err)
	left, err := filepath.Glob(filepath.Join(temp, "*"))
	require.NoError(t, err)
	require.Empty(t, left, "no temporary file is left")
	return res, all, res.Others
}

// TestFind makes random changes and wants each of them found, whatever fits memory.
func TestFind(t *testing.T) {
	for seed := range uint64(12) {
		rng := rand.New(rand.NewPCG(seed, 1))
		var source, table side
		var missing, extra, changed int64
		for i := range 2000 {
			source = append(source, row(i, i, i+2))
			switch rng.IntN(40) {
			case 0:
				missing++
			case 1:
				table = append(table, row(i, i+1, 0))
				changed++
			case 2:
				table = append(table, row(i, i, 0), row(i+5000, i, 0))
				extra++
			default:
				table = append(table, row(i, i, 0))
			}
		}
		rng.Shuffle(len(table), func(a, b int) { table[a], table[b] = table[b], table[a] })
		for _, spill := range []int{0, 16, 512} {
			res, all, others := find(t, source, table, []string{"no"}, true, spill)
			require.Equal(t, []int64{missing, extra, changed, 0}, []int64{res.Missing, res.Extra, res.Changed, others})
			require.Len(t, all, int(missing+extra+changed))
			require.Len(t, res.First, 10)
			require.Equal(t, []differ.ColumnCount{{Column: "mass", Rows: changed}}, res.Columns)
			for _, d := range all {
				require.Equal(t, d.Kind != differ.Extra, d.Line > 0)
				require.NotEmpty(t, d.Key)
			}
			res, all, others = find(t, source, table, nil, false, spill)
			require.Equal(t, []int64{missing + changed, 0, 0, extra + changed}, []int64{res.Missing, res.Extra, res.Changed, others})
			require.Len(t, all, int(missing+changed))
		}
	}
}

// TestRepeated counts rows that are alike: one that lacks a copy is missing once.
func TestRepeated(t *testing.T) {
	source := side{row(1, 1, 2), row(1, 1, 3), row(1, 1, 4), row(2, 2, 5)}
	table := side{row(1, 1, 0), row(2, 2, 0), row(2, 2, 0)}
	for _, spill := range []int{0, 1} {
		res, all, _ := find(t, source, table, nil, true, spill)
		require.Equal(t, []int64{2, 1, 0}, []int64{res.Missing, res.Extra, res.Changed})
		require.True(t, slices.IsSortedFunc(all[:2], func(a, b differ.Difference) int { return int(a.Line - b.Line) }))
		res, _, others := find(t, source, table, nil, false, spill)
		require.Equal(t, []int64{2, 1, 0}, []int64{res.Missing, res.Copies, others})
		res, _, _ = find(t, source, slices.Clone(source), nil, true, spill)
		require.True(t, res.Same())
	}
}

// TestFailures passes on what fails, and leaves no file.
func TestFailures(t *testing.T) {
	t.Setenv("TMPDIR", filepath.Join(t.TempDir(), "missing"))
	_, err := (&differ.Finder{}).Find(context.Background(), side{}, side{})
	require.ErrorIs(t, err, os.ErrNotExist)
	t.Setenv("TMPDIR", t.TempDir())
	full := errors.New("full")
	f := &differ.Finder{Columns: []string{"no", "mass"}, Each: func(differ.Difference) error { return full }}
	_, err = f.Find(context.Background(), side{row(1, 1, 2)}, side{})
	require.ErrorIs(t, err, full)
}

// TestCells writes values so that they can be distinguished, by the encoder and for a row
// of a table.
func TestCells(t *testing.T) {
	for _, c := range []struct {
		typ  string
		v    value.Value
		want string
	}{
		{"integer", value.Value{Int: -7}, "-7"},
		{"decimal(9,2)", value.Value{Int: -705, Scale: 2}, "-7.05"},
		{"double", value.Value{Float: 0.1}, "0.1"},
		{"boolean", value.Value{Int: 1}, "true"},
		{"date", value.Value{Int: 1}, "1970-01-02"},
		{"time", value.Value{Int: 1_500_000}, "00:00:01.500000"},
		{"timestamp", value.Value{Int: -1}, "1969-12-31 23:59:59.999999"},
		{"char(9)", value.Value{Text: []byte("ant  ")}, "'ant'"},
		{"text", value.Value{Text: []byte("it's ")}, "'it''s '"},
		{"text", value.Value{Text: []byte("NULL")}, "'NULL'"},
		{"integer", value.Value{Untyped: true, Text: []byte("7a")}, "'7a'"},
	} {
		typ, err := table.ParseType(c.typ)
		require.NoError(t, err)
		require.Equal(t, c.want, differ.NewCellWriter(typ)(&c.v))
		require.Equal(t, "NULL", differ.NewCellWriter(typ)(&value.Value{Null: true}))
		enc := differ.Encoder{}
		data := enc.AppendNull(enc.Column(0, typ)(enc.AppendRecord(nil), &c.v), 1)
		require.Equal(t, []string{c.want, "NULL"}, differ.Cells(data))
	}
}

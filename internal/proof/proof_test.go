package proof_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/proof"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

func types(t *testing.T) (list []table.Type) {
	for _, text := range []string{"bigint", "decimal(38,2)", "double", "varchar(9)", "char(5)", "uuid", "timestamp"} {
		typ, err := table.ParseType(text)
		require.NoError(t, err)
		list = append(list, typ)
	}
	return list
}

func random(rng *rand.Rand) (row []value.Value) {
	for range 7 {
		n := rng.IntN(3)
		v := value.Value{Int: int64(n), Float: float64(n), Text: []byte("ab"[:n])}
		v.Null = rng.IntN(4) == 0
		row = append(row, v)
	}
	return row
}

// TestSum gives rows in any order the same sum, and another one when a cell is
// changed, swapped with that of another row, doubled or lost.
func TestSum(t *testing.T) {
	hash := proof.NewRowHash(types(t))
	sum := func(rows [][]value.Value) (s proof.Sum) {
		for _, row := range rows {
			s.Add(hash(row, nil))
		}
		return s
	}
	rng := rand.New(rand.NewPCG(5, 6))
	for range 3000 {
		var rows [][]value.Value
		for range 2 + rng.IntN(5) {
			rows = append(rows, random(rng))
		}
		want := sum(rows)
		rng.Shuffle(len(rows), func(a, b int) { rows[a], rows[b] = rows[b], rows[a] })
		require.Equal(t, want, sum(rows))
		require.Equal(t, want, sum(rows[:1]).Plus(sum(rows[1:])))
		require.Equal(t, sum(rows[1:]), want.Minus(sum(rows[:1])))
		require.NotEqual(t, want.Hash, sum(rows[1:]).Hash)
		require.NotEqual(t, want.Hash, sum(append(rows, rows[0])).Hash)
		i, a, b := rng.IntN(7), rows[0], rows[1]
		a[i].Null, b[i].Null = false, false
		a[i].Int, a[i].Float, a[i].Text = 7, 7, []byte("x")
		want = sum(rows)
		a[i], b[i] = b[i], a[i]
		same := true // but for this cell
		for j := range a {
			same = same && (j == i || a[j].Null == b[j].Null && (a[j].Null || a[j].Int == b[j].Int))
		}
		require.Equal(t, same, want == sum(rows))
	}
}

// TestSame are values that are alike in another form, and those that are not.
func TestSame(t *testing.T) {
	list := types(t)
	of := func(i int, v value.Value) uint64 { return proof.NewRowHash(list[i:i+1])([]value.Value{v}, nil) }
	text := func(s string) value.Value { return value.Value{Text: []byte(s)} }
	wide := func(digits string, negative bool) value.Value {
		return value.Value{Wide: true, Negative: negative, Text: []byte(digits)}
	}
	require.Equal(t, of(1, value.Value{Int: -12}), of(1, wide("0012", true)))
	require.Equal(t, of(1, value.Value{}), of(1, wide("000", false)))
	require.NotEqual(t, of(1, wide("12345678901234567890123", false)), of(1, wide("12345678901234567890123", true)))
	require.Equal(t, of(2, value.Value{Float: 0}), of(2, value.Value{Float: -1 / 1e308 / 1e308}))
	require.Equal(t, of(4, text("ant")), of(4, text("ant  ")), "the padding of char")
	require.NotEqual(t, of(3, text("ant")), of(3, text("ant ")))
	require.NotEqual(t, of(3, text("")), of(3, value.Value{Null: true}))
	require.NotEqual(t, of(0, value.Value{Int: 5}), of(0, value.Value{Untyped: true, Text: []byte("5")}))
}

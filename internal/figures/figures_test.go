package figures_test

import (
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/figures"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// types are those whose totals are computed in different ways.
func types(t *testing.T) (list []table.Type) {
	for _, text := range []string{"bigint", "decimal(9,2)", "decimal(38,3)", "double", "boolean", "date", "time", "timestamp", "varchar(9)", "uuid"} {
		typ, err := table.ParseType(text)
		require.NoError(t, err)
		list = append(list, typ)
	}
	return list
}

// random returns a value of a type.
func random(rng *rand.Rand, t table.Type) *value.Value {
	v := &value.Value{Int: rng.Int64() - rng.Int64(), Float: rng.NormFloat64(), Scale: t.Scale, Text: []byte(string(rune('a' + rng.IntN(26))))}
	switch {
	case t.Kind == table.Boolean:
		v.Int &= 1
	case t.Kind == table.Date:
		v.Int %= 700_000
	case t.Kind == table.Time:
		v.Int = rng.Int64N(86_400_000_000)
	case t.Kind == table.Timestamp:
		v.Int %= 1 << 55
	case t.Size == 38 && rng.IntN(2) == 0:
		v.Wide, v.Negative, v.Text = true, rng.IntN(2) == 0, []byte(new(big.Int).Lsh(big.NewInt(rng.Int64()), 60).String())
	}
	return v
}

// TestTotals gives the same figures however the values are parted, and whatever
// their order.
func TestTotals(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	all := types(t)
	for range 300 {
		whole, parts := figures.NewTotals(all), []*figures.Totals{figures.NewTotals(all), figures.NewTotals(all), figures.NewTotals(all)}
		for range rng.IntN(40) {
			for i, typ := range all {
				part := parts[rng.IntN(len(parts))]
				if rng.IntN(5) == 0 {
					whole.Null(i)
					part.Null(i)
					continue
				}
				v := random(rng, typ)
				whole.Value(i, v)
				part.Value(i, v)
			}
		}
		joined := figures.NewTotals(all)
		for _, i := range rng.Perm(len(parts)) {
			joined.Add(parts[i])
		}
		require.Equal(t, whole.Figures(), joined.Figures())
		joined.Reset()
		require.Equal(t, figures.NewTotals(all).Figures(), joined.Figures())
	}
}

// of returns figures with one NULL.
func of(least, greatest, sum string) table.Figures {
	return table.Figures{Nulls: 1, Min: least, Max: greatest, Sum: sum}
}

// TestFigures writes figures in the form that every target has.
func TestFigures(t *testing.T) {
	all := types(t)
	totals := figures.NewTotals(all)
	for _, n := range []int64{-5, 7} {
		for i := range all {
			totals.Value(i, &value.Value{Int: n, Float: float64(n) / 4, Text: []byte("ab")})
		}
	}
	for i := range all {
		totals.Null(i)
	}
	var got []table.Figures
	for i, f := range totals.Figures() {
		if all[i].Kind != table.Boolean && all[i].Kind != table.Time { // which have no such values
			got = append(got, f)
		}
	}
	require.Equal(t, []table.Figures{
		of("-5", "7", "2"), of("-0.05", "0.07", "0.02"), of("-0.005", "0.007", "0.002"), of("-1.25", "1.75", got[3].Sum),
		of("1969-12-27", "1970-01-08", "2"), of("1969-12-31 23:59:59.999995", "1970-01-01 00:00:00.000007", "2"), of("ab", "ab", "4"), of("ab", "ab", "4"),
	}, got)
	require.Equal(t, "0.1", figures.FormatFloat(0.1))
	require.Equal(t, "-12.34", figures.FormatUnscaled(big.NewInt(-1234), 2))
}

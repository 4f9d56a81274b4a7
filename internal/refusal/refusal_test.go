package refusal_test

import (
	"bytes"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/refusal"
)

// random returns refusals of some records of a source, in their order.
func random(rng *rand.Rand) (all []refusal.Refusal) {
	for part := range 3 {
		for record := int64(1); record < 60; record++ {
			if rng.IntN(3) > 0 {
				continue
			}
			r := refusal.Refusal{Where: refusal.Where{Part: part, Record: record}, Reason: "duplicate key", Columns: []string{"no"}}
			if rng.IntN(4) == 0 {
				r.Reason, r.Columns = "not in table place", nil
			}
			all = append(all, r)
		}
	}
	return all
}

// TestList keeps every refusal, whatever their order, and finds each again.
func TestList(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		want := random(rng)
		var list refusal.List
		shuffled := slices.Clone(want)
		rng.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
		for _, r := range shuffled {
			list.Add(r)
		}
		require.Equal(t, len(want), list.Len())
		list.Sort()
		require.Equal(t, want, slices.Collect(list.All()))

		var text bytes.Buffer
		n, err := list.WriteTo(&text)
		require.NoError(t, err)
		require.EqualValues(t, text.Len(), n)
		again, err := refusal.Read(&text)
		require.NoError(t, err)
		require.Equal(t, want, slices.Collect(again.All()))

		from := refusal.Where{Part: rng.IntN(3), Record: rng.Int64N(60)}
		cursor := list.Cursor(from)
		for part := from.Part; part < 3; part++ {
			for record := int64(1); record < 62; record++ {
				at := refusal.Where{Part: part, Record: record}
				if at.Compare(from) < 0 {
					continue
				}
				i := slices.IndexFunc(want, func(r refusal.Refusal) bool { return r.Where == at })
				why := cursor.At(at)
				require.Equal(t, i >= 0, why != nil, at)
				if i >= 0 {
					require.Equal(t, want[i].Reason, why.Reason)
					require.Equal(t, want[i].Columns, why.Columns)
				}
			}
		}
		list.DropAfter(from)
		kept := slices.DeleteFunc(append([]refusal.Refusal{}, want...), func(r refusal.Refusal) bool { return r.Compare(from) > 0 })
		require.Equal(t, kept, append([]refusal.Refusal{}, slices.Collect(list.All())...))
	}
}

// TestAppend joins lists, whose reasons are numbered differently.
func TestAppend(t *testing.T) {
	var a, b refusal.List
	a.Add(refusal.Refusal{Where: refusal.Where{Record: 1}, Reason: "x"})
	b.Add(refusal.Refusal{Where: refusal.Where{Record: 2}, Reason: "y"})
	b.Add(refusal.Refusal{Where: refusal.Where{Record: 3}, Reason: "x"})
	a.Append(&b)
	var got []string
	for r := range a.All() {
		got = append(got, r.Reason)
	}
	require.Equal(t, []string{"x", "y", "x"}, got)
	require.Len(t, a.Reasons, 2)
}

// TestRead refuses what WriteTo has not written.
func TestRead(t *testing.T) {
	for _, text := range []string{"", "{", `{"reasons": [], "records": [[0,1,1,0]]}`, `{"reasons": [{"reason": "x"}], "records": [[0,1,0,0]]}`, `{"reasons": [{"reason": "x"}], "records": [[0,1,1,-1]]}`} {
		_, err := refusal.Read(strings.NewReader(text))
		require.Error(t, err, text)
	}
}

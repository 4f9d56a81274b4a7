package database_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/convert"
	"ambertray/internal/database"
)

// block is one with the rows of some numbers.
func block(numbers ...int64) *convert.Block {
	k := &convert.Block{}
	for _, n := range numbers {
		k.Data = fmt.Appendf(k.Data, "row %d;", n)
		k.Ends, k.Numbers = append(k.Ends, len(k.Data)), append(k.Numbers, n)
	}
	return k
}

var (
	errRefused = errors.New("a row is refused")
	errGone    = errors.New("the connection is gone")
)

// server takes rows all or none, except those that are bad and keys that it has.
type server struct {
	bad  map[int]bool // by the index of the row
	keys []int        // of the rows, not all different
	has  map[int]int  // the row that has a key
	last int          // the row at fault of the last attempt
	runs int
	gone int // after how many attempts it is
}

func (s *server) try(from, to int) error {
	s.runs++
	if s.gone > 0 && s.runs >= s.gone {
		return errGone
	}
	added := map[int]int{}
	for r := from; r < to; r++ {
		_, inTable := s.has[s.keys[r]]
		_, inBatch := added[s.keys[r]]
		if s.bad[r] || inTable || inBatch {
			s.last = r
			return errRefused
		}
		added[s.keys[r]] = r
	}
	for key, r := range added {
		s.has[key] = r
	}
	return nil
}

// TestCopier copies batches to a server that refuses rows at random, and that names the row at
// fault always, sometimes or never: of each key the first good row is in the table, every other
// row is refused once, and the attempts are few where the refusals are.
func TestCopier(t *testing.T) {
	for seed := range uint64(600) {
		rng := rand.New(rand.NewPCG(seed, 11))
		n := 1 + rng.IntN(300)
		s := &server{bad: map[int]bool{}, has: map[int]int{}}
		var numbers []int64
		for r := range n {
			numbers = append(numbers, int64(r))
			s.keys = append(s.keys, r)
			if rng.IntN(n) == 0 {
				s.keys[r] = rng.IntN(r + 1)
			}
			s.bad[r] = rng.IntN(1+n/(1+rng.IntN(4))) == 0
		}
		want, first := map[int]bool{}, map[int]bool{}
		for r := range n {
			if !s.bad[r] && !first[s.keys[r]] {
				first[s.keys[r]], want[r] = true, true
			}
		}
		var batch database.Batch
		batch.Add(block(numbers...))
		refused := map[int]int{}
		names := rng.IntN(3) // never, sometimes or always
		c := database.Copier{
			Batch: &batch, Try: s.try, Refused: func(err error) bool { return errors.Is(err, errRefused) },
			Breaks: func(error) bool { return false }, Sift: func() error { panic("nothing breaks a constraint") },
			Failed: func(_ error, from, to int) (int, bool) {
				return s.last, to-from == 1 || names == 2 || names == 1 && rng.IntN(2) == 0
			},
			Refuse: func(row int, err error) { refused[row]++ },
		}
		require.NoError(t, c.Copy(0, n), "seed %d", seed)
		require.Equal(t, int64(len(want)), c.Rows, "seed %d", seed)
		for r := range n {
			at, there := s.has[s.keys[r]]
			require.Equal(t, want[r], there && at == r, "seed %d, row %d", seed, r)
			times := 1
			if want[r] {
				times = 0
			}
			require.Equal(t, times, refused[r], "seed %d, row %d", seed, r)
		}
		require.LessOrEqual(t, s.runs, 4+20*len(refused)+n/16, "seed %d: %d refused of %d", seed, len(refused), n)

		gone := &server{bad: s.bad, keys: s.keys, has: map[int]int{}, gone: 1 + rng.IntN(s.runs)}
		c.Try, c.Rows = gone.try, 0
		c.Failed = func(_ error, from, to int) (int, bool) { return gone.last, true }
		err := c.Copy(0, n)
		require.Equal(t, gone.runs >= gone.gone, errors.Is(err, errGone), "what is no refusal ends the copy")
		require.Equal(t, int64(len(gone.has)), c.Rows)
	}
}

// TestSift removes what breaks constraints once, and copies what is left.
func TestSift(t *testing.T) {
	var batch database.Batch
	batch.Add(block(0, 1, 2, 3, 4, 5))
	s := &server{bad: map[int]bool{1: true, 4: true}, keys: []int{0, 1, 2, 3, 4, 5}, has: map[int]int{}}
	sifted := 0
	c := database.Copier{
		Batch: &batch, Try: s.try, Refused: func(error) bool { return true }, Breaks: func(error) bool { return true },
		Sift: func() error {
			sifted++
			s.bad, s.keys = nil, []int{0, 2, 3, 5}
			batch.Reset()
			batch.Add(block(0, 2, 3, 5))
			return nil
		},
	}
	require.NoError(t, c.Copy(0, batch.Len()))
	require.Equal(t, []any{1, int64(4), 4}, []any{sifted, c.Rows, len(s.has)})
}

// TestFeeder has every row loaded once over any number of lanes, in order over one, and hands on
// the first error or panic of a lane without losing what the others do.
func TestFeeder(t *testing.T) {
	for seed := range uint64(100) {
		rng := rand.New(rand.NewPCG(seed, 12))
		lanes, fails := 1+rng.IntN(4), rng.IntN(4)
		var mutex sync.Mutex
		var got []int64
		batches, ended := 0, 0
		var loads []func(*database.Batch) error
		for range lanes {
			loads = append(loads, func(b *database.Batch) error {
				mutex.Lock()
				defer mutex.Unlock()
				batches++
				ended = batches
				if fails > 0 && batches == 3 {
					if fails == 1 {
						panic("a fault of ours")
					}
					return errGone
				}
				for i := range b.Len() {
					require.Equal(t, fmt.Sprintf("row %d;", b.Record(i).Record), string(b.Rows(i, i+1)))
					got = append(got, b.Record(i).Record)
				}
				return nil
			})
		}
		f := database.NewFeeder(1+rng.IntN(200), loads...)
		next, err := int64(0), error(nil)
		for range rng.IntN(60) {
			var numbers []int64
			for range rng.IntN(9) {
				numbers, next = append(numbers, next), next+1
			}
			err = f.Add(block(numbers...))
			if err != nil {
				break
			}
		}
		if err == nil {
			err = f.End()
		}
		if fails > 0 && ended >= 3 {
			require.Error(t, err, "seed %d", seed)
			continue
		}
		require.NoError(t, err, "seed %d", seed)
		if lanes == 1 {
			require.True(t, slices.IsSorted(got), "seed %d", seed)
		}
		slices.Sort(got)
		require.Len(t, slices.Compact(got), int(next), "seed %d", seed)
		require.Len(t, got, int(next))
	}
}

package record_test

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ambertray/internal/record"
)

// numbers hands out n pieces, piece i being a batch whose first record is i; it
// fails at one of them.
type numbers struct {
	next, n  int64
	fails    int64
	inReader bool
}

var errBroken = errors.New("broken")

func (s *numbers) Next() (record.Piece, error) {
	s.next++
	switch {
	case s.next > s.n:
		return nil, io.EOF
	case s.next == s.fails && s.inReader:
		return nil, errBroken
	}
	return number{s, s.next}, nil
}

type number struct {
	of *numbers
	i  int64
}

func (p number) Cut(context.Context) (*record.Batch, error) {
	if p.i == p.of.fails {
		return nil, errBroken
	}
	b := record.New('\n', nil)
	b.FirstRecord = p.i
	return b, nil
}

// TestRun gives every result once and in order, however long each takes, and
// after an error nothing, wherever it comes from.
func TestRun(t *testing.T) {
	slow := func(b *record.Batch) (int64, error) {
		time.Sleep(time.Duration(rand.IntN(200)) * time.Microsecond)
		return b.FirstRecord, nil
	}
	works := []record.Work[int64]{slow, slow, slow, slow}
	run := func(s *numbers, stopAt int64) (got []int64, err error) {
		err = record.Run(context.Background(), s, works, func(i int64) error {
			if i == stopAt {
				return errBroken
			}
			got = append(got, i)
			return nil
		})
		return got, err
	}
	got, err := run(&numbers{n: 500}, 0)
	require.NoError(t, err)
	require.Len(t, got, 500)
	for i, n := range got {
		require.Equal(t, int64(i+1), n)
	}
	for _, s := range []*numbers{{n: 500, fails: 70}, {n: 500, fails: 70, inReader: true}} {
		got, err := run(s, 0)
		require.ErrorIs(t, err, errBroken)
		require.Less(t, len(got), 70)
	}
	got, err = run(&numbers{n: 500}, 70)
	require.ErrorIs(t, err, errBroken)
	require.Len(t, got, 69)
}

// TestSkipped reads the counts by rule back unchanged.
func TestSkipped(t *testing.T) {
	want := record.Skipped{1, 2, 3, 4, 5, 6}
	text, err := json.Marshal(want)
	require.NoError(t, err)
	require.JSONEq(t, `{"title":1,"blank":2,"comment":3,"ruler":4,"repeated_header":5,"hidden":0, "description":0, "footer":6}`, string(text))
	var got record.Skipped
	require.NoError(t, json.Unmarshal(text, &got))
	require.Equal(t, want, got)
	require.Equal(t, int64(42), got.Plus(want).Total())
}

func TestClip(t *testing.T) {
	require.Equal(t, "amber", record.Clip([]byte("amber")))
	require.Equal(t, "a\uFFFDb", record.Clip([]byte("a\xffb")))
	require.Equal(t, strings.Repeat("ä", 128), record.Clip([]byte(strings.Repeat("ä", 300))))
	require.Equal(t, "x"+strings.Repeat("ä", 127), record.Clip([]byte("x"+strings.Repeat("ä", 300))))
}

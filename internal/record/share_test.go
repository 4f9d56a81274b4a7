package record_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/record"
)

// line is what is known of a record, and of what is odd about it.
type line struct {
	number, line, odd int64
	text              string
	cells             []string
}

// lines lists the records of a batch.
func lines(b *record.Batch) (list []line) {
	for r := range b.Len() {
		l := line{number: b.Number(r), line: b.Line(r), text: string(b.Text(r))}
		for c := range b.Width(r) {
			l.cells = append(l.cells, string(b.Cell(r, c)))
		}
		for _, o := range b.Oddities {
			if o.Record == r {
				l.odd += b.OddityLine(o)
			}
		}
		list = append(list, l)
	}
	return list
}

// random makes a batch of records of any width over one or two lines each, some of them odd.
// The same seed makes the same one.
func random(seed uint64) *record.Batch {
	rng := rand.New(rand.NewPCG(seed, 7))
	b := record.New('\n', nil)
	b.Part, b.FirstRecord, b.FirstLine = rng.IntN(3), 1+rng.Int64N(1000), 1+rng.Int64N(5000)
	for n := range rng.IntN(40) {
		start := len(b.Data)
		for c := range 1 + rng.IntN(4) {
			from := len(b.Data)
			b.Data = fmt.Appendf(b.Data, "%d.%d", n, c)
			if rng.IntN(5) == 0 {
				b.Data = append(b.Data, "\nmore"...)
			}
			b.AddCell(record.Span{Start: uint32(from), End: uint32(len(b.Data))})
			if rng.IntN(8) == 0 {
				b.Note(record.BadEncoding, from)
			}
			b.Data = append(b.Data, ',')
		}
		b.EndRecord(start, len(b.Data)-1)
		b.Data = append(b.Data, '\n')
		if rng.IntN(6) == 0 {
			b.Skip(record.Comment, start, start+1)
		}
	}
	b.Raw = len(b.Data)
	return b
}

// TestKeep divides batches at random into shares: together they have every record once, with
// its own number, line, cells and oddities, and the rows that were left out belong to none.
func TestKeep(t *testing.T) {
	for seed := range uint64(500) {
		whole := lines(random(seed))
		rng := rand.New(rand.NewPCG(seed, 8))
		first := random(seed)
		var kept []line
		for after := first.FirstRecord - 1 - rng.Int64N(5); after < first.FirstRecord+int64(len(whole)); {
			last := after + 1 + rng.Int64N(20)
			b := random(seed)
			b.Keep(&record.Share{Part: first.Part, After: after, Last: last})
			require.Zero(t, b.Skipped.Total())
			require.Empty(t, b.LeftOut())
			width := -1
			if b.Len() > 0 {
				width = b.Width(0)
			}
			if b.Even(width) {
				require.Len(t, b.AllCells(), b.Len()*width)
			}
			kept = append(kept, lines(b)...)
			after = last
		}
		require.Equal(t, whole, kept, "seed %d", seed)
		other := random(seed)
		other.Keep(&record.Share{Part: first.Part + 1, Last: 1 << 40})
		require.Zero(t, other.Len(), "a share of another part")
		require.Empty(t, other.Oddities)
	}
}

// TestRemap puts cells into another order, with blank ones where a heading is missing, and
// leaves records of other widths odd.
func TestRemap(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 5))
	for seed := range uint64(500) {
		b, before := random(seed), lines(random(seed))
		order := make([]int, 1+rng.IntN(5))
		width := 1 + rng.IntN(4)
		for i := range order {
			order[i] = rng.IntN(width+1) - 1
		}
		b.Remap(width, order)
		for r, was := range before {
			if len(was.cells) != width {
				require.NotEqual(t, len(order), b.Width(r), "a misfit looks like a record")
				continue
			}
			require.Equal(t, len(order), b.Width(r))
			for i, from := range order {
				want := ""
				if from >= 0 {
					want = was.cells[from]
				}
				require.Equal(t, want, string(b.Cell(r, i)))
			}
		}
		require.Equal(t, b.Len() > 0 && len(b.AllCells()) == b.Len()*len(order) && allWide(b, len(order)), b.Even(len(order)))
	}
}

func allWide(b *record.Batch, width int) bool {
	for r := range b.Len() {
		if b.Width(r) != width {
			return false
		}
	}
	return true
}

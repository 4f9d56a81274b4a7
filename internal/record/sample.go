package record

import (
	"cmp"
	"container/heap"
	"slices"
)

// Sample keeps records that are drawn evenly from the whole of a source: those whose
// numbers have the least hashes, so that the same ones are drawn however the source is
// cut. The zero value keeps none.
type Sample struct {
	Size  int // how many are kept
	drawn drawn
}

// Drawn is a record of a sample. Its cells are cut to what is shown.
type Drawn struct {
	Part         int
	Number, Line int64
	Cells        []string

	rank uint64
}

// Add adds the records of a batch that have width cells.
func (s *Sample) Add(b *Batch, width int) {
	if s.Size == 0 {
		return
	}
	for r := range b.Len() {
		rank := rankOf(b.Part, b.Number(r))
		if len(s.drawn) == s.Size && rank >= s.drawn[0].rank || b.Width(r) != width {
			continue
		}
		d := Drawn{Part: b.Part, Number: b.Number(r), Line: b.Line(r), Cells: make([]string, width), rank: rank}
		for c := range d.Cells {
			d.Cells[c] = Clip(b.Cell(r, c))
		}
		s.keep(d)
	}
}

// Merge adds the records of another part of the source.
func (s *Sample) Merge(o *Sample) {
	for _, d := range o.drawn {
		if len(s.drawn) < s.Size || d.rank < s.drawn[0].rank {
			s.keep(d)
		}
	}
}

func (s *Sample) keep(d Drawn) {
	heap.Push(&s.drawn, d)
	if len(s.drawn) > s.Size {
		heap.Pop(&s.drawn)
	}
}

// Records returns the records in the order of the source.
func (s *Sample) Records() []Drawn {
	list := slices.Clone([]Drawn(s.drawn))
	slices.SortFunc(list, func(a, b Drawn) int {
		return cmp.Or(cmp.Compare(a.Part, b.Part), cmp.Compare(a.Number, b.Number))
	})
	return list
}

// rankOf mixes the place of a record into a number that has no order of its own, by the
// finalizer of SplitMix64.
func rankOf(part int, number int64) uint64 {
	x := uint64(part)<<48 ^ uint64(number)
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// drawn is a heap of records, the highest rank first.
type drawn []Drawn

func (d drawn) Len() int           { return len(d) }
func (d drawn) Less(i, j int) bool { return d[i].rank > d[j].rank }
func (d drawn) Swap(i, j int)      { d[i], d[j] = d[j], d[i] }
func (d *drawn) Push(x any)        { *d = append(*d, x.(Drawn)) }
func (d *drawn) Pop() any {
	last := (*d)[len(*d)-1]
	*d = (*d)[:len(*d)-1]
	return last
}

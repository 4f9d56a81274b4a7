package infer

import (
	"cmp"
	"math/bits"
	"slices"

	"ambertray/internal/value"
)

// Run reports whether the whole numbers of a column rise, or fall, from record to
// record: then no two are alike, however many there are.
type Run struct {
	some        bool
	broken      bool // neither rising nor falling, or not whole numbers
	falling     bool
	first, last int64
}

// Rising returns the run of the batch that was added last.
func (p *Column) Rising() Run { return p.rising }

func (u *Run) add(s value.Shape, n int64) {
	if s.Kind != value.Integer {
		u.broken = true
		return
	}
	if !u.some {
		*u = Run{some: true, first: n, last: n}
		return
	}
	u.join(Run{some: true, first: n, last: n})
}

// join appends the run of the records that follow.
func (u *Run) join(o Run) {
	switch {
	case !o.some && !o.broken:
		return
	case !u.some && !u.broken:
		*u = o
		return
	}
	one, oneMore := u.first == u.last, o.first == o.last
	falling := o.first < u.last
	u.broken = u.broken || o.broken || o.first == u.last || !one && u.falling != falling || !oneMore && o.falling != falling
	u.falling, u.last = falling, o.last
}

// Keys looks for what identifies the records of a source. It is fed with the
// batches in source order.
type Keys struct {
	runs   []Run
	hashes [][][]uint64 // of the first records, batch after batch, by column
	full   bool         // there are more records than hashes
}

// keyMemory is how much memory the hashes take at most. Pairs of columns are
// judged exactly up to a number of records, and of longer sources by the first.
const keyMemory = 16 << 20

// keyColumns is how many columns are tried in pairs at most.
const keyColumns = 24

// NewKeys returns a Keys for a number of columns.
func NewKeys(columns int) *Keys {
	return &Keys{runs: make([]Run, columns)}
}

// Head returns for how many of the first records hashes are wanted.
func (k *Keys) Head() int64 { return int64(keyMemory / 8 / max(1, len(k.runs))) }

// Add adds the next batch: the runs of its columns and, of the first
// records, the hashes of their cells, which it keeps.
func (k *Keys) Add(runs []Run, hashes [][]uint64) {
	for c := range runs {
		k.runs[c].join(runs[c])
	}
	if hashes == nil {
		k.full = true
		return
	}
	k.hashes = append(k.hashes, hashes)
}

// Unique reports whether column c rises or falls throughout.
func (k *Keys) Unique(c int) bool { return k.runs[c].some && !k.runs[c].broken }

// Pair is two columns that together identify the records.
type Pair struct {
	A, B int
	Sure bool // all records were examined
	// Dense says that there are hardly more possible pairs of values than
	// records, so that it is not an accident that all differ.
	Dense bool
}

// Pairs returns the pairs of the given columns, none of which has a blank cell,
// that identify the records, those with the fewest possible pairs of values
// first. distinct is the number of values of each.
func (k *Keys) Pairs(columns []int, distinct []int64) []Pair {
	var pairs []Pair
	possible := map[Pair]int64{}
	if len(columns) < 2 {
		return nil
	}
	n := int64(0)
	for _, batch := range k.hashes {
		n += int64(len(batch[columns[0]]))
	}
	columns = columns[:min(len(columns), keyColumns)]
	for i, a := range columns {
		for j, b := range columns[:i] {
			if n > 1 && distinct[i] >= n/max(distinct[j], 1) && k.tellApart(a, b) {
				p := Pair{A: b, B: a, Sure: !k.full, Dense: distinct[i]*distinct[j] <= 2*n}
				pairs, possible[p] = append(pairs, p), distinct[i]*distinct[j]
			}
		}
	}
	slices.SortStableFunc(pairs, func(a, b Pair) int { return cmp.Compare(possible[a], possible[b]) })
	return pairs
}

// tellApart reports whether all pairs of values of two columns differ. Two pairs with the same
// hash count as equal, which could only hide a key.
func (k *Keys) tellApart(a, b int) bool {
	var seen distinctPairs
	for _, batch := range k.hashes {
		bs := batch[b]
		for i, h := range batch[a] {
			if h == 0 || bs[i] == 0 || !seen.add(pairHash(h, bs[i])) {
				return false
			}
		}
	}
	return true
}

// pairHash mixes the hashes of two values into one of as many bits that is never 0.
func pairHash(a, b uint64) uint64 {
	hi, lo := bits.Mul64(a^0xa0761d6478bd642f, b^0xe7037ed1a0b428db)
	return max((hi^lo)>>(64-hashBits), 1)
}

// distinctPairs is a set of hashes. It grows as it fills, because most pairs of columns have a
// duplicate early.
type distinctPairs struct {
	set  []uint64
	size int
}

// add reports whether a hash is new.
func (d *distinctPairs) add(h uint64) bool {
	if 2*d.size >= len(d.set) {
		d.grow()
	}
	i := slot(d.set, h)
	if d.set[i] == h {
		return false
	}
	d.set[i] = h
	d.size++
	return true
}

func (d *distinctPairs) grow() {
	old := d.set
	d.set, d.size = make([]uint64, max(64, 4*len(old))), 0
	for _, h := range old {
		if h != 0 {
			d.add(h)
		}
	}
}

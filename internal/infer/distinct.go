package infer

import (
	"cmp"
	"encoding/binary"
	"math"
	"math/bits"

	"github.com/cespare/xxhash/v2"
)

// Up to exactDistinct distinct values of a column are counted exactly; beyond that the count is
// an estimate with a standard error of 0.8 %. Where that would be more than allExactDistinct for
// all columns, fewer are, because a value takes up to 64 bytes a goroutine.
const (
	exactDistinct    = 1 << 16
	minExactDistinct = 1 << 12
	allExactDistinct = 64 * exactDistinct
)

// distinct counts distinct values by their hashes of 56 bits, and knows the tally
// that each of them belongs to. Two values with one hash would pass for one;
// with as many as are counted exactly the odds are one in thirty million, and the
// conversion that follows examines every value itself.
//
// Most values of a column are either in the set, or hardly any is. In the second case, and
// until that is known, they are logged and added to the set many at a time, when it is in the
// processor's cache.
type distinct struct {
	exact  int      // how many are counted exactly; 0 for exactDistinct
	set    []uint64 // open addressing; 0 is free; the index of the tally is above the hash
	size   int
	few    bool     // most values are in the set: tallyOf is to be asked before add
	before int      // the size of the set before the batch
	log    []uint64 // values that may be in the set
	sketch *sketch
}

// hashBits is how many of the low bits of a hash count.
const hashBits = 56

// hashOf returns a hash of the cell of 56 bits that is never 0; key is the cell's prefix.
// Cells of up to 16 bytes, which most are, are two words mixed by wide
// multiplications.
func hashOf(cell []byte, key uint64) uint64 {
	n, last := len(cell), uint64(0)
	if n > 16 {
		return max(xxhash.Sum64(cell)>>(64-hashBits), 1)
	}
	if n > 8 {
		last = binary.LittleEndian.Uint64(cell[n-8:])
	}
	hi, lo := bits.Mul64(key^0xa0761d6478bd642f, last^0xe7037ed1a0b428db^uint64(n))
	hi, lo = bits.Mul64(hi^lo, 0x8ebc6af09c88c6e3)
	return max((hi^lo)>>(64-hashBits), 1)
}

// tallyOf returns the tally of a value that is in the set.
func (d *distinct) tallyOf(h uint64) (tally int, known bool) {
	if len(d.set) == 0 {
		return 0, false
	}
	found := d.set[slot(d.set, h)]
	return int(found >> hashBits), found != 0
}

// slot returns the place of a hash in a set with open addressing, in which 0 is free, or the
// free place where it belongs.
func slot(set []uint64, h uint64) uint64 {
	i := h & uint64(len(set)-1)
	for set[i] != 0 && (set[i]^h)<<(64-hashBits) != 0 {
		i = (i + 1) & uint64(len(set)-1)
	}
	return i
}

// add counts a value. While there are few, it is one that is not in the set.
func (d *distinct) add(h uint64, tally int) {
	switch {
	case d.sketch != nil:
		d.sketch.add(h)
	case tally > math.MaxUint8:
		d.estimate()
		d.sketch.add(h)
	case d.few:
		d.insert(h | uint64(tally)<<hashBits)
	default:
		d.log = append(d.log, h|uint64(tally)<<hashBits)
	}
}

// insert adds a value with the index of its tally to the set, and reports whether it was not there.
func (d *distinct) insert(value uint64) bool {
	if 2*d.size >= len(d.set) {
		d.grow()
	}
	i := slot(d.set, value)
	if d.set[i] != 0 {
		return false
	}
	d.set[i] = value
	d.size++
	return true
}

// grow doubles the set; for a log it grows in larger steps.
func (d *distinct) grow() {
	old, times := d.set, 2
	if len(d.log) > len(d.set) {
		times = 4
	}
	d.set = make([]uint64, max(64, times*len(old)))
	for _, value := range old {
		if value != 0 {
			d.set[slot(d.set, value)] = value
		}
	}
}

// settle is called after each batch of values. It chooses whether the next ones are logged,
// and ends a log that is long enough to see whether most of its values are new. A full one is
// long enough to see by an estimate that there are too many, which costs less than the set.
func (d *distinct) settle(values int) {
	n, full := len(d.log), d.limit()/4*5
	switch {
	case d.few:
		d.few = 2*(d.size-d.before) < values
	case n >= full && sketchOf(d.log).estimate() > 1.1*float64(d.limit()):
		d.estimate()
	case n >= min(8*max(d.size, 64), full):
		d.few = 2*d.addLog() < n
	}
	d.before = d.size
	d.bound()
}

// limit returns how many values are counted exactly.
func (d *distinct) limit() int { return cmp.Or(d.exact, exactDistinct) }

// bound estimates the number of values from now on if there are too many.
func (d *distinct) bound() {
	if d.size > d.limit() {
		d.estimate()
	}
}

// addLog adds the log to the set, and returns how many of its values were not there.
func (d *distinct) addLog() (added int) {
	for _, value := range d.log {
		if value != 0 && d.insert(value) {
			added++
		}
	}
	d.log = d.log[:0]
	return added
}

// estimate turns the set and the log into a sketch.
func (d *distinct) estimate() {
	d.sketch = sketchOf(d.log)
	d.sketch.merge(sketchOf(d.set))
	d.set, d.size, d.log, d.few = nil, 0, nil, false
}

// merge adds the values of another part. The tallies of the result mean
// nothing any more, so that it must not be added to.
func (d *distinct) merge(o *distinct) {
	o.addLog()
	d.addLog()
	if o.sketch != nil {
		if d.sketch == nil {
			d.estimate()
		}
		d.sketch.merge(o.sketch)
		return
	}
	if d.sketch != nil {
		d.sketch.merge(sketchOf(o.set))
		return
	}
	d.log = o.set
	d.addLog()
	d.bound()
}

// count returns the number of distinct values and whether it is exact.
func (d *distinct) count() (n int64, exact bool) {
	d.addLog()
	d.bound()
	if d.sketch != nil {
		return int64(d.sketch.estimate()), false
	}
	return int64(d.size), true
}

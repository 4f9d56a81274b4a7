package infer

import (
	"cmp"
	"encoding/binary"
	"math"
	"math/bits"

	"github.com/cespare/xxhash/v2"
)

// Up to exactDistinct distinct values of a column are counted exactly. Above that the count is an
// estimate with a standard error of 0.8 %. All columns together count up to allExactDistinct, but
// each at least minExactDistinct: a value takes up to 64 bytes in each goroutine.
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
// The values of a column usually repeat often, or hardly at all. In a column that hardly repeats,
// and until that is known, the hashes are appended to a log. The log is added to the set as a
// whole, while the set is in the processor's cache.
type distinct struct {
	exact  int      // the number of values that are counted exactly; 0 means exactDistinct
	set    []uint64 // open addressing; 0 is free; the index of the tally is above the hash
	size   int
	few    bool     // most values are in the set: call tallyOf before add
	before int      // size at the end of the batch before
	log    []uint64 // values that may or may not be in the set
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

// add counts a value. If few is set, the value must not be in the set.
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

// insert adds a value with the index of its tally to the set, and reports whether it is new.
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

// grow doubles the set, or quadruples it while a long log is added.
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

// endBatch decides whether the values of the next batch are logged. It adds a long log to the set,
// and counts how many of its values are new. A full log is estimated first, which costs less than
// the set if the column has too many values.
func (d *distinct) endBatch(values int) {
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

// limit returns the number of values that are counted exactly.
func (d *distinct) limit() int { return cmp.Or(d.exact, exactDistinct) }

// bound replaces the set by an estimate if it has too many values.
func (d *distinct) bound() {
	if d.size > d.limit() {
		d.estimate()
	}
}

// addLog adds the log to the set, and returns the number of values that are new.
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
	d.log = o.set // addLog skips its free places
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

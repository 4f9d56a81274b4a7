package infer

import (
	"encoding/binary"
	"math"
	"math/bits"

	"github.com/cespare/xxhash/v2"
)

// exactDistinct is up to how many distinct values are counted exactly; beyond
// it the count is an estimate with a standard error of 0.8 %. The set takes
// 1 MB a column and goroutine at most.
const exactDistinct = 1 << 16

// distinct counts distinct values by their hashes of 56 bits, and knows the tally
// that each of them belongs to. Two values with one hash would pass for one;
// with as many as are counted exactly the odds are one in thirty million, and the
// conversion that follows examines every value itself.
type distinct struct {
	set    []uint64 // open addressing; 0 is free; the index of the tally is above the hash
	size   int
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

// tallyOf returns the tally of a value that is known to have occurred.
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

// add counts a value that is not in the set.
func (d *distinct) add(h uint64, tally int) {
	if d.sketch != nil {
		d.sketch.add(h)
		return
	}
	full := tally > math.MaxUint8
	if full || 2*d.size >= len(d.set) {
		d.grow(full)
		d.add(h, tally)
		return
	}
	d.set[slot(d.set, h)] = h | uint64(tally)<<hashBits
	d.size++
}

// grow doubles the set; one that is full turns into a sketch instead.
func (d *distinct) grow(full bool) {
	old := d.set
	if full || d.size >= exactDistinct {
		d.sketch, d.set = new(sketch), nil
	} else {
		d.set, d.size = make([]uint64, max(64, 2*len(old))), 0
	}
	for _, h := range old {
		if h != 0 {
			d.add(h&(1<<hashBits-1), int(h>>hashBits))
		}
	}
}

// merge adds the values of another part. The tallies of the result mean
// nothing any more, so that it must not be added to.
func (d *distinct) merge(o *distinct) {
	if o.sketch != nil {
		if d.sketch == nil {
			d.grow(true)
		}
		d.sketch.merge(o.sketch)
		return
	}
	for _, h := range o.set {
		h &= 1<<hashBits - 1
		_, known := d.tallyOf(h)
		if h != 0 && !known {
			d.add(h, 0)
		}
	}
}

// count returns the number of distinct values and whether it is exact.
func (d *distinct) count() (n int64, exact bool) {
	if d.sketch != nil {
		return int64(d.sketch.estimate()), false
	}
	return int64(d.size), true
}

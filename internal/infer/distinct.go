package infer

import (
	"github.com/axiomhq/hyperloglog"
	"github.com/cespare/xxhash/v2"
)

// exactDistinct is up to how many distinct values are counted exactly; beyond
// it the count is an estimate with a standard error of 0.8 %. The set takes
// 1 MB a column and goroutine at most.
const exactDistinct = 1 << 16

// distinct counts distinct values by their 64-bit hashes.
type distinct struct {
	set    []uint64 // open addressing; 0 is free
	size   int
	last   uint64 // hash of the last value: runs of one value are common
	sketch *hyperloglog.Sketch
}

func (d *distinct) add(cell []byte) {
	h := xxhash.Sum64(cell)
	if h != d.last {
		d.last = h
		d.addHash(h)
	}
}

func (d *distinct) addHash(h uint64) {
	if d.sketch != nil {
		d.sketch.InsertHash(h)
		return
	}
	if 2*d.size >= len(d.set) && !d.grow() {
		d.addHash(h)
		return
	}
	if h == 0 {
		h = 1
	}
	i := h & uint64(len(d.set)-1)
	for d.set[i] != 0 {
		if d.set[i] == h {
			return
		}
		i = (i + 1) & uint64(len(d.set)-1)
	}
	d.set[i] = h
	d.size++
}

// grow doubles the set; a set that is full turns into a sketch instead.
func (d *distinct) grow() bool {
	old := d.set
	if d.size >= exactDistinct {
		d.sketch, d.set = hyperloglog.NewNoSparse(), nil
		for _, h := range old {
			if h != 0 {
				d.sketch.InsertHash(h)
			}
		}
		return false
	}
	d.set, d.size = make([]uint64, max(64, 2*len(old))), 0
	for _, h := range old {
		if h != 0 {
			d.addHash(h)
		}
	}
	return true
}

func (d *distinct) merge(o *distinct) {
	if o.sketch != nil {
		if d.sketch == nil {
			d.size = exactDistinct
			d.grow()
		}
		// Both sketches were made alike, so that they always merge.
		_ = d.sketch.Merge(o.sketch)
		return
	}
	for _, h := range o.set {
		if h != 0 {
			d.addHash(h)
		}
	}
}

// count returns the number of distinct values and whether it is exact.
func (d *distinct) count() (n int64, exact bool) {
	if d.sketch != nil {
		return int64(d.sketch.Estimate()), false
	}
	return int64(d.size), true
}

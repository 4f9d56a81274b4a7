package btree

import (
	"bufio"
	"bytes"
	"cmp"
	"container/heap"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"os"
	"slices"
)

// keys sorts the keys of rows in bounded memory. A key is bytes that sort as the engine
// sorts its values, and ends in the row id.
type keys struct {
	path  string // of the file for what memory does not hold
	limit int    // bytes in memory: half for the keys, and half for their places
	arena []byte
	list  []key
	spill *os.File
	out   *bufio.Writer
	runs  []int64 // where each sorted run ends in the file
	size  int64
}

// key is a key in the arena, and its first bytes, which decide most comparisons.
type key struct {
	prefix   uint64
	from, to int
}

const keySize = 24

// The order of keys: whole numbers and floating point by their bits, texts by their bytes
// up to a sign that is less than any.
func appendIntKey(dst []byte, n int64) []byte {
	return binary.BigEndian.AppendUint64(dst, uint64(n)^1<<63)
}

func appendFloatKey(dst []byte, f float64) []byte {
	bits := math.Float64bits(f)
	if f == 0 { // minus zero is zero
		bits = 0
	}
	if bits>>63 != 0 {
		return binary.BigEndian.AppendUint64(dst, ^bits)
	}
	return binary.BigEndian.AppendUint64(dst, bits|1<<63)
}

func appendTextKey(dst, text []byte) []byte {
	for {
		i := bytes.IndexByte(text, 0)
		if i < 0 {
			return append(append(dst, text...), 0, 0)
		}
		dst, text = append(append(dst, text[:i]...), 0, 1), text[i+1:]
	}
}

func readIntKey(b []byte) (int64, []byte) {
	return int64(binary.BigEndian.Uint64(b) ^ 1<<63), b[8:]
}

func readFloatKey(b []byte) (float64, []byte) {
	bits := binary.BigEndian.Uint64(b)
	if bits>>63 != 0 {
		bits &^= 1 << 63
	} else {
		bits = ^bits
	}
	return math.Float64frombits(bits), b[8:]
}

func readTextKey(dst, b []byte) (text, rest []byte) {
	for {
		i := bytes.IndexByte(b, 0)
		dst = append(dst, b[:i]...)
		if b[i+1] == 0 {
			return dst, b[i+2:]
		}
		dst, b = append(dst, 0), b[i+2:]
	}
}

// add adds a key.
func (k *keys) add(b []byte) error {
	if k.arena == nil {
		k.arena, k.list = make([]byte, 0, k.limit/2), make([]key, 0, k.limit/2/keySize)
	}
	if (len(k.arena)+len(b) > cap(k.arena) || len(k.list) == cap(k.list)) && len(k.list) > 0 {
		err := k.flush()
		if err != nil {
			return err
		}
	}
	var first [8]byte
	copy(first[:], b)
	k.list = append(k.list, key{binary.BigEndian.Uint64(first[:]), len(k.arena), len(k.arena) + len(b)})
	k.arena = append(k.arena, b...)
	return nil
}

func (k *keys) sort() {
	slices.SortFunc(k.list, func(a, b key) int {
		return cmp.Or(cmp.Compare(a.prefix, b.prefix), bytes.Compare(k.arena[a.from:a.to], k.arena[b.from:b.to]))
	})
}

// flush writes the keys in memory to the file, as a sorted run.
func (k *keys) flush() (err error) {
	if k.spill == nil {
		k.spill, err = os.Create(k.path)
		if err != nil {
			return err
		}
		k.out = bufio.NewWriterSize(k.spill, 1<<20)
	}
	k.sort()
	for _, e := range k.list {
		head := binary.AppendUvarint(nil, uint64(e.to-e.from))
		k.size += int64(len(head) + e.to - e.from)
		_, err = k.out.Write(head)
		if err == nil {
			_, err = k.out.Write(k.arena[e.from:e.to])
		}
		if err != nil {
			return err
		}
	}
	k.runs, k.arena, k.list = append(k.runs, k.size), k.arena[:0], k.list[:0]
	return k.out.Flush()
}

// each calls use with every key, the least first.
func (k *keys) each(use func(b []byte) error) error {
	k.sort()
	if k.spill == nil {
		for _, e := range k.list {
			err := use(k.arena[e.from:e.to])
			if err != nil {
				return err
			}
		}
		return nil
	}
	err := k.flush()
	if err != nil {
		return err
	}
	var h runs
	from := int64(0)
	for _, to := range k.runs {
		r := &run{in: bufio.NewReaderSize(io.NewSectionReader(k.spill, from, to-from), 1<<16)}
		from = to
		err := r.next()
		if err != nil {
			return err
		}
		h = append(h, r)
	}
	heap.Init(&h)
	for len(h) > 0 {
		err := use(h[0].now)
		if err != nil {
			return err
		}
		err = h[0].next()
		switch {
		case errors.Is(err, io.EOF):
			heap.Pop(&h)
		case err != nil:
			return err
		default:
			heap.Fix(&h, 0)
		}
	}
	return nil
}

// close removes the file.
func (k *keys) close() error {
	if k.spill == nil {
		return nil
	}
	return errors.Join(k.spill.Close(), os.Remove(k.path))
}

// run is a sorted run in the file.
type run struct {
	in  *bufio.Reader
	now []byte
}

func (r *run) next() error {
	n, err := binary.ReadUvarint(r.in)
	if err != nil {
		return err
	}
	r.now = slices.Grow(r.now[:0], int(n))[:n]
	_, err = io.ReadFull(r.in, r.now)
	return err
}

// runs is a heap of runs, the one with the least key first.
type runs []*run

func (h runs) Len() int           { return len(h) }
func (h runs) Less(i, j int) bool { return bytes.Compare(h[i].now, h[j].now) < 0 }
func (h runs) Swap(i, j int)      { h[i], h[j] = h[j], h[i] }
func (h *runs) Push(x any)        { *h = append(*h, x.(*run)) }
func (h *runs) Pop() any {
	last := (*h)[len(*h)-1]
	*h = (*h)[:len(*h)-1]
	return last
}

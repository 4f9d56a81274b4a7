// Package proof shows that a table has the rows of a source, each exactly once.
//
// Every row gets a hash of its values in column order, with NULL distinct from
// every value. The hashes of a set of rows are added up, with their number: the
// order of the rows does not matter, their repetition does. Two sets with the
// same Sum have the same rows, but for a collision of 64-bit hashes: one in 2^64
// for a given change, whatever it changes. The hashes are seeded differently in each run
// of the program, so that no file can be made to collide.
package proof

import (
	"bytes"
	"hash/maphash"
	"math"
	"math/bits"
	"math/rand/v2"
	"strconv"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Sum is the sum of the hashes of rows.
type Sum struct {
	Rows int64
	Hash uint64 // modulo 2^64
}

// Add adds a row by its hash.
func (s *Sum) Add(hash uint64) {
	s.Rows++
	s.Hash += hash
}

// Plus returns the sum of two sets of rows.
func (s Sum) Plus(o Sum) Sum { return Sum{s.Rows + o.Rows, s.Hash + o.Hash} }

// Minus returns the sum of the rows that are left when a part of them is taken away.
func (s Sum) Minus(o Sum) Sum { return Sum{s.Rows - o.Rows, s.Hash - o.Hash} }

// RowHash returns the hash of a row from its values, or from what a target's encoder
// makes of them. It keeps nothing of it, and many goroutines may use it at once.
type RowHash func(row []value.Value, encoded []byte) uint64

// The seeds of this run: of text, of values that are not of their type, and of each
// step.
var (
	textSeed    = maphash.MakeSeed()
	untypedSeed = maphash.MakeSeed()
	steps       = [4]uint64{rand.Uint64() | 1, rand.Uint64() | 1, rand.Uint64() | 1, rand.Uint64() | 1}
)

// NewRowHash returns the hash of rows, from their values, whose columns are stored as
// the given types.
func NewRowHash(types []table.Type) RowHash {
	hashes := make([]func(v *value.Value) uint64, len(types))
	for i, t := range types {
		hashes[i] = cellHash(t)
	}
	return func(row []value.Value, _ []byte) uint64 {
		h := steps[0]
		for i := range row {
			h = step(h, hashes[i], &row[i])
		}
		return h
	}
}

// NewKeyHash returns the hash of some columns of rows, which is that of rows with these alone.
func NewKeyHash(types []table.Type, columns []int) RowHash {
	hashes := make([]func(v *value.Value) uint64, len(columns))
	for i, at := range columns {
		hashes[i] = cellHash(types[at])
	}
	return func(row []value.Value, _ []byte) uint64 {
		h := steps[0]
		for i, at := range columns {
			h = step(h, hashes[i], &row[at])
		}
		return h
	}
}

// step goes on with the hash of a row by a value.
func step(h uint64, hash func(v *value.Value) uint64, v *value.Value) uint64 {
	if v.Null {
		return mix(steps[1], h^steps[2])
	}
	return mix(hash(v)^steps[3], h^steps[1])
}

// mix multiplies to 128 bits and folds them, so that the hash of a cell depends on
// all cells before it.
func mix(a, b uint64) uint64 {
	high, low := bits.Mul64(a, b)
	return high ^ low
}

// cellHash returns the hash of a value of a type that is not NULL.
func cellHash(t table.Type) func(v *value.Value) uint64 {
	hash := typedHash(t)
	return func(v *value.Value) uint64 {
		if v.Untyped {
			return maphash.Bytes(untypedSeed, v.Text)
		}
		return hash(v)
	}
}

func typedHash(t table.Type) func(v *value.Value) uint64 {
	switch {
	case t.Kind == table.Char: // its padding counts for nothing
		return func(v *value.Value) uint64 { return maphash.Bytes(textSeed, bytes.TrimRight(v.Text, " ")) }
	case t.Textual(), t.Kind == table.UUID:
		return func(v *value.Value) uint64 { return maphash.Bytes(textSeed, v.Text) }
	case t.Kind == table.Double:
		return func(v *value.Value) uint64 { return math.Float64bits(v.Float + 0) } // -0 is 0
	case t.Kind == table.Decimal:
		return func(v *value.Value) uint64 {
			if v.Wide {
				return wide(v)
			}
			return uint64(v.Int)
		}
	}
	return func(v *value.Value) uint64 { return uint64(v.Int) }
}

// wide hashes a number by its digits, as the whole number that it is where it fits.
func wide(v *value.Value) uint64 {
	digits := bytes.TrimLeft(v.Text, "0")
	n, err := strconv.ParseInt(string(digits), 10, 64)
	if err == nil || len(digits) == 0 {
		if v.Negative {
			n = -n
		}
		return uint64(n)
	}
	h := maphash.Bytes(textSeed, digits)
	if v.Negative {
		h = ^h
	}
	return h
}

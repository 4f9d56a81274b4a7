package btree

import (
	"encoding/binary"
	"math"
)

// appendVarint appends a number in the engine's form: seven bits a byte, the highest
// first, and eight in the ninth.
func appendVarint(dst []byte, n uint64) []byte {
	if n < 1<<7 {
		return append(dst, byte(n))
	}
	if n >= 1<<56 {
		for shift := 57; shift >= 8; shift -= 7 {
			dst = append(dst, byte(n>>shift)|0x80)
		}
		return append(dst, byte(n))
	}
	shift := 7
	for n>>shift >= 1<<7 {
		shift += 7
	}
	for ; shift > 0; shift -= 7 {
		dst = append(dst, byte(n>>shift)|0x80)
	}
	return append(dst, byte(n)&0x7f)
}

func varintSize(n uint64) int {
	size := 1
	for ; n >= 1<<7 && size < 9; n >>= 7 {
		size++
	}
	return size
}

// Record is a row as the engine stores it: a header with the type of each value, and then
// the values.
type Record struct {
	header, body []byte
}

// Reset empties the record.
func (r *Record) Reset() { r.header, r.body = r.header[:0], r.body[:0] }

// Null appends NULL.
func (r *Record) Null() { r.header = append(r.header, 0) }

// Int appends a whole number in as few bytes as hold it.
func (r *Record) Int(n int64) {
	switch {
	case n == 0 || n == 1:
		r.header = append(r.header, byte(8+n))
		return
	case n == int64(int8(n)):
		r.header, r.body = append(r.header, 1), append(r.body, byte(n))
		return
	case n == int64(int16(n)):
		r.header, r.body = append(r.header, 2), binary.BigEndian.AppendUint16(r.body, uint16(n))
		return
	case n >= -1<<23 && n < 1<<23:
		r.header, r.body = append(r.header, 3), append(r.body, byte(n>>16), byte(n>>8), byte(n))
		return
	case n == int64(int32(n)):
		r.header, r.body = append(r.header, 4), binary.BigEndian.AppendUint32(r.body, uint32(n))
		return
	case n >= -1<<47 && n < 1<<47:
		r.header, r.body = append(r.header, 5), binary.BigEndian.AppendUint32(append(r.body, byte(n>>40), byte(n>>32)), uint32(n))
		return
	}
	r.header, r.body = append(r.header, 6), binary.BigEndian.AppendUint64(r.body, uint64(n))
}

// Float appends a number of floating point.
func (r *Record) Float(f float64) {
	r.header, r.body = append(r.header, 7), binary.BigEndian.AppendUint64(r.body, math.Float64bits(f))
}

// Number appends a number to a column of numeric affinity, which keeps whole ones as such.
func (r *Record) Number(f float64) {
	n := int64(f)
	if float64(n) == f && n > math.MinInt64 && n < math.MaxInt64 {
		r.Int(n)
		return
	}
	r.Float(f)
}

// Text appends a text.
func (r *Record) Text(s []byte) {
	r.header, r.body = appendVarint(r.header, uint64(13+2*len(s))), append(r.body, s...)
}

// Append appends the record to dst.
func (r *Record) Append(dst []byte) []byte {
	size := len(r.header) + 1
	if size >= 1<<7 { // the size counts its own bytes
		size = len(r.header) + varintSize(uint64(len(r.header)+2))
	}
	dst = appendVarint(dst, uint64(size))
	return append(append(dst, r.header...), r.body...)
}

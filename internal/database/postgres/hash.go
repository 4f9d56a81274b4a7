package postgres

import (
	"bytes"
	"encoding/binary"
	"math/bits"
	"strconv"

	"ambertray/internal/proof"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// The server hashes rows itself: hash_record_extended, from version 14 on, is the
// hash by which hash-partitioned tables are laid out, so that it stays what it is.
// The functions here do the same as src/common/hashfn.c and the hash functions of
// the types in the server's source. Numbers whose hash leaves something out, such as
// the sign, are hashed as the bytes that their send function gives.

// rowHash returns the hash of rows as COPY sends them, of columns of these types.
func rowHash(types []table.Type, seed uint64) proof.RowHash {
	h := newHasher(seed)
	hashes := make([]func(field []byte) uint64, len(types))
	for i, t := range types {
		hashes[i] = h.fieldHash(t)
	}
	return func(_ []value.Value, encoded []byte) uint64 {
		record, rest := uint64(0), encoded[2:]
		for _, hash := range hashes {
			size := int32(binary.BigEndian.Uint32(rest))
			rest = rest[4:]
			element := uint64(0) // of NULL
			if size >= 0 {
				element, rest = hash(rest[:size]), rest[size:]
			}
			record = record*31 + element
		}
		return h.spread(record)
	}
}

// hashTerm is a column as it is hashed on the server.
func hashTerm(name string, t table.Type) string {
	switch t.Kind {
	case table.BigInt:
		return "int8send(" + name + ")"
	case table.Time:
		return "time_send(" + name + ")"
	case table.Timestamp:
		return "timestamp_send(" + name + ")"
	case table.TimestampTZ:
		return "timestamptz_send(" + name + ")"
	case table.Decimal:
		return "numeric_send(" + name + ")"
	case table.Double:
		if t.Size == table.Single {
			return "float4send(" + name + ")"
		}
		return "float8send(" + name + ")"
	case table.Char:
		return name + ` COLLATE "C"`
	case table.Varchar, table.Text:
		return name + `::text COLLATE "C"`
	}
	return name
}

// spreadTerm hashes a hash once more: that of a record is linear in those of its
// fields, so that the sum of many would not see values that are swapped.
func spreadTerm(hash, seed string) string {
	return "hashtextextended((" + hash + `)::text COLLATE "C", ` + seed + ")"
}

// hasher hashes with one seed. The state after the seed is mixed in depends only on
// the length, so that of usual lengths is kept.
type hasher struct {
	seed  uint64
	begun [64][3]uint32
}

func newHasher(seed uint64) *hasher {
	h := &hasher{seed: seed}
	for length := range h.begun {
		h.begun[length] = h.begin(length)
	}
	return h
}

// fieldHash returns the hash of a field of a type.
func (h *hasher) fieldHash(t table.Type) func(field []byte) uint64 {
	switch t.Kind {
	case table.SmallInt:
		return func(field []byte) uint64 { return h.uint32(uint32(int16(binary.BigEndian.Uint16(field)))) }
	case table.Integer, table.Date:
		return func(field []byte) uint64 { return h.uint32(binary.BigEndian.Uint32(field)) }
	case table.Boolean:
		return func(field []byte) uint64 { return h.uint32(uint32(field[0])) }
	case table.Char: // its padding counts for nothing
		return func(field []byte) uint64 { return h.bytes(bytes.TrimRight(field, " ")) }
	case table.Text:
		own, ok := ownTypes[t.Size]
		if ok {
			return func(field []byte) uint64 { return h.bytes(own.text(field)) }
		}
	}
	return h.bytes
}

func (h *hasher) spread(record uint64) uint64 {
	var text [20]byte
	return h.bytes(strconv.AppendInt(text[:0], int64(record), 10))
}

func (h *hasher) begin(length int) [3]uint32 {
	start := 0x9e3779b9 + uint32(length) + 3923095
	a, b, c := mix(start+uint32(h.seed>>32), start+uint32(h.seed), start)
	return [3]uint32{a, b, c}
}

func (h *hasher) uint32(k uint32) uint64 {
	word := &h.begun[4]
	return final(word[0]+k, word[1], word[2])
}

func (h *hasher) bytes(k []byte) uint64 {
	var state [3]uint32
	if len(k) < len(h.begun) {
		state = h.begun[len(k)]
	} else {
		state = h.begin(len(k))
	}
	a, b, c := state[0], state[1], state[2]
	for len(k) >= 12 {
		a += binary.LittleEndian.Uint32(k)
		b += binary.LittleEndian.Uint32(k[4:])
		c += binary.LittleEndian.Uint32(k[8:])
		a, b, c = mix(a, b, c)
		k = k[12:]
	}
	var last [12]byte
	copy(last[:], k)
	a += binary.LittleEndian.Uint32(last[:])
	b += binary.LittleEndian.Uint32(last[4:])
	c += binary.LittleEndian.Uint32(last[8:]) << 8 // the lowest byte is the length's
	return final(a, b, c)
}

func mix(a, b, c uint32) (uint32, uint32, uint32) {
	a -= c
	a ^= bits.RotateLeft32(c, 4)
	c += b
	b -= a
	b ^= bits.RotateLeft32(a, 6)
	a += c
	c -= b
	c ^= bits.RotateLeft32(b, 8)
	b += a
	a -= c
	a ^= bits.RotateLeft32(c, 16)
	c += b
	b -= a
	b ^= bits.RotateLeft32(a, 19)
	a += c
	c -= b
	c ^= bits.RotateLeft32(b, 4)
	b += a
	return a, b, c
}

func final(a, b, c uint32) uint64 {
	c ^= b
	c -= bits.RotateLeft32(b, 14)
	a ^= c
	a -= bits.RotateLeft32(c, 11)
	b ^= a
	b -= bits.RotateLeft32(a, 25)
	c ^= b
	c -= bits.RotateLeft32(b, 16)
	a ^= c
	a -= bits.RotateLeft32(c, 4)
	b ^= a
	b -= bits.RotateLeft32(a, 14)
	c ^= b
	c -= bits.RotateLeft32(b, 24)
	return uint64(b)<<32 | uint64(c)
}

package postgres

import (
	"encoding/binary"
	"encoding/hex"
	"math"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// The binary format of COPY, as chapter COPY of PostgreSQL's manual describes
// it: a signature, flags and an empty extension, then for each row a count of
// fields and each field with its length before it, then -1.
var (
	header  = append([]byte("PGCOPY\n\xff\r\n\x00"), 0, 0, 0, 0, 0, 0, 0, 0)
	trailer = []byte{0xff, 0xff}
)

// encoder writes rows of a number of fields.
type encoder struct{ fields int }

// AppendRecord implements convert.Encoder.
func (e encoder) AppendRecord(dst []byte) []byte {
	return binary.BigEndian.AppendUint16(dst, uint16(e.fields))
}

// AppendNull implements convert.Encoder.
func (encoder) AppendNull(dst []byte, _ int) []byte { return append(dst, 0xff, 0xff, 0xff, 0xff) }

// PostgreSQL counts days and microseconds from 2000-01-01.
const (
	epochDays   = 10957
	epochMicros = epochDays * 86400 * 1_000_000
)

// Column implements convert.Encoder.
func (encoder) Column(_ int, t table.Type) func(dst []byte, v *value.Value) []byte {
	own, ok := ownTypes[t.Size]
	if ok && t.Kind == table.Text {
		return func(dst []byte, v *value.Value) []byte { return own.append(dst, v.Text) }
	}
	return fieldOf(t)
}

// fieldOf returns what appends the field of a value, with its length, of a type that is not an ownType.
func fieldOf(t table.Type) func(dst []byte, v *value.Value) []byte {
	switch t.Kind {
	case table.SmallInt:
		return func(dst []byte, v *value.Value) []byte {
			return append(dst, 0, 0, 0, 2, byte(v.Int>>8), byte(v.Int))
		}
	case table.Integer:
		return func(dst []byte, v *value.Value) []byte { return append32(dst, v.Int) }
	case table.BigInt, table.Time:
		return func(dst []byte, v *value.Value) []byte { return append64(dst, uint64(v.Int)) }
	case table.Timestamp, table.TimestampTZ:
		return func(dst []byte, v *value.Value) []byte { return append64(dst, uint64(v.Int-epochMicros)) }
	case table.Date:
		return func(dst []byte, v *value.Value) []byte { return append32(dst, v.Int-epochDays) }
	case table.Boolean:
		return func(dst []byte, v *value.Value) []byte { return append(dst, 0, 0, 0, 1, byte(v.Int)) }
	case table.Double:
		if t.Size == table.Single {
			return func(dst []byte, v *value.Value) []byte {
				return append32(dst, int64(math.Float32bits(float32(v.Float))))
			}
		}
		return func(dst []byte, v *value.Value) []byte { return append64(dst, math.Float64bits(v.Float)) }
	case table.Decimal:
		return appendNumeric
	case table.UUID:
		return appendUUID
	}
	return func(dst []byte, v *value.Value) []byte {
		dst = binary.BigEndian.AppendUint32(dst, uint32(len(v.Text)))
		return append(dst, v.Text...)
	}
}

func append32(dst []byte, n int64) []byte {
	return binary.BigEndian.AppendUint64(dst, 4<<32|uint64(uint32(n)))
}

func append64(dst []byte, n uint64) []byte {
	return binary.BigEndian.AppendUint64(append(dst, 0, 0, 0, 8), n)
}

func appendUUID(dst []byte, v *value.Value) []byte {
	dst = append(dst, 0, 0, 0, 16)
	for i := 0; i < len(v.Text); i += 2 {
		if v.Text[i] == '-' {
			i++
		}
		dst, _ = hex.AppendDecode(dst, v.Text[i:i+2]) // the parser has seen that it is a UUID
	}
	return dst
}

// A numeric is sent as digits to base 10000: their count, the weight of the
// first (the power of 10000 that it stands for), the sign, the number of
// decimals to show, and the digits.
const (
	numericNegative = 0x4000
	maxGroups       = 16 // of 19 decimals before and after the point at most, and two halves
)

var powersOfTen = [...]uint64{1, 10, 100, 1000}

func appendNumeric(dst []byte, v *value.Value) []byte {
	if v.Wide {
		return appendWideNumeric(dst, v)
	}
	sign, n := uint16(0), uint64(v.Int)
	if v.Int < 0 {
		sign, n = numericNegative, uint64(-v.Int)
	}
	// Fill the decimals up to whole groups, so that the point falls between two.
	after := (v.Scale + 3) / 4
	fill := powersOfTen[after*4-v.Scale]
	var groups [maxGroups]uint16
	at := maxGroups
	if fill > 1 { // the last group apart, for n times fill might overflow
		part := powersOfTen[v.Scale%4]
		at--
		groups[at] = uint16(n % part * fill)
		n /= part
	}
	for n > 0 {
		at--
		groups[at] = uint16(n % 10000)
		n /= 10000
	}
	return appendGroups(dst, groups[at:], len(groups)-at-after-1, sign, v.Scale)
}

// appendGroups leaves out the zeros at both ends, as the server does.
func appendGroups(dst []byte, groups []uint16, weight int, sign uint16, scale int) []byte {
	for len(groups) > 0 && groups[len(groups)-1] == 0 {
		groups = groups[:len(groups)-1]
	}
	for len(groups) > 0 && groups[0] == 0 {
		groups, weight = groups[1:], weight-1
	}
	if len(groups) == 0 {
		weight, sign = 0, 0
	}
	dst = binary.BigEndian.AppendUint32(dst, uint32(8+2*len(groups)))
	dst = binary.BigEndian.AppendUint16(dst, uint16(len(groups)))
	dst = binary.BigEndian.AppendUint16(dst, uint16(int16(weight)))
	dst = binary.BigEndian.AppendUint16(dst, sign)
	dst = binary.BigEndian.AppendUint16(dst, uint16(scale))
	for _, g := range groups {
		dst = binary.BigEndian.AppendUint16(dst, g)
	}
	return dst
}

// appendWideNumeric writes a number from its decimal digits.
func appendWideNumeric(dst []byte, v *value.Value) []byte {
	digits := v.Text
	before := len(digits) - v.Scale
	var groups []uint16
	lead := ((before % 4) + 4) % 4 // decimals in the first group
	group := uint16(0)
	weight := (before+3)/4 - 1
	if before < 0 {
		weight = -(-before)/4 - 1
	}
	n := (4 - lead) % 4
	for _, d := range digits {
		group = group*10 + uint16(d-'0')
		n++
		if n == 4 {
			groups, group, n = append(groups, group), 0, 0
		}
	}
	if n > 0 {
		for ; n < 4; n++ {
			group *= 10
		}
		groups = append(groups, group)
	}
	sign := uint16(0)
	if v.Negative {
		sign = numericNegative
	}
	return appendGroups(dst, groups, weight, sign, v.Scale)
}

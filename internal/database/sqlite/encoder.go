package sqlite

import (
	"encoding/binary"
	"math"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// The format between the converters and the one goroutine that may speak to
// SQLite: a tag for each value, and what it needs.
const (
	tagNull byte = iota
	tagInt
	tagFloat
	tagText // its length in four bytes, then the text
	tagBlob // the same of bytes
)

type encoder struct{}

// AppendRecord implements convert.Encoder.
func (encoder) AppendRecord(dst []byte) []byte { return dst }

// AppendNull implements convert.Encoder.
func (encoder) AppendNull(dst []byte, _ int) []byte { return append(dst, tagNull) }

// Column implements convert.Encoder.
func (encoder) Column(_ int, t table.Type) func(dst []byte, v *value.Value) []byte {
	switch t.Kind {
	case table.SmallInt, table.Integer, table.BigInt, table.Boolean:
		return func(dst []byte, v *value.Value) []byte { return appendInt(dst, v.Int) }
	case table.Decimal:
		return decimalColumn(t.Scale)
	case table.Double:
		return func(dst []byte, v *value.Value) []byte { return appendFloat(dst, v.Float) }
	}
	if t.IsBytes() {
		return appendBlob
	}
	return func(dst []byte, v *value.Value) []byte {
		dst = binary.LittleEndian.AppendUint32(append(dst, tagText), uint32(len(v.Text)))
		return append(dst, v.Text...)
	}
}

// appendBlob appends the bytes that a text such as 0x00ff stands for.
func appendBlob(dst []byte, v *value.Value) []byte {
	dst = binary.LittleEndian.AppendUint32(append(dst, tagBlob), uint32(len(v.Text)/2-1))
	return value.AppendFromHex(dst, v.Text)
}

// decimalColumn divides the unscaled number: both sides of the division are
// exact doubles, so the quotient is the double nearest to the decimal.
func decimalColumn(scale int) func(dst []byte, v *value.Value) []byte {
	unit := math.Pow10(scale)
	return func(dst []byte, v *value.Value) []byte {
		if scale == 0 {
			return appendInt(dst, v.Int)
		}
		return appendFloat(dst, float64(v.Int)/unit)
	}
}

func appendInt(dst []byte, n int64) []byte {
	return binary.LittleEndian.AppendUint64(append(dst, tagInt), uint64(n))
}

func appendFloat(dst []byte, f float64) []byte {
	return binary.LittleEndian.AppendUint64(append(dst, tagFloat), math.Float64bits(f))
}

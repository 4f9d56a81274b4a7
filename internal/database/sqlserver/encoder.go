package sqlserver

import (
	"encoding/binary"
	"encoding/hex"
	"math"
	"math/big"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// encoder writes rows as a bulk load has them ([MS-TDS], section 2.2.6.1): a token, and
// each value in the form of its column's type, as the server has described it.
type encoder struct{ columns []wireColumn }

// AppendRecord implements convert.Encoder.
func (encoder) AppendRecord(dst []byte) []byte { return append(dst, tokenRow) }

// AppendNull implements convert.Encoder.
func (e encoder) AppendNull(dst []byte, column int) []byte {
	c := &e.columns[column]
	switch {
	case c.long():
		return binary.LittleEndian.AppendUint64(dst, math.MaxUint64)
	case c.code >= typeVarBin:
		return append(dst, 0xff, 0xff)
	}
	return append(dst, 0)
}

// Days are counted from 0001-01-01, and those of datetime and smalldatetime from 1900.
const (
	epochDays   = 719162
	days1900    = 25567
	ticksPerDay = 86_400_000_000
)

// Column implements convert.Encoder. A column that cannot be NULL has its values
// without their length.
func (e encoder) Column(column int, t table.Type) func(dst []byte, v *value.Value) []byte {
	c := &e.columns[column]
	length := []byte{byte(c.size)}
	if fixed[c.code] > 0 {
		length = nil
	}
	switch c.code {
	case typeGUID:
		return appendGUID
	case typeBitN, typeBit, typeIntN, typeInt1, typeInt2, typeInt4, typeInt8:
		size := c.size
		return func(dst []byte, v *value.Value) []byte {
			return appendLittle(append(dst, length...), uint64(v.Int), size)
		}
	case typeFloatN, typeFloat4, typeFloat8:
		if c.size == 4 {
			return func(dst []byte, v *value.Value) []byte {
				return binary.LittleEndian.AppendUint32(append(dst, length...), math.Float32bits(float32(v.Float)))
			}
		}
		return func(dst []byte, v *value.Value) []byte {
			return binary.LittleEndian.AppendUint64(append(dst, length...), math.Float64bits(v.Float))
		}
	case typeDecimalN, typeNumericN:
		return decimalColumn(c.size)
	case typeDate:
		return func(dst []byte, v *value.Value) []byte {
			return appendLittle(append(dst, 3), uint64(v.Int+epochDays), 3)
		}
	case typeTime, typeDateTime, typeOffset:
		return timeColumn(c)
	case typeOldTimeN, typeOldTime4, typeOldTime8:
		return oldTimeColumn(c.size, length)
	case typeMoneyN, typeMoney4, typeMoney8:
		return moneyColumn(c.size, length)
	}
	return textColumn(c.long(), textForm(c))
}

func appendLittle(dst []byte, n uint64, size int) []byte {
	for range size {
		dst, n = append(dst, byte(n)), n>>8
	}
	return dst
}

// decimalColumn writes the sign and then the number without its point, in the bytes
// that the precision of the column needs.
func decimalColumn(size int) func(dst []byte, v *value.Value) []byte {
	return func(dst []byte, v *value.Value) []byte {
		if v.Wide {
			return appendWide(dst, v, size)
		}
		n, sign := uint64(v.Int), byte(1)
		if v.Int < 0 {
			n, sign = uint64(-v.Int), 0
		}
		dst = append(dst, byte(size), sign)
		if size < 9 {
			return appendLittle(dst, n, size-1)
		}
		return appendLittle(binary.LittleEndian.AppendUint64(dst, n), 0, size-9)
	}
}

// appendWide writes a number of any length from its decimal digits.
func appendWide(dst []byte, v *value.Value, size int) []byte {
	n, _ := new(big.Int).SetString(string(v.Text), 10)
	sign := byte(1)
	if v.Negative {
		sign = 0
	}
	dst = append(dst, byte(size), sign)
	raw := n.Bytes()
	for i := range size - 1 {
		digit := byte(0)
		if i < len(raw) {
			digit = raw[len(raw)-1-i]
		}
		dst = append(dst, digit)
	}
	return dst
}

// clockSize is how many bytes a time of day takes with a number of digits of a second.
func clockSize(scale int) int {
	switch {
	case scale <= 2:
		return 3
	case scale <= 4:
		return 4
	}
	return 5
}

// timeColumn writes the time of day in the unit of the column, then the day, and the
// offset from UTC, which is 0.
func timeColumn(c *wireColumn) func(dst []byte, v *value.Value) []byte {
	clock := clockSize(c.scale)
	multiply, divide := int64(1), int64(1)
	for n := c.scale; n < table.Micros; n++ {
		divide *= 10
	}
	if c.scale > table.Micros {
		multiply = 10
	}
	total := map[byte]int{typeTime: clock, typeDateTime: clock + 3, typeOffset: clock + 5}[c.code]
	return func(dst []byte, v *value.Value) []byte {
		dst = append(dst, byte(total))
		if total == clock {
			return appendLittle(dst, uint64(v.Int*multiply/divide), clock)
		}
		day := v.Int / ticksPerDay
		if v.Int%ticksPerDay < 0 {
			day--
		}
		dst = appendLittle(dst, uint64((v.Int-day*ticksPerDay)*multiply/divide), clock)
		dst = appendLittle(dst, uint64(day+epochDays), 3)
		if total == clock+5 {
			dst = append(dst, 0, 0)
		}
		return dst
	}
}

// oldTimeColumn writes a datetime, in units of a 300th of a second, or a smalldatetime,
// in minutes. The limits of the column see to it that nothing is rounded.
func oldTimeColumn(size int, length []byte) func(dst []byte, v *value.Value) []byte {
	return func(dst []byte, v *value.Value) []byte {
		day := v.Int / ticksPerDay
		if v.Int%ticksPerDay < 0 {
			day--
		}
		clock := v.Int - day*ticksPerDay
		dst = append(dst, length...)
		if size == 4 {
			return appendLittle(appendLittle(dst, uint64(day+days1900), 2), uint64(clock/60_000_000), 2)
		}
		return appendLittle(appendLittle(dst, uint64(day+days1900), 4), uint64(clock*3/10_000), 4)
	}
}

// moneyColumn writes an amount in units of its fourth decimal; that of 8 bytes has its
// high half first.
func moneyColumn(size int, length []byte) func(dst []byte, v *value.Value) []byte {
	return func(dst []byte, v *value.Value) []byte {
		dst = append(dst, length...)
		if size == 8 {
			dst = appendLittle(dst, uint64(v.Int>>32), 4)
		}
		return appendLittle(dst, uint64(v.Int), 4)
	}
}

func appendGUID(dst []byte, v *value.Value) []byte {
	dst = append(dst, 16)
	at := len(dst)
	for i := 0; i < len(v.Text); i += 2 {
		if v.Text[i] == '-' {
			i++
		}
		dst, _ = hex.AppendDecode(dst, v.Text[i:i+2]) // the parser has seen that it is a UUID
	}
	swapGUID(dst[at:])
	return dst
}

// swapGUID turns the first three groups of bytes round, which the server keeps with the
// lowest first.
func swapGUID(b []byte) {
	b[0], b[1], b[2], b[3] = b[3], b[2], b[1], b[0]
	b[4], b[5] = b[5], b[4]
	b[6], b[7] = b[7], b[6]
}

// textForm returns what appends a text in UTF-16 or the code page of the column, or the bytes that
// it stands for.
func textForm(c *wireColumn) func(dst, text []byte) []byte {
	switch {
	case c.wide():
		return func(dst, text []byte) []byte { return appendUTF16(dst, string(text)) }
	case c.code == typeVarBin || c.code == typeBinary:
		return value.AppendFromHex
	}
	return func(dst, text []byte) []byte {
		encoded, _ := c.page.Encode(text) // the limit of the column has seen that it can be
		return append(dst, encoded...)
	}
}

// textColumn writes a text or bytes with the length, and long ones as one piece.
func textColumn(long bool, form func(dst, text []byte) []byte) func(dst []byte, v *value.Value) []byte {
	return func(dst []byte, v *value.Value) []byte {
		at := len(dst)
		if long {
			dst = append(dst, make([]byte, 12)...)
		} else {
			dst = append(dst, 0, 0)
		}
		start := len(dst)
		dst = form(dst, v.Text)
		n := len(dst) - start
		if !long {
			binary.LittleEndian.PutUint16(dst[at:], uint16(n))
			return dst
		}
		binary.LittleEndian.PutUint64(dst[at:], uint64(n))
		if n == 0 { // no piece, but the end
			return dst
		}
		binary.LittleEndian.PutUint32(dst[at+8:], uint32(n))
		return binary.LittleEndian.AppendUint32(dst, 0)
	}
}

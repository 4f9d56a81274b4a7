package sqlserver

import (
	"bytes"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"math"
	"math/big"
	"strconv"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// reader reads a value of an answer.
type reader func(a *answer, v *value.Value) error

// readerOf returns the reader of a column. t is the type that its values are wanted as,
// or nil for the column's own. A column whose type has changed since the load is read as text, unless
// its values are of the same sort.
func readerOf(c *wireColumn, t *table.Type) reader {
	read, suits := ownReader(c), t == nil || c.suits(*t)
	if t == nil || suits && t.Kind != table.Decimal {
		return read
	}
	return func(a *answer, v *value.Value) error {
		err := read(a, v)
		if err != nil || v.Null || suits && v.Scale == t.Scale {
			return err
		}
		v.SetUntyped([]byte(textOf(c, v)))
		v.Untyped = !t.Textual()
		return nil
	}
}

// suits reports whether the values of a column are of the sort of a type.
func (c *wireColumn) suits(t table.Type) bool {
	switch c.code {
	case typeGUID:
		return t.Kind == table.UUID
	case typeFloatN, typeFloat4, typeFloat8:
		return t.Kind == table.Double
	case typeDecimalN, typeNumericN, typeMoneyN, typeMoney4, typeMoney8:
		return t.Kind == table.Decimal
	case typeDate:
		return t.Kind == table.Date
	case typeTime:
		return t.Kind == table.Time
	case typeDateTime, typeOldTimeN, typeOldTime4, typeOldTime8:
		return t.Kind == table.Timestamp
	case typeOffset:
		return t.Kind == table.TimestampTZ
	case typeBitN, typeBit:
		return t.Kind == table.Boolean
	}
	if c.long() || c.code >= typeVarBin {
		return t.Textual()
	}
	return t.Whole() || t.Kind == table.Decimal && t.Scale == 0
}

// ownReader returns the reader of the values as the column has them.
func ownReader(c *wireColumn) reader {
	if c.long() {
		return longReader(c)
	}
	if c.code >= typeVarBin {
		return textReader(c)
	}
	decode := decoderOf(c)
	size := fixed[c.code]
	return func(a *answer, v *value.Value) error {
		n := size
		if n == 0 {
			b, err := a.take(1)
			if err != nil {
				return err
			}
			n = int(b[0])
		}
		v.Null, v.Untyped, v.Wide = n == 0, false, false
		if n == 0 {
			return nil
		}
		if !c.holds(n) {
			return fmt.Errorf("%w: a value of %d bytes in column %s", errMangled, n, c.name)
		}
		b, err := a.take(n)
		if err != nil {
			return err
		}
		decode(b, v)
		return nil
	}
}

// decoderOf returns what sets v to a value from its bytes.
func decoderOf(c *wireColumn) func(b []byte, v *value.Value) {
	switch c.code {
	case typeGUID:
		return decodeGUID
	case typeFloatN, typeFloat4, typeFloat8:
		return func(b []byte, v *value.Value) {
			if len(b) == 4 {
				v.Float = float64(math.Float32frombits(binary.LittleEndian.Uint32(b)))
			} else {
				v.Float = math.Float64frombits(binary.LittleEndian.Uint64(b))
			}
		}
	case typeDecimalN, typeNumericN:
		return func(b []byte, v *value.Value) { decodeDecimal(b, c.scale, v) }
	case typeDate:
		return func(b []byte, v *value.Value) { v.Int = int64(little(b)) - epochDays }
	case typeTime:
		return func(b []byte, v *value.Value) { setMicros(v, clockOf(b, c.scale), 0, c.code) }
	case typeDateTime, typeOffset:
		clock := clockSize(c.scale)
		return func(b []byte, v *value.Value) {
			setMicros(v, clockOf(b[:clock], c.scale), int64(little(b[clock:clock+3]))-epochDays, c.code)
		}
	case typeOldTimeN, typeOldTime4, typeOldTime8:
		return decodeOldTime
	case typeMoneyN, typeMoney4, typeMoney8:
		return decodeMoney
	case typeBitN, typeBit, typeInt1:
		return func(b []byte, v *value.Value) { v.Int = int64(b[0]) }
	}
	return func(b []byte, v *value.Value) {
		if len(b) == 1 { // tinyint has no sign
			v.Int = int64(b[0])
			return
		}
		shift := 64 - 8*len(b)
		v.Int = int64(little(b)<<shift) >> shift
	}
}

func little(b []byte) (n uint64) {
	for i := len(b) - 1; i >= 0; i-- {
		n = n<<8 | uint64(b[i])
	}
	return n
}

// clockOf returns a time of day in units of 100 ns.
func clockOf(b []byte, scale int) int64 {
	n := int64(little(b))
	for ; scale < 7; scale++ {
		n *= 10
	}
	return n
}

// setMicros sets v to a day and a time of day of a column. One of less than a microsecond, which
// only others can have written, is kept as text.
func setMicros(v *value.Value, clock, day int64, code byte) {
	v.Int = day*ticksPerDay + clock/10
	if clock%10 == 0 {
		return
	}
	var text []byte
	if code != typeTime {
		text = append(value.AppendDate(text, day), ' ')
	}
	const perSecond = 10_000_000
	text = value.AppendClock(text, clock/perSecond*1_000_000)
	text = fmt.Appendf(text, ".%07d", clock%perSecond)
	if code == typeOffset {
		text = append(text, "+00:00"...)
	}
	v.SetUntyped(text)
}

func decodeOldTime(b []byte, v *value.Value) {
	if len(b) == 4 {
		v.Int = (int64(binary.LittleEndian.Uint16(b))-days1900)*ticksPerDay + int64(binary.LittleEndian.Uint16(b[2:]))*60_000_000
		return
	}
	day, ticks := int64(int32(binary.LittleEndian.Uint32(b))), int64(binary.LittleEndian.Uint32(b[4:]))
	v.Int = (day-days1900)*ticksPerDay + (ticks*10+1)/3*1000 // the server shows milliseconds
}

func decodeMoney(b []byte, v *value.Value) {
	v.Scale = moneyScale
	v.Int = int64(int32(binary.LittleEndian.Uint32(b)))
	if len(b) == 8 {
		v.Int = v.Int<<32 | int64(binary.LittleEndian.Uint32(b[4:]))
	}
}

func decodeDecimal(b []byte, scale int, v *value.Value) {
	v.Scale, v.Negative = scale, b[0] == 0
	if len(b) <= 9 {
		n := little(b[1:])
		if n <= math.MaxInt64 {
			v.Int = int64(n)
			if v.Negative {
				v.Int = -v.Int
			}
			return
		}
	}
	raw := make([]byte, len(b)-1)
	for i := range raw {
		raw[i] = b[len(b)-1-i]
	}
	n := new(big.Int).SetBytes(raw)
	if n.IsInt64() {
		v.Int = n.Int64()
		if v.Negative {
			v.Int = -v.Int
		}
		return
	}
	v.SetDigits([]byte(n.String()))
}

func decodeGUID(b []byte, v *value.Value) {
	var raw [16]byte
	copy(raw[:], b)
	swapGUID(raw[:])
	text := hex.AppendEncode(v.Buffer()[:0], raw[:4])
	for i := 4; i < 16; i += 2 {
		if i <= 10 {
			text = append(text, '-')
		}
		text = hex.AppendEncode(text, raw[i:i+2])
	}
	v.Text = text
}

// textReader reads a text or bytes with the length in two bytes.
func textReader(c *wireColumn) reader {
	set, padded := textSetter(c), c.code == typeChar || c.code == typeNChar
	var kept []byte
	return func(a *answer, v *value.Value) error {
		n, err := a.take(2)
		if err != nil {
			return err
		}
		size := int(binary.LittleEndian.Uint16(n))
		v.Null, v.Untyped = size == longSize, false
		if v.Null {
			return nil
		}
		b, err := a.take(size)
		if err == nil {
			kept = set(kept[:0], b)
			v.Text = kept
		}
		if padded { // which the value does not have
			v.Text = bytes.TrimRight(v.Text, " ")
		}
		return err
	}
}

// textSetter appends what the bytes of a column mean.
func textSetter(c *wireColumn) func(dst, b []byte) []byte {
	switch {
	case c.wide():
		return appendUTF8
	case c.code == typeVarBin || c.code == typeBinary:
		return value.AppendBytes
	}
	return func(dst, b []byte) []byte { return append(dst, c.page.Decode(b)...) }
}

// maxPiece is the size of the longest value that the server keeps.
const maxPiece = 1<<31 - 1

// longReader reads a value that comes in pieces.
func longReader(c *wireColumn) reader {
	set := textSetter(c)
	var raw, kept []byte
	return func(a *answer, v *value.Value) error {
		b, err := a.take(8)
		if err != nil {
			return err
		}
		v.Null, v.Untyped = binary.LittleEndian.Uint64(b) == math.MaxUint64, false
		if v.Null {
			return nil
		}
		raw = raw[:0]
		for {
			n, err := a.take(4)
			if err != nil {
				return err
			}
			size := int(binary.LittleEndian.Uint32(n))
			if size == 0 {
				break
			}
			if size > maxPiece {
				return fmt.Errorf("%w: a piece of %d bytes in column %s", errMangled, size, c.name)
			}
			piece, err := a.take(size)
			if err != nil {
				return err
			}
			raw = append(raw, piece...)
		}
		kept = set(kept[:0], raw)
		v.Text = kept
		return nil
	}
}

// textOf writes a value of a column as a query shows it.
func textOf(c *wireColumn, v *value.Value) string {
	switch {
	case v.Null:
		return ""
	case v.Untyped, c.code == typeGUID, c.code >= typeVarBin:
		return string(v.Text)
	}
	switch c.code {
	case typeFloatN, typeFloat4, typeFloat8:
		return strconv.FormatFloat(v.Float, 'g', -1, 64)
	case typeDecimalN, typeNumericN, typeMoneyN, typeMoney4, typeMoney8:
		return string(v.AppendDecimal(nil))
	case typeDate:
		return string(value.AppendDate(nil, v.Int))
	case typeTime:
		return string(value.AppendClock(nil, v.Int))
	case typeDateTime, typeOffset, typeOldTimeN, typeOldTime4, typeOldTime8:
		return string(value.AppendTimestamp(nil, v.Int))
	}
	return strconv.FormatInt(v.Int, 10)
}

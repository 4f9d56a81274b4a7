package tds

import (
	"encoding/binary"
	"fmt"
	"math"
	"math/big"
	"strings"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"

	"ambertray/internal/standin/tsql"
)

// Type is a type of the server.
type Type tsql.Type

// The types on the wire (section 2.2.5.4).
const (
	wireNull     = 0x1f
	wireGUID     = 0x24
	wireIntN     = 0x26
	wireDate     = 0x28
	wireTime     = 0x29
	wireDateTime = 0x2a // datetime2
	wireOffset   = 0x2b
	wireInt1     = 0x30
	wireBit      = 0x32
	wireInt2     = 0x34
	wireInt4     = 0x38
	wireTime4    = 0x3a // smalldatetime
	wireFloat4   = 0x3b
	wireTime8    = 0x3d // datetime
	wireMoney8   = 0x3c
	wireFloat8   = 0x3e
	wireBitN     = 0x68
	wireDecimalN = 0x6a
	wireNumericN = 0x6c
	wireFloatN   = 0x6d
	wireMoneyN   = 0x6e
	wireOldTimeN = 0x6f // datetime
	wireMoney4   = 0x7a
	wireInt8     = 0x7f
	wireVarBin   = 0xa5
	wireVarChar  = 0xa7
	wireBinary   = 0xad
	wireChar     = 0xaf
	wireNVarChar = 0xe7
	wireNChar    = 0xef
)

// collation is SQL_Latin1_General_CP1_CI_AS: its language, its flags and its number.
var collation = []byte{0x09, 0x04, 0xd0, 0x00, 0x34}

// codePage is that of its texts that are not in UTF-16.
var codePage = charmap.Windows1252

const longest = 0xffff // of a type with (max)

// Value is a value as the stand-in keeps it. Whole numbers and bits are in Int, and so
// are decimals of up to 18 digits, without their point; wider ones are in Text as they
// are written. A date is its days since 0001-01-01, a time its units of 100 ns, a
// timestamp the units of 100 ns since then, with an offset in UTC.
type Value struct {
	Null  bool
	Int   int64
	Float float64
	Text  []byte // a text in UTF-8, bytes, a GUID as it is written
}

// Whole reports whether values are whole numbers.
func (t Type) Whole() bool {
	return t.Name == "tinyint" || t.Name == "smallint" || t.Name == "int" || t.Name == "bigint"
}

// Textual reports whether values are texts.
func (t Type) Textual() bool { return strings.HasSuffix(t.Name, "char") || t.Name == "sysname" }

// National reports whether they are in UTF-16.
func (t Type) National() bool { return t.Textual() && t.Name[0] == 'n' || t.Name == "sysname" }

// Fixed reports whether shorter texts are filled up.
func (t Type) Fixed() bool { return t.Name == "char" || t.Name == "nchar" || t.Name == "binary" }

// Wide reports whether values are decimals that an int64 may not hold.
func (t Type) Wide() bool { return t.Name == "decimal" && t.Size > 18 }

var intSizes = map[string]byte{"tinyint": 1, "smallint": 2, "int": 4, "bigint": 8, "bit": 1}

func (t Type) intSize() byte {
	return intSizes[t.Name]
}

func (t Type) decimalSize() byte {
	switch {
	case t.Size <= 9:
		return 5
	case t.Size <= 19:
		return 9
	case t.Size <= 28:
		return 13
	}
	return 17
}

func (t Type) clockSize() int {
	switch {
	case t.Scale <= 2:
		return 3
	case t.Scale <= 4:
		return 4
	}
	return 5
}

// AppendInfo appends the TYPE_INFO.
func (t Type) AppendInfo(b []byte) []byte {
	switch {
	case t.Whole():
		return append(b, wireIntN, t.intSize())
	case t.Name == "bit":
		return append(b, wireBitN, 1)
	case t.Name == "decimal":
		return append(b, wireNumericN, t.decimalSize(), byte(t.Size), byte(t.Scale))
	case t.Name == "float":
		return append(b, wireFloatN, 8)
	case t.Name == "real":
		return append(b, wireFloatN, 4)
	case t.Name == "date":
		return append(b, wireDate)
	case t.Name == "time":
		return append(b, wireTime, byte(t.Scale))
	case t.Name == "datetime2":
		return append(b, wireDateTime, byte(t.Scale))
	case t.Name == "datetimeoffset":
		return append(b, wireOffset, byte(t.Scale))
	case t.Name == "datetime":
		return append(b, wireOldTimeN, 8)
	case t.Name == "smalldatetime":
		return append(b, wireOldTimeN, 4)
	case t.Name == "money":
		return append(b, wireMoneyN, 8)
	case t.Name == "smallmoney":
		return append(b, wireMoneyN, 4)
	case t.Name == "uniqueidentifier":
		return append(b, wireGUID, 16)
	}
	kind := map[string]byte{"char": wireChar, "varchar": wireVarChar, "nchar": wireNChar, "nvarchar": wireNVarChar, "sysname": wireNVarChar, "binary": wireBinary, "varbinary": wireVarBin}[t.Name]
	size := t.Size
	if t.National() {
		size *= 2
	}
	if t.Max {
		size = longest
	}
	b = binary.LittleEndian.AppendUint16(append(b, kind), uint16(size))
	if t.Textual() {
		b = append(b, collation...)
	}
	return b
}

// fixedLength are the types on the wire of columns that cannot be NULL: their values have no
// length before them.
var fixedLength = map[string]byte{"tinyint": wireInt1, "bit": wireBit, "smallint": wireInt2, "int": wireInt4, "real": wireFloat4, "float": wireFloat8, "bigint": wireInt8, "datetime": wireTime8, "smalldatetime": wireTime4, "money": wireMoney8, "smallmoney": wireMoney4}

// FixedLength reports whether values of the type may be sent without a length.
func (t Type) FixedLength() bool { return fixedLength[t.Name] != 0 }

// FixedAppender returns the function that appends values of a column that cannot be NULL.
func (t Type) FixedAppender() func(b []byte, v *Value) []byte {
	plain := t.plainAppender()
	return func(b []byte, v *Value) []byte {
		at := len(b)
		b = plain(b, v)
		return append(b[:at], b[at+1:]...)
	}
}

// Append appends a value.
func (t Type) Append(b []byte, v Value) []byte { return t.Appender()(b, &v) }

// Appender returns the function that appends values of the type.
func (t Type) Appender() func(b []byte, v *Value) []byte {
	if t.Textual() || strings.HasSuffix(t.Name, "binary") {
		return t.longAppender()
	}
	plain := t.plainAppender()
	return func(b []byte, v *Value) []byte {
		if v.Null {
			return append(b, 0)
		}
		return plain(b, v)
	}
}

// plainAppender is Appender for types whose values have their length in one byte.
func (t Type) plainAppender() func(b []byte, v *Value) []byte {
	switch t.Name {
	case "tinyint", "smallint", "int", "bigint", "bit":
		size := t.intSize()
		return func(b []byte, v *Value) []byte { return appendLittle(append(b, size), uint64(v.Int), int(size)) }
	case "decimal":
		return t.appendDecimal
	case "float":
		return func(b []byte, v *Value) []byte {
			return binary.LittleEndian.AppendUint64(append(b, 8), math.Float64bits(v.Float))
		}
	case "real":
		return func(b []byte, v *Value) []byte {
			return binary.LittleEndian.AppendUint32(append(b, 4), math.Float32bits(float32(v.Float)))
		}
	case "date":
		return func(b []byte, v *Value) []byte { return appendLittle(append(b, 3), uint64(v.Int), 3) }
	case "time", "datetime2", "datetimeoffset":
		return t.clockAppender()
	case "datetime":
		return func(b []byte, v *Value) []byte {
			b = appendLittle(append(b, 8), uint64(v.Int/ticksPerDay-daysTo1900), 4)
			return appendLittle(b, uint64((v.Int%ticksPerDay*300+5_000_000)/10_000_000), 4)
		}
	case "smalldatetime":
		return func(b []byte, v *Value) []byte {
			b = appendLittle(append(b, 4), uint64(v.Int/ticksPerDay-daysTo1900), 2)
			return appendLittle(b, uint64(v.Int%ticksPerDay/(60*10_000_000)), 2)
		}
	case "money": // its high half first
		return func(b []byte, v *Value) []byte {
			return appendLittle(appendLittle(append(b, 8), uint64(v.Int>>32), 4), uint64(v.Int), 4)
		}
	case "smallmoney":
		return func(b []byte, v *Value) []byte { return appendLittle(append(b, 4), uint64(v.Int), 4) }
	case "uniqueidentifier":
		return func(b []byte, v *Value) []byte { return appendGUID(append(b, 16), v.Text) }
	}
	panic("tds: no such type: " + t.Name)
}

// clockAppender appends a time of day and, unless it is of type time, its day.
func (t Type) clockAppender() func(b []byte, v *Value) []byte {
	clock, unit := t.clockSize(), scales[t.Scale]
	size := clock + map[string]int{"time": 0, "datetime2": 3, "datetimeoffset": 5}[t.Name]
	return func(b []byte, v *Value) []byte {
		b = appendLittle(append(b, byte(size)), uint64(v.Int%ticksPerDay/unit), clock)
		if size > clock {
			b = appendLittle(b, uint64(v.Int/ticksPerDay), 3)
		}
		if size > clock+3 {
			b = append(b, 0, 0)
		}
		return b
	}
}

const (
	ticksPerDay = 86_400 * 10_000_000
	daysTo1900  = 693_595
)

func appendLittle(b []byte, n uint64, size int) []byte {
	for range size {
		b, n = append(b, byte(n)), n>>8
	}
	return b
}

// longAppender appends a text or bytes with the length in two bytes or, of a type with
// (max), in pieces.
func (t Type) longAppender() func(b []byte, v *Value) []byte {
	national, textual, long := t.National(), t.Textual(), t.Max
	return func(b []byte, v *Value) []byte {
		switch {
		case long && v.Null:
			return appendLittle(b, math.MaxUint64, 8)
		case v.Null:
			return append(b, 0xff, 0xff)
		}
		at := len(b)
		if long {
			b = append(b, make([]byte, 12)...)
		} else {
			b = append(b, 0, 0)
		}
		start := len(b)
		switch {
		case national:
			b = appendWide(b, v.Text)
		case textual && !ascii(v.Text):
			text, _ := encoding.ReplaceUnsupported(codePage.NewEncoder()).Bytes(v.Text)
			b = append(b, text...)
		default:
			b = append(b, v.Text...)
		}
		n := len(b) - start
		if !long {
			binary.LittleEndian.PutUint16(b[at:], uint16(n))
			return b
		}
		binary.LittleEndian.PutUint64(b[at:], uint64(n))
		if n == 0 { // no piece, but the end
			return b
		}
		binary.LittleEndian.PutUint32(b[at+8:], uint32(n))
		return binary.LittleEndian.AppendUint32(b, 0)
	}
}

func ascii(text []byte) bool {
	for _, c := range text {
		if c >= 0x80 {
			return false
		}
	}
	return true
}

// appendWide appends a text in UTF-16.
func appendWide(b, text []byte) []byte {
	for i, c := range text {
		if c >= 0x80 {
			return AppendUCS2(b, string(text[i:]))
		}
		b = append(b, c, 0)
	}
	return b
}

func (t Type) appendDecimal(b []byte, v *Value) []byte {
	size := t.decimalSize()
	b = append(b, size)
	if t.Size <= 18 {
		n, sign := v.Int, byte(1)
		if n < 0 {
			n, sign = -n, 0
		}
		return appendLittle(append(b, sign), uint64(n), int(size-1))
	}
	n, _ := new(big.Int).SetString(strings.Replace(string(v.Text), ".", "", 1), 10)
	b = append(b, byte((n.Sign()+2)/2)) // 1 unless it is below zero
	raw := n.Bytes()
	for i := range int(size) - 1 {
		digit := byte(0)
		if i < len(raw) {
			digit = raw[len(raw)-1-i]
		}
		b = append(b, digit)
	}
	return b
}

var scales = [...]int64{10_000_000, 1_000_000, 100_000, 10_000, 1000, 100, 10, 1}

// guidOrder is where the bytes of a GUID as it is written go.
var guidOrder = [16]int{3, 2, 1, 0, 5, 4, 7, 6, 8, 9, 10, 11, 12, 13, 14, 15}

func appendGUID(b, text []byte) []byte {
	var raw [16]byte
	hex := strings.ReplaceAll(string(text), "-", "")
	for i := range raw {
		_, _ = fmt.Sscanf(hex[2*i:2*i+2], "%02x", &raw[guidOrder[i]])
	}
	return append(b, raw[:]...)
}

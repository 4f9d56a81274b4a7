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
	wireFloat4   = 0x3b
	wireFloat8   = 0x3e
	wireBitN     = 0x68
	wireDecimalN = 0x6a
	wireNumericN = 0x6c
	wireFloatN   = 0x6d
	wireOldTimeN = 0x6f // datetime
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

func (t Type) intSize() byte {
	return map[string]byte{"tinyint": 1, "smallint": 2, "int": 4, "bigint": 8, "bit": 1}[t.Name]
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

// Append appends a value.
func (t Type) Append(b []byte, v Value) []byte {
	switch {
	case t.Textual() || strings.HasSuffix(t.Name, "binary"):
		return t.appendLong(b, v)
	case v.Null:
		return append(b, 0)
	case t.Whole() || t.Name == "bit":
		size := t.intSize()
		return appendLittle(append(b, size), uint64(v.Int), int(size))
	case t.Name == "decimal":
		return t.appendDecimal(b, v)
	case t.Name == "float":
		return binary.LittleEndian.AppendUint64(append(b, 8), math.Float64bits(v.Float))
	case t.Name == "real":
		return binary.LittleEndian.AppendUint32(append(b, 4), math.Float32bits(float32(v.Float)))
	case t.Name == "date":
		return appendLittle(append(b, 3), uint64(v.Int), 3)
	case t.Name == "time":
		return t.appendClock(append(b, byte(t.clockSize())), v.Int)
	case t.Name == "datetime2":
		b = t.appendClock(append(b, byte(t.clockSize()+3)), v.Int%ticksPerDay)
		return appendLittle(b, uint64(v.Int/ticksPerDay), 3)
	case t.Name == "datetimeoffset":
		b = t.appendClock(append(b, byte(t.clockSize()+5)), v.Int%ticksPerDay)
		b = appendLittle(b, uint64(v.Int/ticksPerDay), 3)
		return append(b, 0, 0)
	case t.Name == "datetime":
		b = appendLittle(append(b, 8), uint64(v.Int/ticksPerDay-daysTo1900), 4)
		return appendLittle(b, uint64((v.Int%ticksPerDay*300+5_000_000)/10_000_000), 4)
	case t.Name == "smalldatetime":
		b = appendLittle(append(b, 4), uint64(v.Int/ticksPerDay-daysTo1900), 2)
		return appendLittle(b, uint64(v.Int%ticksPerDay/(60*10_000_000)), 2)
	case t.Name == "uniqueidentifier":
		return appendGUID(append(b, 16), v.Text)
	}
	panic("tds: no such type: " + t.Name)
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

func (t Type) appendLong(b []byte, v Value) []byte {
	text := v.Text
	switch {
	case v.Null:
	case t.National():
		text = UCS2(string(v.Text))
	case t.Textual():
		text, _ = encoding.ReplaceUnsupported(codePage.NewEncoder()).Bytes(v.Text)
	}
	switch {
	case t.Max && v.Null:
		return appendLittle(b, math.MaxUint64, 8)
	case t.Max:
		b = binary.LittleEndian.AppendUint64(b, uint64(len(text)))
		if len(text) > 0 {
			b = append(binary.LittleEndian.AppendUint32(b, uint32(len(text))), text...)
		}
		return binary.LittleEndian.AppendUint32(b, 0)
	case v.Null:
		return append(b, 0xff, 0xff)
	}
	return append(binary.LittleEndian.AppendUint16(b, uint16(len(text))), text...)
}

func (t Type) appendDecimal(b []byte, v Value) []byte {
	size := t.decimalSize()
	b = append(b, size)
	n := big.NewInt(v.Int)
	if t.Wide() {
		n.SetString(strings.Replace(string(v.Text), ".", "", 1), 10)
	}
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

func (t Type) appendClock(b []byte, ticks int64) []byte {
	return appendLittle(b, uint64(ticks/scales[t.Scale]), t.clockSize())
}

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

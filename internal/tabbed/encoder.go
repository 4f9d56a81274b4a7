// Package tabbed encodes rows as the bulk loads of MySQL, MariaDB and PostgreSQL read them
// by default.
package tabbed

import (
	"strconv"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Encoder writes rows as the server's bulk load reads them by default: fields
// ended by a tab, rows by a line feed, \t, \n, \r and \\ for these and a
// backslash in text, and \N for NULL. Every field is ended; the last one's tab
// becomes the line feed when the block is sent.
type Encoder struct {
	// Offset says that a moment is written with its offset, which is +00:00.
	Offset bool
}

// AppendRecord implements convert.Encoder.
func (Encoder) AppendRecord(dst []byte) []byte { return dst }

// AppendNull implements convert.Encoder.
func (Encoder) AppendNull(dst []byte, _ int) []byte { return append(dst, '\\', 'N', '\t') }

// Column implements convert.Encoder.
func (e Encoder) Column(_ int, t table.Type) func(dst []byte, v *value.Value) []byte {
	if t == (table.Type{Kind: table.Boolean, Size: table.Bit}) { // which takes bytes
		return func(dst []byte, v *value.Value) []byte { return append(appendByte(dst, byte(v.Int&1)), '\t') }
	}
	switch t.Kind {
	case table.SmallInt, table.Integer, table.BigInt, table.Boolean:
		return func(dst []byte, v *value.Value) []byte { return append(strconv.AppendInt(dst, v.Int, 10), '\t') }
	case table.Decimal:
		return func(dst []byte, v *value.Value) []byte { return append(v.AppendDecimal(dst), '\t') }
	case table.Double:
		return func(dst []byte, v *value.Value) []byte {
			return append(strconv.AppendFloat(dst, v.Float, 'g', -1, 64), '\t')
		}
	case table.Date:
		return func(dst []byte, v *value.Value) []byte { return append(value.AppendDate(dst, v.Int), '\t') }
	case table.Time:
		return func(dst []byte, v *value.Value) []byte { return append(value.AppendClock(dst, v.Int), '\t') }
	case table.TimestampTZ:
		end := "\t"
		if e.Offset {
			end = "+00:00\t"
		}
		return func(dst []byte, v *value.Value) []byte { return append(value.AppendTimestamp(dst, v.Int), end...) }
	case table.Timestamp:
		return func(dst []byte, v *value.Value) []byte { return append(value.AppendTimestamp(dst, v.Int), '\t') }
	}
	if t.IsBytes() { // as digits alone
		return func(dst []byte, v *value.Value) []byte { return append(append(dst, v.Text[len("0x"):]...), '\t') }
	}
	return func(dst []byte, v *value.Value) []byte { return append(appendEscaped(dst, v.Text), '\t') }
}

// appendByte appends a byte of 0 or 1.
func appendByte(dst []byte, b byte) []byte {
	if b == 0 {
		return append(dst, '\\', '0')
	}
	return append(dst, b)
}

// escapes are the letters that replace, after a backslash, the bytes that would end a field.
var escapes = [256]byte{'\\': '\\', '\t': 't', '\n': 'n', '\r': 'r'}

// appendEscaped appends a text with escapes.
func appendEscaped(dst, text []byte) []byte {
	start := 0
	for i, b := range text {
		letter := escapes[b]
		if letter != 0 {
			dst = append(append(dst, text[start:i]...), '\\', letter)
			start = i + 1
		}
	}
	return append(dst, text[start:]...)
}

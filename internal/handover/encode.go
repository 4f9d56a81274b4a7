package handover

import (
	"bytes"
	"strconv"
	"sync/atomic"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// csvEncoder writes records as RFC 4180 has them, each field ended by a comma: NULL as
// nothing, a blank text in quotes, dates and times as ISO 8601.
type csvEncoder struct {
	truth [2]string // false and true
	// micros says that a time always has the six digits of its second.
	micros bool
	// blank, unless nil, gets the number, from 1, of a column with a blank text.
	blank *atomic.Int64
}

// AppendRecord implements convert.Encoder.
func (csvEncoder) AppendRecord(dst []byte) []byte { return dst }

// AppendNull implements convert.Encoder.
func (csvEncoder) AppendNull(dst []byte, _ int) []byte { return append(dst, ',') }

// Column implements convert.Encoder.
func (e csvEncoder) Column(i int, t table.Type) func(dst []byte, v *value.Value) []byte {
	switch t.Kind {
	case table.SmallInt, table.Integer, table.BigInt:
		return func(dst []byte, v *value.Value) []byte { return append(strconv.AppendInt(dst, v.Int, 10), ',') }
	case table.Boolean:
		return func(dst []byte, v *value.Value) []byte { return append(append(dst, e.truth[v.Int&1]...), ',') }
	case table.Decimal:
		return func(dst []byte, v *value.Value) []byte { return append(v.AppendDecimal(dst), ',') }
	case table.Double:
		return func(dst []byte, v *value.Value) []byte {
			return append(strconv.AppendFloat(dst, v.Float, 'g', -1, 64), ',')
		}
	case table.Date:
		return func(dst []byte, v *value.Value) []byte { return append(value.AppendDate(dst, v.Int), ',') }
	case table.Time:
		return func(dst []byte, v *value.Value) []byte {
			return append(e.fraction(value.AppendClock(dst, v.Int), v.Int), ',')
		}
	case table.Timestamp:
		return func(dst []byte, v *value.Value) []byte {
			return append(e.fraction(value.AppendTimestamp(dst, v.Int), v.Int), ',')
		}
	case table.TimestampTZ:
		return func(dst []byte, v *value.Value) []byte {
			return append(e.fraction(value.AppendTimestamp(dst, v.Int), v.Int), "+00:00,"...)
		}
	}
	return func(dst []byte, v *value.Value) []byte {
		if e.blank != nil && len(v.Text) == 0 {
			e.blank.Store(int64(i) + 1)
		}
		return append(appendQuoted(dst, v.Text), ',')
	}
}

// fraction completes the digits of a second.
func (e csvEncoder) fraction(dst []byte, micros int64) []byte {
	if e.micros && micros%1_000_000 == 0 {
		return append(dst, ".000000"...)
	}
	return dst
}

const bom = "\uFEFF"

// special reports of every byte whether a text that has it is quoted.
var special = [256]bool{',': true, '"': true, '\r': true, '\n': true, '\\': true, '\'': true}

// appendQuoted appends a text, in quotes where it needs them. So do texts that begin or end
// in a space, for readers that trim, and those that begin with a byte order mark, which is
// left out at the beginning of a file.
func appendQuoted(dst, text []byte) []byte {
	quote := len(text) == 0 || text[0] <= ' ' || text[len(text)-1] <= ' ' || text[0] == bom[0]
	for _, c := range text {
		quote = quote || special[c]
	}
	if !quote {
		return append(dst, text...)
	}
	dst = append(dst, '"')
	for {
		i := bytes.IndexByte(text, '"')
		if i < 0 {
			return append(append(dst, text...), '"')
		}
		dst = append(append(dst, text[:i+1]...), '"')
		text = text[i+1:]
	}
}

package differ

import (
	"bytes"
	"encoding/binary"
	"strconv"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Encoder encodes rows so that Cells can read them: it is an encoder of package
// convert.
type Encoder struct{}

// AppendRecord begins a row.
func (Encoder) AppendRecord(dst []byte) []byte { return dst }

// AppendNull appends a NULL.
func (Encoder) AppendNull(dst []byte, _ int) []byte { return appendCell(dst, null) }

// Column returns what appends the values of a type.
func (Encoder) Column(_ int, t table.Type) func(dst []byte, v *value.Value) []byte {
	write := writer(t)
	return func(dst []byte, v *value.Value) []byte { return appendCell(dst, write(nil, v)) }
}

var null = []byte("NULL")

func appendCell(dst, cell []byte) []byte {
	return append(binary.AppendUvarint(dst, uint64(len(cell))), cell...)
}

// Cells returns the cells of an encoded row.
func Cells(data []byte) (cells []string) {
	for len(data) > 0 {
		size, n := binary.Uvarint(data)
		end := n + int(size)
		cells, data = append(cells, string(data[n:end])), data[end:]
	}
	return cells
}

// CellWriter writes the values of one column.
type CellWriter func(v *value.Value) string

// NewCellWriter returns the writer of values of a type as SQL writes constants, so
// that NULL and a text are never the same.
func NewCellWriter(t table.Type) CellWriter {
	write := writer(t)
	return func(v *value.Value) string {
		if v.Null {
			return string(null)
		}
		return string(write(nil, v))
	}
}

func writer(t table.Type) func(dst []byte, v *value.Value) []byte {
	typed := typedWriter(t)
	return func(dst []byte, v *value.Value) []byte {
		if v.Untyped {
			return quoted(dst, v.Text)
		}
		return typed(dst, v)
	}
}

// appendBoolean appends true or false, or the number if it is neither 1 nor 0.
func appendBoolean(dst []byte, v *value.Value) []byte {
	if v.Int != 0 && v.Int != 1 {
		return strconv.AppendInt(dst, v.Int, 10)
	}
	return strconv.AppendBool(dst, v.Int == 1)
}

func typedWriter(t table.Type) func(dst []byte, v *value.Value) []byte {
	switch t.Kind {
	case table.Decimal:
		return func(dst []byte, v *value.Value) []byte { return v.AppendDecimal(dst) }
	case table.Double:
		bits := 64
		if t.Size == table.Single {
			bits = 32
		}
		return func(dst []byte, v *value.Value) []byte { return strconv.AppendFloat(dst, v.Float, 'g', -1, bits) }
	case table.Date:
		return func(dst []byte, v *value.Value) []byte { return value.AppendDate(dst, v.Int) }
	case table.Time:
		return func(dst []byte, v *value.Value) []byte { return value.AppendClock(dst, v.Int) }
	case table.Timestamp, table.TimestampTZ:
		return func(dst []byte, v *value.Value) []byte { return value.AppendTimestamp(dst, v.Int) }
	case table.Boolean:
		return appendBoolean
	case table.Char:
		return func(dst []byte, v *value.Value) []byte { return quoted(dst, bytes.TrimRight(v.Text, " ")) }
	case table.SmallInt, table.Integer, table.BigInt:
		return func(dst []byte, v *value.Value) []byte { return strconv.AppendInt(dst, v.Int, 10) }
	}
	return func(dst []byte, v *value.Value) []byte { return quoted(dst, v.Text) }
}

func quoted(dst, text []byte) []byte {
	dst = append(dst, '\'')
	dst = append(dst, bytes.ReplaceAll(text, []byte{'\''}, []byte("''"))...)
	return append(dst, '\'')
}

package export

import (
	"bytes"
	"fmt"
	"io"
	"math/big"
	"reflect"
	"unicode/utf8"

	"github.com/parquet-go/parquet-go"

	"ambertray/internal/note"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// How many digits of a decimal whole numbers of 32 and 64 bits hold; more are kept in
// bytes.
const (
	maxInt32Precision = 9
	maxInt64Precision = 18
)

// rowsPerGroup is how many rows are held in memory.
const rowsPerGroup = 1 << 16

// parquetWriter writes Parquet, in which each column may be NULL.
type parquetWriter struct {
	out     *parquet.GenericWriter[any]
	columns []Column
	values  []func(v *value.Value) parquet.Value
	row     parquet.Row
}

func newParquetWriter(w io.Writer, columns []Column) (*parquetWriter, error) {
	p := &parquetWriter{columns: columns}
	root := ordered{Group: parquet.Group{}}
	for i := range columns {
		node, of := parquetColumn(&columns[i])
		root.fields = append(root.fields, field{parquet.Optional(node), columns[i].Heading})
		root.Group[columns[i].Heading] = node
		p.values = append(p.values, of)
	}
	p.out = parquet.NewGenericWriter[any](w, parquet.NewSchema("rows", root), parquet.Compression(&parquet.Snappy), parquet.MaxRowsPerRowGroup(rowsPerGroup))
	return p, nil
}

// Parquet writes rows of a table to a Parquet file.
type Parquet struct{ *parquetWriter }

// NewParquet returns a writer of the loaded columns of a table, under their names. Rows have
// the values of their types.
func NewParquet(w io.Writer, t *table.Table) (*Parquet, error) {
	var columns []Column
	for i, c := range t.Loaded() {
		columns = append(columns, Column{Heading: c.Name, Type: c.Type, at: i})
	}
	p, err := newParquetWriter(w, columns)
	return &Parquet{p}, err
}

// ordered is a group whose fields keep their order.
type ordered struct {
	parquet.Group
	fields []parquet.Field
}

// Fields implements parquet.Node.
func (o ordered) Fields() []parquet.Field { return o.fields }

// field is a column of a group.
type field struct {
	parquet.Node
	name string
}

// Name implements parquet.Field.
func (f field) Name() string { return f.name }

// Value implements parquet.Field.
func (f field) Value(base reflect.Value) reflect.Value { return base.MapIndex(reflect.ValueOf(f.name)) }

// parquetColumn returns the node of a column and what makes its values.
func parquetColumn(c *Column) (parquet.Node, func(v *value.Value) parquet.Value) {
	whole := func(v *value.Value) parquet.Value { return parquet.Int64Value(v.Int) }
	if c.at < 0 {
		return parquet.String(), nil
	}
	switch c.Type.Kind {
	case table.SmallInt, table.Integer:
		return parquet.Int(32), func(v *value.Value) parquet.Value { return parquet.Int32Value(int32(v.Int)) }
	case table.BigInt:
		return parquet.Int(64), whole
	case table.Decimal:
		if c.Type.Size > 0 && c.Type.Size <= maxInt32Precision {
			return parquet.Decimal(c.Type.Scale, c.Type.Size, parquet.Int32Type), func(v *value.Value) parquet.Value { return parquet.Int32Value(int32(v.Int)) }
		}
		if c.Type.Size > 0 && c.Type.Size <= maxInt64Precision {
			return parquet.Decimal(c.Type.Scale, c.Type.Size, parquet.Int64Type), whole
		}
		return parquet.Decimal(c.Type.Scale, max(c.Type.Size, 1), parquet.FixedLenByteArrayType(wideBytes)), wideDecimal
	case table.Double:
		return parquet.Leaf(parquet.DoubleType), func(v *value.Value) parquet.Value { return parquet.DoubleValue(v.Float) }
	case table.Boolean:
		return parquet.Leaf(parquet.BooleanType), func(v *value.Value) parquet.Value { return parquet.BooleanValue(v.Int != 0) }
	case table.Date:
		return parquet.Date(), func(v *value.Value) parquet.Value { return parquet.Int32Value(int32(v.Int)) }
	case table.Time:
		return parquet.TimeAdjusted(parquet.Microsecond, false), whole
	case table.Timestamp:
		return parquet.TimestampAdjusted(parquet.Microsecond, false), whole
	case table.TimestampTZ:
		return parquet.Timestamp(parquet.Microsecond), whole
	}
	return parquet.String(), func(v *value.Value) parquet.Value { return parquet.ByteArrayValue(bytes.Clone(v.Text)) }
}

// wideBytes hold the 38 digits of a decimal.
const wideBytes = 16

// wideDecimal returns a number as two's complement, the highest byte first.
func wideDecimal(v *value.Value) parquet.Value {
	n := big.NewInt(v.Int)
	if v.Wide {
		n.SetString(string(v.Text), 10)
		if v.Negative {
			n.Neg(n)
		}
	}
	if n.Sign() < 0 {
		n.Add(n, new(big.Int).Lsh(big.NewInt(1), 8*wideBytes))
	}
	return parquet.FixedLenByteArrayValue(n.FillBytes(make([]byte, wideBytes)))
}

// Row implements rowWriter.
func (p *parquetWriter) Row(row []value.Value) error {
	p.row = p.row[:0]
	for i := range p.columns {
		c := &p.columns[i]
		v := c.of(row)
		switch {
		case v == nil:
			p.row = append(p.row, parquet.NullValue().Level(0, 0, i))
		case v.Untyped && !c.Type.Textual():
			return fmt.Errorf("column %s is %s, and %q is not: a Parquet file cannot hold it", c.Heading, c.Type, v.Text)
		case c.Type.Textual() && !utf8.Valid(v.Text):
			return fmt.Errorf("column %s has %q: bytes that are no text cannot be in a Parquet file; export to .csv instead", c.Heading, v.Text)
		default:
			p.row = append(p.row, p.values[i](v).Level(0, 1, i))
		}
	}
	_, err := p.out.WriteRows([]parquet.Row{p.row})
	return err
}

// Close implements rowWriter.
func (p *parquetWriter) Close() error { return p.out.Close() }

// Notes implements rowWriter.
func (p *parquetWriter) Notes() []note.Note { return []note.Note{} }

// Drop implements rowWriter.
func (p *parquetWriter) Drop() error { return nil }

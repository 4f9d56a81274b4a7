package handover

import (
	"encoding/binary"
	"errors"
	"math"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/export"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// parquetForm hands the rows over as a Parquet file, for a warehouse.
var parquetForm = form{
	rows:     "rows.parquet",
	encoder:  func(h *handover) convert.Encoder { return valueEncoder{} },
	open:     openParquet,
	client:   "your warehouse",
	toLoad:   "Load rows.parquet into a new table with the command of your warehouse; columns.json has its columns.",
	toVerify: "Run verify.sql.",
}

// valueEncoder writes values so that readValue reads them: a byte that is 0 for NULL, then
// 8 bytes, or a length and a text.
type valueEncoder struct{}

// AppendRecord implements convert.Encoder.
func (valueEncoder) AppendRecord(dst []byte) []byte { return dst }

// AppendNull implements convert.Encoder.
func (valueEncoder) AppendNull(dst []byte, _ int) []byte { return append(dst, 0) }

// Column implements convert.Encoder.
func (valueEncoder) Column(_ int, t table.Type) func(dst []byte, v *value.Value) []byte {
	switch {
	case t.Kind == table.Double:
		return func(dst []byte, v *value.Value) []byte {
			return binary.LittleEndian.AppendUint64(append(dst, 1), math.Float64bits(v.Float))
		}
	case t.Kind == table.Decimal:
		return func(dst []byte, v *value.Value) []byte {
			var text [64]byte
			return appendSized(dst, v.AppendDecimal(text[:0]))
		}
	case t.Textual(), t.Kind == table.UUID:
		return func(dst []byte, v *value.Value) []byte { return appendSized(dst, v.Text) }
	}
	return func(dst []byte, v *value.Value) []byte {
		return binary.LittleEndian.AppendUint64(append(dst, 1), uint64(v.Int))
	}
}

func appendSized(dst, text []byte) []byte {
	return append(binary.AppendUvarint(append(dst, 1), uint64(len(text))), text...)
}

// readValue reads the next value of a record, and returns what follows it.
func readValue(data []byte, t table.Type, v *value.Value) []byte {
	*v = value.Value{Null: data[0] == 0}
	data = data[1:]
	if v.Null {
		return data
	}
	if t.Kind != table.Decimal && !t.Textual() && t.Kind != table.UUID {
		bits := binary.LittleEndian.Uint64(data)
		v.Int, v.Float = int64(bits), math.Float64frombits(bits)
		return data[8:]
	}
	n, used := binary.Uvarint(data)
	text := data[used : used+int(n)]
	if t.Kind == table.Decimal {
		v.ReadDecimal(text, t.Scale)
	} else {
		v.Text = text
	}
	return data[used+int(n):]
}

// parquetRows writes the rows of blocks to a Parquet file.
type parquetRows struct {
	h    *handover
	file *rowFile
	out  *export.Parquet
	row  []value.Value
	rows int64
}

func openParquet(h *handover) (rowsWriter, error) {
	f, err := h.newRowFile()
	if err != nil {
		return nil, err
	}
	out, err := export.NewParquet(f.out, h.table)
	return &parquetRows{h: h, file: f, out: out, row: make([]value.Value, len(h.table.Loaded()))}, err
}

func (p *parquetRows) write(k *convert.Block) error {
	data := k.Data
	for range k.Ends {
		for i, c := range p.h.table.Loaded() {
			data = readValue(data, c.Type, &p.row[i])
		}
		err := p.out.Row(p.row)
		if err != nil {
			return err
		}
		p.rows++
	}
	return nil
}

func (p *parquetRows) close() (int64, error) {
	return p.rows, errors.Join(p.out.Close(), p.h.endRowFile(p.file))
}

// native is a dialect that holds every type as it is, as Parquet does.
var native = dialect.PostgreSQL

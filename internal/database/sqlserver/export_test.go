package sqlserver

import (
	"bufio"
	"bytes"
	"reflect"

	"ambertray/internal/convert"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Reader reads the values of a column from bytes that an encoder has written, so that
// tests can hold one against the other.
type Reader struct {
	columns []wireColumn
}

// Describe takes the columns of an answer from their COLMETADATA, without its token.
func Describe(metadata []byte) (*Reader, error) {
	a := &answer{r: bufio.NewReaderSize(bytes.NewReader(metadata), 64<<10)}
	err := a.readColumns()
	return &Reader{columns: a.columns}, err
}

// Encoder is the encoder of the columns.
func (r *Reader) Encoder() convert.Encoder { return encoder{r.columns} }

// Declarations are the columns as INSERT BULK declares them.
func (r *Reader) Declarations() (list []string) {
	for i := range r.columns {
		list = append(list, r.columns[i].declaration())
	}
	return list
}

// Read reads one row of values of types.
func (r *Reader) Read(row []byte, types []table.Type) ([]value.Value, error) {
	a := &answer{columns: r.columns, w: &wire{tran: reflect.ValueOf(new(uint64)).Elem()}, r: bufio.NewReaderSize(bytes.NewReader(row), 64<<10)}
	reader := &rowReader{types: types}
	var values []value.Value
	err := reader.each(a, func() error {
		values = reader.values
		return nil
	})
	return values, err
}

// Size is how many bytes the columns of a row take, by what sizeOf says of each.
func (r *Reader) Size(row []byte) int {
	at := 1
	for i := range r.columns {
		at += sizeOf(&r.columns[i], row[at:])
	}
	return at
}

// CodePageOf is the number of the code page of a collation.
func CodePageOf(collation []byte) int { return codePageOf(collation).Number }

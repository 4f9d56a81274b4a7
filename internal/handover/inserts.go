package handover

import (
	"bufio"
	"errors"
	"fmt"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// rowsPerInsert is how many rows one INSERT has: SQL Server takes 1,000.
const rowsPerInsert = 500

// maxInsert is after how many bytes an INSERT ends: MySQL takes 16 MiB at first.
const maxInsert = 1 << 20

// insertWriter writes the table and its rows as one script. It is used by one goroutine.
type insertWriter struct {
	h       *handover
	dialect *dialect.Dialect
	file    *rowFile
	out     *bufio.Writer
	insert  []byte
	open    int // rows in the statement that is being written
	bytes   int // of these
	rows    int64
	after   []string // statements that follow the rows
}

// openInserts begins the script: the statements that make the table. Its indexes and
// foreign keys follow the rows.
func openInserts(h *handover) (rowsWriter, error) {
	f, err := h.newRowFile()
	if err != nil {
		return nil, err
	}
	d := h.Dialect
	w := &insertWriter{h: h, dialect: d, file: f, out: bufio.NewWriterSize(f.out, 1<<16), after: d.Finish(h.table, true)}
	w.insert = fmt.Appendf(nil, "INSERT INTO %s (%s) VALUES\n", d.QuoteTable(h.table.Name), d.Columns(h.table))
	w.put([]byte(h.form.head + statements(append(d.ScriptHead(), d.BeforeRows(h.table)...))))
	return w, nil
}

// encoder writes the constants of a record after an opening parenthesis.
type encoder struct{ d *dialect.Dialect }

// AppendRecord implements convert.Encoder.
func (encoder) AppendRecord(dst []byte) []byte { return append(dst, '(') }

// AppendNull implements convert.Encoder.
func (encoder) AppendNull(dst []byte, _ int) []byte { return append(separate(dst), "NULL"...) }

// Column implements convert.Encoder.
func (e encoder) Column(_ int, t table.Type) func(dst []byte, v *value.Value) []byte {
	return func(dst []byte, v *value.Value) []byte { return e.d.AppendLiteral(separate(dst), t, v) }
}

// separate appends a comma unless a record was just begun. No constant ends in
// an opening parenthesis.
func separate(dst []byte) []byte {
	if dst[len(dst)-1] == '(' {
		return dst
	}
	return append(dst, ", "...)
}

// write appends the rows of a block, which it does not keep.
func (w *insertWriter) write(k *convert.Block) error {
	start := 0
	for _, end := range k.Ends {
		w.row(k.Data[start:end])
		start = end
	}
	_, err := w.out.Write(nil) // the first error sticks
	return err
}

// put writes a part of the script in lines that the client reads. The first error sticks.
func (w *insertWriter) put(text []byte) { w.out.Write(wrap(text, w.dialect.MaxLine)) }

func (w *insertWriter) row(text []byte) {
	if w.open == 0 {
		w.put(w.insert)
	} else {
		w.out.WriteString(",\n")
	}
	w.out.WriteString("    ")
	w.put(text)
	w.out.WriteByte(')')
	w.rows++
	w.open++
	w.bytes += len(text)
	if w.open == rowsPerInsert || w.bytes >= maxInsert || w.dialect.OneRowPerInsert {
		w.endInsert()
	}
}

func (w *insertWriter) endInsert() {
	if w.open > 0 {
		w.out.WriteString(";\n")
		w.open, w.bytes = 0, 0
	}
}

// close ends the script and returns how many rows it has.
func (w *insertWriter) close() (rows int64, err error) {
	w.endInsert()
	w.put([]byte("\n" + statements(append(w.after, w.dialect.ScriptTail()...))))
	return w.rows, errors.Join(w.out.Flush(), w.h.endRowFile(w.file))
}

// Package script writes a table and its rows as SQL, for a database that cannot
// be reached from here.
package script

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// rowsPerInsert is how many rows one INSERT has: SQL Server takes 1,000.
const rowsPerInsert = 500

// writer writes one script. It is used by one goroutine.
type writer struct {
	dialect *dialect.Dialect
	table   *table.Table
	out     *bufio.Writer
	insert  string
	open    int // rows in the statement that is being written
	rows    int64
	after   []string // statements that follow the rows
}

// newWriter begins a script: the statements that make the table. Its indexes and foreign
// keys follow the rows.
func newWriter(out io.Writer, d *dialect.Dialect, t *table.Table, indexes bool) (*writer, error) {
	w := &writer{dialect: d, table: t, out: bufio.NewWriterSize(out, 1<<16), after: d.Finish(t, indexes)}
	var names []string
	for _, c := range t.Loaded() {
		names = append(names, d.Quote(c.Name))
	}
	w.insert = fmt.Sprintf("INSERT INTO %s (%s) VALUES", d.QuoteTable(t.Name), strings.Join(names, ", "))
	for _, s := range append(d.ScriptHead(), d.BeforeRows(t)...) {
		if _, err := fmt.Fprintf(w.out, "%s;\n\n", s); err != nil {
			return nil, err
		}
	}
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
func (w *writer) write(k *convert.Block) error {
	start := 0
	for _, end := range k.Ends {
		w.row(k.Data[start:end])
		start = end
	}
	_, err := w.out.Write(nil) // the first error sticks
	return err
}

func (w *writer) row(text []byte) {
	if w.open == 0 {
		w.out.WriteString(w.insert + "\n")
	} else {
		w.out.WriteString(",\n")
	}
	w.out.WriteString("    ")
	w.out.Write(text)
	w.out.WriteByte(')')
	w.rows++
	if w.open++; w.open == rowsPerInsert || w.dialect.OneRowPerInsert {
		w.endInsert()
	}
}

func (w *writer) endInsert() {
	if w.open > 0 {
		w.out.WriteString(";\n")
		w.open = 0
	}
}

// close ends the script and returns how many rows it has.
func (w *writer) close() (rows int64, err error) {
	w.endInsert()
	for _, s := range append(w.after, w.dialect.ScriptTail()...) {
		fmt.Fprintf(w.out, "\n%s;\n", s)
	}
	return w.rows, w.out.Flush()
}

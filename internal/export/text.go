package export

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"ambertray/internal/note"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// textWriter writes delimited text, by the rules of RFC 4180 where the layout does
// not say otherwise: a cell is quoted where it must be, or if it is a blank text,
// which distinguishes it from NULL.
type textWriter struct {
	out      *bufio.Writer
	encoding source.Encoding
	o        *Options
	columns  []Column
	line     []byte
	cell     []byte
	special  [256]bool // bytes for which a cell is quoted
	newline  string
	rows     int64
}

func newTextWriter(w io.Writer, columns []Column, o *Options) (*textWriter, error) {
	lay := &o.Layout
	encoding, err := source.EncodingByName(lay.Encoding)
	if err != nil {
		return nil, err
	}
	t := &textWriter{out: bufio.NewWriterSize(w, 1<<20), encoding: encoding, o: o, columns: columns, newline: lineEnds[lay.LineEnd]}
	t.out.WriteString(encoding.Mark())
	for _, c := range []byte(lay.Delimiter + lay.Quote + "\r\n") {
		t.special[c] = true
	}
	if o.Header {
		for i := range columns {
			t.startCell(i)
			err = t.add([]byte(columns[i].Heading), o.Quoted)
			if err != nil {
				return nil, err
			}
		}
		err := t.endLine()
		if err != nil {
			return nil, err
		}
	}
	return t, nil
}

var lineEnds = map[string]string{"": "\n", "lf": "\n", "crlf": "\r\n", "cr": "\r"}

// Row implements rowWriter.
func (t *textWriter) Row(row []value.Value) error {
	t.rows++
	for i := range t.columns {
		t.startCell(i)
		c := &t.columns[i]
		v := c.of(row)
		if v == nil {
			t.line = append(t.line, c.null...)
			continue
		}
		t.cell = c.append(t.cell[:0], v)
		err := t.add(t.cell, t.o.Quoted || c.mistaken(t.cell))
		if err != nil {
			return fmt.Errorf("row %d, column %s: %w", t.rows, c.Heading, err)
		}
	}
	return t.endLine()
}

// Close implements rowWriter.
func (t *textWriter) Close() error { return t.out.Flush() }

// Notes implements rowWriter.
func (t *textWriter) Notes() []note.Note { return []note.Note{} }

// Drop implements rowWriter.
func (t *textWriter) Drop() error { return nil }

func (t *textWriter) startCell(i int) {
	if i > 0 {
		t.line = append(t.line, t.o.Layout.Delimiter...)
	}
}

// add adds a cell to the line.
func (t *textWriter) add(cell []byte, quoted bool) error {
	lay := &t.o.Layout
	if !t.encoding.IsUTF8() {
		_, err := t.encoding.Encode(cell)
		if err != nil {
			return fmt.Errorf("%q has a character that %s lacks", cell, t.encoding.Name)
		}
	}
	for _, c := range cell {
		quoted = quoted || t.special[c]
	}
	if !quoted {
		t.line = append(t.line, cell...)
		return nil
	}
	if lay.Quote == "" {
		if len(cell) == 0 || !t.needsQuotes(cell) {
			t.line = append(t.line, cell...)
			return nil
		}
		return fmt.Errorf("%q has the delimiter or a line end in it, which cannot be written without quotes", cell)
	}
	escape := lay.Quote
	if lay.Escape == source.Backslash {
		escape = `\`
	}
	t.line = append(t.line, lay.Quote...)
	for _, c := range cell {
		if c == lay.Quote[0] || c == escape[0] {
			t.line = append(t.line, escape...)
		}
		t.line = append(t.line, c)
	}
	t.line = append(t.line, lay.Quote...)
	return nil
}

func (t *textWriter) needsQuotes(cell []byte) bool {
	return strings.ContainsAny(string(cell), t.o.Layout.Delimiter+"\r\n")
}

func (t *textWriter) endLine() error {
	t.line = append(t.line, t.newline...)
	encoded, err := t.encoding.Encode(t.line)
	if err == nil {
		_, err = t.out.Write(encoded)
	}
	t.line = t.line[:0]
	return err
}

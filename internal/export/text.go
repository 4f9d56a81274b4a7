package export

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"ambertray/internal/note"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// textOutput is what delimited and fixed text are written to, in the encoding of a layout.
type textOutput struct {
	out      *bufio.Writer
	encoding source.Encoding
	newline  string
}

// newTextOutput begins a text. Without a header, blank lines are in place of the titles, which
// programs skip by their number.
func newTextOutput(w io.Writer, lay *source.Layout, header bool) (t textOutput, err error) {
	t.encoding, err = source.EncodingByName(lay.Encoding)
	if err != nil {
		return t, err
	}
	t.out = bufio.NewWriterSize(w, 1<<20)
	if lay.Format != source.Fixed || lay.RecordLength == 0 {
		t.newline = newline(lay.LineEnd)
	}
	t.out.WriteString(t.encoding.Mark())
	if !header {
		t.out.WriteString(strings.Repeat(t.newline, max(0, int(lay.FirstDataLine)-1)))
	}
	return t, nil
}

// Close implements rowWriter.
func (t *textOutput) Close() error { return t.out.Flush() }

// Notes implements rowWriter.
func (t *textOutput) Notes() []note.Note { return []note.Note{} }

// Drop implements rowWriter.
func (t *textOutput) Drop() error { return nil }

// textWriter writes delimited text, by the rules of RFC 4180 where the layout does
// not say otherwise: a cell is quoted where it must be, or if it is a blank text,
// which distinguishes it from NULL.
type textWriter struct {
	textOutput
	o        *Options
	columns  []Column
	line     []byte
	cell     []byte
	special  [256]bool // bytes for which a cell is quoted
	between  string    // cells
	bySpaces bool      // runs of spaces are the delimiter
	rows     int64
	blanks   int64 // texts that are written like NULL
	odd, at  int64 // rows with a NUL or invalid UTF-8, and the first of them
}

func newTextWriter(w io.Writer, columns []Column, o *Options) (*textWriter, error) {
	lay := &o.Layout
	out, err := newTextOutput(w, lay, o.Header)
	if err != nil {
		return nil, err
	}
	t := &textWriter{textOutput: out, o: o, columns: columns, between: lay.Delimiter}
	special := lay.Delimiter
	run, bySpaces := spaces[lay.Delimiter]
	if bySpaces {
		t.between, t.bySpaces, special = run, true, "\t"
	}
	for _, c := range []byte(special + lay.Quote + "\r\n") {
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

// Check returns an error if delimited text with these options could not be read back. columns is the number of
// its columns.
func (o *Options) Check(columns int) error {
	lay := &o.Layout
	special := lay.Delimiter + lay.Quote + "\r\n"
	if lay.Escape == source.ServerEscapes {
		special += `\`
	}
	_, bySpaces := spaces[lay.Delimiter]
	if bySpaces {
		special = " " + lay.Quote + "\r\n"
	}
	escapes := lay.Escape == source.Backslash || lay.Escape == source.ServerEscapes
	switch {
	case lay.Format != source.Delimited:
		return nil
	case lay.Delimiter == "" && columns > 1:
		return fmt.Errorf("delimiter none: %d columns need a delimiter", columns)
	case lay.Quote != "" && strings.Contains(lay.Delimiter, lay.Quote):
		return fmt.Errorf("delimiter %q has quote %q in it", lay.Delimiter, lay.Quote)
	case escapes && strings.Contains(lay.Delimiter, `\`):
		return fmt.Errorf("delimiter %q is the sign of escapes too; choose another delimiter", lay.Delimiter)
	case o.Quoted && lay.Quote == "":
		return errors.New(`quote "none" and quoting every cell exclude each other; leave out one of the two`)
	case o.Null != value.DumpedNull && strings.ContainsAny(o.Null, special):
		return fmt.Errorf("null %q has a sign in it that would need quotes, and these would make it a text; choose another word", o.Null)
	}
	return nil
}

// spaces are what is written between cells if runs of spaces are the delimiter.
var spaces = map[string]string{source.Spaces: " ", source.WideSpaces: "  "}

// newline returns the line ending that a plan with a word for line endings reads, LF for most of them.
func newline(word string) string {
	switch word {
	case "crlf":
		return "\r\n"
	case "cr":
		return "\r"
	}
	return "\n"
}

// Row implements rowWriter.
func (t *textWriter) Row(row []value.Value) error {
	t.rows++
	for i := range t.columns {
		t.startCell(i)
		c := &t.columns[i]
		v := c.of(row)
		if v == nil {
			err := t.addNull(c.null)
			if err != nil {
				return fmt.Errorf("row %d, column %s: %w", t.rows, c.Heading, err)
			}
			continue
		}
		t.cell = c.append(t.cell[:0], v)
		err := t.checkNull(c)
		if err != nil {
			return fmt.Errorf("row %d, column %s: %w", t.rows, c.Heading, err)
		}
		err = t.addValue(c, t.o.Quoted || c.mistaken(t.cell))
		if err != nil {
			return fmt.Errorf("row %d, column %s: %w", t.rows, c.Heading, err)
		}
	}
	return t.endLine()
}

// checkNull returns an error if the cell of a value is the word for NULL, and has no quotes to distinguish
// it. Blank texts are counted if they are like NULL.
func (t *textWriter) checkNull(c *Column) error {
	lay := &t.o.Layout
	server := lay.Escape == source.ServerEscapes
	quotable := lay.Quote != "" && (!server || t.o.Quoted)
	escaped := server && string(c.null) == value.DumpedNull
	if quotable || escaped || !bytes.Equal(t.cell, c.null) {
		return nil
	}
	if len(t.cell) > 0 {
		return fmt.Errorf("%q is the word for NULL too, and only quotes would distinguish them; choose another word with --null", t.cell)
	}
	t.blanks++
	return nil
}

// addValue adds the cell of a value. If the layout has text formulas, texts that spreadsheets would
// read as something else are written so.
func (t *textWriter) addValue(c *Column, quoted bool) error {
	if !t.o.Layout.TextFormulas || !c.Type.Textual() {
		return t.add(t.cell, quoted)
	}
	var v value.Value
	switch {
	case value.IsTextFormula(t.cell):
		return fmt.Errorf("%q would be read as the text in it with text_formulas: true", t.cell)
	case value.Scan(t.cell, &v).Kind == value.Text || t.needsQuotes(t.cell):
		return t.add(t.cell, quoted)
	case t.o.Quoted:
		t.addQuoted(value.TextFormula(t.cell))
	default:
		t.line = append(t.line, value.TextFormula(t.cell)...)
	}
	return nil
}

func (t *textWriter) startCell(i int) {
	if i > 0 {
		t.line = append(t.line, t.between...)
	}
}

// addNull adds what stands for NULL. Between spaces it cannot be nothing.
func (t *textWriter) addNull(null []byte) error {
	if len(null) == 0 && t.bySpaces {
		if t.o.Layout.Quote == "" {
			return errors.New("NULL cannot be written between spaces without quotes or --null WORD")
		}
		t.addQuoted(nil)
		return nil
	}
	t.line = append(t.line, null...)
	return nil
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
	needed := t.needsQuotes(cell)
	switch {
	case lay.Escape == source.ServerEscapes:
		t.addEscaped(cell)
	case !needed && (!quoted || lay.Quote == ""):
		t.line = append(t.line, cell...)
	case lay.Quote == "":
		return fmt.Errorf("%q has the delimiter or a line end in it, which cannot be written without quotes", cell)
	case lay.Escape == source.Unescaped && t.closes(cell):
		return fmt.Errorf("%q has a quote before the delimiter or a line end, which escape: none cannot write", cell)
	default:
		t.addQuoted(cell)
	}
	return nil
}

// addQuoted adds a cell between quotes.
func (t *textWriter) addQuoted(cell []byte) {
	lay := &t.o.Layout
	escape := lay.Quote
	if lay.Escape == source.Backslash {
		escape = `\`
	}
	t.line = append(t.line, lay.Quote...)
	for _, c := range cell {
		if lay.Escape != source.Unescaped && (c == lay.Quote[0] || c == escape[0]) {
			t.line = append(t.line, escape...)
		}
		t.line = append(t.line, c)
	}
	t.line = append(t.line, lay.Quote...)
}

// letters are the letters that servers write after a backslash for what could end a cell or a
// record, and for other signs that have one.
var letters = map[byte]byte{'\b': 'b', '\f': 'f', '\n': 'n', '\r': 'r', '\t': 't', '\v': 'v'}

// addEscaped adds a cell with the escapes of servers, which needs no quotes.
func (t *textWriter) addEscaped(cell []byte) {
	quote := ""
	if t.o.Quoted {
		quote = t.o.Layout.Quote
	}
	t.line = append(t.line, quote...)
	for _, c := range cell {
		letter, ok := letters[c]
		switch {
		case ok:
			t.line = append(t.line, '\\', letter)
			continue
		case c == '\\', t.special[c]:
			t.line = append(t.line, '\\')
		}
		t.line = append(t.line, c)
	}
	t.line = append(t.line, quote...)
}

// needsQuotes reports whether a cell has what would end it, or what would be lost without quotes.
func (t *textWriter) needsQuotes(cell []byte) bool {
	for _, c := range cell {
		if t.special[c] {
			return true
		}
	}
	if !t.bySpaces {
		return false
	}
	return len(cell) == 0 || cell[0] == ' ' || cell[len(cell)-1] == ' ' || bytes.Contains(cell, []byte(t.between))
}

// closes reports whether a quote in a cell would end it if it is not escaped.
func (t *textWriter) closes(cell []byte) bool {
	quote := t.o.Layout.Quote
	for _, end := range []string{t.between, "\r", "\n"} {
		if bytes.Contains(cell, []byte(quote+end)) {
			return true
		}
	}
	return false
}

// Notes implements rowWriter.
func (t *textWriter) Notes() []note.Note {
	list := []note.Note{}
	if t.blanks > 0 {
		list = append(list, note.About(fmt.Sprintf("%s written like NULL, because cells are not quoted; --null WORD distinguishes them", note.Count(t.blanks, "blank text is", "blank texts are"))))
	}
	if t.odd > 0 {
		list = append(list, note.About(fmt.Sprintf("%s a NUL or bytes that are not UTF-8, which are written as they are; the first is row %d, and a load rejects such records",
			note.Count(t.odd, "row has", "rows have"), t.at)))
	}
	return list
}

// noteOdd counts a line with a NUL or invalid UTF-8, which most programs refuse or change.
func (t *textWriter) noteOdd() {
	if utf8.Valid(t.line) && bytes.IndexByte(t.line, 0) < 0 {
		return
	}
	if t.odd == 0 {
		t.at = t.rows
	}
	t.odd++
}

func (t *textWriter) endLine() error {
	if t.encoding.IsUTF8() {
		t.noteOdd()
	}
	t.line = append(t.line, t.newline...)
	encoded, err := t.encoding.Encode(t.line)
	if err == nil {
		_, err = t.out.Write(encoded)
	}
	t.line = t.line[:0]
	return err
}

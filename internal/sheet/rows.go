package sheet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
)

// The greatest sheet.
const (
	maxRows    = 1 << 20
	maxColumns = 1 << 14
)

// Cells is a part of a sheet, from 1 on and inclusive. The zero Cells is all.
type Cells struct{ FirstColumn, FirstRow, LastColumn, LastRow int }

// ParseCells reads a range such as B3:H200, B:H or B3.
func ParseCells(text string) (c Cells, err error) {
	if text == "" {
		return c, nil
	}
	m := cellRange.FindStringSubmatch(text)
	if m == nil {
		return c, fmt.Errorf("cells %q: write a range such as B3:H200, or B:H", text)
	}
	c.FirstColumn, c.LastColumn = column(m[1]), column(m[3])
	c.FirstRow, _ = strconv.Atoi(m[2])
	c.LastRow, _ = strconv.Atoi(m[4])
	if c.LastColumn > 0 && c.LastColumn < c.FirstColumn || c.LastRow > 0 && c.LastRow < c.FirstRow || c.FirstColumn > maxColumns {
		return c, fmt.Errorf("cells %q: the second corner is before the first", text)
	}
	return c, nil
}

var cellRange = regexp.MustCompile(`^([A-Z]{1,3})(\d{0,7})(?::([A-Z]{1,3})(\d{0,7}))?$`)

// column returns the number of a column by its letters.
func column(letters string) (n int) {
	for _, c := range letters {
		n = n*26 + int(c-'A') + 1
	}
	return n
}

// has tells whether a cell is in the range.
func (c Cells) has(row, col int) bool {
	return row >= c.FirstRow && (c.LastRow == 0 || row <= c.LastRow) && col >= c.FirstColumn && (c.LastColumn == 0 || col <= c.LastColumn)
}

// Reader returns the text of a sheet as Text writes it.
func (b *Book) Reader(i int, cells Cells, read func(io.Reader) io.Reader) io.ReadCloser {
	return newRelay(func(w io.Writer) error { return b.Text(i, cells, w, read) })
}

// Text writes the text of a sheet, row by row; those without a value are rows of
// no cell, so that rows have the numbers that they have in the sheet. read,
// unless nil, wraps what is read.
func (b *Book) Text(i int, cells Cells, to io.Writer, read func(io.Reader) io.Reader) error {
	if b.shared != "" && b.strings.ends == nil {
		if err := b.optional(b.shared, b.readStrings); err != nil {
			return err
		}
	}
	part, err := b.open(b.Sheets[i].part)
	if err != nil {
		return err
	}
	defer part.Close()
	var in io.Reader = part
	if read != nil {
		in = read(part)
	}
	ahead := readAhead(in) // which unpacks on another core
	defer ahead.Close()
	w := &writer{to: to, cells: cells}
	if b.Format == "ods" {
		err = b.odsRows(newScanner(ahead), b.Sheets[i].Name, w)
	} else {
		err = b.xlsxRows(newScanner(ahead), w)
	}
	if err != nil {
		return err
	}
	return w.end()
}

// writer writes rows of cells as text.
type writer struct {
	to     io.Writer
	cells  Cells
	out    []byte
	row    int // that is being written, from 1 on
	column int // of the cell after the last one that was written, from 1 on
	ended  int // rows that were written
}

const chunk = 64 << 10

// begin begins a row.
func (w *writer) begin(row int) error {
	if row <= w.row || row > maxRows {
		return fmt.Errorf("%w: row %d stands behind row %d", ErrBroken, row, w.row)
	}
	w.row, w.column = row, max(w.cells.FirstColumn, 1)
	return w.flush(chunk)
}

// cell begins a cell, whose text is to be appended to out; ok is false for one
// that is left out.
func (w *writer) cell(col int) (ok bool, err error) {
	if col > maxColumns {
		return false, fmt.Errorf("%w: row %d has a column %d", ErrBroken, w.row, col)
	}
	if !w.cells.has(w.row, col) {
		return false, nil
	}
	if col < w.column-1 {
		return false, fmt.Errorf("%w: the cells of row %d are not in order", ErrBroken, w.row)
	}
	for ; w.ended < w.row-1; w.ended++ {
		w.out = append(w.out, RowEnd)
	}
	for ; w.column <= col; w.column++ {
		if w.column > max(w.cells.FirstColumn, 1) {
			w.out = append(w.out, CellEnd)
		}
	}
	return true, nil
}

// endRow ends the row, if any of its cells was written.
func (w *writer) endRow() {
	if w.column > max(w.cells.FirstColumn, 1) {
		w.out = append(w.out, RowEnd)
		w.ended = w.row
	}
}

func (w *writer) flush(atLeast int) error {
	if len(w.out) < atLeast {
		return nil
	}
	_, err := w.to.Write(w.out)
	w.out = w.out[:0]
	return err
}

func (w *writer) end() error { return w.flush(1) }

// xlsxRows writes the rows of a sheet of Office Open XML.
func (b *Book) xlsxRows(s *scanner, w *writer) error {
	row := 0
	for {
		tag, err := s.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		switch string(name(tag)) {
		case "row":
			row++
			if r := attribute(tag, "r"); r != "" {
				if row, err = strconv.Atoi(r); err != nil {
					return fmt.Errorf("%w: row %q", ErrBroken, r)
				}
			}
			if err := w.begin(row); err != nil {
				return err
			}
			if closed(tag) {
				continue
			}
			if err := b.xlsxRow(s, w); err != nil {
				return err
			}
			w.endRow()
		case "/sheetData":
			return nil
		}
	}
}

// cellTag is what the tag of a cell says.
type cellTag struct {
	column int
	style  int
	kind   byte // the first letter of its type; 'S' for str, 'i' for inlineStr
}

func (b *Book) xlsxRow(s *scanner, w *writer) error {
	c := cellTag{}
	for {
		if !s.usualTag(&c) {
			tag, err := s.next()
			if err != nil {
				return ended(err)
			}
			n := name(tag)
			if ends(n, "row") {
				return nil
			}
			if string(n) != "c" {
				continue
			}
			if c.read(tag); closed(tag) {
				continue
			}
		}
		done, err := b.usualCell(s, w, c)
		if err == nil && !done {
			err = b.xlsxCell(s, w, c)
		}
		if err != nil {
			return err
		}
	}
}

// longestTag is as long as the tag of a cell usually is at most.
const longestTag = 64

// usualTag reads the tag of a cell that is written as most are, <c r="B12" s="3"
// t="s">, and is all in the buffer.
func (s *scanner) usualTag(c *cellTag) bool {
	const start = `<c r="`
	p := s.buf[s.at:s.end]
	if len(p) < longestTag || string(p[:len(start)]) != start {
		return false
	}
	p = p[:longestTag]
	next, i := cellTag{kind: 'n'}, len(start)
	for ; i < 16 && p[i] >= 'A' && p[i] <= 'Z'; i++ {
		next.column = next.column*26 + int(p[i]-'A') + 1
	}
	for ; i < 24 && p[i] != '"'; i++ {
		if p[i] < '0' || p[i] > '9' {
			return false
		}
	}
	for i++; i+16 < longestTag && p[i] == ' '; {
		end := i + 4
		for ; end < i+12 && p[end] != '"'; end++ {
		}
		if p[i+2] != '=' || p[i+3] != '"' || p[end] != '"' || end == i+4 {
			return false
		}
		next.set(p[i+1], p[i+4:end])
		i = end + 1
	}
	if p[i] != '>' || next.column == 0 {
		return false
	}
	s.at += i + 1
	*c = next
	return true
}

// read takes in the attributes of a cell. One without a reference follows the
// one before.
func (c *cellTag) read(tag []byte) {
	*c = cellTag{column: c.column + 1, kind: 'n'}
	for len(tag) > 0 {
		eq := bytes.IndexByte(tag, '=')
		if eq < 1 || eq+2 >= len(tag) {
			return
		}
		end := bytes.IndexByte(tag[eq+2:], tag[eq+1])
		if end < 0 {
			return
		}
		value := tag[eq+2 : eq+2+end]
		if len(value) > 0 && (eq < 2 || tag[eq-2] == ' ') { // its name is one letter
			c.set(tag[eq-1], value)
		}
		tag = tag[eq+2+end+1:]
	}
}

// set takes in one attribute.
func (c *cellTag) set(name byte, value []byte) {
	switch name {
	case 'r':
		n := 0
		for _, l := range value {
			if l < 'A' || l > 'Z' {
				break
			}
			n = n*26 + int(l-'A') + 1
		}
		if n > 0 {
			c.column = n
		}
	case 's':
		c.style, _ = strconv.Atoi(string(value))
	case 't':
		if c.kind = value[0]; string(value) == "str" {
			c.kind = 'S'
		}
	}
}

// usualCell writes a cell that is written as most are, with a value only or a
// text of its own.
func (b *Book) usualCell(s *scanner, w *writer, c cellTag) (done bool, err error) {
	text, valued := s.value("<v>", "</v></c>")
	if !valued {
		text, done = s.value("<is><t>", "</t></is></c>")
		if !done {
			return false, nil
		}
	}
	if valued && len(text) == 0 && c.kind != 'S' {
		return true, nil
	}
	ok, err := w.cell(c.column)
	if err != nil || !ok {
		return true, err
	}
	if !valued {
		start := len(w.out)
		w.out = unescape(appendText(w.out, text), start)
		return true, nil
	}
	if w.out, err = b.appendValue(w.out, text, c); err != nil {
		err = fmt.Errorf("%w in row %d", err, w.row)
	}
	return true, err
}

// xlsxCell writes a cell: its value, or the formula where that has none.
func (b *Book) xlsxCell(s *scanner, w *writer, c cellTag) error {
	var formula []byte
	valued := false
	for {
		tag, err := s.next()
		if err != nil {
			return ended(err)
		}
		element := string(name(tag))
		if element == "/c" {
			break
		}
		if closed(tag) {
			if element == "f" { // which shares that of another cell
				formula = []byte{}
			}
			continue
		}
		switch element {
		case "f":
			formula, err = s.inner([]byte{}, "f", "")
		case "v":
			var some bool
			some, err = b.value(s, w, c)
			valued = valued || some
		case "is":
			err = inline(s, w, c.column)
			valued = true
		}
		if err != nil {
			return err
		}
	}
	if formula == nil || valued {
		return nil
	}
	ok, err := w.cell(c.column)
	if ok {
		w.out = append(append(w.out, '='), formula...)
	}
	return err
}

// value writes the value of a cell, if there is one.
func (b *Book) value(s *scanner, w *writer, c cellTag) (some bool, err error) {
	text, err := s.text()
	if err != nil {
		return false, ended(err)
	}
	if some = len(text) > 0 || c.kind == 'S'; some {
		ok, err := w.cell(c.column)
		if err != nil {
			return false, err
		}
		if ok {
			if w.out, err = b.appendValue(w.out, text, c); err != nil {
				return false, fmt.Errorf("%w in row %d", err, w.row)
			}
		}
	}
	_, err = s.tag() // </v>
	return some, err
}

// inline writes a text that stands in its cell.
func inline(s *scanner, w *writer, column int) error {
	ok, err := w.cell(column)
	if err != nil {
		return err
	}
	kept := len(w.out)
	if w.out, err = s.rich(w.out, "is"); !ok {
		w.out = w.out[:kept]
	}
	return err
}

// appendValue appends the value of a cell as a person sees it.
func (b *Book) appendValue(dst, text []byte, c cellTag) ([]byte, error) {
	switch c.kind {
	case 's':
		i, err := strconv.Atoi(string(bytes.TrimSpace(text)))
		shared := b.strings.at(i)
		if err != nil || shared == nil && i >= len(b.strings.ends) {
			return dst, fmt.Errorf("%w: it has no shared text %q", ErrBroken, text)
		}
		return append(dst, shared...), nil
	case 'b':
		if len(text) == 1 && text[0] == '1' || string(text) == "true" {
			return append(dst, "TRUE"...), nil
		}
		return append(dst, "FALSE"...), nil
	case 'n':
		f := format{}
		if c.style < len(b.styles) && c.style >= 0 {
			f = b.styles[c.style]
		}
		return f.appendNumber(dst, bytes.TrimSpace(text), b.is1904), nil
	}
	start := len(dst)
	return unescape(appendText(dst, text), start), nil
}

package sheet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/charset"
)

// page is a web page whose tables are sheets. Many programs that offer workbooks write such
// pages under the names of workbooks.
type page struct {
	textFile
	starts []int64 // of each table, in bytes of the decoded text
}

// textFile is a workbook that is one file of text.
type textFile struct {
	from   io.ReaderAt
	length int64
}

func (f textFile) size(int) int64 { return f.length }

func (f textFile) reader() io.Reader { return io.NewSectionReader(f.from, 0, f.length) }

// IsPage reports whether text begins a web page, or a table of one.
func IsPage(head []byte) bool {
	head = bytes.ToLower(bytes.TrimLeft(head, " \t\r\n\uFEFF"))
	for _, start := range []string{"<!doctype html", "<html", "<head", "<meta", "<body", "<style", "<table"} {
		if bytes.HasPrefix(head, []byte(start)) {
			return true
		}
	}
	return bytes.HasPrefix(head, []byte("<?xml")) && bytes.Contains(head, []byte("<html"))
}

// OpenPage reads which tables a web page has, in the order in which they begin. It returns nil for a
// page without a table of records: two rows of two cells.
func OpenPage(from io.ReaderAt, size int64) (*Book, error) {
	p := &page{textFile: textFile{from, size}}
	b := &Book{Format: "html", content: p}
	var full []int // rows of two cells, by table
	w := &pageWalk{each: func(table int, row []pageCell, _ bool) error {
		for len(full) <= table {
			full = append(full, 0)
			b.Sheets = append(b.Sheets, Sheet{Name: fmt.Sprintf("Table %d", len(full)), Empty: true})
		}
		if len(row) > 1 {
			full[table]++
		}
		b.Sheets[table].Empty = full[table] < 2
		return nil
	}}
	err := w.read(p.reader())
	if err != nil {
		return nil, err
	}
	p.starts = w.starts
	for _, s := range b.Sheets {
		if !s.Empty {
			return b, nil
		}
	}
	return nil, nil
}

// write implements content.
func (p *page) write(sheet int, w *writer) error {
	w.mergesAtCells()
	row := 0
	var taken map[int]int // rows that cells above go on for, by column
	walk := &pageWalk{from: p.starts[sheet], single: true, each: func(table int, cells []pageCell, hidden bool) error {
		if table != 0 {
			return nil
		}
		row++
		err := w.begin(row, hidden)
		if err != nil {
			return err
		}
		taken, err = writePageRow(w, cells, taken)
		if err != nil {
			return err
		}
		return w.endRow()
	}}
	return walk.read(w.counted(p.reader()))
}

// writePageRow writes the cells of a row, past the columns that cells from above cover. It returns
// the columns that cells cover in the rows below, each with the number of these rows.
func writePageRow(w *writer, cells []pageCell, taken map[int]int) (below map[int]int, err error) {
	below = map[int]int{}
	for column, rows := range taken {
		if rows > 1 {
			below[column] = rows - 1
		}
	}
	column := 1
	for _, c := range cells {
		for taken[column] > 0 {
			column++
		}
		if column+c.across > maxColumns {
			return nil, fmt.Errorf("%w: row %d has more than %d columns", ErrBroken, w.row, maxColumns)
		}
		err := writePageCell(w, column, c)
		if err != nil {
			return nil, err
		}
		for range c.across + 1 {
			if c.down > 0 {
				below[column] = c.down
			}
			column++
		}
	}
	return below, nil
}

func writePageCell(w *writer, column int, c pageCell) error {
	if len(c.text) == 0 {
		return nil
	}
	w.mergedFrom(column, c.across, c.down)
	ok, err := w.cell(column)
	if ok {
		w.append(c.text)
	}
	return err
}

// pageCell is a cell of a table, and how many others it is merged with.
type pageCell struct {
	text         []byte
	across, down int
}

// openTable is a table whose end was not read yet.
type openTable struct {
	number        int
	row           []pageCell
	inRow, inCell bool
	hidden        bool
	space         bool // one stands before the text that follows
}

// pageWalk calls each with every row of every table. A table within a cell is one of its own.
type pageWalk struct {
	from   int64 // where it begins, in bytes of the decoded text
	single bool  // it ends with the first table
	each   eachPageRow

	z      *html.Tokenizer
	at     int64        // the end of the token
	open   []*openTable // the innermost one last
	starts []int64      // of the tables that have begun
	unread string       // the element whose text is left out, or ""
}

// read takes the tags and texts of a page.
func (w *pageWalk) read(page io.Reader) error {
	decoded, err := charset.NewReader(page, "text/html")
	if err == nil {
		w.at, err = io.CopyN(io.Discard, decoded, w.from)
	}
	if errors.Is(err, io.EOF) {
		return nil
	}
	if err != nil {
		return err
	}
	w.z = html.NewTokenizer(decoded)
	w.z.SetMaxBuf(maxText)
	for !w.single || len(w.starts) == 0 || len(w.open) > 0 {
		kind := w.z.Next()
		if kind == html.ErrorToken {
			break
		}
		w.at += int64(len(w.z.Raw()))
		err := w.token(kind)
		if err != nil {
			return err
		}
	}
	if w.z.Err() != nil && !errors.Is(w.z.Err(), io.EOF) {
		return fmt.Errorf("%w: %w", ErrBroken, w.z.Err())
	}
	for len(w.open) > 0 {
		err := w.close()
		if err != nil {
			return err
		}
	}
	return nil
}

// token takes a tag or a text.
func (w *pageWalk) token(kind html.TokenType) error {
	name, attributes := w.z.TagName()
	tag := string(name)
	if w.unread != "" {
		if kind == html.EndTagToken && tag == w.unread {
			w.unread = ""
		}
		return nil
	}
	if kind == html.StartTagToken {
		switch tag {
		case "script", "style", "title":
			w.unread = tag
			return nil
		case "table":
			w.open = append(w.open, &openTable{number: len(w.starts)})
			w.starts = append(w.starts, w.at-int64(len(w.z.Raw())))
			return nil
		}
	}
	if len(w.open) == 0 {
		return nil
	}
	t := w.open[len(w.open)-1]
	switch kind {
	case html.TextToken:
		t.append(w.z.Text())
	case html.StartTagToken, html.SelfClosingTagToken:
		return t.begin(tag, attributes, w.z, w.each)
	case html.EndTagToken:
		if tag == "table" {
			return w.close()
		}
		return t.end(tag, w.each)
	}
	return nil
}

// close ends the innermost table.
func (w *pageWalk) close() error {
	t := w.open[len(w.open)-1]
	w.open = w.open[:len(w.open)-1]
	return t.endRow(w.each)
}

// eachPageRow is called with a row of a table, which is valid until it returns.
type eachPageRow = func(table int, row []pageCell, hidden bool) error

func (t *openTable) begin(tag string, attributes bool, z *html.Tokenizer, each eachPageRow) error {
	switch tag {
	case "tr":
		err := t.endRow(each)
		t.inRow = true
		t.hidden = spanOf(attributes, z).hidden
		return err
	case "td", "th":
		s := spanOf(attributes, z)
		t.inRow, t.inCell, t.space = true, true, false
		t.row = append(t.row, pageCell{across: s.across, down: s.down})
	case "br", "p", "div", "li":
		c := t.cell()
		if c != nil && (len(c.text) > 0 || tag == "br") {
			c.text, t.space = append(c.text, '\n'), false
		}
	}
	return nil
}

func (t *openTable) end(tag string, each eachPageRow) error {
	switch tag {
	case "td", "th":
		t.inCell = false
	case "tr":
		return t.endRow(each)
	}
	return nil
}

func (t *openTable) endRow(each eachPageRow) error {
	if !t.inRow {
		return nil
	}
	for i := range t.row {
		t.row[i].text = bytes.TrimSpace(t.row[i].text)
	}
	err := each(t.number, t.row, t.hidden)
	t.row, t.inRow, t.inCell = t.row[:0], false, false
	return err
}

func (t *openTable) cell() *pageCell {
	if !t.inCell {
		return nil
	}
	return &t.row[len(t.row)-1]
}

// append appends text, in which any spaces are one.
func (t *openTable) append(text []byte) {
	c := t.cell()
	if c == nil {
		return
	}
	for _, r := range string(text) {
		if r == ' ' || r == '\t' || r == '\n' || r == '\r' || r == '\f' || r == '\u00a0' {
			t.space = true
			continue
		}
		n := len(c.text)
		if t.space && n > 0 && c.text[n-1] != '\n' {
			c.text = append(c.text, ' ')
		}
		t.space = false
		c.text = append(c.text, string(r)...)
	}
}

// maxSpan is how many columns or rows a cell may go on for, as in HTML.
const maxSpan = 1000

// spanOf reads how many cells a cell is merged with, and whether a row is hidden.
func spanOf(attributes bool, z *html.Tokenizer) (of span) {
	for attributes {
		var name, value []byte
		name, value, attributes = z.TagAttr()
		n, err := strconv.Atoi(strings.TrimSpace(string(value)))
		if err != nil || n < 1 {
			n = 1
		}
		switch string(name) {
		case "colspan":
			of.across = min(n, maxSpan) - 1
		case "rowspan":
			of.down = min(n, maxSpan) - 1
		case "hidden":
			of.hidden = true
		case "style":
			style := strings.ReplaceAll(strings.ToLower(string(value)), " ", "")
			of.hidden = of.hidden || strings.Contains(style, "display:none")
		}
	}
	return of
}

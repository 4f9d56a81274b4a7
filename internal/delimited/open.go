package delimited

import (
	"bytes"
	"fmt"
	"io"

	"ambertray/internal/record"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// Open returns a reader of the records of src, which must not have been read
// from yet, and the headings of its columns, each of them distinct: a blank
// one is called column_N and one that came before gets its number.
func Open(src *source.Source, lay source.Layout) (*Reader, []string, error) {
	return open(src, lay, PieceSize)
}

func open(src *source.Source, lay source.Layout, size int) (*Reader, []string, error) {
	c, err := newCutter(lay)
	if err != nil {
		return nil, nil, err
	}
	head := src.Head()
	whole := len(head) < source.HeadSize
	first := max(lay.HeaderLine, 1)
	if lay.HeaderLine == 0 {
		first = max(lay.FirstDataLine, 1)
	}
	text, above, ok := c.skipLines(head, first-1, 1, record.Title)
	if !ok {
		return nil, nil, &NoLineError{src.Name, first}
	}
	line := first
	lines := int64(0)
	if lay.HeaderLine > 0 {
		lines = max(lay.HeaderLines, 1)
	}
	headings, used := c.headings(text, whole, lines, lay.DescriptionLines)
	if lay.HeaderLine > 0 {
		if len(headings) > 1 {
			c.header = bytes.TrimRight(bytes.Clone(text[:used]), "\r\n")
		}
		line += lineCount(c, text[:used])
		rest, described, ok := c.skipLines(text[used:], lay.DescriptionLines, line, record.Description)
		if !ok {
			return nil, nil, &NoLineError{src.Name, line + lay.DescriptionLines}
		}
		above = append(above, described...)
		line += lay.DescriptionLines
		text = rest
	}
	if _, err := io.CopyN(io.Discard, src, int64(len(head)-len(text))); err != nil {
		return nil, nil, err
	}
	if lay.FillShort {
		c.fill = len(headings)
	}
	c.width = len(headings)
	if lay.FindFooter {
		c.find = len(headings)
		c.columns = c.columnsOf(text, whole)
	}
	r := newReader(src, c, size, line)
	r.decoded = !src.Encoding.IsUTF8()
	for _, row := range above {
		r.skipped[row.Rule]++
		if row.Rule != record.Blank && row.Rule != record.Hidden {
			r.above = append(r.above, row)
		}
	}
	return r, Distinct(headings), nil
}

// NoLineError says that a source is too short to have the line of its header.
type NoLineError struct {
	Source string
	Line   int64
}

func (e *NoLineError) Error() string {
	return fmt.Sprintf("%s has no line %d within its first %d kB, where its header or its data should begin", e.Source, e.Line, source.HeadSize>>10)
}

// skipLines returns what stands after n lines, the first of which has the number
// from, and the rows in those lines, left out by the given rule where no other
// does.
func (c *cutter) skipLines(text []byte, n, from int64, by record.Rule) (rest []byte, above []record.LeftOut, ok bool) {
	for line := from; line < from+n; line++ {
		i := bytes.IndexAny(text, c.lineEnds())
		if i < 0 {
			return nil, above, false
		}
		row := bytes.TrimRight(text[:i], "\r")
		rule, ok := c.rule(row)
		if !ok {
			rule = by
		}
		if string(row) != string(sheet.OutsideRow) { // which is no row of the source
			above = append(above, record.LeftOut{Rule: rule, Line: line, Text: string(row)})
		}
		if c.newline == 0 && text[i] == '\r' && i+1 < len(text) && text[i+1] == '\n' {
			i++
		}
		text = text[i+1:]
	}
	return text, above, true
}

func (c *cutter) lineEnds() string {
	if c.newline == 0 {
		return "\r\n"
	}
	return string(rune(c.newline))
}

// headings cuts the rows that begin on the lines of the header, or where there
// are none the first record, and returns a heading for each cell and how many
// bytes the rows take with their line ends. A header may be written as a comment.
func (c *cutter) headings(text []byte, whole bool, lines, described int64) (headings []string, used int) {
	sign := 0
	if lines > 0 && len(c.comment) > 0 && c.isComment(text) {
		sign = len(text) - len(uncomment(text, string(c.comment)))
		text = text[sign:]
	}
	b := c.cutText(text, whole)
	if b.Len() == 0 {
		return []string{""}, sign
	}
	if lines == 0 {
		return c.fitHeadings(make([]string, c.widthOf(b)), b, 0), 0
	}
	rows := 1
	for rows < b.Len() && b.Line(rows) <= lines {
		rows++
	}
	from := rows
	for from < b.Len() && b.Line(from) <= lines+described {
		from++
	}
	return c.fitHeadings(joinHeadings(b, 0, rows), b, from), sign + b.Next(rows-1)
}

// widthOf returns the number of cells of most of the first rows.
func (c *cutter) widthOf(b *record.Batch) int {
	if c.newline == sheet.RowEnd {
		return b.Width(0)
	}
	s := shape{rows: b}
	return s.commonWidth()
}

// fitHeadings adds a blank heading where nearly all records have one cell more
// than the header: before the first, for the names of the rows, or after the
// last, where the records end in a delimiter. Where only some of them have it,
// it comes after the last too. A record that lacks just the cell of a last
// heading that is blank is filled.
//
// Rows of a sheet end with their last value, so that there only cells after the
// last heading lack one.
func (c *cutter) fitHeadings(headings []string, b *record.Batch, from int) []string {
	if c.newline == sheet.RowEnd {
		for width := widest(b); len(headings) < width; {
			headings = append(headings, "")
		}
		return headings
	}
	more, blank, wider, rows := 0, 0, 0, min(b.Len(), headRows)
	for r := from; r < rows; r++ {
		switch w := b.Width(r); {
		case w == len(headings)+1:
			more++
			if value.Blank(b.Cell(r, len(headings))) {
				blank++
			}
		case w > len(headings)+1:
			wider++
		}
	}
	records := rows - from
	switch {
	case more*10 >= records*9 && more > 0 && blank < more:
		return append([]string{""}, headings...)
	case more*10 >= records*9 && more > 0, more*optionalShare >= records && more > 1 && wider == 0:
		headings = append(headings, "")
	}
	if n := len(headings); n > 1 && headings[n-1] == "" {
		c.fillLast = n
	}
	return headings
}

// optionalShare is the part of the records that has a last cell without a heading
// where that is a column, and no mistake.
const optionalShare = 3

// cutText cuts a text that is no part of a source.
func (c *cutter) cutText(text []byte, whole bool) *record.Batch {
	b := record.New(c.newline, nil)
	b.Data, b.Raw, b.FirstLine = pad(bytes.Clone(text)), len(text), 1
	c.cut(b, whole, false)
	return b
}

func lineCount(c *cutter, text []byte) int64 {
	b := record.New(c.newline, nil)
	b.Data = text
	b.CountLines(len(text))
	return b.Lines
}

// Distinct names blank headings and numbers repeated ones.
func Distinct(headings []string) []string {
	seen := map[string]bool{}
	for i, h := range headings {
		if h == "" {
			h = fmt.Sprintf("column_%d", i+1)
		}
		name := h
		for n := 2; seen[name]; n++ {
			name = fmt.Sprintf("%s (%d)", h, n)
		}
		headings[i], seen[name] = name, true
	}
	return headings
}

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
	text, above, ok := c.skipLines(head, first-1)
	if !ok {
		return nil, nil, &NoLineError{src.Name, first}
	}
	line := first
	lines := int64(0)
	if lay.HeaderLine > 0 {
		lines = max(lay.HeaderLines, 1)
	}
	headings, used := c.headings(text, whole, lines)
	if lay.HeaderLine > 0 {
		if len(headings) > 1 {
			c.header = bytes.TrimRight(bytes.Clone(text[:used]), "\r\n")
		}
		line += lineCount(c, text[:used])
		text = text[used:]
	}
	if _, err := io.CopyN(io.Discard, src, int64(len(head)-len(text))); err != nil {
		return nil, nil, err
	}
	if lay.FillShort {
		c.fill = len(headings)
	}
	if lay.FindFooter {
		c.find = len(headings)
	}
	r := newReader(src, c, size, line)
	r.decoded = !src.Encoding.IsUTF8()
	for _, row := range above {
		r.skipped[row.Rule]++
		if row.Rule != record.Blank && row.Rule != record.Hidden {
			r.above = append(r.above, row)
		}
	}
	return r, distinct(headings), nil
}

// NoLineError says that a source is too short to have the line of its header.
type NoLineError struct {
	Source string
	Line   int64
}

func (e *NoLineError) Error() string {
	return fmt.Sprintf("%s has no line %d within its first %d kB, where its header or its data should begin", e.Source, e.Line, source.HeadSize>>10)
}

// skipLines returns what stands behind n lines, and the rows in those lines.
func (c *cutter) skipLines(text []byte, n int64) (rest []byte, above []record.LeftOut, ok bool) {
	for line := int64(1); line <= n; line++ {
		i := bytes.IndexAny(text, c.lineEnds())
		if i < 0 {
			return nil, above, false
		}
		row := bytes.TrimRight(text[:i], "\r")
		rule, ok := c.rule(row)
		if !ok {
			rule = record.Title
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
// bytes the rows take with their line ends.
func (c *cutter) headings(text []byte, whole bool, lines int64) (headings []string, used int) {
	b := c.cutText(text, whole)
	if b.Len() == 0 {
		return []string{""}, 0
	}
	if lines == 0 {
		return c.fitHeadings(make([]string, b.Width(0)), b, 1), 0
	}
	rows := 1
	for rows < b.Len() && b.Line(rows) <= lines {
		rows++
	}
	return c.fitHeadings(joinHeadings(b, 0, rows), b, rows), b.Next(rows - 1)
}

// fitHeadings adds a blank heading where nearly all records have one cell more
// than the header: before the first, for the names of the rows, or behind the
// last, where the records end in a delimiter. Rows of a sheet end with their last
// value, so that there only cells behind the last heading lack one.
func (c *cutter) fitHeadings(headings []string, b *record.Batch, from int) []string {
	if c.newline == sheet.RowEnd {
		for width := widest(b); len(headings) < width; {
			headings = append(headings, "")
		}
		return headings
	}
	more, blank, rows := 0, 0, min(b.Len(), headRows)
	for r := from; r < rows; r++ {
		if b.Width(r) == len(headings)+1 {
			more++
			if value.Blank(b.Cell(r, len(headings))) {
				blank++
			}
		}
	}
	switch {
	case more*10 < (rows-from)*9 || more == 0:
		return headings
	case blank == more:
		return append(headings, "")
	}
	return append([]string{""}, headings...)
}

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

// distinct names blank headings and numbers repeated ones.
func distinct(headings []string) []string {
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

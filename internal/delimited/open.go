package delimited

import (
	"bytes"
	"fmt"
	"io"

	"ambertray/internal/source"
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
	head, err := src.Head()
	if err != nil {
		return nil, nil, err
	}
	text, line := head, int64(1)
	for ; line < lay.HeaderLine; line++ {
		i := bytes.IndexByte(text, c.newline)
		if i < 0 {
			return nil, nil, fmt.Errorf("%s has no line %d, where its header should be", src.Name, lay.HeaderLine)
		}
		text = text[i+1:]
	}
	b := cutHead(text, len(head) < source.HeadSize, c.delimiter)
	if b.Len() == 0 {
		return nil, nil, fmt.Errorf("%s: %w", src.Name, source.ErrEmpty)
	}
	headings := make([]string, b.Width(0))
	if lay.HeaderLine > 0 {
		for i := range headings {
			headings[i] = string(bytes.TrimSpace(b.Cell(0, i)))
		}
		end := min(len(head)-len(text)+b.End(0)+1, len(head))
		line += int64(bytes.Count(text[:end-(len(head)-len(text))], []byte{c.newline}))
		if _, err := io.CopyN(io.Discard, src, int64(end)); err != nil {
			return nil, nil, err
		}
	}
	return newReader(src, c, size, line), distinct(headings), nil
}

// newCutter returns the cutter for a layout.
func newCutter(lay source.Layout) (*cutter, error) {
	c := &cutter{newline: '\n', limit: MaxRecord}
	if len(lay.Delimiter) != 1 {
		return nil, fmt.Errorf("delimiter %q: it must be one character of ASCII", lay.Delimiter)
	}
	c.delimiter = lay.Delimiter[0]
	switch len(lay.Quote) {
	case 0:
	case 1:
		c.quote = lay.Quote[0]
	default:
		return nil, fmt.Errorf("quote %q: it must be one character of ASCII, or empty", lay.Quote)
	}
	return c, nil
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

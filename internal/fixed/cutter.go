package fixed

import (
	"bytes"

	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/text"
)

// cutter cuts lines at the places of their columns, without the spaces around
// cells. A line that is too short has blank cells.
type cutter struct {
	places  []Place
	newline byte // 0: mixed line ends
	rules   frame.Rules
	text.Expected
}

func newCutter(lay source.Layout) (*cutter, error) {
	c := &cutter{newline: '\n', rules: frame.Rules{Delimiter: ' ', Comment: []byte(lay.Comment), Ruler: lay.Ruler}}
	switch lay.LineEnd {
	case "cr":
		c.newline = '\r'
	case "mixed":
		c.newline = 0
	}
	var err error
	c.places, err = ParsePlaces(lay.Columns)
	return c, err
}

// Newline implements text.Cutter.
func (c *cutter) Newline() byte { return c.newline }

// Expect implements text.Cutter.
func (c *cutter) Expect(e text.Expected) { c.Expected = e }

// Delimiter implements text.Cutter.
func (c *cutter) Delimiter() string { return "" }

// Rules implements text.Cutter.
func (c *cutter) Rules() *frame.Rules { return &c.rules }

// Boundary implements text.Cutter.
func (c *cutter) Boundary(data []byte) (end int, sure bool) {
	newline := c.newline
	if newline == 0 {
		newline = '\n'
	}
	end = bytes.LastIndexByte(text.HoldBack(data, newline, c.HeldBack), newline) + 1
	return end, end > 0
}

// Cut implements text.Cutter.
func (c *cutter) Cut(b *record.Batch, last, _ bool) int {
	b.Reset()
	for at := 0; at < b.Raw; {
		end := text.EndOfLine(b.Data[:b.Raw], c.newline, at)
		if end < 0 {
			if !last {
				return at
			}
			end = b.Raw
		}
		c.cutLine(b, at, end)
		at = end + 1
		if c.newline == 0 && at < b.Raw && b.Data[end] == '\r' && b.Data[at] == '\n' {
			at++
		}
	}
	return b.Raw
}

// cutLine cuts the line from at to its end.
func (c *cutter) cutLine(b *record.Batch, at, end int) {
	for end > at && b.Data[end-1] == '\r' {
		end--
	}
	row := b.Data[at:end]
	rule, ok := c.rules.Of(row)
	if ok {
		b.Skip(rule, at, end)
		return
	}
	from, to, chars := 0, 0, 0 // chars are before the offset to
	for i, place := range c.places {
		end := to
		from, to = place.bytes(row, to, chars)
		chars = place.End
		if from == end && from > 0 && from < len(row) && row[from-1] != ' ' && row[from] != ' ' && !(i < len(c.Abutting) && c.Abutting[i]) {
			b.Note(record.Severed, at+from)
		}
		b.AddCell(record.Span{Start: uint32(at + from), End: uint32(at + to)})
		b.TrimSpaces()
	}
	b.EndRecord(at, end)
}

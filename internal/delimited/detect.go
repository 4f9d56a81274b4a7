package delimited

import (
	"bytes"
	"slices"

	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// delimiters are tried in this order; of two that cut as evenly, the first.
var delimiters = []byte{',', ';', '\t', '|'}

// Detect returns the layout of the text that begins with head. whole tells
// that there is no more of it.
func Detect(head []byte, whole bool) source.Layout {
	lay := source.Layout{Format: "delimited", Encoding: "utf-8", Quote: `"`, LineEnd: "lf", Told: []string{}}
	if i := bytes.IndexByte(head, '\n'); i > 0 && head[i-1] == '\r' {
		lay.LineEnd = "crlf"
	}
	best := -1.0
	var rows *record.Batch
	for _, d := range delimiters {
		b := cutHead(head, whole, d)
		if score := evenness(b); score > best {
			best, rows = score, b
			lay.Delimiter = string(d)
		}
	}
	if rows.Len() > 0 && hasHeader(rows) {
		lay.HeaderLine = rows.Line(0)
	}
	return lay
}

// cutHead cuts the head of a text, leaving out the record that goes on
// behind it.
func cutHead(head []byte, whole bool, delimiter byte) *record.Batch {
	c := &cutter{delimiter: delimiter, quote: '"', newline: '\n', limit: MaxRecord}
	b := record.New(c.newline, nil)
	b.Data, b.Raw, b.FirstLine = pad(slices.Clone(head)), len(head), 1
	c.cut(b, whole)
	return b
}

// evenness is the share of records that have the most common number of cells,
// a little more for more cells, and 0 when that number is one. A first record
// of another width counts as heavily as half of the rest: it is the header.
func evenness(b *record.Batch) float64 {
	widths := map[int]int{}
	width := 0
	for r := range b.Len() {
		w := b.Width(r)
		widths[w]++
		if widths[w] > widths[width] || widths[w] == widths[width] && w > width {
			width = w
		}
	}
	if width < 2 {
		return 0
	}
	share := float64(widths[width]) / float64(b.Len())
	if b.Width(0) != width {
		share /= 2
	}
	return share + min(float64(width), 50)/1000
}

// headerRows is how many records below the header are held against it.
const headerRows = 200

// hasHeader tells whether the first record names the columns: it is text where
// the column below it is something else. Where nothing tells them apart, a
// first record of distinct words is a header.
func hasHeader(b *record.Batch) bool {
	width, votes := b.Width(0), 0
	words := true
	seen := map[string]bool{}
	for c := range width {
		name := string(value.Trim(b.Cell(0, c)))
		first := kindOf(b.Cell(0, c))
		words = words && !seen[name] && name != "" && first == value.Text
		seen[name] = true
		switch below := kindBelow(b, c, width); {
		case below == value.Text:
		case first == value.Text:
			votes++
		case first == below:
			votes--
		}
	}
	return votes > 0 || votes == 0 && words
}

// kindBelow returns the kind that all values of a column have from the second
// record on, and Text when they differ.
func kindBelow(b *record.Batch, c, width int) value.Kind {
	kind, some := value.Text, false
	for r := 1; r < min(b.Len(), headerRows); r++ {
		if b.Width(r) != width || value.Blank(b.Cell(r, c)) {
			continue
		}
		k := kindOf(b.Cell(r, c))
		if some && k != kind {
			return value.Text
		}
		kind, some = k, true
	}
	return kind
}

// kindOf returns the kind of a cell, all kinds of numbers being one.
func kindOf(cell []byte) value.Kind {
	var v value.Value
	if value.Blank(cell) {
		return value.NullWord
	}
	switch k := value.Scan(cell, &v).Kind; k {
	case value.Decimal, value.Exponent, value.Code:
		return value.Integer
	case value.Impossible:
		return value.Date
	default:
		return k
	}
}

// Package infer finds out what the columns of a source hold. A Profile counts
// the shapes of the cells of every column; profiles of parts of a source merge
// into the profile of the whole in any order; Choose reads the smallest type
// that holds every value off a profile, with the evidence for it.
package infer

import (
	"bytes"
	"encoding/binary"
	"slices"
	"strings"
	"unicode/utf8"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

// maxExamples is how many values are kept as examples of a shape.
const maxExamples = 5

// maxKept is how many bytes of a value are kept to show it.
const maxKept = 256

// clip returns the beginning of a value.
func clip(cell []byte) string { return strings.ToValidUTF8(string(cell[:min(len(cell), maxKept)]), "") }

// Example is a value and the line of the record that it stands in.
type Example struct {
	Text string `json:"text"`
	Line int64  `json:"line"`
}

// Column is the profile of one column.
type Column struct {
	Records int64
	Blanks  int64
	// Shortest and Longest are the lengths in characters of the values that
	// are not blank. First and Last are the first and last of them by their
	// bytes.
	Shortest, Longest int
	First, Last       []byte
	firstKey, lastKey uint64

	distinct distinct
	tallies  []tally
	recent   int // index of the tally that the last cell went to
}

// tally is what is known of the values of one shape.
type tally struct {
	shape    value.Shape
	count    int64
	examples []Example
	// whole and scale are the most digits before and after the decimal sign.
	whole, scale int
	// width is the length of the values, or -1 when they differ.
	width int
	// min and max are the extremes; of dates with the year last they are those
	// of the two readings.
	min, max [2]extreme
	// over12 is, for the first and second number of a date that ends with its
	// year, an example where it is greater than 12.
	over12 [2]Example
}

// extreme is a number or a date: Int scaled down by scale, and its text.
type extreme struct {
	int   int64
	float float64
	text  []byte
}

// Add profiles the cells of column c in every record of the batch that has as
// many cells as the source has columns.
//
// A value that was seen before adds nothing but a count: while the distinct
// values are still counted exactly, that is all that is done with it.
func (p *Column) Add(b *record.Batch, c, width int) {
	var v value.Value
	records := int64(0)
	even, cells := b.Even(width), b.AllCells()
	for r := range b.Len() {
		var span record.Span
		switch {
		case even: // the rule, and worth a shorter way
			span = cells[r*width+c]
		case b.Width(r) == width:
			span = b.Cells(r)[c]
		default:
			continue
		}
		records++
		cell := b.Data[span.Start:span.End]
		if value.Blank(cell) {
			p.Blanks++
			continue
		}
		key := prefix(cell)
		hash := hashOf(cell, key)
		if i, known := p.distinct.tallyOf(hash); known {
			p.tallies[i].count++
			continue
		}
		p.addText(cell, key)
		shape := value.ScanLike(p.recentKind(), cell, &v)
		i := p.tally(shape)
		p.distinct.add(hash, i)
		t := &p.tallies[i]
		t.add(&v, len(cell))
		if len(t.examples) < maxExamples {
			t.addExample(Example{clip(cell), b.Line(r)})
		}
		if (shape.Kind == value.Date || shape.Kind == value.Timestamp) && shape.Order() != value.YearFirst {
			t.addOrder(&v, cell, b, r)
		}
	}
	p.Records += records
}

// recentKind is the kind of the value before, which the next one most likely
// has too.
func (p *Column) recentKind() value.Kind {
	if p.recent < len(p.tallies) {
		return p.tallies[p.recent].shape.Kind
	}
	return value.Text
}

// tally returns the index of the tally of a shape.
func (p *Column) tally(s value.Shape) int {
	if p.recent < len(p.tallies) && p.tallies[p.recent].shape == s {
		return p.recent
	}
	p.recent = slices.IndexFunc(p.tallies, func(t tally) bool { return t.shape == s })
	if p.recent < 0 {
		p.recent = len(p.tallies)
		p.tallies = append(p.tallies, tally{shape: s})
	}
	return p.recent
}

// addExample keeps the first values that differ.
func (t *tally) addExample(e Example) {
	if !slices.ContainsFunc(t.examples, func(o Example) bool { return o.Text == e.Text }) {
		t.examples = append(t.examples, e)
	}
}

// addText takes in what is known of a cell as text.
func (p *Column) addText(cell []byte, key uint64) {
	n := characters(cell, key)
	if p.Longest == 0 || n < p.Shortest {
		p.Shortest = n
	}
	p.Longest = max(p.Longest, n)
	cell = cell[:min(len(cell), maxKept)]
	if p.First == nil || key < p.firstKey || key == p.firstKey && bytes.Compare(cell, p.First) < 0 {
		p.First, p.firstKey = append(p.First[:0], cell...), key
	}
	if key > p.lastKey || key == p.lastKey && bytes.Compare(cell, p.Last) > 0 {
		p.Last, p.lastKey = append(p.Last[:0], cell...), key
	}
}

// prefix returns the first eight bytes as a number that sorts as they do. In
// a batch more text stands behind a short cell, so that it can be read in one
// go and the rest be masked off.
func prefix(cell []byte) uint64 {
	n := len(cell)
	if n >= 8 {
		return binary.BigEndian.Uint64(cell)
	}
	if cap(cell) >= 8 {
		unused := 64 - 8*n
		return binary.BigEndian.Uint64(cell[:8]) >> unused << unused
	}
	var word [8]byte
	copy(word[:], cell)
	return binary.BigEndian.Uint64(word[:])
}

// characters counts the bytes that do not continue a UTF-8 sequence; key is
// the cell's prefix.
func characters(cell []byte, key uint64) int {
	const high = 0x8080808080808080
	n := len(cell)
	if key&high == 0 && (n <= 8 || n <= 16 && binary.LittleEndian.Uint64(cell[n-8:])&high == 0) {
		return n
	}
	return utf8.RuneCount(cell)
}

// add takes in a value of the tally's shape.
func (t *tally) add(v *value.Value, length int) {
	t.count++
	if t.count == 1 {
		t.width = length
	} else if t.width != length {
		t.width = -1
	}
	switch t.shape.Kind {
	case value.Integer, value.Decimal:
		t.whole, t.scale = max(t.whole, v.Whole), max(t.scale, v.Scale)
		t.extremes(0, v, float(v))
	case value.Exponent:
		t.extremes(0, v, v.Float)
	case value.Boolean, value.Time:
		t.extremes(0, v, float64(v.Int))
	case value.Date, value.Timestamp:
		if t.shape.Order() == value.YearFirst {
			t.extremes(0, v, float64(v.Int))
		}
	}
}

// extremes keeps the least and the greatest value under reading i.
func (t *tally) extremes(i int, v *value.Value, f float64) {
	if lo := &t.min[i]; len(lo.text) == 0 || f < lo.float {
		lo.int, lo.float, lo.text = v.Int, f, append(lo.text[:0], v.Text...)
	}
	if hi := &t.max[i]; len(hi.text) == 0 || f > hi.float {
		hi.int, hi.float, hi.text = v.Int, f, append(hi.text[:0], v.Text...)
	}
}

var tenTo = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18}

// float returns the number nearly: it only serves to find the extremes.
func float(v *value.Value) float64 {
	if v.Wide {
		f, _ := v.AsFloat(value.Shape{Kind: value.Decimal})
		return f
	}
	return float64(v.Int) / tenTo[v.Scale]
}

// addOrder takes in a date whose order of day and month is open.
func (t *tally) addOrder(v *value.Value, cell []byte, b *record.Batch, r int) {
	first, second := v.DayMonth()
	for i, n := range [2]int{first, second} {
		if n > 12 && t.over12[i].Line == 0 {
			t.over12[i] = Example{clip(cell), b.Line(r)}
		}
	}
	for _, order := range []value.DateOrder{value.DayFirst, value.MonthFirst} {
		if v.Resolve(t.shape, order) {
			t.extremes(int(order), v, float64(v.Int))
		}
	}
}

// Merge adds the profile of another part of the source.
func (p *Column) Merge(o *Column) {
	p.Records += o.Records
	p.Blanks += o.Blanks
	p.distinct.merge(&o.distinct)
	if o.Longest > 0 {
		if p.Longest == 0 || o.Shortest < p.Shortest {
			p.Shortest = o.Shortest
		}
		p.Longest = max(p.Longest, o.Longest)
		if p.First == nil || bytes.Compare(o.First, p.First) < 0 {
			p.First, p.firstKey = o.First, o.firstKey
		}
		if bytes.Compare(o.Last, p.Last) > 0 {
			p.Last, p.lastKey = o.Last, o.lastKey
		}
	}
	for i := range o.tallies {
		p.tallies[p.tally(o.tallies[i].shape)].merge(&o.tallies[i])
	}
}

func (t *tally) merge(o *tally) {
	if t.count == 0 {
		*t = *o
		return
	}
	t.count += o.count
	t.whole, t.scale = max(t.whole, o.whole), max(t.scale, o.scale)
	if t.width != o.width {
		t.width = -1
	}
	t.examples = mergeExamples(t.examples, o.examples)
	for i := range 2 {
		if len(o.min[i].text) > 0 && (len(t.min[i].text) == 0 || o.min[i].float < t.min[i].float) {
			t.min[i] = o.min[i]
		}
		if len(o.max[i].text) > 0 && (len(t.max[i].text) == 0 || o.max[i].float > t.max[i].float) {
			t.max[i] = o.max[i]
		}
		if o.over12[i].Line > 0 && (t.over12[i].Line == 0 || o.over12[i].Line < t.over12[i].Line) {
			t.over12[i] = o.over12[i]
		}
	}
}

// mergeExamples returns the first values that differ of both.
func mergeExamples(a, b []Example) []Example {
	all := slices.Concat(a, b)
	slices.SortFunc(all, func(a, b Example) int { return int(a.Line - b.Line) })
	var t tally
	for _, e := range all {
		t.addExample(e)
	}
	return t.examples[:min(len(t.examples), maxExamples)]
}

// NullWords returns the well-known null words among the values and how often
// each shape of them occurs.
func (p *Column) NullWords() map[string]int64 {
	words := map[string]int64{}
	for i := range p.tallies {
		if t := &p.tallies[i]; t.shape.Kind == value.NullWord {
			words[t.examples[0].Text] = t.count
		}
	}
	return words
}

// Examples returns a few of the first values.
func (p *Column) Examples() []Example {
	var all []Example
	for i := range p.tallies {
		all = append(all, p.tallies[i].examples...)
	}
	slices.SortFunc(all, func(a, b Example) int { return int(a.Line - b.Line) })
	return slices.Clip(all[:min(len(all), maxExamples)])
}

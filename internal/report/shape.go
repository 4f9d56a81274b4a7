package report

import (
	"cmp"
	"math"
	"slices"
	"time"
	"unicode/utf8"

	"ambertray/internal/convert"
	"ambertray/internal/record"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Shape is how the values of a column are spread, by a sample of its records.
type Shape struct {
	Of     int    `json:"of"`     // values of the sample that were counted
	Whole  bool   `json:"whole"`  // the sample is all records
	Values []Bar  `json:"values"` // the most frequent, the first first; or
	Ranges []Bar  `json:"ranges"` // neighbouring ranges of equal width; one of the two is null
	What   string `json:"what"`   // what the ranges are of: numbers, dates, times or lengths
}

// Bar is a value or a range of values, and how many of the sample are in it.
type Bar struct {
	Label string `json:"label"` // the value, or where the range begins
	To    string `json:"to"`    // where it ends; "" for a value
	Count int    `json:"count"`
}

const (
	maxBars  = 8  // of the most frequent values
	ranges   = 16 // of a histogram
	maxWords = 32 // up to this many distinct values, the most frequent are shown rather than ranges
)

// shapeOf looks at column at of a sample.
func shapeOf(sample []record.Drawn, at int, cell *convert.Cell, typ table.Type) *Shape {
	counts := map[string]int{}
	var numbers []float64
	var v value.Value
	s := &Shape{}
	for _, d := range sample {
		text := []byte(d.Cells[at])
		if value.Blank(text) || cell.Read(text, &v) != "" || v.Null {
			continue
		}
		s.Of++
		counts[string(value.Trim(text))]++
		numbers = append(numbers, position(&v, typ))
	}
	if s.Of == 0 {
		return nil
	}
	s.Whole = len(sample) < sampleSize
	if len(counts) <= maxWords || typ.Textual() && 2*len(counts) <= s.Of || typ.Kind == table.UUID || typ.Kind == table.Boolean {
		s.Values = mostFrequent(counts)
		return s
	}
	s.What, s.Ranges = histogram(numbers, typ)
	if len(s.Ranges) < 2 { // codes of one length
		return nil
	}
	return s
}

// position is where a value stands on the line of its kind: the number, the microsecond,
// the day, or the length of a text.
func position(v *value.Value, t table.Type) float64 {
	switch {
	case t.Textual() || t.Kind == table.UUID:
		return float64(utf8.RuneCount(v.Text))
	case t.Kind == table.Double:
		return v.Float
	case t.Kind == table.Decimal:
		f, _ := v.AsFloat(value.Shape{Kind: value.Decimal})
		return f
	}
	return float64(v.Int)
}

func mostFrequent(counts map[string]int) (bars []Bar) {
	for text, n := range counts {
		bars = append(bars, Bar{Label: text, Count: n})
	}
	slices.SortFunc(bars, func(a, b Bar) int { return cmp.Or(b.Count-a.Count, cmp.Compare(a.Label, b.Label)) })
	return bars[:min(len(bars), maxBars)]
}

// histogram counts numbers in ranges of equal width.
func histogram(numbers []float64, t table.Type) (what string, bars []Bar) {
	what, label := labels(t)
	least, most := slices.Min(numbers), slices.Max(numbers)
	width := (most - least) / ranges
	if !t.Summable() && t.Kind != table.Double || t.Whole() { // whole steps
		width = math.Max(1, math.Ceil((most-least+1)/ranges))
	}
	if width == 0 || math.IsInf(width, 0) {
		return what, []Bar{{label(least), label(most), len(numbers)}}
	}
	for from := least; len(bars) < ranges && (from <= most || len(bars) == 0); from += width {
		bars = append(bars, Bar{Label: label(from), To: label(math.Min(from+width, most))})
	}
	for _, n := range numbers {
		bars[min(int((n-least)/width), len(bars)-1)].Count++
	}
	return what, bars
}

// labels returns what ranges of a type are of, and how a position is written.
func labels(t table.Type) (what string, label func(float64) string) {
	moment := func(layout string, unit time.Duration) func(float64) string {
		return func(f float64) string { return time.Unix(0, 0).UTC().Add(time.Duration(f) * unit).Format(layout) }
	}
	switch {
	case t.Kind == table.Date:
		return "dates", func(f float64) string { return time.Unix(int64(f)*86400, 0).UTC().Format("2006-01-02") }
	case t.Kind == table.Time:
		return "times of day", moment("15:04", time.Microsecond)
	case t.HasClock():
		return "times", func(f float64) string { return time.UnixMicro(int64(f)).UTC().Format("2006-01-02 15:04") }
	case t.Textual() || t.Kind == table.UUID:
		return "lengths", plain
	}
	return "numbers", plain
}

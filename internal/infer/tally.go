package infer

import (
	"bytes"
	"slices"

	"ambertray/internal/value"
)

// tally is what is known of the values of one shape.
type tally struct {
	shape    value.Shape
	count    int64
	examples []Example // the first values that differ
	// whole and scale are the most digits before and after the decimal sign; of a time,
	// scale is the most digits of a second.
	whole, scale int
	// digits is the most digits of one number; fraction says that a decimal has
	// more after its sign than one zero.
	digits   int
	fraction bool
	// width is the length of the values in bytes, or -1 when they differ.
	width int
	// clock says that a timestamp is not at midnight.
	clock bool
	// numbers are the first and the second numbers of the dates, a bit each.
	numbers [2]uint32
	// prose says that a text is more than capitals, digits and signs.
	prose bool
	// padded says that a value ends with a space.
	padded bool
	// min and max are the extremes; those of dates in each of their orders.
	min, max [3]extreme
}

// extreme is a number, a date or a time, and its text.
type extreme struct {
	int   int64   // of a date, its rank
	float float64 // of a number, nearly: it only serves to find the extremes
	text  []byte
	fresh bool // text still refers to the batch
}

// add adds a value of the tally's shape.
func (t *tally) add(v *value.Value, cell []byte) {
	t.count++
	if t.count == 1 {
		t.width = len(cell)
	} else if t.width != len(cell) {
		t.width = -1
	}
	t.padded = t.padded || cell[len(cell)-1] == ' '
	switch t.shape.Kind {
	case value.Integer, value.Decimal, value.Code:
		t.digitsOf(v)
		t.extremes(0, v.Int, float(v), cell)
	case value.Exponent:
		t.digitsOf(v)
		t.extremes(0, v.Int, v.Float, cell)
	case value.Boolean:
		t.extremes(0, v.Int, 0, cell)
	case value.Time:
		t.scale = max(t.scale, v.Fraction(value.Time))
		t.extremes(0, v.Int, 0, cell)
	case value.Date, value.Timestamp, value.Instant:
		t.scale = max(t.scale, v.Fraction(t.shape.Kind))
		t.clock = t.clock || !v.AtMidnight()
		first, second := v.DateNumbers()
		t.numbers[0] |= 1 << (first % 32)
		t.numbers[1] |= 1 << (second % 32)
		for i := range t.shape.Orders() {
			rank, ok := v.Rank(t.shape, i)
			if ok {
				t.extremes(i, rank, 0, cell)
			}
		}
	case value.Text:
		t.prose = t.prose || prose(cell)
	}
}

func (t *tally) digitsOf(v *value.Value) {
	t.whole, t.scale, t.digits = max(t.whole, v.Whole), max(t.scale, v.Scale), max(t.digits, v.Whole+v.Scale)
	t.fraction = t.fraction || v.Wide || v.Scale != 1 || v.Int%10 != 0
}

// prose reports whether a text has lower case letters, spaces, or anything beyond
// ASCII; codes have not.
func prose(cell []byte) bool {
	for _, c := range cell {
		if c >= 'a' && c <= 'z' || c <= ' ' || c >= 0x80 {
			return true
		}
	}
	return false
}

// extremes keeps the least and the greatest value of order i. Of equal values it keeps the one
// whose text sorts first.
func (t *tally) extremes(i int, n int64, f float64, cell []byte) {
	lo, hi := &t.min[i], &t.max[i]
	if len(lo.text) == 0 || f < lo.float || f == lo.float && (n < lo.int || n == lo.int && lo.follows(cell)) {
		lo.set(n, f, cell)
	}
	if len(hi.text) == 0 || f > hi.float || f == hi.float && (n > hi.int || n == hi.int && hi.follows(cell)) {
		hi.set(n, f, cell)
	}
}

// follows reports whether the text of e sorts after that of an equal value.
func (e *extreme) follows(cell []byte) bool { return bytes.Compare(e.text, value.Trim(cell)) > 0 }

func (e *extreme) set(n int64, f float64, cell []byte) {
	e.int, e.float, e.text, e.fresh = n, f, value.Trim(cell), true
}

// own copies the texts that refer to the batch.
func (t *tally) own() {
	for i := range t.min {
		t.min[i].own()
		t.max[i].own()
	}
}

func (e *extreme) own() {
	if e.fresh {
		e.text, e.fresh = bytes.Clone(e.text), false
	}
}

// less orders extremes of one kind.
func (e *extreme) less(o *extreme) bool {
	return e.float < o.float || e.float == o.float && e.int < o.int
}

var tenTo = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18}

// float returns the number nearly.
func float(v *value.Value) float64 {
	if v.Wide || v.Scale >= len(tenTo) {
		f, _ := v.AsFloat(value.Shape{Kind: value.Decimal})
		return f
	}
	return float64(v.Int) / tenTo[v.Scale]
}

func (t *tally) merge(o *tally) {
	if t.count == 0 {
		*t = *o
		return
	}
	t.count += o.count
	t.whole, t.scale, t.digits = max(t.whole, o.whole), max(t.scale, o.scale), max(t.digits, o.digits)
	t.fraction = t.fraction || o.fraction
	t.numbers[0] |= o.numbers[0]
	t.numbers[1] |= o.numbers[1]
	t.prose, t.clock, t.padded = t.prose || o.prose, t.clock || o.clock, t.padded || o.padded
	if t.width != o.width {
		t.width = -1
	}
	t.examples = mergeExamples(t.examples, o.examples)
	for i := range o.min {
		for _, e := range []extreme{o.min[i], o.max[i]} {
			if len(e.text) > 0 {
				t.extremes(i, e.int, e.float, e.text)
			}
		}
	}
	t.own()
}

// addExample keeps the first values that differ.
func (t *tally) addExample(e Example) {
	if !slices.ContainsFunc(t.examples, func(o Example) bool { return o.Text == e.Text }) {
		t.examples = append(t.examples, e)
	}
}

// mergeExamples returns the first values that differ of both.
func mergeExamples(a, b []Example) []Example {
	all := slices.Concat(a, b)
	inOrder(all)
	var t tally
	for _, e := range all {
		t.addExample(e)
	}
	return t.examples[:min(len(t.examples), maxExamples)]
}

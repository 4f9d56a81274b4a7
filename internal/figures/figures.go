// Package figures adds up the values of columns into the figures by which a table is
// compared with its source.
package figures

import (
	"bytes"
	"math"
	"math/big"
	"math/bits"
	"strconv"
	"strings"
	"time"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Totals add up the values of every column, on their way into a table or out
// of it.
type Totals struct{ columns []total }

// NewTotals returns totals of nothing yet, for columns of the given types.
func NewTotals(types []table.Type) *Totals {
	t := &Totals{make([]total, len(types))}
	for i, typ := range types {
		t.columns[i].typ = typ
	}
	return t
}

// Null adds a NULL of column i.
func (t *Totals) Null(i int) { t.columns[i].nulls++ }

// Value adds a value of column i.
func (t *Totals) Value(i int, v *value.Value) { t.columns[i].add(v) }

// Row adds the values of a row.
func (t *Totals) Row(row []value.Value) {
	for i := range row {
		v := &row[i]
		switch {
		case v.Null:
			t.Null(i)
		case !v.Untyped: // which has no place among the others
			t.Value(i, v)
		}
	}
}

// Add adds the values of other records.
func (t *Totals) Add(o *Totals) {
	for i := range t.columns {
		t.columns[i].merge(&o.columns[i])
	}
}

// Figures returns the figures of every column.
func (t *Totals) Figures() []table.Figures {
	var all []table.Figures
	for i := range t.columns {
		all = append(all, t.columns[i].figures())
	}
	return all
}

// Reset takes all values out again.
func (t *Totals) Reset() {
	for i := range t.columns {
		t.columns[i].reset()
	}
}

// total adds up the values of one column into its figures.
type total struct {
	typ   table.Type
	nulls int64
	some  bool
	// min, max and sum, in 128 bits, are of Int, of the bits of a double or,
	// sum only, of the length of text.
	min, max     int64
	sumHi, sumLo uint64
	floats       [2]float64
	texts        [2][]byte
	wide         *wide
}

// wide is the total of the decimals that do not fit 64 bits.
type wide struct{ min, max, sum *big.Int }

func (t *total) add(v *value.Value) {
	switch {
	case t.typ.Textual() || t.typ.Kind == table.UUID:
		t.addText(v.Text)
		t.addSum(int64(len(v.Text)))
	case t.typ.Kind == table.Double:
		if !t.some || v.Float < t.floats[0] {
			t.floats[0] = v.Float
		}
		if !t.some || v.Float > t.floats[1] {
			t.floats[1] = v.Float
		}
		t.addSum(int64(math.Float64bits(v.Float)))
	case v.Wide:
		t.addWide(v)
		return
	default:
		if !t.some || v.Int < t.min {
			t.min = v.Int
		}
		if !t.some || v.Int > t.max {
			t.max = v.Int
		}
		t.addSum(v.Int)
	}
	t.some = true
}

// reset empties the total but keeps its buffers.
func (t *total) reset() {
	*t = total{typ: t.typ, texts: [2][]byte{t.texts[0][:0], t.texts[1][:0]}}
}

func (t *total) addText(text []byte) {
	if !t.some || bytes.Compare(text, t.texts[0]) < 0 {
		t.texts[0] = append(t.texts[0][:0], text...)
	}
	if !t.some || bytes.Compare(text, t.texts[1]) > 0 {
		t.texts[1] = append(t.texts[1][:0], text...)
	}
}

func (t *total) addSum(n int64) { t.addSum128(uint64(n>>63), uint64(n)) }

func (t *total) addSum128(hi, lo uint64) {
	var carry uint64
	t.sumLo, carry = bits.Add64(t.sumLo, lo, 0)
	t.sumHi, _ = bits.Add64(t.sumHi, hi, carry)
}

func (t *total) addWide(v *value.Value) {
	n, _ := new(big.Int).SetString(string(v.Text), 10)
	if v.Negative {
		n.Neg(n)
	}
	t.mergeWide(&wide{min: n, max: n, sum: n})
}

func (t *total) mergeWide(o *wide) {
	if t.wide == nil {
		t.wide = &wide{min: o.min, max: o.max, sum: new(big.Int).Set(o.sum)}
		return
	}
	if o.min.Cmp(t.wide.min) < 0 {
		t.wide.min = o.min
	}
	if o.max.Cmp(t.wide.max) > 0 {
		t.wide.max = o.max
	}
	t.wide.sum.Add(t.wide.sum, o.sum)
}

// merge adds the total of other records.
func (t *total) merge(o *total) {
	t.nulls += o.nulls
	if o.wide != nil {
		t.mergeWide(o.wide)
	}
	if !o.some {
		return
	}
	switch {
	case t.typ.Textual() || t.typ.Kind == table.UUID:
		t.addText(o.texts[0])
		t.some = true
		t.addText(o.texts[1])
	case !t.some:
		t.min, t.max, t.floats = o.min, o.max, o.floats
	default:
		t.min, t.max = min(t.min, o.min), max(t.max, o.max)
		t.floats = [2]float64{min(t.floats[0], o.floats[0]), max(t.floats[1], o.floats[1])}
	}
	t.addSum128(o.sumHi, o.sumLo)
	t.some = true
}

// figures writes the total in the form that every target's figures have.
func (t *total) figures() table.Figures {
	f := table.Figures{Nulls: t.nulls}
	sum := new(big.Int).SetUint64(t.sumHi)
	sum.Lsh(sum, 64).Add(sum, new(big.Int).SetUint64(t.sumLo))
	if t.sumHi>>63 == 1 {
		sum.Sub(sum, new(big.Int).Lsh(big.NewInt(1), 128))
	}
	lo, hi := big.NewInt(t.min), big.NewInt(t.max)
	w := t.wide
	if w != nil {
		sum.Add(sum, w.sum)
		if !t.some || w.min.Cmp(lo) < 0 {
			lo = w.min
		}
		if !t.some || w.max.Cmp(hi) > 0 {
			hi = w.max
		}
	}
	f.Sum = sum.String()
	if !t.some && t.wide == nil {
		return f
	}
	switch {
	case t.typ.Textual() || t.typ.Kind == table.UUID:
		f.Min, f.Max = string(t.texts[0]), string(t.texts[1])
	case t.typ.Kind == table.Double:
		f.Min, f.Max = FormatFloat(t.floats[0]), FormatFloat(t.floats[1])
	case t.typ.Kind == table.Decimal:
		f.Min, f.Max, f.Sum = FormatUnscaled(lo, t.typ.Scale), FormatUnscaled(hi, t.typ.Scale), FormatUnscaled(sum, t.typ.Scale)
	default:
		f.Min, f.Max = formatInt(t.min, t.typ.Kind), formatInt(t.max, t.typ.Kind)
	}
	return f
}

// FormatFloat writes a double so that reading it gives the same one.
func FormatFloat(f float64) string { return strconv.FormatFloat(f, 'g', -1, 64) }

// FormatUnscaled writes an unscaled number with a point before scale digits.
func FormatUnscaled(n *big.Int, scale int) string {
	v := value.Value{Wide: true, Negative: n.Sign() < 0, Scale: scale}
	v.Text = new(big.Int).Abs(n).Append(nil, 10)
	return string(v.AppendDecimal(nil))
}

func formatInt(n int64, k table.Kind) string {
	switch k {
	case table.Date:
		return time.Unix(n*86400, 0).UTC().Format("2006-01-02")
	case table.Time:
		return string(value.AppendClock(nil, n))
	case table.Timestamp, table.TimestampTZ:
		return string(value.AppendTimestamp(nil, n))
	}
	return strconv.FormatInt(n, 10)
}

// AddSums adds two sums as figures write them, of numbers of the same scale.
func AddSums(a, b string) string {
	x, scale := parseSum(a)
	y, _ := parseSum(b)
	return FormatUnscaled(x.Add(x, y), scale)
}

func parseSum(text string) (n *big.Int, scale int) {
	whole, decimals, _ := strings.Cut(text, ".")
	n, ok := new(big.Int).SetString(whole+decimals, 10)
	if !ok {
		n = new(big.Int)
	}
	return n, len(decimals)
}

package table

import "math/big"

// Figures are what is known of the values of one column. They are computed of
// the records on their way in and asked of the table afterwards, and written
// so that both can be compared as they are: numbers in decimal, dates and
// times as ISO 8601, text as it stands. Min and Max are empty without a value.
type Figures struct {
	Nulls int64  `json:"nulls"`
	Min   string `json:"min"`
	Max   string `json:"max"`
	// Sum is exact: of whole numbers and decimals their sum; of booleans the
	// number of true ones; of dates and times that of their days or
	// microseconds; of doubles that of their IEEE 754 bits; of text that of
	// the bytes of its UTF-8.
	Sum string `json:"sum"`
}

// Plus returns the figures of the values of both, which are of type t. Neither
// may be of NULLs only.
func (f Figures) Plus(o Figures, t Type) Figures {
	if less(o.Min, f.Min, t) {
		f.Min = o.Min
	}
	if less(f.Max, o.Max, t) {
		f.Max = o.Max
	}
	f.Nulls += o.Nulls
	sum := new(big.Rat).Add(rational(f.Sum), rational(o.Sum))
	scale := 0
	if t.Kind == Decimal {
		scale = t.Scale
	}
	f.Sum = sum.FloatString(scale)
	return f
}

// less compares two values as figures write them.
func less(a, b string, t Type) bool {
	if t.Numeric() || t.Kind == Boolean {
		return rational(a).Cmp(rational(b)) < 0
	}
	return a < b // dates and times sort as text
}

func rational(text string) *big.Rat {
	r, ok := new(big.Rat).SetString(text)
	if !ok {
		return new(big.Rat)
	}
	return r
}

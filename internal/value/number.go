package value

import (
	"bytes"
	"strconv"
)

// The notations of numbers: which sign, if any, separates thousands and which
// stands before the decimals.
const (
	Plain        uint8 = iota // 1234, 1234.56
	Grouped                   // 1,234 with groups of three, 1,234.56
	LoneComma                 // 1,234: a group of thousands or three decimals
	DecimalComma              // 1234,5
	GroupedPoint              // 1.234,56
)

// MaxDigits is how many digits an Int surely holds.
const MaxDigits = 18

// scanNumber recognises whole numbers, decimals and numbers with an exponent.
// A leading zero before another digit makes a Code: shelf marks and postcodes
// lose it as numbers.
func scanNumber(cell []byte, v *Value) (Shape, bool) {
	i := 0
	if cell[0] == '-' || cell[0] == '+' {
		v.Negative = cell[0] == '-'
		i++
	}
	first := i
	n := int64(0)
	for i < len(cell) && isDigit(cell[i]) {
		n = n*10 + int64(cell[i]-'0')
		i++
	}
	whole := i - first
	if i == len(cell) && whole > 0 { // by far the most common
		v.Whole = whole
		if cell[first] == '0' {
			if whole > 1 {
				return Shape{Kind: Code}, true
			}
			v.Whole = 0
		}
		v.setUnscaled(n, cell[first:])
		return Shape{Kind: Integer}, true
	}
	if i < len(cell) && cell[i] == '.' && whole > 0 && (whole == 1 || cell[first] != '0') {
		if scale, unscaled := decimals(cell[i+1:], n); scale > 0 {
			v.Whole, v.Scale = whole, scale
			if cell[first] == '0' {
				v.Whole = 0
			}
			v.setUnscaled(unscaled, cell[first:])
			return Shape{Kind: Decimal}, true
		}
	}
	if i == len(cell) || whole > 4 && cell[i] != '.' && cell[i] != ',' && cell[i]|0x20 != 'e' {
		return Shape{}, false
	}
	return scanMarked(cell[first:], whole, v)
}

// decimals reads digits behind a decimal point up to the end of s, going on
// from n; scale is 0 when there is anything else.
func decimals(s []byte, n int64) (scale int, unscaled int64) {
	for _, c := range s {
		if !isDigit(c) {
			return 0, 0
		}
		n = n*10 + int64(c-'0')
	}
	return len(s), n
}

// setUnscaled sets the number whose value is n unless it has too many digits.
func (v *Value) setUnscaled(n int64, text []byte) {
	if v.Whole+v.Scale > MaxDigits {
		v.Wide = true
		v.Text = bytes.Map(func(r rune) rune {
			if r < '0' || r > '9' {
				return -1
			}
			return r
		}, text)
		return
	}
	v.Int = n
	if v.Negative {
		v.Int = -n
	}
}

// scanMarked recognises numbers with decimals, groups or an exponent; s has no
// sign and starts with whole digits.
func scanMarked(s []byte, whole int, v *Value) (Shape, bool) {
	notation, end, ok := marks(s, whole)
	if !ok {
		return Shape{}, false
	}
	if end < len(s) {
		return scanExponent(s, end, notation, v)
	}
	decimal := byte('.')
	if notation == DecimalComma || notation == GroupedPoint {
		decimal = ','
	}
	n, seen, inScale := int64(0), 0, false
	for _, c := range s {
		switch {
		case isDigit(c):
			n = n*10 + int64(c-'0')
			seen++
			if inScale {
				v.Scale++
			}
		case c == decimal:
			inScale = true
		}
	}
	v.Whole = seen - v.Scale
	if v.Whole > 1 && s[0] == '0' {
		return Shape{Kind: Code, Notation: notation}, true
	}
	if v.Whole == 1 && s[0] == '0' {
		v.Whole = 0
	}
	v.setUnscaled(n, s)
	if v.Scale == 0 && decimal != s[len(s)-1] {
		return Shape{Integer, notation}, true
	}
	return Shape{Decimal, notation}, true
}

// marks finds out which notation the points and commas in s are, and where the
// number ends: at the end of s or at an exponent.
func marks(s []byte, whole int) (notation uint8, end int, ok bool) {
	points, commas, lastPoint, lastComma := 0, 0, -1, -1
	for end = whole; end < len(s); end++ {
		switch c := s[end]; {
		case c == '.':
			points, lastPoint = points+1, end
		case c == ',':
			commas, lastComma = commas+1, end
		case c|0x20 == 'e':
			return Plain, end, end > points && commas == 0 && points <= 1
		case !isDigit(c):
			return 0, 0, false
		}
	}
	switch {
	case points+commas == len(s):
		return 0, 0, false
	case commas == 0:
		return Plain, end, points == 1
	case points == 0 && commas == 1 && grouped(s, ','):
		return LoneComma, end, true
	case points == 0 && commas == 1:
		return DecimalComma, end, lastComma > 0 && lastComma < end-1
	case points <= 1 && (points == 0 || lastPoint > lastComma):
		return Grouped, end, grouped(s[:lastOr(lastPoint, end)], ',')
	case commas == 1 && lastComma > lastPoint:
		return GroupedPoint, end, grouped(s[:lastComma], '.')
	}
	return 0, 0, false
}

func lastOr(at, end int) int {
	if at >= 0 {
		return at
	}
	return end
}

// grouped tells whether s is groups of three digits, the first one shorter or
// as long.
func grouped(s []byte, separator byte) bool {
	first := bytes.IndexByte(s, separator)
	if first < 1 || first > 3 || (len(s)-first)%4 != 0 {
		return false
	}
	for i := first; i < len(s); i += 4 {
		if s[i] != separator || bytes.IndexByte(s[i+1:i+4], separator) >= 0 {
			return false
		}
	}
	return true
}

func scanExponent(s []byte, end int, notation uint8, v *Value) (Shape, bool) {
	exponent := s[end+1:]
	if len(exponent) > 0 && (exponent[0] == '-' || exponent[0] == '+') {
		exponent = exponent[1:]
	}
	if _, n := digits(exponent, 4); n == 0 || n != len(exponent) {
		return Shape{}, false
	}
	return Shape{Exponent, notation}, v.setFloat()
}

// setFloat sets Float from Text; a number that no double can hold is none.
func (v *Value) setFloat() bool {
	f, err := strconv.ParseFloat(string(v.Text), 64)
	v.Float = f
	return err == nil
}

// AsFloat returns the number as a double, for every notation.
func (v *Value) AsFloat(s Shape) (float64, bool) {
	switch {
	case s.Kind == Exponent:
		return v.Float, true
	case s.Notation == Plain && !v.Wide:
		ok := v.setFloat()
		return v.Float, ok
	}
	text := []byte(nil)
	if v.Negative {
		text = append(text, '-')
	}
	if v.Wide {
		text = append(text, v.Text...)
	} else {
		text = strconv.AppendInt(nil, v.Int, 10)
	}
	text = append(text, 'e')
	text = strconv.AppendInt(text, int64(-v.Scale), 10)
	f, err := strconv.ParseFloat(string(text), 64)
	return f, err == nil
}

// Style is how the numbers of one column are written.
type Style struct {
	// DecimalComma tells that the comma stands before the decimals and the
	// point between groups of thousands.
	DecimalComma bool
}

// Takes tells whether numbers of the shape belong to the style.
func (y Style) Takes(s Shape) bool {
	switch s.Kind {
	case Exponent:
		return true
	case Integer, Decimal:
		switch s.Notation {
		case Plain:
			return s.Kind == Integer || !y.DecimalComma
		case LoneComma:
			return true
		case Grouped:
			return !y.DecimalComma
		}
		return y.DecimalComma
	}
	return false
}

// Settle gives a lone comma the meaning that it has in the style.
func (y Style) Settle(s Shape, v *Value) {
	if y.DecimalComma && s.Notation == LoneComma && s.Kind == Integer {
		v.Scale, v.Whole = 3, max(v.Whole-3, 0)
	}
}

// Groups tells whether numbers of the shape have a thousands separator.
func (y Style) Groups(s Shape) bool {
	return s.Notation == Grouped || s.Notation == GroupedPoint || s.Notation == LoneComma && !y.DecimalComma
}

// Widen writes the number's digits to Text, for one that Int cannot hold at a
// greater scale.
func (v *Value) Widen() {
	n := v.Int
	if n < 0 {
		n = -n
	}
	v.Wide, v.Text = true, strconv.AppendInt(nil, n, 10)
}

// Narrow sets Int from the digits in Text, if it can hold them.
func (v *Value) Narrow() bool {
	text := v.Text
	if v.Negative {
		text = append([]byte{'-'}, text...)
	}
	n, err := strconv.ParseInt(string(text), 10, 64)
	v.Int, v.Wide = n, err != nil
	return err == nil
}

// AppendDecimal appends the number with a point before its decimals.
func (v *Value) AppendDecimal(dst []byte) []byte {
	w := *v
	if !w.Wide {
		w.Widen()
		w.Negative = v.Int < 0
	}
	if w.Negative {
		dst = append(dst, '-')
	}
	text := w.Text
	for len(text) <= v.Scale {
		text = append([]byte{'0'}, text...)
	}
	dst = append(dst, text[:len(text)-v.Scale]...)
	if v.Scale > 0 {
		dst = append(append(dst, '.'), text[len(text)-v.Scale:]...)
	}
	return dst
}

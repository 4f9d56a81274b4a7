package value

import (
	"bytes"
	"slices"
	"strconv"
	"strings"
)

// MaxDigits is how many digits an Int surely holds.
const MaxDigits = 18

// scanNumber recognises plain whole numbers and decimals, and leaves all other
// notations to scanMarked. A leading zero before another digit makes a Code:
// shelf marks and postcodes lose it as numbers. One with a sign is Signed.
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
				return v.setCode(n, cell[first:], 0, signedIf(first > 0)), true
			}
			v.Whole = 0
		}
		v.setUnscaled(n, cell[first:])
		if whole >= 8 {
			return Shape{Integer, v.compact(cell)}, !isPhone(cell, whole)
		}
		return Shape{Kind: Integer}, true
	}
	if i < len(cell) && cell[i] == '.' && whole > 0 && (whole == 1 || cell[first] != '0') {
		scale, unscaled := decimals(cell[i+1:], n)
		if scale > 0 {
			v.Whole, v.Scale = whole, scale
			notation := Plain
			if cell[first] == '0' {
				v.Whole = 0
			} else if scale == 3 && whole <= 3 {
				notation = LonePoint
			}
			v.setUnscaled(unscaled, cell[first:])
			return Shape{Decimal, notation}, true
		}
	}
	if !endsLikeNumber(cell[len(cell)-1]) || i < len(cell)-1 && (cell[i] == '-' || cell[i] == '/' || cell[i] == ':') {
		return Shape{}, false // text, or a date or time
	}
	v.Negative = false
	return scanMarked(cell, v)
}

// setCode sets a number with leading zeros, whose digits are n and the last scale of which are
// decimals, and returns its shape.
func (v *Value) setCode(n int64, text []byte, scale int, notation uint32) Shape {
	digits := 0
	for _, c := range bytes.TrimLeft(text, "0") {
		if isDigit(c) {
			digits++
		}
	}
	v.Whole, v.Scale = digits-scale, scale
	v.setUnscaled(n, text)
	return Shape{Code, notation}
}

// signedIf returns the notation of a number with leading zeros.
func signedIf(signed bool) uint32 {
	if signed {
		return Signed
	}
	return Plain
}

// isPhone reports whether a whole number with that many digits is written with a
// plus sign, as telephone numbers are and quantities of that size are not.
func isPhone(cell []byte, whole int) bool { return cell[0] == '+' && whole >= 8 }

// decimals reads digits after a decimal point up to the end of s, going on
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
		v.SetWide(bytes.Map(func(r rune) rune {
			if r < '0' || r > '9' {
				return -1
			}
			return r
		}, text))
		return
	}
	v.Int = n
	if v.Negative {
		v.Int = -n
	}
}

// scanMarked recognises numbers with anything but digits and one point.
func scanMarked(cell []byte, v *Value) (Shape, bool) {
	d, ok := stripAffixes(cell)
	if d.dash {
		v.setUnscaled(0, nil)
		return Shape{Integer, d.notation | Dash}, true
	}
	if !ok {
		return Shape{}, false
	}
	v.Negative = d.negative
	e := bytes.IndexAny(d.body, "eE")
	if e > 0 {
		return scanExponent(d, e, v)
	}
	body := plainSeparators(d.body)
	notation, decimal, ok := dissect(body)
	if !ok {
		return Shape{}, false
	}
	n, seen, inScale := int64(0), 0, false
	for _, c := range body {
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
	if v.Whole > 1 && body[0] == '0' {
		if inScale && notation == Plain {
			notation = pointDecimals
		}
		return v.setCode(n, body, v.Scale, notation|d.notation&Dash|signedIf(d.signed)), d.notation&^Dash == 0
	}
	if v.Whole == 1 && body[0] == '0' {
		v.Whole = 0
	}
	if d.notation&Percent != 0 {
		v.Scale, v.Whole = v.Scale+2, max(v.Whole-2, 0)
		if inScale && notation == Plain { // a fraction has decimals in any case
			notation = pointDecimals
		}
	}
	v.setUnscaled(n, body)
	if inScale || v.Scale > 0 {
		return Shape{Decimal, notation | d.notation}, true
	}
	return Shape{Integer, notation | d.notation}, !isPhone(cell, v.Whole)
}

// scanExponent recognises a number with the exponent at e. It is set exactly
// where 38 digits hold it, because a spreadsheet writes 100000 as 1E+05 too.
func scanExponent(d affixed, e int, v *Value) (Shape, bool) {
	exponent := d.body[e+1:]
	if len(exponent) > 0 && (exponent[0] == '-' || exponent[0] == '+') {
		exponent = exponent[1:]
	}
	power, n := digits(exponent, 4)
	mantissa := d.body[:e]
	point := bytes.IndexAny(mantissa, ".,")
	notation := Plain
	if point >= 0 && mantissa[point] == ',' {
		notation = commaDecimals
	}
	whole := mantissa
	if point >= 0 {
		whole = append(bytes.Clone(mantissa[:point]), mantissa[point+1:]...)
	}
	_, count := digits(whole, len(whole))
	if n == 0 || n != len(exponent) || count == 0 || count < len(whole) || d.notation&^Trailing != 0 {
		return Shape{}, false
	}
	if d.body[e+1] == '-' {
		power = -power
	}
	if point >= 0 {
		power -= len(mantissa) - point - 1
	}
	f, err := strconv.ParseFloat(strings.Replace(string(d.body), ",", ".", 1), 64)
	v.Float = f
	if d.negative {
		v.Float = -f
	}
	significant := bytes.TrimLeft(whole, "0")
	v.setPower(significant, power)
	tooSmall := f == 0 && len(significant) > 0
	return Shape{Exponent, notation}, err == nil && !tooSmall
}

// setPower sets the number of digits times ten to a power, unless it is too
// long for any decimal: then its Whole says so.
func (v *Value) setPower(digits []byte, power int) {
	for power < 0 && len(digits) > 0 && digits[len(digits)-1] == '0' {
		digits, power = digits[:len(digits)-1], power+1
	}
	if len(digits) == 0 {
		return
	}
	v.Whole, v.Scale = max(len(digits)+power, 0), max(-power, 0)
	if v.Whole+v.Scale > maxExact {
		return
	}
	if power > 0 {
		digits = append(bytes.Clone(digits), bytes.Repeat([]byte{'0'}, power)...)
	}
	n, _ := strconv.ParseInt(string(digits), 10, 64)
	v.setUnscaled(n, digits)
}

// maxExact is the most digits that a number with an exponent is set exactly by.
const maxExact = 38

// Exact reports whether Int or Text have the number exactly; else only Float has
// it.
func (v *Value) Exact() bool { return v.Whole+v.Scale <= maxExact }

// AsFloat returns the number as a double, in any notation, unless it is too great or too small
// for one.
func (v *Value) AsFloat(s Shape) (float64, bool) {
	if s.Kind == Exponent {
		return v.Float, true
	}
	text := v.buffer[:0]
	if v.Negative {
		text = append(text, '-')
	}
	if v.Wide {
		text = append(text, v.Text...)
	} else {
		text = strconv.AppendUint(text, v.magnitude(), 10)
	}
	text = append(text, 'e')
	text = strconv.AppendInt(text, int64(-v.Scale), 10)
	f, err := strconv.ParseFloat(string(text), 64)
	tooSmall := f == 0 && (v.Wide || v.Int != 0)
	return f, err == nil && !tooSmall
}

func (v *Value) magnitude() uint64 {
	if v.Int < 0 {
		return uint64(-v.Int)
	}
	return uint64(v.Int)
}

// Widen writes the number's digits to Text, for one that Int cannot hold at a
// greater scale.
func (v *Value) Widen() { v.SetWide(strconv.AppendUint(nil, v.magnitude(), 10)) }

// SetDigits sets the unscaled number with these digits, whose sign is in Negative. Int holds it if
// it has at most MaxDigits of them, else Text: whoever knows the precision of a column knows where
// its values are. It keeps the slice.
func (v *Value) SetDigits(digits []byte) {
	v.SetWide(digits)
	if len(v.Text) <= MaxDigits {
		v.Narrow()
	}
}

// SetWide sets the digits of a number that Int cannot hold. It keeps the slice, without
// leading zeros, so that equal numbers are the same text.
func (v *Value) SetWide(digits []byte) {
	v.Wide, v.Text = true, bytes.TrimLeft(digits, "0")
	if len(v.Text) == 0 {
		v.Text = append(v.Text, '0')
	}
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
	start := len(dst)
	if v.Wide {
		if v.Negative {
			dst, start = append(dst, '-'), start+1
		}
		dst = append(dst, v.Text...)
	} else {
		if v.Int < 0 {
			dst, start = append(dst, '-'), start+1
		}
		dst = strconv.AppendUint(dst, v.magnitude(), 10)
	}
	for len(dst)-start <= v.Scale {
		dst = slices.Insert(dst, start, '0')
	}
	if v.Scale > 0 {
		at := len(dst) - v.Scale
		dst = append(dst, 0)
		copy(dst[at+1:], dst[at:])
		dst[at] = '.'
	}
	return dst
}

package value

import "bytes"

// The notation of a number says how its digits are grouped and which sign
// stands before the decimals, and then what else it wears.
const (
	Plain uint32 = 0 // 1234, 1234.56

	maskGroups  uint32 = 0b0000_0111 // the sign between groups of thousands
	groupComma  uint32 = 1
	groupPoint  uint32 = 2
	groupSpace  uint32 = 3
	groupQuote  uint32 = 4 // an apostrophe
	groupIndian uint32 = 5 // commas, and groups of two above the thousands

	commaDecimals uint32 = 0b0000_1000
	pointDecimals uint32 = 0b0001_0000 // beside groups or a percent sign; Plain does not have it

	// LoneComma and LonePoint stand alone before three digits: 1,234 and 1.234
	// are a group of thousands or three decimals, whichever the column shows.
	LoneComma uint32 = 0b0010_0000
	LonePoint uint32 = 0b0100_0000
	// CompactDate marks a whole number that is also a date written yyyyMMdd or
	// yyyyMMddHHmmss.
	CompactDate uint32 = 0b0110_0000

	Percent    uint32 = 1 << 7            // the value is the fraction
	Parens     uint32 = 1 << 8            // (12.50) is negative
	Trailing   uint32 = 1 << 9            // 12.50- is negative
	Dash              = Parens | Trailing // $ - is zero
	moneyShift        = 10                // the number of the currency, if any

	// Signed marks a Code with a sign: a number with zeros before it, such as -00012.
	Signed = Percent // a Code has no percent sign
)

const maskLone = LoneComma | LonePoint

// Style is how the numbers of one column are written.
type Style struct {
	DecimalComma bool
	Thousands    byte // the sign between groups, one of ",. '" and 0 for none
	Currency     Currency
	Percent      bool
	Padded       bool // zeros stand before the digits
}

// Takes reports whether numbers of the shape belong to the style.
func (y Style) Takes(s Shape) bool {
	if s.Kind == Code {
		if !y.Padded || y.Percent {
			return false
		}
		s = s.Unpadded()
	}
	n := s.Notation
	switch {
	case s.Kind == Exponent:
		return !y.Percent && (n&commaDecimals == 0 || y.DecimalComma)
	case s.Kind != Integer && s.Kind != Decimal, y.Percent != (n&Percent != 0):
		return false
	case s.Currency() != 0 && s.Currency() != y.Currency:
		return false
	case s.Kind == Integer && n&maskLone == CompactDate:
		return true
	case n&LoneComma != 0:
		return y.DecimalComma || y.Thousands == ','
	case n&LonePoint != 0:
		return !y.DecimalComma || y.Thousands == '.'
	case n&commaDecimals != 0 && !y.DecimalComma:
		return false
	case y.DecimalComma && (n&pointDecimals != 0 || n&maskGroups == 0 && n&commaDecimals == 0 && s.plainDecimals()):
		return false
	}
	return n&maskGroups == 0 || groupSigns[n&maskGroups] == y.Thousands
}

// Unpadded returns the shape of a number with zeros before it as if it were a whole number. The
// notation has the sign before its decimals.
func (s Shape) Unpadded() Shape { return Shape{Integer, s.Notation &^ Signed} }

// plainDecimals reports whether a shape has decimals after a point without more
// ado; those that only stem from a percent sign do not count.
func (s Shape) plainDecimals() bool { return s.Kind == Decimal && s.Notation&Percent == 0 }

// groupSigns are the signs of the groupings, by their number.
var groupSigns = []byte{0, ',', '.', ' ', '\'', ','}

// Disambiguate gives a lone comma or point the meaning that it has in the style.
func (y Style) Disambiguate(s Shape, v *Value) {
	switch {
	case y.DecimalComma && s.Kind == Integer && s.Notation&maskLone == LoneComma:
		v.Scale, v.Whole = v.Scale+3, max(v.Whole-3, 0)
	case y.DecimalComma && s.Kind == Decimal && s.Notation&maskLone == LonePoint:
		v.Scale, v.Whole = v.Scale-3, v.Whole+3
	}
}

// Thousands returns the sign between groups of thousands that a shape shows,
// or 0; comma says that its decimals surely stand after a comma, and point
// that they surely stand after a point.
func (s Shape) Thousands() (sign byte, comma, point bool) {
	n := s.Notation
	if s.Kind == Exponent {
		return 0, n&commaDecimals != 0, false
	}
	if s.Kind != Integer && s.Kind != Decimal || s.Kind == Integer && n&maskLone == CompactDate {
		return 0, false, false
	}
	sign = groupSigns[n&maskGroups]
	comma = n&commaDecimals != 0 || n&maskGroups == groupPoint
	point = n&pointDecimals != 0 || sign == ',' || n&(maskGroups|maskLone|commaDecimals|Percent) == 0 && s.Kind == Decimal
	return sign, comma, point
}

// Groups reports whether a number of the shape has a thousands separator in the
// style.
func (y Style) Groups(s Shape) bool {
	if s.Kind == Integer && s.Notation&maskLone == CompactDate {
		return false
	}
	return s.Notation&maskGroups != 0 || s.Notation&LoneComma != 0 && !y.DecimalComma || s.Notation&LonePoint != 0 && y.DecimalComma
}

// dissect finds out what the separators in a body of digits are.
func dissect(s []byte) (notation uint32, decimal byte, ok bool) {
	var count [256]uint8
	last, kinds := -1, 0
	for i, c := range s {
		if isDigit(c) {
			continue
		}
		if c != '.' && c != ',' && c != ' ' && c != '\'' || count[c] == 255 {
			return 0, 0, false
		}
		count[c]++
		if count[c] == 1 {
			kinds++
		}
		last = i
	}
	if kinds == 0 {
		return Plain, '.', true
	}
	sign := s[last]
	switch {
	case kinds == 1 && count[sign] == 1 && sign == '.':
		if grouped(s, '.', 3) && s[0] != '0' {
			return LonePoint, '.', true
		}
		return Plain, '.', len(s) > 1
	case kinds == 1 && count[sign] == 1 && sign == ',':
		if grouped(s, ',', 3) && s[0] != '0' {
			return LoneComma, '.', true
		}
		return commaDecimals, ',', last < len(s)-1
	case kinds == 1:
		group, ok := groups(s, sign)
		return group, 0, ok
	case kinds == 2 && count[sign] == 1 && (sign == '.' || sign == ','):
		between := s[bytes.IndexFunc(s, func(r rune) bool { return r < '0' || r > '9' })]
		group, ok := groups(s[:last], between)
		if sign == ',' {
			return group | commaDecimals, ',', ok && between != ',' && group != groupIndian
		}
		return group | pointDecimals, '.', ok && between != '.'
	}
	return 0, 0, false
}

// groups returns the grouping of digits by a sign, if it is regular.
func groups(s []byte, sign byte) (uint32, bool) {
	switch {
	case grouped(s, sign, 3):
		return uint32(bytes.IndexByte(groupSigns[:groupIndian], sign)), true
	case sign == ',' && len(s) > 4 && s[len(s)-4] == ',' && grouped(s[:len(s)-4], ',', 2):
		return groupIndian, true
	}
	return 0, false
}

// grouped reports whether s is groups of n digits, the first one shorter or
// as long.
func grouped(s []byte, separator byte, size int) bool {
	first := bytes.IndexByte(s, separator)
	if first < 1 || first > size || (len(s)-first)%(size+1) != 0 {
		return false
	}
	for i := first; i < len(s); i += size + 1 {
		if s[i] != separator || bytes.IndexByte(s[i+1:i+size+1], separator) >= 0 {
			return false
		}
	}
	return true
}

// plainSeparators writes spaces that do not break, thin spaces and the curved
// apostrophe as their ASCII kin.
func plainSeparators(s []byte) []byte {
	if bytes.IndexFunc(s, func(r rune) bool { return r >= 0x80 }) < 0 {
		return s
	}
	return bytes.Map(func(r rune) rune {
		switch r {
		case '\u00a0', '\u202f', '\u2009':
			return ' '
		case '’':
			return '\''
		}
		return r
	}, s)
}

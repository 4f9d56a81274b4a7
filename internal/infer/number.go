package infer

import (
	"fmt"
	"math"
	"slices"
	"strconv"

	"ambertray/internal/note"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// numbers lists the readings as numbers: one for every style that the shapes
// of the column can be in, the plainest first. A column is of one style only:
// one decimal sign, one sign between thousands, one currency.
func (p *Column) numbers(o Options) []reading {
	signs, currencies, percents := []byte{0}, []value.Currency{0}, []bool{false}
	commas := []bool{false}
	padded := p.isPadded()
	for i := range p.tallies {
		s := p.tallies[i].shape
		if padded && s.Kind == value.Code {
			s = s.Unpadded()
		}
		if s.Kind != value.Integer && s.Kind != value.Decimal && s.Kind != value.Exponent {
			continue
		}
		sign, comma, _ := s.Thousands()
		if s.Notation != value.CompactDate && s.Notation&value.LoneComma != 0 {
			signs, comma = addOnce(signs, ','), true
		}
		if s.Notation != value.CompactDate && s.Notation&value.LonePoint != 0 && o.Conventions.DecimalComma {
			comma = true
		}
		if comma {
			signs, commas = addOnce(signs, '.'), addOnce(commas, true)
		}
		signs = addOnce(signs, sign)
		currencies = addOnce(currencies, s.Currency())
		percents = addOnce(percents, s.Notation&value.Percent != 0)
	}
	if o.Conventions.DecimalComma {
		slices.Reverse(commas)
	}
	var list []reading
	for _, percent := range percents {
		for _, comma := range commas {
			for _, sign := range signs {
				for _, currency := range currencies {
					if comma && sign == ',' || !comma && sign == '.' {
						continue
					}
					style := value.Style{DecimalComma: comma, Thousands: sign, Currency: currency, Percent: percent, Padded: padded}
					list = append(list, numbersIn(style, o))
				}
			}
		}
	}
	return list
}

// isPadded reports whether the column has numbers with zeros before them, which would be codes if
// none had a sign.
func (p *Column) isPadded() bool {
	return slices.ContainsFunc(p.tallies, func(t tally) bool { return t.shape.Kind == value.Code && t.shape.Notation&value.Signed != 0 })
}

func addOnce[T comparable](list []T, x T) []T {
	if slices.Contains(list, x) {
		return list
	}
	return append(list, x)
}

func numbersIn(style value.Style, o Options) reading {
	r := reading{name: "numbers", takes: style.Takes}
	switch {
	case style.Percent:
		r.name = "percentages"
	case style.Currency != 0:
		r.name = "amounts in " + style.Currency.String()
	}
	r.plan = func(p *Column, c *Choice) { p.planNumbers(style, o, c) }
	return r
}

// counted is what the tallies of one style add up to.
type counted struct {
	n, exponents, grouped, money, negative, dashes, padded int64
	whole, scale, digits                                   int
	pointZero                                              int64 // whole numbers that end in .0
	lone                                                   bool  // every grouping may be three decimals
	example, priced                                        Example
}

func (p *Column) countNumbers(style value.Style) counted {
	t := counted{lone: true}
	p.each(style.Takes, func(a *tally) {
		t.n += a.count
		whole, scale := a.whole, a.scale
		s := a.shape
		compact := s.Notation == value.CompactDate
		if s.Kind == value.Code {
			t.padded += a.count
		}
		switch {
		case s.Kind == value.Exponent:
			t.exponents += a.count
		case compact:
		case s.Notation&value.LoneComma != 0 && style.DecimalComma:
			scale, whole = scale+3, max(whole-3, 0)
		case s.Notation&value.LonePoint != 0 && style.DecimalComma:
			scale, whole = scale-3, whole+3
		}
		if s.Kind == value.Decimal && !a.fraction && s.Notation == value.Plain {
			t.pointZero += a.count
			scale = 0
		}
		t.whole, t.scale, t.digits = max(t.whole, whole), max(t.scale, scale), max(t.digits, a.digits)
		if style.Groups(s) {
			t.grouped += a.count
			t.lone = t.lone && s.Notation&(value.LoneComma|value.LonePoint) != 0
			t.example = a.examples[0]
		}
		if s.Currency() != 0 {
			t.money += a.count
			if t.priced.Line == 0 {
				t.priced = a.examples[0]
			}
		}
		switch {
		case s.Kind == value.Exponent || s.Notation == value.CompactDate:
		case s.Notation&value.Dash == value.Dash:
			t.dashes += a.count
		case s.Notation&value.Dash != 0:
			t.negative += a.count
		}
	})
	return t
}

func (p *Column) planNumbers(style value.Style, o Options, c *Choice) {
	t := p.countNumbers(style)
	lo, hi := p.extremesOf(style.Takes, only)
	c.Min, c.Max = string(lo.text), string(hi.text)
	c.Percent, c.Currency = style.Percent, style.Currency.String()
	span := spanText(c, t.n)
	exact := t.whole+t.scale <= table.MaxPrecision
	switch {
	case t.exponents > 0 && (2*t.exponents > t.n || !exact):
		c.Type = table.Type{Kind: table.Double}
		c.Evidence = fmt.Sprintf("%s, %s with an exponent%s", amount(t.n, "number"), group(t.exponents), span)
	case t.scale >= noisyScale && t.digits >= 15 && t.digits <= 17 && style.Currency == 0:
		c.Type = table.Type{Kind: table.Double}
		c.Evidence = fmt.Sprintf("%s of up to %d digits, as floating point is printed%s", amount(t.n, "number"), t.digits, span)
	case style.Thousands == ' ' && p.Shortest == p.Longest && t.whole >= 9 && t.scale == 0:
		c.Type = p.textType(o.Fit)
		c.Evidence = fmt.Sprintf("%d digits in groups in every value: more likely a telephone number than a quantity", t.whole)
	case style.Percent:
		c.Type = decimalType(t.whole, t.scale, o.Fit)
		c.Evidence = fmt.Sprintf("%s%s; stored as a fraction: 50%% is 0.5", amount(t.n, "percentage"), span)
	case style.Currency != 0:
		c.Type = decimalType(t.whole, max(t.scale, 2), o.Fit)
		c.Evidence = fmt.Sprintf("%s in %s%s", amount(t.n, "amount"), style.Currency, span)
		bare := t.n - t.money
		if bare >= t.money && bare > 0 {
			c.Remark = fmt.Sprintf("only %s of %s %s a currency sign (%s), which is ignored: %s",
				group(t.money), group(t.n), verb(t.money), style.Currency, at(t.priced))
			c.Evidence = amount(t.n, "number") + span + "; " + c.Remark
		} else if bare > 0 {
			c.Evidence += fmt.Sprintf("; %s no currency", note.Count(bare, "has", "have"))
		}
	case t.scale > 0:
		c.Type = decimalType(t.whole, t.scale, o.Fit)
		c.Evidence = fmt.Sprintf("%s of up to %s%s", amount(t.n, "number"), amount(int64(t.scale), "decimal"), span)
	default:
		c.Type = p.integerType(lo, hi, t.whole, o.Fit)
		if !c.Type.Whole() {
			c.Long = longType(c.Min, c.Max, t.whole)
		}
		c.Evidence = amount(t.n, "whole number") + span
		if c.Type.Kind == table.Char {
			c.Evidence += fmt.Sprintf("; %s in every value: more likely an identifier than a quantity", amount(int64(t.whole), "digit"))
		}
		if lo.float == 0 && hi.float == 1 && c.Distinct == 2 {
			c.Evidence += "; write type: boolean if 1 means true"
		}
	}
	t.explain(style, o, c)
}

// noisyScale is from how many decimals on numbers of 15 to 17 digits are taken
// for floating point, which holds them exactly.
const noisyScale = 12

// explain adds what is worth knowing of how the numbers are written.
func (t *counted) explain(style value.Style, o Options, c *Choice) {
	if style.DecimalComma {
		c.Decimal = ","
		c.Evidence += "; ',' is the decimal separator"
	}
	if t.grouped > 0 {
		c.Thousands = string(style.Thousands)
		c.Evidence += fmt.Sprintf("; %s is a thousands separator in %s", signName(c.Thousands), group(t.grouped))
		if t.lone && style.DecimalComma && o.Conventions.DecimalComma {
			c.Evidence += ", as other columns have a comma before decimals"
		}
		if t.lone && !o.Conventions.DecimalComma && !style.DecimalComma {
			c.Guess = fmt.Sprintf("ambiguous: ',' was read as the thousands separator; if it is the decimal separator, as in %s, write decimal: \",\"", at(t.example))
			c.Evidence += "; " + c.Guess
		}
	}
	if t.pointZero > 0 && t.scale == 0 {
		c.Evidence += fmt.Sprintf("; %s in .0", note.Count(t.pointZero, "ends", "end"))
	}
	if t.padded > 0 {
		c.Evidence += fmt.Sprintf("; %s with 0, and some have a sign: not codes", note.Count(t.padded, "begins", "begin"))
	}
	if t.negative > 0 {
		c.Evidence += fmt.Sprintf("; %s written as in accounts", note.Count(t.negative, "is negative,", "are negative,"))
	}
	if t.dashes > 0 {
		c.Evidence += fmt.Sprintf("; %s a dash, which is zero in accounts", note.Count(t.dashes, "is", "are"))
	}
	if t.exponents > 0 && c.Type.Kind != table.Double {
		c.Evidence += fmt.Sprintf("; %s an exponent, and no digit is lost", note.Count(t.exponents, "has", "have"))
	}
}

// signName names a thousands separator, by a word if quotes would hide it.
func signName(sign string) string {
	switch sign {
	case "'":
		return "an apostrophe"
	case " ":
		return "a space"
	}
	return "'" + sign + "'"
}

// integerType returns the smallest type of whole numbers from lo to hi. Numbers
// of more than 18 digits, all of one length, name things rather than count
// them.
func (p *Column) integerType(lo, hi extreme, digits int, fit Fit) table.Type {
	switch {
	case digits > value.MaxDigits && p.Shortest == p.Longest:
		return table.Type{Kind: table.Char, Size: p.Longest}
	case digits > value.MaxDigits:
		return decimalType(digits, 0, fit)
	case lo.int < math.MinInt32 || hi.int > math.MaxInt32:
		return table.Type{Kind: table.BigInt}
	case fit == Snug && lo.int >= math.MinInt16 && hi.int <= math.MaxInt16:
		return table.Type{Kind: table.SmallInt}
	}
	return table.Type{Kind: table.Integer}
}

// longType returns the smallest type of whole numbers from lo to hi of up to the given number of digits.
func longType(lo, hi string, digits int) *table.Type {
	_, errLo := strconv.ParseInt(lo, 10, 64)
	_, errHi := strconv.ParseInt(hi, 10, 64)
	if errLo == nil && errHi == nil {
		return &table.Type{Kind: table.BigInt}
	}
	exact := decimalType(digits, 0, Snug)
	return &exact
}

// decimalType leaves headroom of one digit before the point, where there is
// room to be. Numbers too long for any decimal stay text.
func decimalType(whole, scale int, fit Fit) table.Type {
	size := max(whole, 1) + scale
	if size > table.MaxPrecision {
		return table.Type{Kind: table.Text}
	}
	if fit == Roomy {
		size++
	}
	return table.Type{Kind: table.Decimal, Size: min(size, table.MaxPrecision), Scale: scale}
}

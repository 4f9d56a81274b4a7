package value

import (
	"bytes"
	"strings"
)

// Currency is the number of a currency in currencies; 0 means no currency.
type Currency uint8

// currencies are the codes of ISO 4217, each with the signs that stand for it.
// A sign that several share, such as kr, is one of its own.
var currencies = func() [][]string {
	all := [][]string{
		nil, {"USD", "US$", "$"}, {"EUR", "€"}, {"GBP", "£"}, {"JPY", "¥"}, {"CNY", "CN¥", "元"}, {"INR", "₹", "Rs.", "Rs"}, {"CHF", "Fr."},
		{"CAD", "CA$", "C$"}, {"AUD", "AU$", "A$"}, {"NZD", "NZ$"}, {"SGD", "S$"}, {"HKD", "HK$"}, {"BRL", "R$"}, {"kr"}, {"PLN", "zł"},
		{"CZK", "Kč"}, {"HUF", "Ft"}, {"RUB", "₽"}, {"TRY", "₺"}, {"ILS", "₪"}, {"KRW", "₩"}, {"UAH", "₴"}, {"VND", "₫"}, {"THB", "฿"},
		{"NGN", "₦"}, {"PHP", "₱"},
	}
	for code := range strings.FieldsSeq("AED ARS BGN CLP COP DKK EGP IDR ISK KES MXN MYR NOK PEN PKR RON SAR SEK TWD ZAR") {
		all = append(all, []string{code})
	}
	return all
}()

// String returns the code of a currency, or its sign where it has none.
func (c Currency) String() string {
	if c == 0 {
		return ""
	}
	return currencies[c][0]
}

// ParseCurrency returns the currency of a code or sign.
func ParseCurrency(text string) (Currency, bool) {
	for i, names := range currencies {
		for _, n := range names {
			if n == text {
				return Currency(i), true
			}
		}
	}
	return 0, false
}

// Currency returns the currency that numbers of the shape are in, if any.
func (s Shape) Currency() Currency {
	if s.Kind != Integer && s.Kind != Decimal {
		return 0
	}
	return Currency(s.Notation >> moneyShift)
}

// affixed is a number and what stands around its digits.
type affixed struct {
	body     []byte
	negative bool
	signed   bool // it has a sign, or parentheses in place of one
	dash     bool // a dash stands in place of zero, beside a currency
	notation uint32
}

// endsLikeNumber reports whether c may be the last byte of a number, and saves a
// closer look at most texts: a digit, a sign, or the end of a currency.
func endsLikeNumber(c byte) bool {
	return isDigit(c) || c == '.' || c == '%' || c == ')' || c == '-' || c == '+' || c == '$' || c >= 0x80 || c >= 'A' && c <= 'Z' || c == 'r' || c == 't' || c == 's'
}

// stripAffixes takes parentheses, signs, a percent sign and a currency off a number.
func stripAffixes(s []byte) (d affixed, ok bool) {
	for changed := true; changed && len(s) > 0; {
		before := len(s)
		inner, ok := inParens(s)
		if ok && !d.signed {
			s, d.signed, d.negative, d.notation = inner, true, true, d.notation|Parens
		}
		rest, minus := takeSign(s)
		if len(rest) < len(s) && !d.signed {
			s, d.signed, d.negative = rest, true, minus
		}
		if d.notation>>moneyShift == 0 && d.notation&Percent == 0 {
			var c Currency
			s, c = takeCurrency(s)
			d.notation |= uint32(c) << moneyShift
		}
		n := len(s)
		if n > 1 && s[n-1] == '%' && d.notation&^Parens == 0 {
			s, d.notation = bytes.TrimRight(s[:n-1], spaces), d.notation|Percent
		}
		n = len(s)
		if n > 1 && s[n-1] == '-' && !d.signed {
			s, d.signed, d.negative, d.notation = bytes.TrimSpace(s[:n-1]), true, true, d.notation|Trailing
		}
		n = len(s)
		if n > 2 && s[0] == '0' && s[n-1] == '+' && !d.signed { // otherwise it means more, such as 65+
			s, d.signed = s[:n-1], true
		}
		changed = len(s) < before
	}
	d.body = s
	d.dash = len(s) == 0 && d.negative && d.notation>>moneyShift != 0 && d.notation&Parens == 0
	return d, len(s) > 0 && (isDigit(s[0]) || (s[0] == '.' || s[0] == ',') && len(s) > 1) && (isDigit(s[len(s)-1]) || s[len(s)-1] == '.')
}

// inParens returns the text between parentheses around s, unless it is blank.
func inParens(s []byte) (inner []byte, ok bool) {
	if len(s) < 3 || s[0] != '(' || s[len(s)-1] != ')' {
		return nil, false
	}
	inner = bytes.TrimSpace(s[1 : len(s)-1])
	return inner, len(inner) > 0
}

// takeSign takes a sign off the start of s; minus also as U+2212.
func takeSign(s []byte) (rest []byte, minus bool) {
	switch {
	case s[0] == '-' || s[0] == '+':
		rest = bytes.TrimLeft(s[1:], spaces)
		if len(rest) == 0 || !isDigit(rest[0]) {
			rest = s[1:]
		}
		return rest, s[0] == '-'
	case bytes.HasPrefix(s, []byte("−")):
		return s[len("−"):], true
	}
	return s, false
}

// takeCurrency takes a currency off either end of s.
func takeCurrency(s []byte) ([]byte, Currency) {
	if len(s) == 0 || isDigit(s[0]) && isDigit(s[len(s)-1]) {
		return s, 0
	}
	for _, n := range currencyNames.first[s[0]] {
		rest, ok := bytes.CutPrefix(s, n.text)
		if ok && len(rest) > 0 && !(n.word && isDigit(rest[0])) {
			return bytes.TrimLeft(rest, spaces), n.currency
		}
	}
	for _, n := range currencyNames.last[s[len(s)-1]] {
		rest, ok := bytes.CutSuffix(s, n.text)
		if ok && len(rest) > 0 && !(n.word && isDigit(rest[len(rest)-1])) {
			return bytes.TrimRight(rest, spaces), n.currency
		}
	}
	return s, 0
}

const spaces = " \u00a0\u202f"

// currencyName is a code or sign. A word needs a space between it and the
// digits, without which it is part of some other code, such as PEN1.
type currencyName struct {
	text     []byte
	currency Currency
	word     bool
}

// currencyNames are the codes and signs by their first and last byte.
var currencyNames = func() (by struct{ first, last [256][]currencyName }) {
	for i, names := range currencies {
		for _, n := range names {
			last := n[len(n)-1]
			name := currencyName{[]byte(n), Currency(i), classes[n[0]] == letter && classes[last] == letter}
			by.first[n[0]] = append(by.first[n[0]], name)
			by.last[last] = append(by.last[last], name)
		}
	}
	return by
}()

package value

import (
	"bytes"
	"strconv"
)

// The functions below read what servers write: the forms of iso.go and plain
// decimals. Text that has another form is kept as SetUntyped does.

// SetUntyped sets v to a value that a table has although its column is of another
// type, such as text among whole numbers in SQLite.
func (v *Value) SetUntyped(text []byte) { v.Untyped, v.Text = true, text }

// ReadInt reads a whole number.
func (v *Value) ReadInt(text []byte) {
	n, err := strconv.ParseInt(string(text), 10, 64)
	v.Int, v.Wide, v.Untyped = n, false, false
	if err != nil {
		v.SetUntyped(text)
	}
}

// ReadDecimal reads a plain decimal as an unscaled number of the given scale.
func (v *Value) ReadDecimal(text []byte, scale int) {
	v.Scale, v.Wide, v.Negative, v.Untyped = scale, false, false, false
	digits, n, point := text, int64(0), -1
	if len(digits) > 0 && digits[0] == '-' {
		v.Negative, digits = true, digits[1:]
	}
	for i, c := range digits {
		switch {
		case c == '.' && point < 0:
			point = i
		case c < '0' || c > '9':
			v.SetUntyped(text)
			return
		default:
			n = n*10 + int64(c-'0')
		}
	}
	decimals := 0
	if point >= 0 {
		decimals = len(digits) - point - 1
	}
	if len(digits) == 0 || decimals > scale || len(digits)+scale-decimals > maxInt64Digits {
		v.readWide(text, digits, decimals, scale)
		return
	}
	for ; decimals < scale; decimals++ {
		n *= 10
	}
	v.Int = n
	if v.Negative {
		v.Int = -n
	}
}

// maxInt64Digits is how many digits, with a point, fit an int64 in any case.
const maxInt64Digits = 18

// readWide reads a decimal that may not fit an int64, or has more decimals than its
// scale, which must then be zeros.
func (v *Value) readWide(text, digits []byte, decimals, scale int) {
	plain := bytes.ReplaceAll(digits, []byte{'.'}, nil)
	for ; decimals > scale; decimals-- {
		last := len(plain) - 1
		if last < 0 || plain[last] != '0' {
			v.SetUntyped(text)
			return
		}
		plain = plain[:last]
	}
	if len(plain) == 0 {
		v.SetUntyped(text)
		return
	}
	for ; decimals < scale; decimals++ {
		plain = append(plain, '0')
	}
	v.SetDigits(plain)
}

// ReadFloat reads a number.
func (v *Value) ReadFloat(text []byte) {
	f, err := strconv.ParseFloat(string(text), 64)
	v.Float, v.Untyped = f, false
	if err != nil {
		v.SetUntyped(text)
	}
}

// ReadDate reads a date such as 2026-01-31.
func (v *Value) ReadDate(text []byte) {
	days, rest, ok := readDate(text)
	v.Int, v.Wide, v.Untyped = days, false, false
	if !ok || len(rest) > 0 {
		v.SetUntyped(text)
	}
}

// ReadClock reads a time of day such as 10:00:00.000001.
func (v *Value) ReadClock(text []byte) {
	micros, ok := readClock(text)
	v.Int, v.Wide, v.Untyped = micros, false, false
	if !ok {
		v.SetUntyped(text)
	}
}

// ReadTimestamp reads a date and a time with a space or a T between them.
func (v *Value) ReadTimestamp(text []byte) {
	days, rest, ok := readDate(text)
	micros := int64(0)
	ok = ok && len(rest) > 1 && (rest[0] == ' ' || rest[0] == 'T')
	if ok {
		micros, ok = readClock(rest[1:])
	}
	v.Int, v.Wide, v.Untyped = days*microsPerDay+micros, false, false
	if !ok {
		v.SetUntyped(text)
	}
}

func readDate(text []byte) (days int64, rest []byte, ok bool) {
	if len(text) < 10 || text[4] != '-' || text[7] != '-' {
		return 0, nil, false
	}
	year, ok1 := readDigits(text[:4])
	month, ok2 := readDigits(text[5:7])
	day, ok3 := readDigits(text[8:10])
	if !ok1 || !ok2 || !ok3 || !exists(year, month, day) {
		return 0, nil, false
	}
	return daysFromCivil(year, month, day), text[10:], true
}

func readClock(text []byte) (micros int64, ok bool) {
	if len(text) < 8 || text[2] != ':' || text[5] != ':' {
		return 0, false
	}
	hours, ok1 := readDigits(text[:2])
	minutes, ok2 := readDigits(text[3:5])
	seconds, ok3 := readDigits(text[6:8])
	fraction := text[8:]
	if !ok1 || !ok2 || !ok3 || len(fraction) == 1 || len(fraction) > 7 || len(fraction) > 0 && fraction[0] != '.' {
		return 0, false
	}
	n := 0
	if len(fraction) > 0 {
		n, ok = readDigits(fraction[1:])
		if !ok {
			return 0, false
		}
		for range 7 - len(fraction) {
			n *= 10
		}
	}
	return int64((hours*60+minutes)*60+seconds)*1_000_000 + int64(n), true
}

func readDigits(text []byte) (n int, ok bool) {
	for _, c := range text {
		if c < '0' || c > '9' {
			return 0, false
		}
		n = n*10 + int(c-'0')
	}
	return n, true
}

// Package value knows what the text of a cell can mean. Each kind of value has
// one file with one scanner, and both sides use it: inference asks of which
// shape a cell is, conversion asks for the value of a cell of a known shape.
// So whatever type was chosen for a column, its cells convert.
//
// Every text has exactly one shape. What is known of a column is then a count
// a shape, which can be added up in any order.
package value

import "bytes"

// Kind is what sort of value a shape denotes.
type Kind uint8

// The kinds of value. Code is a number with a leading zero, Instant a timestamp
// with its offset from UTC, NullWord a well-known word for 'no value',
// Impossible a date that does not exist.
const (
	Text Kind = iota
	Integer
	Decimal
	Exponent
	Code
	Boolean
	Date
	Time
	Timestamp
	Instant
	UUID
	NullWord
	Impossible
)

var kindNames = [...]string{
	"text", "whole number", "decimal number", "number with an exponent", "digits with leading zeros", "true or false", "date", "time of day",
	"timestamp", "timestamp with its offset", "UUID", "word for no value", "no such date",
}

func (k Kind) String() string { return kindNames[k] }

// Shape is a kind and the notation that it is written in.
type Shape struct {
	Kind     Kind
	Notation uint32 // what it means is up to the kind
}

// Value is the meaning of a cell. Which fields are set depends on the kind.
type Value struct {
	// Int is the unscaled number of an Integer or Decimal, 0 or 1 of a
	// Boolean, the days since 1970-01-01 of a Date, the microseconds since
	// midnight of a Time, those since 1970-01-01 of a Timestamp, and in UTC
	// of an Instant.
	Int int64
	// Scale is the number of digits after the decimal sign, Whole of those
	// before it, leading zeros left out.
	Scale, Whole int
	// Wide says that the number does not fit Int; Text then has its digits.
	Wide     bool
	Negative bool
	Altered  Alteration
	Float    float64
	Null     bool // set by who reads a column, not by Scan
	Untyped  bool // it was read from a table, and is not of its column's type: Text has it
	// Text is the cell, spaces around it and the braces of a UUID taken off, for every kind but
	// numbers with Wide. It is valid as long as the cell.
	Text []byte

	date   parts
	buffer [32]byte
}

// Alteration is how a value differs from the text of its cell. The parsers of columns set it.
type Alteration uint8

// A number without the zeros before it may have been a code, unless it has a sign.
const (
	Unaltered Alteration = iota
	PaddedCode
	PaddedSigned
	Rounded
)

// Buffer returns an empty buffer inside the value for its text in another
// form. It is valid until the next Scan.
func (v *Value) Buffer() []byte { return v.buffer[:0] }

// Scan returns the shape of a cell that is not blank, and sets v to its value.
// Of dates it does not set Int: Resolve does, once their order is known.
func Scan(cell []byte, v *Value) Shape { return ScanLike(Text, cell, v) }

// ScanLike is Scan for a cell that is most likely of the given kind. The result
// is the same, because no text is of two kinds.
func ScanLike(like Kind, cell []byte, v *Value) Shape {
	s, ok := scanPlain(cell, v)
	if ok {
		return s
	}
	cell = Trim(cell)
	v.clear(cell)
	if like.HasDate() {
		s, ok := scanDate(cell, v)
		if ok {
			return s
		}
	}
	s, ok = scanByFirst(cell, v)
	if ok {
		return s
	}
	v.Negative = false
	s, ok = scanUUID(cell, v)
	if ok {
		return s
	}
	s, ok = scanNullWord(cell)
	if ok {
		return s
	}
	v.clear(cell)
	return Shape{Kind: Text}
}

// scanByFirst tries the scanners that the first byte of a cell is worth.
func scanByFirst(cell []byte, v *Value) (s Shape, ok bool) {
	switch classes[cell[0]] {
	case digit:
		s, ok = scanNumber(cell, v)
		if !ok {
			s, ok = scanDate(cell, v)
		}
		if !ok {
			s, ok = scanTime(cell, v)
		}
	case sign:
		s, ok = scanNumber(cell, v)
	case letter:
		s, ok = scanBoolean(cell, v)
		if ok || !endsInDigits(cell) {
			return s, ok
		}
		s, ok = scanNamedDate(cell, v)
		if !ok {
			s, ok = scanMarked(cell, v)
		}
	case money:
		s, ok = scanMarked(cell, v)
		if !ok {
			s, ok = scanBoolean(cell, v)
		}
	}
	return s, ok
}

// clear sets the fields that Scan promises; the buffer may keep what it has.
func (v *Value) clear(cell []byte) {
	v.Int, v.Scale, v.Whole, v.Wide, v.Negative, v.Altered, v.Float, v.Text = 0, 0, 0, false, false, Unaltered, 0, cell
}

// class says which scanners a first byte is worth.
type class uint8

const (
	other class = iota
	digit
	sign
	letter
	money // or anything else beyond ASCII
)

var classes = func() (t [256]class) {
	for c := range 256 {
		b := byte(c)
		switch {
		case isDigit(b):
			t[c] = digit
		case b == '-' || b == '+' || b == '.' || b == ',':
			t[c] = sign
		case b|0x20 >= 'a' && b|0x20 <= 'z':
			t[c] = letter
		case b == '$' || b == '(' || b >= 0x80:
			t[c] = money
		}
	}
	return t
}()

// endsInDigits reports whether a text that begins with a letter may be a date or
// an amount: it has a digit, and ends like one of them.
func endsInDigits(cell []byte) bool {
	last := cell[len(cell)-1]
	return (isDigit(last) || last == '.' || last == ')' || last == '-' || last|0x20 == 'm' || last|0x20 == 'z' || last|0x20 == 'c' || last|0x20 == 't') &&
		bytes.ContainsAny(cell, "0123456789")
}

func isDigit(b byte) bool { return b-'0' < 10 }

// Blank reports whether a cell is empty or of white space only.
func Blank(cell []byte) bool {
	return len(cell) == 0 || int8(cell[0]) <= ' ' && len(bytes.TrimSpace(cell)) == 0 // or beyond ASCII
}

// Trim takes the white space off both ends of a cell.
func Trim(cell []byte) []byte {
	n := len(cell)
	if n > 0 && (int8(cell[0]) <= ' ' || int8(cell[n-1]) <= ' ') { // or beyond ASCII
		return bytes.TrimSpace(cell)
	}
	return cell
}

// digits reads up to max digits at the start of s.
func digits(s []byte, max int) (n, count int) {
	for count < len(s) && count < max && isDigit(s[count]) {
		n = n*10 + int(s[count]-'0')
		count++
	}
	return n, count
}

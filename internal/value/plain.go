package value

import (
	"encoding/binary"
	"math/bits"
)

// Most cells of large sources are plain numbers of up to eight bytes and ISO dates. They are
// read here eight bytes at a time; the general scanners read them as well, with the same
// result, and tests hold the two together.

const (
	eightZeros = 0x3030303030303030
	highBits   = 0x8080808080808080
)

// notDigits sets the high bit of each byte of w that is not a digit.
func notDigits(w uint64) uint64 {
	w ^= eightZeros
	return (w&^highBits + 0x7676767676767676 | w) & highBits
}

// eightDigits returns the number that the bytes of w are the digits of, the lowest byte the
// first of them.
func eightDigits(w uint64) int64 {
	w ^= eightZeros
	w = w*10 + w>>8 // pairs, in every other byte
	return int64((w&0x000000ff000000ff*0x000f424000000064 + w>>16&0x000000ff000000ff*0x0000271000000001) >> 32)
}

// scanPlain recognises a number or a code of up to eight bytes, an ISO date, and an ISO
// timestamp of whole seconds. It is false for any other text.
func scanPlain(cell []byte, v *Value) (Shape, bool) {
	n := len(cell)
	if n <= 8 && cap(cell) >= 8 && isDigit(cell[0]) { // what follows the cell is shifted out
		w := binary.LittleEndian.Uint64(cell[:8])<<(64-8*n) | eightZeros>>(8*n)
		return scanShort(w, cell, v)
	}
	if (n == len("yyyy-MM-dd") || n == len("yyyy-MM-dd HH:mm:ss")) && cell[4] == '-' {
		return scanISO(cell, v)
	}
	return Shape{}, false
}

// scanShort reads a number, which w ends with and has zeros before.
func scanShort(w uint64, cell []byte, v *Value) (Shape, bool) {
	n, other := len(cell), notDigits(w)
	if other == 0 && n < 8 { // of eight digits it may be a date
		v.clear(cell)
		v.Int, v.Whole = eightDigits(w), n
		if cell[0] == '0' {
			return scanZero(v)
		}
		return Shape{Kind: Integer}, true
	}
	at := bits.TrailingZeros64(other) &^ 7
	scale := 7 - at/8
	whole := n - 1 - scale
	if other == 0 || other&(other-1) != 0 || byte(w>>at) != '.' || scale == 0 || cell[0] == '0' && whole > 1 {
		return Shape{}, false
	}
	v.clear(cell)
	before := w & (1<<at - 1) // the digits before the point move up to those after it
	v.Int, v.Whole, v.Scale = eightDigits(w>>at>>8<<at<<8|before<<8|'0'), whole, scale
	switch {
	case cell[0] == '0':
		v.Whole = 0
	case scale == 3 && whole <= 3:
		return Shape{Decimal, LonePoint}, true
	}
	return Shape{Decimal, Plain}, true
}

// scanZero reads digits that begin with 0: zero itself, or a code.
func scanZero(v *Value) (Shape, bool) {
	code := v.Whole > 1
	v.Whole = 0
	if code {
		for n := v.Int; n > 0; n /= 10 {
			v.Whole++
		}
		return Shape{Kind: Code}, true
	}
	return Shape{Kind: Integer}, true
}

// scanISO reads yyyy-MM-dd, with HH:mm:ss after it where there is more.
func scanISO(cell []byte, v *Value) (Shape, bool) {
	const dashes, marks = uint64('-')<<32 | uint64('-')<<56, 0xff<<32 | 0xff<<56
	w := binary.LittleEndian.Uint64(cell)
	day := int(twoDigits(cell[8:]))
	n := int(eightDigits(w&^marks | eightZeros&marks)) // yyyy0MM0
	year, month := n/10_000, n/10%1_000
	if w&marks != dashes || notDigits(w) != marks&highBits || !exists(year, month, day) {
		return Shape{}, false
	}
	s, micros := Shape{Date, YearFirst | separatorDash}, int64(0)
	if day > 12 {
		s.Notation |= markNoDate << 1 // the month is never too great for a day
	}
	if len(cell) > len("yyyy-MM-dd") {
		var ok bool
		s, micros, ok = scanSeconds(cell[len("yyyy-MM-dd"):], s)
		if !ok {
			return Shape{}, false
		}
	}
	v.clear(cell)
	v.date = parts{[3]int{year, month, day}, micros}
	return s, true
}

// scanSeconds reads HH:mm:ss after a date of shape s.
func scanSeconds(rest []byte, s Shape) (Shape, int64, bool) {
	s.Kind, s.Notation = Timestamp, s.Notation|clockSeconds
	if rest[0]|0x20 == 't' {
		s.Notation |= jointT
	} else if rest[0] != ' ' {
		return s, 0, false
	}
	micros, ok := clockOf(rest[1:])
	return s, micros, ok
}

// clockOf returns the microseconds since midnight of HH:mm:ss.
func clockOf(text []byte) (micros int64, ok bool) {
	const colons, marks = uint64(':')<<16 | uint64(':')<<40, 0xff<<16 | 0xff<<40
	w := binary.LittleEndian.Uint64(text)
	n := eightDigits(w&^marks | eightZeros&marks) // HH0mm0ss
	hour, minute, second := n/1_000_000, n/1_000%1_000, n%1_000
	ok = w&marks == colons && notDigits(w) == marks&highBits && hour < 24 && minute < 60 && second < 60
	return (hour*3600 + minute*60 + second) * 1_000_000, ok
}

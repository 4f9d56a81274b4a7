package value

import "bytes"

// scanTime recognises a time of day: HH:mm, HH:mm:ss, with a fraction, with am
// or pm. With points it needs these: others are numbers.
func scanTime(cell []byte, v *Value) (Shape, bool) {
	micros, notation, rest, ok := scanTimeOfDay(cell)
	if !ok {
		micros, notation, rest, ok = scanPointClock(cell)
		ok = ok && notation&halfDays != 0
	}
	if !ok || len(rest) > 0 {
		return Shape{}, false
	}
	v.Int = micros
	return Shape{Time, notation}, true
}

// scanTimeOfDay returns the microseconds since midnight, the notation, and what
// stands after.
func scanTimeOfDay(s []byte) (micros int64, notation uint32, rest []byte, ok bool) {
	if len(s) == len("HH:mm:ss") && s[2] == ':' && s[5] == ':' { // by far the most common
		micros, ok = clockOf(s)
		return micros, clockSeconds, nil, ok
	}
	hour, n := digits(s, 2)
	if n == 0 || hour > 23 {
		return 0, 0, nil, false
	}
	s = s[n:]
	minute, second, fraction := 0, 0, int64(0)
	if len(s) > 2 && s[0] == ':' {
		minute, n = digits(s[1:], 2)
		if n != 2 || minute > 59 {
			return 0, 0, nil, false
		}
		notation, s = clockMinutes, s[3:]
	}
	if notation != 0 && len(s) > 2 && s[0] == ':' {
		second, n = digits(s[1:], 2)
		if n != 2 || second > 59 {
			return 0, 0, nil, false
		}
		notation, s = clockSeconds, s[3:]
	}
	if notation == clockSeconds && startsFraction(s) {
		fraction, notation, s = takeFraction(s[1:])
	}
	hour, notation, s = takeHalfDay(s, hour, notation)
	return int64(hour*3600+minute*60+second)*1_000_000 + fraction, notation, s, notation != 0
}

// startsFraction reports whether a fraction of a second stands at the start of s. Some servers
// write a colon before thousandths.
func startsFraction(s []byte) bool {
	if len(s) < 2 || !isDigit(s[1]) {
		return false
	}
	_, n := digits(s[1:], 4)
	return s[0] == '.' || s[0] == ',' || s[0] == ':' && n == 3
}

// scanPointClock is scanTimeOfDay for HH.mm and HH.mm.ss, which may have a fraction, and am or pm.
func scanPointClock(s []byte) (micros int64, notation uint32, rest []byte, ok bool) {
	hour, n := digits(s, 2)
	rest = s[n:]
	if n == 0 || hour > 23 {
		return 0, 0, nil, false
	}
	var parts [2]uint // minute and second
	for i := range parts {
		if len(rest) < 3 || rest[0] != '.' || i > 0 && notation == 0 {
			break
		}
		parts[i] = twoDigits(rest[1:])
		notation, rest = clockMinutes<<i, rest[3:]
	}
	if notation == 0 || parts[0] > 59 || parts[1] > 59 {
		return 0, 0, nil, false
	}
	fraction := int64(0)
	if notation == clockSeconds && startsFraction(rest) {
		fraction, notation, rest = takeFraction(rest[1:])
	}
	hour, notation, rest = takeHalfDay(rest, hour, notation)
	ok = len(rest) == 0 || !isDigit(rest[0]) && rest[0] != '.'
	return int64(hour*3600+int(parts[0])*60+int(parts[1]))*1_000_000 + fraction, notation | pointClock, rest, ok
}

// twoDigits returns the number of two digits, or more than 99 for anything else.
func twoDigits(s []byte) uint {
	tens, ones := uint(s[0]-'0'), uint(s[1]-'0')
	if tens > 9 || ones > 9 {
		return 100
	}
	return 10*tens + ones
}

// takeFraction takes the digits of a fraction of a second off s.
func takeFraction(s []byte) (micros int64, clock uint32, rest []byte) {
	n, f := digits(s, 6)
	for range 6 - f {
		n *= 10
	}
	clock, rest = clockFraction, s[f:]
	for len(rest) > 0 && isDigit(rest[0]) {
		if rest[0] != '0' {
			clock |= tooFine
		}
		rest = rest[1:]
	}
	return int64(n), clock, rest
}

// takeHalfDay takes am or pm off s, if it is there, and returns the hour of the whole day.
func takeHalfDay(s []byte, hour int, clock uint32) (full int, notation uint32, rest []byte) {
	word := bytes.TrimLeft(s, spaces)
	if len(word) < 2 || hour < 1 || hour > 12 {
		return hour, clock, s
	}
	rest = word[2:]
	if len(word) >= 4 && word[1] == '.' && word[3] == '.' { // a.m.
		word, rest = []byte{word[0], word[2]}, word[4:]
	}
	notation = max(clock, clockMinutes) | halfDays // an hour alone is taken for one with minutes
	switch {
	case equalFold(word[:2], "am"):
		return hour % 12, notation, rest
	case equalFold(word[:2], "pm"):
		return hour%12 + 12, notation, rest
	}
	return hour, clock, s
}

// scanOffset reads an offset from UTC: Z, UTC, GMT, +01:00, +0100, +01 or GMT+1. The name of the zone may
// follow: +0100 CET, GMT+0100 (Central European Time).
func scanOffset(s []byte) (micros int64, ok bool) {
	named := len(s) >= 3 && (equalFold(s[:3], "utc") || equalFold(s[:3], "gmt"))
	if named {
		s = s[3:]
	}
	if named && len(s) == 0 || equalFold(s, "z") {
		return 0, true
	}
	if len(s) < 2 || s[0] != '+' && s[0] != '-' {
		return 0, false
	}
	hours, n := digits(s[1:], 2)
	if n != 2 && !(named && n == 1) || hours > 18 {
		return 0, false
	}
	rest := bytes.TrimPrefix(s[1+n:], []byte(":"))
	minutes, m := digits(rest, 2)
	if m != 0 && m != 2 || minutes > 59 || !isZoneName(rest[m:]) {
		return 0, false
	}
	micros = int64(hours*60+minutes) * 60_000_000
	if s[0] == '-' {
		micros = -micros
	}
	return micros, true
}

// isZoneName reports whether s is empty, or a space and the name of a time zone, which may be in
// parentheses.
func isZoneName(s []byte) bool {
	if len(s) == 0 {
		return true
	}
	name, ok := bytes.CutPrefix(s, []byte(" "))
	if bytes.HasPrefix(name, []byte("(")) {
		return ok && bytes.IndexByte(name, ')') == len(name)-1 && len(name) > 2
	}
	return ok && len(name) >= 3 && len(name) <= 5 && len(bytes.Trim(name, "ABCDEFGHIJKLMNOPQRSTUVWXYZ")) == 0
}

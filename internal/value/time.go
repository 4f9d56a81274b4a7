package value

// scanTime recognises a time of day: HH:mm, HH:mm:ss or with a fraction.
func scanTime(cell []byte, v *Value) (Shape, bool) {
	micros, notation, ok := scanTimeOfDay(cell)
	if !ok {
		return Shape{}, false
	}
	v.Int = micros
	return Shape{Time, notation}, true
}

// scanTimeOfDay returns the microseconds since midnight and the notation. A
// fraction of more than six digits is no time: no target would hold it.
func scanTimeOfDay(s []byte) (micros int64, notation uint8, ok bool) {
	hour, n := digits(s, 2)
	if n == 0 || hour > 23 || len(s) < n+3 || s[n] != ':' {
		return 0, 0, false
	}
	minute, m := digits(s[n+1:], 2)
	if m != 2 || minute > 59 {
		return 0, 0, false
	}
	micros = int64(hour*60+minute) * 60_000_000
	s = s[n+3:]
	if len(s) == 0 {
		return micros, timeMinutes, true
	}
	second, k := digits(s[1:], 2)
	if s[0] != ':' || k != 2 || second > 59 {
		return 0, 0, false
	}
	micros += int64(second) * 1_000_000
	s = s[3:]
	if len(s) == 0 {
		return micros, timeSeconds, true
	}
	fraction, f := digits(s[1:], 6)
	if s[0] != '.' || f == 0 || f != len(s)-1 {
		return 0, 0, false
	}
	for ; f < 6; f++ {
		fraction *= 10
	}
	return micros + int64(fraction), timeFraction, true
}

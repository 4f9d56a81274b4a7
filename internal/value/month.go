package value

import "bytes"

var monthNames = [...]string{
	"january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december",
}

var weekdayNames = [...]string{"monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"}

// scanNamedDate recognises dates with the English name of the month, long or
// short, and of the weekday before it: 5 Mar 2026, March 5, 2026, 05-MAR-26,
// Thu, 5 Mar 2026 10:00.
func scanNamedDate(cell []byte, v *Value) (Shape, bool) {
	notation := uint16(0)
	s := cell
	_, n := nameAt(s, weekdayNames[:])
	if n > 0 {
		notation |= weekday
		s = bytes.TrimLeft(s[n:], ",. ")
	}
	var list [3]token
	separator := uint16(0)
	for i := range list {
		t, n := tokenAt(s)
		if n == 0 {
			return Shape{}, false
		}
		list[i], s = t, s[n:]
		if i < 2 {
			var sep uint16
			sep, s = takeSeparator(s)
			if i == 0 {
				separator = sep
			}
		}
	}
	layout, ok := v.setNamed(list)
	if !ok {
		return Shape{}, false
	}
	return scanClock(s, notation|layout|separator, v)
}

// setNamed sets the parts of a date: year, month and day.
func (v *Value) setNamed(t [3]token) (layout uint16, ok bool) {
	day, month, year := t[0], t[1], t[2]
	switch {
	case t[1].month && len4(t[0]) && !t[2].month:
		layout, year, day = yearNameDay, t[0], t[2]
	case t[1].month && !t[0].month && !t[2].month:
		layout = dayNameYear
	case t[0].month && !t[1].month && !t[2].month:
		layout, month, day = nameDayYear, t[0], t[1]
	default:
		return 0, false
	}
	if year.digits == 2 {
		layout |= shortYear
	}
	v.date.n = [3]int{year.n, month.n, day.n}
	return layout, day.digits <= 2 && (year.digits == 4 || year.digits == 2) && !year.ordinal
}

func len4(t token) bool { return !t.month && t.digits == 4 }

// token is one part of a date: a month's name or a number.
type token struct {
	n, digits      int
	month, ordinal bool
}

// tokenAt returns the token at the start of s and its length, 0 if there is
// none. A day may be an ordinal: 5th.
func tokenAt(s []byte) (t token, length int) {
	n, count := digits(s, 4)
	if count > 0 {
		t = token{n: n, digits: count}
		for _, suffix := range []string{"th", "st", "nd", "rd"} {
			if count <= 2 && len(s) >= count+2 && equalFold(s[count:count+2], suffix) {
				t.ordinal = true
				return t, count + 2
			}
		}
		return t, count
	}
	n, count = nameAt(s, monthNames[:])
	if count > 0 {
		return token{n: n + 1, month: true}, count
	}
	return t, 0
}

// nameAt returns which of the names stands at the start of s, in full or by its
// first three letters, and the length of it, with a point that shortens it.
func nameAt(s []byte, names []string) (index, length int) {
	for length < len(s) && s[length]|0x20 >= 'a' && s[length]|0x20 <= 'z' {
		length++
	}
	if length < 3 {
		return 0, 0
	}
	for i, name := range names {
		if name[0] == s[0]|0x20 && (equalFold(s[:length], name) || equalFold(s[:length], name[:3]) || length == 4 && equalFold(s[:4], "sept") && name == "september") {
			if length < len(name) && length+1 < len(s) && s[length] == '.' && s[length+1] == ' ' {
				length++
			}
			return i, length
		}
	}
	return 0, 0
}

// takeSeparator takes what stands between two parts of a date off s.
func takeSeparator(s []byte) (separator uint16, rest []byte) {
	rest = bytes.TrimLeft(s, ", ")
	if len(rest) < len(s) {
		return separatorSpace, rest
	}
	if len(s) > 0 {
		sep, ok := separatorOf(s[0])
		if ok {
			return sep, s[1:]
		}
	}
	return separatorNone, s
}

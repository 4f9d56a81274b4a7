package value

import (
	"bytes"
	"strings"
)

// monthWords are the names of the months and how they are shortened, in lower case: in English,
// and what differs in German, French, Spanish, Italian, Portuguese, Dutch, Danish, Norwegian and
// Swedish. No word is the name of two months.
var monthWords = [...]string{
	"january jan januar jänner jän janvier janv januari enero ene gennaio gen janeiro",
	"february feb februar feber février févr fév fevrier fevr februari febrero febbraio fevereiro fev",
	"march mar märz mär maerz mrz mars marzo março marco maart mrt marts",
	"april apr avril avr abril abr aprile",
	"may mai mayo maggio mag maio mei maj",
	"june jun juni juin junio giugno giu junho",
	"july jul juli juillet juil julio luglio lug julho",
	"august aug août aout agosto ago augustus augusti",
	"september sep sept septembre septiembre settembre set setembro",
	"october oct oktober okt octobre octubre ottobre ott outubro out",
	"november nov novembre noviembre novembro",
	"december dec dezember dez décembre déc decembre diciembre dic dicembre dezembro desember des",
}

var weekdayWords = [...]string{"monday mon", "tuesday tue", "wednesday wed", "thursday thu", "friday fri", "saturday sat", "sunday sun"}

var months, weekdays = indexWords(monthWords[:]), indexWords(weekdayWords[:])

// indexWords returns which of the lists each word is in.
func indexWords(lists []string) map[string]int {
	index := map[string]int{}
	for i, list := range lists {
		for _, word := range strings.Fields(list) {
			index[word] = i
		}
	}
	return index
}

// longestName is the length of the longest name in bytes.
const longestName = len("septiembre")

// scanNamedDate recognises dates with the name of the month, long or short, and the English
// one of the weekday before it: 5 Mar 2026, March 5, 2026, 05-MAR-26, 5. März 2026,
// Thu, 5 Mar 2026 10:00, 5 de marzo de 2026.
func scanNamedDate(cell []byte, v *Value) (Shape, bool) {
	notation := uint32(0)
	s := cell
	_, n := nameAt(s, weekdays)
	if n > 0 {
		notation |= weekday
		s = bytes.TrimLeft(s[n:], ",. ")
	}
	var list [3]token
	separator := uint32(0)
	for i := range list {
		t, n := tokenAt(s)
		if n == 0 {
			return Shape{}, false
		}
		list[i], s = t, s[n:]
		switch {
		case i == 0 && t.digits > 0 && t.digits <= 2 && len(s) > 1 && s[0] == '.' && s[1] == ' ':
			separator, s = separatorPointSpace, s[2:]
		case i == 0 && bytes.HasPrefix(s, []byte(" de ")):
			separator, s = separatorDe, s[len(" de "):]
		case i == 0:
			separator, s = takeSeparator(s)
		case i == 1 && separator == separatorDe:
			s, _ = bytes.CutPrefix(s, []byte(" de "))
		case i == 1:
			_, s = takeSeparator(s)
		}
	}
	layout, ok := v.setNamed(list)
	if !ok || separator == separatorDe && layout&^shortYear != dayNameYear {
		return Shape{}, false
	}
	return scanClock(s, notation|layout|separator, v)
}

// setNamed sets the parts of a date: year, month and day.
func (v *Value) setNamed(t [3]token) (layout uint32, ok bool) {
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
	n, count = nameAt(s, months)
	if count > 0 {
		return token{n: n + 1, month: true}, count
	}
	return t, 0
}

// nameAt returns the index of the name at the start of s, and the length of the name with a
// point that shortens it.
func nameAt(s []byte, names map[string]int) (index, length int) {
	var lower [longestName]byte
	for length < len(s) && (s[length]|0x20 >= 'a' && s[length]|0x20 <= 'z' || s[length] >= 0x80) {
		if length == len(lower) {
			return 0, 0
		}
		c := s[length]
		if c < 0x80 || c <= 0x9e && length > 0 && s[length-1] == 0xc3 { // À to Þ are C3 80 to C3 9E in UTF-8
			c |= 0x20
		}
		lower[length] = c
		length++
	}
	index, ok := names[string(lower[:length])]
	if !ok {
		return 0, 0
	}
	if length+1 < len(s) && s[length] == '.' && s[length+1] == ' ' {
		length++
	}
	return index, length
}

// takeSeparator takes what stands between two parts of a date off s.
func takeSeparator(s []byte) (separator uint32, rest []byte) {
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

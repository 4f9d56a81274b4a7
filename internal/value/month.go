package value

import (
	"bytes"
	"strings"
)

// monthWords are the names of the months and how they are shortened, in lower case: in English,
// and what differs in German, French, Spanish, Italian, Portuguese, Dutch, Danish, Norwegian and
// Swedish; in Polish, Czech, Finnish, Turkish and Russian the names as dates have them. No word is
// the name of two months.
var monthWords = [...]string{
	"january jan januar jänner jän janvier janv januari enero ene gennaio gen janeiro stycznia ledna tammikuuta ocak января",
	"february feb februar feber février févr fév fevrier fevr februari febrero febbraio fevereiro fev lutego února helmikuuta şubat Şubat февраля",
	"march mar märz mär maerz mrz mars marzo março marco maart mrt marts marca března maaliskuuta mart марта",
	"april apr avril avr abril abr aprile kwietnia dubna huhtikuuta nisan апреля",
	"may mai mayo maggio mag maio mei maj maja května toukokuuta mayıs мая",
	"june jun juni juin junio giugno giu junho czerwca června kesäkuuta haziran июня",
	"july jul juli juillet juil julio luglio lug julho lipca července heinäkuuta temmuz июля",
	"august aug août aout agosto ago augustus augusti sierpnia srpna elokuuta ağustos августа",
	"september sep sept septembre septiembre settembre set setembro września září syyskuuta eylül сентября",
	"october oct oktober okt octobre octubre ottobre ott outubro out października října lokakuuta ekim октября",
	"november nov novembre noviembre novembro listopada listopadu marraskuuta kasım ноября",
	"december dec dezember dez décembre déc decembre diciembre dic dicembre dezembro desember des grudnia prosince joulukuuta aralık декабря",
}

// weekdayWords are the names of the weekdays and how they are shortened, in the first ten of these
// languages.
var weekdayWords = [...]string{
	"monday mon montag mo lundi lun lunes lunedì segunda seg maandag ma mandag man måndag mån",
	"tuesday tue tues dienstag di mardi mar martes martedì terça ter dinsdag tirsdag tir tisdag tis",
	"wednesday wed mittwoch mi mercredi mer miércoles mié mie mercoledì quarta qua woensdag wo onsdag ons",
	"thursday thu thur thurs donnerstag do jeudi jeu jueves jue giovedì gio quinta qui donderdag torsdag tor",
	"friday fri freitag fr vendredi ven viernes vie venerdì sexta sex vrijdag vr fredag fre",
	"saturday sat samstag sonnabend sa samedi sam sábado sáb sab sabato zaterdag za lørdag lør lördag lör",
	"sunday sun sonntag so dimanche dim domingo dom domenica zondag zo søndag søn söndag sön",
}

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
const longestName = len("сентября")

// scanNamedDate recognises dates with a name: of the weekday, as in Thu, 5 Mar 2026 10:00 and
// Do 05.03.2026, or of the month.
func scanNamedDate(cell []byte, v *Value) (Shape, bool) {
	day, n := nameAt(cell, weekdays)
	if n > 0 { // which may also be that of a month: mar
		rest, _ := bytes.CutPrefix(cell[n:], []byte("-feira"))
		shape, ok := scanAfterWeekday(bytes.TrimLeft(rest, ",. "), v)
		code := n == len("so") && !v.fallsOn(day, shape) // SO 12-10-2026
		if ok && !code {
			shape.Notation |= weekday
			return shape, true
		}
	}
	return scanMonthDate(cell, v)
}

// fallsOn reports whether a date is on a day of the week, from 0 for Monday, in one of its orders.
func (v *Value) fallsOn(day int, s Shape) bool {
	for _, order := range s.Orders() {
		year, month, n := v.civil(s, order)
		if exists(year, month, n) && (daysFromCivil(year, month, n)+3)%7 == int64(day) {
			return true
		}
	}
	return false
}

// scanAfterWeekday recognises the rest of a date after the name of the weekday.
func scanAfterWeekday(rest []byte, v *Value) (Shape, bool) {
	if len(rest) > 0 && isDigit(rest[0]) {
		return scanDate(rest, v)
	}
	return scanMonthDate(rest, v)
}

// scanMonthDate recognises dates with the name of the month, long or short: 5 Mar 2026,
// March 5, 2026, 05-MAR-26, 5. März 2026, 5 de marzo de 2026, and Mar  5 10:15:00 2026 as C has it.
func scanMonthDate(s []byte, v *Value) (Shape, bool) {
	var list [3]token
	separator := uint32(0)
	for i := range list {
		t, n := tokenAt(s)
		if n == 0 {
			return Shape{}, false
		}
		if i == 2 && list[0].month && t.digits <= 2 && n < len(s) && s[n] == ':' {
			return scanClockBeforeYear(list, s, v)
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
	if layout == dayNameYear {
		s, _ = bytes.CutSuffix(s, []byte(" г.")) // for 'year' in Russian
	}
	return scanClock(s, layout|separator, v)
}

// scanClockBeforeYear continues after the name of the month and the day with a time of day, perhaps
// an offset from UTC, and the year: 10:15:00 2026, 10:15:00 UTC 2026.
func scanClockBeforeYear(t [3]token, s []byte, v *Value) (Shape, bool) {
	yearAt := len(s) - len(" 2026")
	micros, clock, rest, ok := scanTimeOfDay(s)
	if !ok || len(rest) < len(" 2026") || s[yearAt] != ' ' || clock&maskClock < clockSeconds {
		return Shape{}, false
	}
	year, n := digits(s[yearAt+1:], 4)
	t[2] = token{n: year, digits: n}
	layout, ok := v.setNamed(t)
	if !ok || layout != nameDayYear || n != 4 {
		return Shape{}, false
	}
	return scanOffsetAfter(micros, rest[:len(rest)-len(" 2026")], layout|separatorSpace|clockInside|clock, v)
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
// none. A day may be an ordinal: 5th, 1er.
func tokenAt(s []byte) (t token, length int) {
	n, count := digits(s, 4)
	if count > 0 {
		t = token{n: n, digits: count}
		for _, suffix := range []string{"th", "st", "nd", "rd", "er"} {
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

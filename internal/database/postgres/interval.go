package postgres

import (
	"encoding/binary"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// interval is a value of the type: months, days and microseconds, none of which is converted to
// another.
type interval struct{ months, days, micros int64 }

// second is the number of microseconds in a second.
const second = 1_000_000

// unitOf are the units of intervals, as lengths in months, days or microseconds.
var unitOf = map[string]interval{
	"year": {months: 12}, "years": {months: 12}, "mon": {months: 1}, "mons": {months: 1}, "month": {months: 1}, "months": {months: 1},
	"week": {days: 7}, "weeks": {days: 7}, "day": {days: 1}, "days": {days: 1},
	"hour": {micros: 3600 * second}, "hours": {micros: 3600 * second}, "min": {micros: 60 * second}, "mins": {micros: 60 * second},
	"minute": {micros: 60 * second}, "minutes": {micros: 60 * second}, "sec": {micros: second}, "secs": {micros: second},
	"second": {micros: second}, "seconds": {micros: second},
}

// isoUnits are the units of ISO 8601, those of a time after T.
var isoUnits = [2]map[byte]string{{'Y': "year", 'M': "month", 'W': "week", 'D': "day"}, {'H': "hour", 'M': "minute", 'S': "second"}}

var (
	clockForm  = regexp.MustCompile(`^([+-]?)(\d{1,9}):([0-5]\d)(?::([0-5]\d)(\.\d{1,6})?)?$`)
	numberForm = regexp.MustCompile(`^[+-]?\d{1,12}(\.\d{1,6})?$`)
	isoForm    = regexp.MustCompile(`^P((?:[+-]?\d{1,12}[YMWD])*)(?:T((?:[+-]?\d{1,12}(?:\.\d{1,6})?[HMS])+))?$`)
	isoPart    = regexp.MustCompile(`[+-]?[\d.]+[A-Z]`)
)

// canonicalInterval returns an interval as the server's cast, with intervalstyle postgres. The
// text has numbers with units in English, a time of any hours, or both, or the form of ISO 8601
// with designators. Only seconds may have decimals.
func canonicalInterval(text []byte) ([]byte, string) {
	i, ok := parseInterval(string(text))
	switch {
	case !ok:
		return nil, "not an interval such as 1 day 02:03:04, 90 minutes or PT2H"
	case i.months != int64(int32(i.months)) || i.days != int64(int32(i.days)):
		return nil, "an interval that is too long"
	}
	return i.append(nil), ""
}

func parseInterval(text string) (i interval, ok bool) {
	r := reading{seen: map[interval]bool{}}
	m := isoForm.FindStringSubmatch(text)
	if m != nil {
		ok = r.addISO(m[1:])
	} else {
		ok = r.addWords(strings.Fields(text))
	}
	return r.interval, ok
}

// reading is an interval that is read, with the units that it has.
type reading struct {
	interval
	seen map[interval]bool
}

// addISO adds the parts before and after T, and reports whether there are any, and all could be
// added.
func (r *reading) addISO(halves []string) bool {
	for time, parts := range halves {
		for _, part := range isoPart.FindAllString(parts, -1) {
			last := len(part) - 1
			if !r.add(part[:last], isoUnits[time][part[last]]) {
				return false
			}
		}
	}
	return len(r.seen) > 0
}

// addWords adds numbers with their units and perhaps a time, and reports whether it could.
func (r *reading) addWords(words []string) bool {
	for len(words) > 1 {
		if !numberForm.MatchString(words[0]) || !r.add(words[0], strings.ToLower(words[1])) {
			return false
		}
		words = words[2:]
	}
	return len(words) == 1 && r.addClock(words[0]) || len(words) == 0 && len(r.seen) > 0
}

// add adds a number of a unit, and reports whether it could. No unit may occur twice.
func (r *reading) add(number, unit string) bool {
	each, ok := unitOf[unit]
	ok = ok && !r.seen[each]
	r.seen[each] = true
	whole, decimals, _ := strings.Cut(number, ".")
	n, err := strconv.ParseInt(whole, 10, 64)
	if !ok || err != nil || decimals != "" && each.micros != second {
		return false
	}
	r.months, r.days = r.months+n*each.months, r.days+n*each.days
	if each.micros > 0 && !r.addMicros(n, each.micros) {
		return false
	}
	r.addDecimals(decimals, strings.HasPrefix(number, "-"))
	return true
}

// addMicros adds n times some microseconds, and reports whether there is room for them.
func (r *reading) addMicros(n, micros int64) bool {
	const most = math.MaxInt64 / 4 // so that hours, minutes and seconds have room together
	if max(n, -n) > most/micros {
		return false
	}
	r.micros += n * micros
	return true
}

// addDecimals adds the decimals of a number of seconds, of which there are six at most.
func (r *reading) addDecimals(decimals string, negative bool) {
	n, _ := strconv.ParseInt((decimals + "000000")[:6], 10, 64) // they are digits
	if negative {
		n = -n
	}
	r.micros += n
}

// addClock adds a time: hours, minutes and perhaps seconds.
func (r *reading) addClock(text string) bool {
	m := clockForm.FindStringSubmatch(text)
	if m == nil || !r.add(m[1]+m[2], "hours") || !r.add(m[1]+m[3], "minutes") {
		return false
	}
	return m[4] == "" || r.add(m[1]+m[4]+m[5], "seconds")
}

// append writes the interval as EncodeInterval of the server does. A sign that a part has
// because the one before is negative belongs to the form.
func (i interval) append(dst []byte) []byte {
	start, negative := len(dst), false
	part := func(n int64, unit string) {
		if n == 0 {
			return
		}
		if len(dst) > start {
			dst = append(dst, ' ')
		}
		if negative && n > 0 {
			dst = append(dst, '+')
		}
		dst = append(strconv.AppendInt(dst, n, 10), " "+unit...)
		if n != 1 {
			dst = append(dst, 's')
		}
		negative = n < 0
	}
	part(i.months/12, "year")
	part(i.months%12, "mon")
	part(i.days, "day")
	if i.micros == 0 && len(dst) > start {
		return dst
	}
	if len(dst) > start {
		dst = append(dst, ' ')
	}
	switch {
	case i.micros < 0:
		dst = append(dst, '-')
	case negative:
		dst = append(dst, '+')
	}
	n := max(i.micros, -i.micros)
	seconds := n / second
	dst = fmt.Appendf(dst, "%02d:%02d:%02d", seconds/3600, seconds/60%60, seconds%60)
	if n%second != 0 {
		dst = append(dst, strings.TrimRight(fmt.Sprintf(".%06d", n%second), "0")...)
	}
	return dst
}

// encodeInterval appends an interval as interval_recv reads it.
func encodeInterval(dst, text []byte) []byte {
	i, _ := parseInterval(string(text)) // the limit has seen that it is one
	dst = binary.BigEndian.AppendUint64(dst, uint64(i.micros))
	dst = binary.BigEndian.AppendUint32(dst, uint32(i.days))
	return binary.BigEndian.AppendUint32(dst, uint32(i.months))
}

func intervalText(field []byte) []byte {
	i := interval{micros: int64(binary.BigEndian.Uint64(field)), days: int64(int32(binary.BigEndian.Uint32(field[8:]))), months: int64(int32(binary.BigEndian.Uint32(field[12:])))}
	return i.append(nil)
}

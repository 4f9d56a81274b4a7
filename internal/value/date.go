package value

import (
	"bytes"
	"regexp"
	"slices"
)

// The notation of a Date, Timestamp or Instant is made of these parts.
const (
	maskLayout    uint32 = 0b0000_0000_0111
	maskSeparator uint32 = 0b0000_0011_1000
	shortYear     uint32 = 0b0000_0100_0000 // of a date with the month's name
	weekday       uint32 = 0b0000_1000_0000

	maskClock  uint32 = 0b0_0011_0000_0000
	halfDays   uint32 = 0b0_0100_0000_0000 // am or pm after the time
	maskJoint  uint32 = 0b1_1000_0000_0000
	pointClock uint32 = 1 << 13 // points within the time, as in 31.1.2026 10.15

	// Three marks say that a date does not exist in the first, second or third
	// of its Orders. They are part of the shape, so that every count is too.
	markNoDate uint32 = 1 << 14

	// tooFine says that the second has more than six digits, which no type keeps. The value has six.
	tooFine uint32 = 1 << 18

	// clockInside says that the time of day is before the year, as C writes both: Mar  5 10:15:00 2026.
	clockInside uint32 = 1 << 19
)

// The layouts of a date: which of its numbers the year is, and whether the
// month is a name. Where it is a number too, the values distinguish it from the day.
const (
	YearFirst    uint32 = iota
	YearLast            // of four digits
	ShortYear           // three numbers of two digits
	compact             // yyyyMMdd, and HHmmss after it
	dayNameYear         // 5 Mar 2026
	nameDayYear         // Mar 5, 2026
	yearNameDay         // 2026 Mar 5
	compactDay          // yyyyMMdd, and a time with colons after it
	layoutsCount = iota
)

const (
	separatorDash uint32 = iota << 3
	separatorSlash
	separatorPoint
	separatorSpace
	separatorNone
	separatorPointSpace // 5. 3. 2026, 5. Mar 2026
	separatorDe         // 5 de marzo de 2026
	separatorHan        // 2026年3月5日
	separatorsEnd
)

const (
	noClock uint32 = iota << 8
	clockMinutes
	clockSeconds
	clockFraction
)

// What stands between the date and the time of day. DB2 writes a dash, before a time with points:
// 2026-01-31-10.15.00. SAS writes a colon: 31JAN2026:10:15:00.
const (
	jointSpace uint32 = iota << 11
	jointT
	jointDash
	jointColon
)

// PivotYear is where two-digit years turn: 68 is 2068, 69 is 1969, as POSIX
// has it.
const PivotYear = 69

// parts are the numbers of a date as they stand.
type parts struct {
	n      [3]int
	micros int64 // of the time of day, less the offset from UTC
}

// Order says which number of a date is what.
type Order uint8

// The orders. Fixed is that of a date that leaves no choice.
const (
	DayMonthYear Order = iota
	MonthDayYear
	YearMonthDay
	YearDayMonth
	OrdersCount
	Fixed = OrdersCount
)

var orders = [layoutsCount][]Order{
	YearFirst: {YearMonthDay, YearDayMonth}, YearLast: {DayMonthYear, MonthDayYear}, ShortYear: {DayMonthYear, MonthDayYear, YearMonthDay},
	compact: {Fixed}, dayNameYear: {Fixed}, nameDayYear: {Fixed}, yearNameDay: {Fixed}, compactDay: {Fixed},
}

// Orders returns the orders that a date of the shape may be read in, the most
// usual first. The caller must not change them.
func (s Shape) Orders() []Order { return orders[s.Notation&maskLayout] }

// Exists reports whether there is such a date in the order.
func (s Shape) Exists(o Order) bool {
	i := slices.Index(s.Orders(), o)
	return i >= 0 && s.Notation&(markNoDate<<i) == 0
}

// TwoDigitYear reports whether the years of the shape have two digits.
func (s Shape) TwoDigitYear() bool {
	return s.Notation&maskLayout == ShortYear || s.Notation&shortYear != 0
}

// TooFine reports whether a date or time of the shape has more digits of a second than any type
// keeps, so that its value is only the part that one would keep.
func (s Shape) TooFine() bool {
	return (s.Kind.HasDate() || s.Kind == Time) && s.Notation&tooFine != 0
}

// HasDate reports whether the kind is one of dates.
func (k Kind) HasDate() bool { return k == Date || k == Timestamp || k == Instant }

// scanDate recognises dates of three numbers, with or without a time of day.
func scanDate(cell []byte, v *Value) (Shape, bool) {
	first, n := digits(cell, 4)
	switch {
	case n == 3 || n == len(cell):
		return Shape{}, false
	case n == 4 && isDigit(cell[4]):
		return scanCompactClock(cell, v)
	}
	month, isHan := bytes.CutPrefix(cell[n:], []byte("年"))
	if isHan && n == 4 {
		return scanHanDate(first, month, v)
	}
	separator, rest := numberSeparator(cell[n:])
	second, m := digits(rest, 2)
	again, rest := numberSeparator(rest[m:])
	if n == 0 || m == 0 || separator != again || separator == separatorNone {
		return scanNamedDate(cell, v)
	}
	third, k := digits(rest, 4)
	v.date.n = [3]int{first, second, third}
	notation := separator
	switch {
	case n == 4 && (k == 1 || k == 2):
		notation |= YearFirst
	case n <= 2 && k == 4:
		notation |= YearLast
	case n <= 2 && k == 2 && separator != separatorSpace && separator != separatorPointSpace:
		notation |= ShortYear
	default:
		return Shape{}, false
	}
	rest = rest[k:]
	if n == 4 && (separator == separatorPoint || separator == separatorPointSpace) && len(rest) > 0 && rest[0] == '.' {
		rest = rest[1:] // as in Hungarian and Korean: 2026. 03. 05.
	}
	return scanClock(rest, notation, v)
}

// hanWeekday is the weekday after a Chinese or Japanese date.
var hanWeekday = regexp.MustCompile(`^ ?(?:[(（][月火水木金土日一二三四五六][)）]|[月火水木金土日]曜日?|(?:星期|周|週)[一二三四五六日天])`)

// scanHanDate recognises the rest of a Chinese or Japanese date after the year.
func scanHanDate(year int, rest []byte, v *Value) (Shape, bool) {
	month, m := digits(rest, 2)
	rest, isMonth := bytes.CutPrefix(rest[m:], []byte("月"))
	day, k := digits(rest, 2)
	rest, isDay := bytes.CutPrefix(rest[k:], []byte("日"))
	if !isMonth || !isDay || k == 0 || month == 0 || month > 12 { // which leaves one order
		return Shape{}, false
	}
	v.date.n = [3]int{year, month, day}
	if len(rest) > 0 {
		rest = rest[len(hanWeekday.Find(rest)):]
	}
	return scanClock(rest, YearFirst|separatorHan, v)
}

// numberSeparator takes what stands between two numbers of a date off s.
func numberSeparator(s []byte) (separator uint32, rest []byte) {
	if len(s) > 1 && s[0] == '.' && s[1] == ' ' {
		return separatorPointSpace, s[2:]
	}
	if len(s) > 0 {
		separator, ok := separatorOf(s[0])
		if ok {
			return separator, s[1:]
		}
	}
	return separatorNone, s
}

func separatorOf(c byte) (uint32, bool) {
	switch c {
	case '-':
		return separatorDash, true
	case '/':
		return separatorSlash, true
	case '.':
		return separatorPoint, true
	case ' ':
		return separatorSpace, true
	}
	return 0, false
}

func fullYear(short int) int {
	if short < PivotYear {
		return 2000 + short
	}
	return 1900 + short
}

// scanClock continues after the date.
func scanClock(rest []byte, notation uint32, v *Value) (Shape, bool) {
	v.date.micros = 0
	if len(rest) == 0 {
		return existing(Shape{Date, notation}, v)
	}
	joint, rest, ok := takeJoint(rest)
	if !ok {
		return Shape{}, false
	}
	micros, clock, after, ok := scanTimeOfDay(rest)
	if !ok {
		micros, clock, after, ok = scanPointClock(rest)
	}
	points := clock&pointClock != 0
	if !ok || joint == jointDash && !points || joint == jointColon && points { // 2026-01-31-05:00 has an offset
		return Shape{}, false
	}
	return scanOffsetAfter(micros, after, notation|joint|clock, v)
}

// takeJoint takes what stands between a date and a time of day off s.
func takeJoint(s []byte) (joint uint32, rest []byte, ok bool) {
	switch s[0] {
	case 'T', 't':
		joint = jointT
	case '-':
		joint = jointDash
	case ':':
		joint = jointColon
	case ' ':
		return jointSpace, bytes.TrimLeft(s, " "), true
	case ',':
		return jointSpace, bytes.TrimLeft(s[1:], " "), len(s) > 2 && s[1] == ' '
	default:
		return 0, nil, false
	}
	return joint, s[1:], true
}

// scanOffsetAfter continues after the time of day, which an offset from UTC may follow.
func scanOffsetAfter(micros int64, rest []byte, notation uint32, v *Value) (Shape, bool) {
	kind := Timestamp
	if len(rest) > 0 {
		offset, ok := scanOffset(bytes.TrimLeft(rest, " "))
		if !ok {
			return Shape{}, false
		}
		kind = Instant
		micros -= offset
	}
	v.date.micros = micros
	return existing(Shape{kind, notation}, v)
}

// existing marks the orders in which the date of a shape does not exist.
func existing(shape Shape, v *Value) (Shape, bool) {
	notation := shape.Notation
	orders := shape.Orders()
	none := true
	for i, order := range orders {
		year, month, day := v.civil(shape, order)
		if exists(year, month, day) {
			none = false
		} else {
			shape.Notation |= markNoDate << i
		}
	}
	if none && v.date.n == [3]int{} {
		return Shape{NullWord, zeroDate | notation}, true // 0000-00-00, as some servers write no date
	}
	if none {
		return Shape{Impossible, notation}, true
	}
	return shape, true
}

// zeroDate distinguishes null words that are dates of zeros from the others. No date is one.
const zeroDate = 1 << 17

// AtMidnight reports whether a date that was scanned has no time of day, or one
// that is midnight.
func (v *Value) AtMidnight() bool { return v.date.micros == 0 }

// Fraction is how many digits of a second a value of the given kind needs that was
// scanned.
func (v *Value) Fraction(k Kind) int {
	micros := v.date.micros
	if k == Time {
		micros = v.Int
	}
	rest := micros % 1_000_000
	if rest == 0 {
		return 0
	}
	digits := 6
	for ; rest%10 == 0; digits-- {
		rest /= 10
	}
	return digits
}

// plausible reports whether a year may be that of digits in a row, which are no date in most
// columns.
func plausible(year int) bool { return year >= 1800 && year < 2200 }

// lastDay stands for no end in many columns of dates.
var lastDay = [3]int{9999, 12, 31}

// compact returns the notation of a whole number of 8 or 14 digits: whether it
// is a date too.
func (v *Value) compact(cell []byte) uint32 {
	if len(cell) != 8 && len(cell) != 14 {
		return Plain
	}
	number := *v
	_, ok := scanCompact(cell, v)
	date := v.date.n
	v.Int = number.Int
	if ok && (plausible(date[0]) || date == lastDay) {
		return CompactDate
	}
	return Plain
}

// scanCompact reads yyyyMMdd, with HHmmss after it or not.
func scanCompact(cell []byte, v *Value) (Shape, bool) {
	n, count := digits(cell, len(cell))
	if count != len(cell) || count != 8 && count != 14 {
		return Shape{}, false
	}
	shape := Shape{Date, compact | separatorNone}
	v.date.micros = 0
	if count == 14 {
		micros, ok := packedClock(n % 1_000_000)
		if !ok {
			return Shape{}, false
		}
		n /= 1_000_000
		shape = Shape{Timestamp, compact | separatorNone | clockSeconds}
		v.date.micros = micros
	}
	v.setCompact(n)
	return shape, v.Resolve(shape, Fixed)
}

// setCompact sets the parts of a date to the digits yyyyMMdd.
func (v *Value) setCompact(n int) { v.date.n = [3]int{n / 10000, n / 100 % 100, n % 100} }

// packedClock returns the microseconds since midnight of the digits HHmmss.
func packedClock(n int) (micros int64, ok bool) {
	hour, minute, second := n/10000, n/100%100, n%100
	return int64(hour*3600+minute*60+second) * 1_000_000, hour <= 23 && minute <= 59 && second <= 59
}

// scanCompactClock recognises yyyyMMdd with a time of day after it: 20260131 10:15:00,
// 20260131T101500, 20260131 101500, and 20260131101500 with an offset from UTC. The others may
// have an offset too.
func scanCompactClock(cell []byte, v *Value) (Shape, bool) {
	day, n := digits(cell, 8)
	if n < 8 || len(cell) < len("yyyyMMdd H:mm") || !plausible(day/10000) {
		return Shape{}, false
	}
	v.setCompact(day)
	rest := cell[8:]
	if bytes.IndexByte(rest[:5], ':') > 0 {
		return scanClock(rest, compactDay|separatorNone, v)
	}
	notation := compact | separatorNone | clockSeconds
	switch rest[0] {
	case 'T':
		notation |= jointT
		rest = rest[1:]
	case ' ':
		notation = compact | separatorSpace | clockSeconds
		rest = rest[1:]
	}
	clock, n := digits(rest, 6)
	micros, ok := packedClock(clock)
	if n < 6 || !ok {
		return Shape{}, false
	}
	return scanOffsetAfter(micros, rest[6:], notation, v)
}

// Redate reads a whole number that is marked CompactDate as the date that it
// is; other values stay as they are.
func (v *Value) Redate(s Shape, cell []byte) Shape {
	if s.Kind != Integer || s.Notation != CompactDate {
		return s
	}
	s, _ = scanCompact(Trim(cell), v)
	return s
}

// Resolve sets Int from the parts of a date read in the given order. It is
// false when there is no such date.
func (v *Value) Resolve(s Shape, order Order) bool {
	year, month, day := v.civil(s, order)
	if !exists(year, month, day) {
		return false
	}
	v.Int = daysFromCivil(year, month, day)
	if s.Kind != Date {
		v.Int = v.Int*microsPerDay + v.date.micros
	}
	return true
}

// Rank returns a number by which dates or timestamps of one shape, read in the i-th of its orders,
// sort in time. It costs less than Resolve, and is false if the date does not exist in that order.
func (v *Value) Rank(s Shape, i int) (rank int64, ok bool) {
	if s.Notation&(markNoDate<<i) != 0 {
		return 0, false
	}
	order := s.Orders()[i]
	if s.Kind == Instant { // whose offset may lead to another day
		ok = v.Resolve(s, order)
		return v.Int, ok
	}
	year, month, day := v.civil(s, order)
	return int64(year<<9|month<<5|day)<<37 | v.date.micros, true // a day has fewer than 2^37 µs
}

// DateNumbers returns the first two of the three numbers of a date.
func (v *Value) DateNumbers() (first, second uint) { return uint(v.date.n[0]), uint(v.date.n[1]) }

// civil returns the date that the parts are in the given order.
func (v *Value) civil(s Shape, order Order) (year, month, day int) {
	a, b, c := v.date.n[0], v.date.n[1], v.date.n[2]
	switch order {
	case DayMonthYear:
		a, c = c, a
	case MonthDayYear:
		a, b, c = c, a, b
	case YearDayMonth:
		b, c = c, b
	}
	if s.TwoDigitYear() {
		a = fullYear(a)
	}
	return a, b, c
}

func exists(year, month, day int) bool {
	return month >= 1 && month <= 12 && day >= 1 && (day <= 28 || day <= daysIn(year, month)) && year > 0
}

const microsPerDay = 24 * 60 * 60 * 1_000_000

func daysIn(year, month int) int {
	switch month {
	case 4, 6, 9, 11:
		return 30
	case 2:
		if year%4 == 0 && (year%100 != 0 || year%400 == 0) {
			return 29
		}
		return 28
	}
	return 31
}

// daysFromCivil returns the days since 1970-01-01 of a date of the proleptic
// Gregorian calendar; years begin in March so that the leap day is last.
func daysFromCivil(year, month, day int) int64 {
	if month <= 2 {
		year--
	}
	era := year / 400
	yearOfEra := year - era*400
	dayOfYear := (153*((month+9)%12)+2)/5 + day - 1
	dayOfEra := yearOfEra*365 + yearOfEra/4 - yearOfEra/100 + dayOfYear
	return int64(era*146097 + dayOfEra - 719468)
}

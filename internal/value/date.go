package value

// The notation of a Date or Timestamp is made of these parts.
const (
	maskOrder     = 0b0000_0011
	maskSeparator = 0b0000_1100
	maskTime      = 0b0011_0000
	markT         = 0b0100_0000
)

// The order of year, month and day. In the other two the year is last and only
// the values tell whether the day or the month is first.
const (
	YearFirst uint8 = iota
	YearLast
	ShortYearLast // two digits
)

const (
	separatorDash uint8 = iota << 2
	separatorSlash
	separatorPoint
)

const (
	noTime uint8 = iota << 4
	timeMinutes
	timeSeconds
	timeFraction
)

// PivotYear is where two-digit years turn: 68 is 2068, 69 is 1969, as POSIX
// has it.
const PivotYear = 69

// parts are the numbers of a date as they stand: a before b.
type parts struct {
	year, a, b int
	micros     int64
}

// Order returns the order of year, month and day of a Date or Timestamp shape.
func (s Shape) Order() uint8 { return s.Notation & maskOrder }

// DayMonth returns the first and second number of a date that ends with its
// year.
func (v *Value) DayMonth() (first, second int) { return v.date.a, v.date.b }

// scanDate recognises dates of digits and one separator, with or without a
// time of day.
func scanDate(cell []byte, v *Value) (Shape, bool) {
	first, n := digits(cell, 4)
	if n == 3 || n == len(cell) {
		return Shape{}, false
	}
	notation, ok := separatorOf(cell[n])
	if !ok {
		return Shape{}, false
	}
	second, m := digits(cell[n+1:], 2)
	i := n + 1 + m
	if m == 0 || i >= len(cell) || cell[i] != cell[n] {
		return Shape{}, false
	}
	third, k := digits(cell[i+1:], 4)
	i += 1 + k
	switch {
	case n == 4 && (k == 1 || k == 2):
		v.date = parts{year: first, a: second, b: third}
	case n <= 2 && k == 4:
		notation |= YearLast
		v.date = parts{year: third, a: first, b: second}
	case n <= 2 && k == 2:
		notation |= ShortYearLast
		v.date = parts{year: fullYear(third), a: first, b: second}
	default:
		return Shape{}, false
	}
	return scanClock(cell, i, notation, v)
}

func separatorOf(c byte) (uint8, bool) {
	switch c {
	case '-':
		return separatorDash, true
	case '/':
		return separatorSlash, true
	case '.':
		return separatorPoint, true
	}
	return 0, false
}

func fullYear(short int) int {
	if short < PivotYear {
		return 2000 + short
	}
	return 1900 + short
}

// scanClock goes on behind the date, which ends at i.
func scanClock(cell []byte, i int, notation uint8, v *Value) (Shape, bool) {
	kind := Date
	if i < len(cell) {
		switch cell[i] {
		case 'T', 't':
			notation |= markT
		case ' ':
		default:
			return Shape{}, false
		}
		micros, clock, ok := scanTimeOfDay(cell[i+1:])
		if !ok {
			return Shape{}, false
		}
		kind, v.date.micros = Timestamp, micros
		notation |= clock
	}
	shape := Shape{kind, notation}
	if !v.Resolve(shape, DayFirst) && (shape.Order() == YearFirst || !v.Resolve(shape, MonthFirst)) {
		return Shape{Impossible, notation}, true
	}
	return shape, true
}

// DateOrder says which number of a date that ends with its year is the day.
type DateOrder uint8

// The two orders.
const (
	DayFirst DateOrder = iota
	MonthFirst
)

// Resolve sets Int from the parts of a date read in the given order, which
// only matters when the year is last. It is false when there is no such date.
func (v *Value) Resolve(s Shape, order DateOrder) bool {
	month, day := v.date.a, v.date.b
	if s.Order() != YearFirst && order == DayFirst {
		month, day = day, month
	}
	if month < 1 || month > 12 || day < 1 || day > daysIn(v.date.year, month) || v.date.year == 0 {
		return false
	}
	v.Int = daysFromCivil(v.date.year, month, day)
	if s.Kind == Timestamp {
		v.Int = v.Int*microsPerDay + v.date.micros
	}
	return true
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

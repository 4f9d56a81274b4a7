package value

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// Formats are written as Unicode patterns (UTS #35): yyyy-MM-dd HH:mm:ss. They
// are read leniently: dd takes one digit too, MMM the month's name in full and in several
// languages, XXX any way to write an offset from UTC.

var (
	separatorSigns = [...]string{"-", "/", ".", " ", "", ". ", " 'de' ", "'年'"}
	jointSigns     = [...]string{" ", "'T'", "-", ":"}
	clockPatterns  = [...]string{"", "HH:mm", "HH:mm:ss", "HH:mm:ss.SSSSSS"}
)

// Format is the pattern of a column of dates or times: a shape, and the order
// of its numbers.
type Format struct {
	Shape Shape
	Order Order
}

// String returns the pattern.
func (f Format) String() string {
	n := f.Shape.Notation
	clock := clockPatterns[n&maskClock>>8]
	if n&halfDays != 0 {
		clock = strings.ReplaceAll(clock, "HH", "hh") + " a"
	}
	if n&pointClock != 0 {
		clock = strings.ReplaceAll(clock, ":", ".")
	}
	if f.Shape.Kind == Time {
		return clock
	}
	date := f.datePattern()
	if f.Shape.Kind == Instant {
		clock += "XXX"
	}
	switch {
	case f.Shape.Kind == Date:
		return date
	case n&maskLayout == compact:
		clock = strings.ReplaceAll(clock, ":", "")
		if n&maskJoint == jointSpace {
			return date + separatorSigns[n&maskSeparator>>3] + clock
		}
	}
	if n&clockInside != 0 {
		date = strings.Replace(strings.TrimSuffix(date, ", yyyy"), "EEE,", "EEE", 1)
		return date + " " + strings.Replace(clock, "XXX", " XXX", 1) + " yyyy"
	}
	return date + jointSigns[n&maskJoint>>11] + clock
}

// WithoutTime returns the format of the date alone.
func (f Format) WithoutTime() Format {
	f.Shape = Shape{Date, f.Shape.Notation &^ (maskClock | halfDays | maskJoint | pointClock | tooFine)}
	return f
}

func (f Format) datePattern() string {
	n := f.Shape.Notation
	sep := separatorSigns[n&maskSeparator>>3]
	year := "yyyy"
	if f.Shape.TwoDigitYear() {
		year = "yy"
	}
	day := ""
	if n&weekday != 0 {
		day = "EEE, "
	}
	switch n & maskLayout {
	case compact, compactDay:
		return "yyyyMMdd"
	case dayNameYear:
		if sep == ". " {
			return day + "dd. MMM " + year
		}
		return day + strings.Join([]string{"dd", "MMM", year}, sep)
	case nameDayYear:
		if sep == " " {
			return day + "MMM dd, " + year
		}
		return day + strings.Join([]string{"MMM", "dd", year}, sep)
	case yearNameDay:
		return day + strings.Join([]string{year, "MMM", "dd"}, sep)
	}
	if n&maskSeparator == separatorHan {
		return "yyyy'年'MM'月'dd'日'"
	}
	fields := map[Order][]string{
		DayMonthYear: {"dd", "MM", year}, MonthDayYear: {"MM", "dd", year}, YearMonthDay: {year, "MM", "dd"}, YearDayMonth: {year, "dd", "MM"},
	}
	return day + strings.Join(fields[f.Order], sep)
}

// patternForm takes a pattern apart: a weekday, three fields of the date with
// what stands between, the time of day, and an offset.
var patternForm = regexp.MustCompile(`^(E+,? )?` +
	`(?:(y+|M+|d+)(\. |[-/. ]| 'de' |'年'|)(y+|M+|d+)(?:\. |,? |[-/.]| 'de' |'月'|)(y+|M+|d+)(?:'日')?)?` +
	`('T'|, |[-: ])?(?:(HH?|hh?)[:.]mm([:.]ss)?([.,]S+)?( ?a)?|(HHmmss))?( ?(?:X+|x+|Z+|z+))?$`)

// clockFirst takes a pattern apart whose time of day is before the year.
var clockFirst = regexp.MustCompile(`^((?:E+,? )?M{3,} d+) (HH:mm:ss(?:[.,]S+)?) ?([XxZz]+)? yyyy$`)

// ParseFormat returns the format of a pattern for values of the given kind.
func ParseFormat(pattern string, kind Kind) (Format, error) {
	inside := clockFirst.FindStringSubmatch(pattern)
	if inside != nil {
		f, err := ParseFormat(inside[1]+", yyyy "+inside[2]+inside[3], kind)
		f.Shape.Notation |= clockInside
		return f, err
	}
	m := patternForm.FindStringSubmatch(pattern)
	bad := fmt.Errorf("unsupported pattern %q; write for example %s", pattern, examplePatterns[kind])
	if m == nil {
		return Format{}, bad
	}
	f := Format{Shape: Shape{Kind: kind}}
	hasDate, hasClock, hasOffset := m[2] != "", m[7] != "" || m[11] != "", m[12] != ""
	if hasDate != kind.HasDate() || hasClock != (kind != Date) || hasOffset != (kind == Instant) || hasClock && hasDate && m[6] == "" && m[11] == "" {
		return Format{}, bad
	}
	if hasDate && !f.parseDate(m[2], m[3], m[4], m[5]) {
		return Format{}, bad
	}
	n := &f.Shape.Notation
	if m[1] != "" {
		*n |= weekday
	}
	joint := max(slices.Index(jointSigns[:], m[6]), 0) // of none, or of a comma and a space
	*n |= uint32(joint) << 11
	packed := *n&maskLayout == compact
	switch {
	case m[11] != "" && !packed:
		return Format{}, bad
	case m[11] != "" && m[6] == " ":
		*n = *n&^maskSeparator | separatorSpace
	case packed && m[11] == "" && hasClock:
		*n = *n&^maskLayout | compactDay
	}
	switch {
	case m[9] != "" && m[8] == "" || strings.HasPrefix(m[7], "h") != (m[10] != ""):
		return Format{}, bad
	case m[9] != "":
		*n |= clockFraction
	case m[8] != "" || m[11] != "":
		*n |= clockSeconds
	case hasClock:
		*n |= clockMinutes
	}
	if m[10] != "" {
		*n |= halfDays
	}
	points := strings.Contains(pattern, ".mm")
	if points {
		*n |= pointClock
	}
	switch {
	case points && (packed || strings.Contains(pattern, ":") || !hasDate && m[10] == ""):
		return Format{}, bad
	case *n&maskJoint == jointDash && !points, *n&maskJoint == jointColon && packed:
		return Format{}, bad
	}
	return f, nil
}

// parseDate sets layout, separator and order from three fields.
func (f *Format) parseDate(a, separator, b, c string) bool {
	order := strings.ToLower(a[:1] + b[:1] + c[:1])
	year := [...]string{a, b, c}[max(strings.Index(order, "y"), 0)]
	named := max(strings.Count(a, "M"), strings.Count(b, "M"), strings.Count(c, "M")) > 2
	mark := uint32(slices.Index(separatorSigns[:], separator)) << 3 // patternForm takes no others
	n := mark
	layout := YearLast
	switch {
	case len(year) != 2 && len(year) != 4:
		return false
	case mark == separatorNone && a+b+c == "yyyyMMdd":
		layout, f.Order = compact, Fixed
	case named:
		layouts := map[string]uint32{"dmy": dayNameYear, "mdy": nameDayYear, "ymd": yearNameDay}
		l, ok := layouts[order]
		if !ok || l != dayNameYear && len(separator) > 1 || mark == separatorHan || l == nameDayYear && mark == separatorNone || l == yearNameDay && len(year) == 2 {
			return false
		}
		layout, f.Order = l, Fixed
		if len(year) == 2 {
			n |= shortYear
		}
	default:
		orders := map[string]Order{"dmy": DayMonthYear, "mdy": MonthDayYear, "ymd": YearMonthDay, "ydm": YearDayMonth}
		o, ok := orders[order]
		f.Order = o
		if !ok || mark == separatorNone || mark == separatorDe || mark == separatorHan && (order != "ymd" || len(year) != 4) || len(year) == 2 && (o == YearDayMonth || strings.HasSuffix(separator, " ")) {
			return false
		}
		if o == YearMonthDay || o == YearDayMonth {
			layout = YearFirst
		}
		if len(year) == 2 {
			layout = ShortYear
		}
	}
	f.Shape.Notation = n | layout
	return true
}

var examplePatterns = map[Kind]string{
	Date: "yyyy-MM-dd, dd/MM/yyyy, MM/dd/yy or dd MMM yyyy", Time: "HH:mm, HH:mm:ss or hh:mm a",
	Timestamp: "yyyy-MM-dd HH:mm:ss, yyyy-MM-dd'T'HH:mm or dd/MM/yyyy hh:mm a",
	Instant:   "yyyy-MM-dd HH:mm:ssXXX or yyyy-MM-dd'T'HH:mm:ssXXX",
}

// SameDate reports whether a shape has its date written in the same way.
func (f Format) SameDate(s Shape) bool {
	const date = maskLayout | maskSeparator | shortYear
	return s.Notation&date == f.Shape.Notation&date
}

// Takes reports whether values of the shape can be read by the format. A date is
// a timestamp at midnight, and any precision of the time of day will do, but an
// instant needs its offset and the others must have none.
func (f Format) Takes(s Shape) bool {
	switch f.Shape.Kind {
	case Time:
		return s.Kind == Time
	case Instant:
		return s.Kind == Instant && f.SameDate(s)
	}
	return (s.Kind == Date || s.Kind == Timestamp) && f.SameDate(s)
}

// Finer returns the shape of a format for both shapes: the one with a time, or
// with the more precise time.
func (s Shape) Finer(o Shape) Shape {
	if o.Kind != Date && o.Kind.HasDate() || o.Kind == Time {
		if s.Kind != o.Kind || o.Notation&maskClock > s.Notation&maskClock {
			return o
		}
	}
	return s
}

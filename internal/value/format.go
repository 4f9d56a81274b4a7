package value

import (
	"fmt"
	"strings"
)

// Formats are written as Unicode patterns (UTS #35): yyyy-MM-dd HH:mm:ss.

var (
	separatorSigns = [...]string{"-", "/", "."}
	clockPatterns  = [...]string{"", "HH:mm", "HH:mm:ss", "HH:mm:ss.SSSSSS"}
)

// Format is the pattern of a Date, Time or Timestamp column: a shape and, when
// the year is last, an order of day and month.
type Format struct {
	Shape Shape
	Order DateOrder
}

// String returns the pattern.
func (f Format) String() string {
	clock := clockPatterns[f.Shape.Notation&maskTime>>4]
	if f.Shape.Kind == Time {
		return clock
	}
	sep := separatorSigns[f.Shape.Notation&maskSeparator>>2]
	fields := []string{"yyyy", "MM", "dd"}
	if order := f.Shape.Order(); order != YearFirst {
		fields = []string{"dd", "MM", "yyyy"}
		if f.Order == MonthFirst {
			fields[0], fields[1] = fields[1], fields[0]
		}
		if order == ShortYearLast {
			fields[2] = "yy"
		}
	}
	date := strings.Join(fields, sep)
	switch {
	case clock == "":
		return date
	case f.Shape.Notation&markT != 0:
		return date + "'T'" + clock
	}
	return date + " " + clock
}

// formats lists every pattern by its text.
var formats = func() map[string]Format {
	all := map[string]Format{}
	add := func(f Format) { all[f.String()] = f }
	for clock := timeMinutes; clock <= timeFraction; clock += timeMinutes {
		add(Format{Shape: Shape{Time, clock}})
	}
	for _, sep := range []uint8{separatorDash, separatorSlash, separatorPoint} {
		for year := YearFirst; year <= ShortYearLast; year++ {
			for _, order := range []DateOrder{MonthFirst, DayFirst} {
				add(Format{Shape{Date, sep | year}, order})
				for clock := timeMinutes; clock <= timeFraction; clock += timeMinutes {
					add(Format{Shape{Timestamp, sep | year | clock}, order})
					add(Format{Shape{Timestamp, sep | year | clock | markT}, order})
				}
			}
		}
	}
	return all
}()

// ParseFormat returns the format of a pattern for values of the given kind.
func ParseFormat(pattern string, kind Kind) (Format, error) {
	f, ok := formats[pattern]
	if !ok || f.Shape.Kind != kind {
		return f, fmt.Errorf("%q is no pattern that can be read here; write for example %s", pattern, examplePatterns[kind])
	}
	return f, nil
}

var examplePatterns = map[Kind]string{
	Date: "yyyy-MM-dd, dd/MM/yyyy or MM/dd/yy", Time: "HH:mm or HH:mm:ss",
	Timestamp: "yyyy-MM-dd HH:mm:ss, yyyy-MM-dd'T'HH:mm or dd/MM/yyyy HH:mm",
}

// SameDate tells whether a shape has its date written in the same way.
func (f Format) SameDate(s Shape) bool {
	const date = maskOrder | maskSeparator
	return s.Notation&date == f.Shape.Notation&date
}

// Takes tells whether values of the shape can be read by the format. A date is
// a timestamp at midnight, and any precision of the time of day will do.
func (f Format) Takes(s Shape) bool {
	if f.Shape.Kind == Time {
		return s.Kind == Time
	}
	return (s.Kind == Date || s.Kind == Timestamp) && f.SameDate(s)
}

// Finer returns the shape of a format for both shapes: the one with a time, or
// with the more precise time.
func (s Shape) Finer(o Shape) Shape {
	if o.Kind == Time || o.Kind == Timestamp {
		if s.Kind != o.Kind || o.Notation&maskTime > s.Notation&maskTime {
			return o
		}
	}
	return s
}

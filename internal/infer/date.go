package infer

import (
	"fmt"
	"math/bits"
	"slices"

	"ambertray/internal/note"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// dates lists the readings as dates: one for every way in which a date of the
// column is written, and every order of its numbers.
func (p *Column) dates(o Options) (list []reading) {
	var seen []value.Format
	for i := range p.tallies {
		t := &p.tallies[i]
		s := t.shape
		if s.Kind == value.Integer && s.Notation == value.CompactDate {
			list = append(list, p.compactDates(t))
			continue
		}
		if !s.Kind.HasDate() || slices.ContainsFunc(seen, func(f value.Format) bool { return sameDates(f, s) }) {
			continue
		}
		seen = append(seen, value.Format{Shape: s})
		orders := slices.Clone(s.Orders())
		i := slices.Index(orders, value.MonthDayYear)
		if i > 0 && !o.Conventions.DayFirst && (o.Conventions.MonthFirst || p.oneSecond(s)) {
			orders[0], orders[i] = orders[i], orders[0]
		}
		for _, order := range orders {
			list = append(list, datesIn(value.Format{Shape: s, Order: order}, o))
		}
	}
	return list
}

// minMonths is the number of different first numbers that are taken for months, if all second
// numbers are the same.
const minMonths = 6

// oneSecond reports whether the dates of a shape have different first numbers and only one
// second number, as monthly figures have.
func (p *Column) oneSecond(s value.Shape) bool {
	var first, second uint32
	p.each(func(other value.Shape) bool { return value.Format{Shape: s}.SameDate(other) }, func(t *tally) {
		first |= t.numbers[0]
		second |= t.numbers[1]
	})
	return bits.OnesCount32(second) == 1 && bits.OnesCount32(first) >= minMonths
}

// sameDates reports whether dates of a shape are read by the format, but for
// their order.
func sameDates(f value.Format, s value.Shape) bool {
	return f.SameDate(s) && (f.Shape.Kind == value.Instant) == (s.Kind == value.Instant)
}

// datesIn reads dates and timestamps by one format.
func datesIn(f value.Format, o Options) reading {
	r := reading{
		name:  "dates",
		takes: func(s value.Shape) bool { return f.Takes(s) && s.Exists(f.Order) },
		near: func(s value.Shape) bool {
			return f.SameDate(s) && (s.Kind == value.Impossible || f.Takes(s) && !s.Exists(f.Order))
		},
	}
	r.plan = func(p *Column, c *Choice) { p.planDates(r, f, o, c) }
	return r
}

var dateTypes = map[value.Kind]struct {
	kind table.Kind
	name string
}{
	value.Date: {table.Date, "date"}, value.Timestamp: {table.Timestamp, "timestamp"},
	value.Instant: {table.TimestampTZ, "timestamp"},
}

func (p *Column) planDates(r reading, f value.Format, o Options, c *Choice) {
	n, clock, fraction := int64(0), false, 0
	p.each(r.takes, func(t *tally) {
		n += t.count
		fraction = max(fraction, t.scale)
		f.Shape = f.Shape.Finer(t.shape)
		clock = clock || t.clock
	})
	midnight := f.Shape.Kind == value.Timestamp && !clock
	if midnight {
		f = f.WithoutTime()
	}
	lo, hi := p.extremesOf(r.takes, func(s value.Shape) int { return slices.Index(s.Orders(), f.Order) })
	typ := dateTypes[f.Shape.Kind]
	if p.planTooFine(c, r, table.Type{Kind: typ.kind}, f, o) {
		return
	}
	c.Type = timed(typ.kind, fraction)
	c.Min, c.Max, c.Format = string(lo.text), string(hi.text), f.String()
	why, guess := p.whyOrder(c, r, f, o)
	c.Evidence, c.Guess = amount(n, typ.name)+spanText(c, n)+why, guess
	if midnight {
		c.Evidence += "; every time of day is midnight, and left out"
	}
	if f.Shape.TwoDigitYear() {
		c.Evidence += fmt.Sprintf("; two-digit years: %d to 99 are 19%d to 1999, the others 20..", value.PivotYear, value.PivotYear)
	}
	if f.Shape.Kind == value.Instant {
		c.Evidence += "; each with its offset, kept as the moment in UTC"
	}
}

// planTooFine makes the column text and says how to round its times, if some have more digits of a
// second than a type keeps. Otherwise it returns false.
func (p *Column) planTooFine(c *Choice, r reading, t table.Type, f value.Format, o Options) bool {
	fine, n := func(s value.Shape) bool { return r.takes(s) && s.TooFine() }, int64(0)
	p.each(fine, func(t *tally) { n += t.count })
	if n == 0 {
		return false
	}
	p.chooseText(o.Fit, c)
	keys := [][2]string{{"type", t.String()}, {"format", f.String()}, {"round", "true"}}
	c.Remedies = []Remedy{{t.String() + ", and round down", keys}}
	c.Obstacle = fmt.Sprintf("%s more digits of a second than %s keeps: %s; write %s to round them down",
		note.Count(n, "value has", "values have"), t, examples(p.examplesOf(fine)), inTray(keys))
	return true
}

// timed is a type of dates or times, whose times have the given digits of a second.
func timed(kind table.Kind, digits int) table.Type {
	t := table.Type{Kind: kind}
	if !t.HasClock() {
		return t
	}
	return t.WithFraction(digits)
}

var orderNames = map[value.Order]string{
	value.DayMonthYear: "day first", value.MonthDayYear: "month first", value.YearMonthDay: "year, month, day", value.YearDayMonth: "year, day, month",
}

// whyOrder says which value decides the order of day and month: one that is a
// date in no other order. Where none does, guess says which order was taken.
func (p *Column) whyOrder(c *Choice, r reading, f value.Format, o Options) (why, guess string) {
	orders := f.Shape.Orders()
	if len(orders) == 1 || f.Order == value.YearMonthDay && len(orders) == 2 {
		return "", ""
	}
	var open []value.Order
	for _, other := range orders {
		if other == f.Order {
			continue
		}
		against := p.examplesOf(func(s value.Shape) bool { return r.takes(s) && !s.Exists(other) })
		if len(against) == 0 {
			open = append(open, other)
		} else if why == "" {
			why = at(against[0])
		}
	}
	name := orderNames[f.Order]
	conventions := o.Conventions
	switch {
	case len(open) == 0:
		return "; " + name + ": " + why, ""
	case f.Order == value.MonthDayYear && conventions.MonthFirst, f.Order == value.DayMonthYear && conventions.DayFirst && !conventions.MonthFirst:
		return fmt.Sprintf("; ambiguous on its own; %s as in %s", name, quoted(conventions.From)), ""
	}
	other := value.Format{Shape: f.Shape, Order: open[0]}
	c.Remedies = []Remedy{{"read " + orderNames[open[0]], [][2]string{{"format", other.String()}}}}
	cause := "no number is over 12"
	switch {
	case open[0] == value.YearMonthDay || open[0] == value.YearDayMonth:
		cause = "no number is over 31"
	case f.Order == value.MonthDayYear:
		cause += ", and all second ones are the same"
	}
	guess = fmt.Sprintf("ambiguous: %s, so it is read %s; if it is %s, write format: %s", cause, name, orderNames[open[0]], other)
	return "; " + guess, guess
}

// DayOrder returns the order of day and month that the dates of the column
// prove, for the columns that leave it open.
func (p *Column) DayOrder() (monthFirst, dayFirst bool) {
	for i := range p.tallies {
		s := p.tallies[i].shape
		if s.Kind.HasDate() && slices.Contains(s.Orders(), value.MonthDayYear) {
			monthFirst = monthFirst || !s.Exists(value.DayMonthYear) && s.Exists(value.MonthDayYear)
			dayFirst = dayFirst || !s.Exists(value.MonthDayYear) && s.Exists(value.DayMonthYear)
		}
	}
	return monthFirst && !dayFirst, dayFirst && !monthFirst
}

// DecimalSign reports whether the column has numbers that can only be read with a
// comma before the decimals, or only with a point.
func (p *Column) DecimalSign() (comma, point bool) {
	for i := range p.tallies {
		_, c, d := p.tallies[i].shape.Thousands()
		comma, point = comma || c && !d, point || d && !c
	}
	return comma, point
}

// compactDates reads whole numbers that are all dates written without a
// separator.
func (p *Column) compactDates(t *tally) reading {
	kind, format := table.Date, "yyyyMMdd"
	if t.width == len("yyyyMMddHHmmss") {
		kind, format = table.Timestamp, "yyyyMMddHHmmss"
	}
	r := reading{name: "dates", takes: func(s value.Shape) bool { return s == t.shape && t.width == len(format) }}
	r.none = func(t *tally) bool { // zeros, as some programs write no date
		return t.shape.Kind == value.Code && t.width == len(format) && t.min[0].int == 0 && t.max[0].int == 0
	}
	r.plan = func(_ *Column, c *Choice) {
		c.Type, c.Format = timed(kind, 0), format
		c.Min, c.Max = string(t.min[0].text), string(t.max[0].text)
		c.Evidence = fmt.Sprintf("all %s are dates written %s", amount(t.count, "number"), format) + spanText(c, t.count)
	}
	return r
}

// times reads times of day.
func times(o Options) reading {
	r := reading{name: "times", takes: func(s value.Shape) bool { return s.Kind == value.Time }}
	r.plan = func(p *Column, c *Choice) {
		lo, hi := p.extremesOf(r.takes, only)
		var finest value.Shape
		fraction := 0
		n := int64(0)
		p.each(r.takes, func(t *tally) { n, finest, fraction = n+t.count, finest.Finer(t.shape), max(fraction, t.scale) })
		f := value.Format{Shape: finest}
		if p.planTooFine(c, r, table.Type{Kind: table.Time}, f, o) {
			return
		}
		c.Type, c.Format = timed(table.Time, fraction), f.String()
		c.Min, c.Max = string(lo.text), string(hi.text)
		c.Evidence = amount(n, "time") + " of day" + spanText(c, n)
	}
	return r
}

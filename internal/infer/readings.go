package infer

import (
	"fmt"
	"math"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// numbers reads whole numbers, decimals and numbers with exponents, in the one
// notation that the column allows: decimals after a point and groups after
// commas, or the other way round where any value shows that.
func numbers(p *Column) reading {
	comma := false
	for i := range p.tallies {
		n, k := p.tallies[i].shape.Notation, p.tallies[i].shape.Kind
		comma = comma || (k == value.Decimal || k == value.Integer) && (n == value.DecimalComma || n == value.GroupedPoint)
	}
	style := value.Style{DecimalComma: comma}
	r := reading{name: "numbers", takes: style.Takes}
	r.plan = func(p *Column, c *Choice) { p.planNumbers(style, c) }
	return r
}

func (p *Column) planNumbers(style value.Style, c *Choice) {
	whole, scale, exponents, grouped, n := 0, 0, int64(0), int64(0), int64(0)
	p.each(style.Takes, func(t *tally) {
		n += t.count
		whole, scale = max(whole, t.whole), max(scale, t.scale)
		switch {
		case t.shape.Kind == value.Exponent:
			exponents += t.count
		case t.shape.Notation == value.LoneComma && style.DecimalComma:
			scale = max(scale, 3)
		case t.shape.Notation == value.Grouped || t.shape.Notation == value.LoneComma || t.shape.Notation == value.GroupedPoint:
			grouped += t.count
		}
	})
	lo, hi := p.extremesOf(style.Takes, 0)
	c.Min, c.Max = string(lo.text), string(hi.text)
	span := fmt.Sprintf("; %s to %s", lo.text, hi.text)
	switch {
	case exponents > 0:
		c.Type = table.Type{Kind: table.Double}
		c.Evidence = fmt.Sprintf("%s, %s with an exponent%s", amount(n, "number"), group(exponents), span)
	case scale > 0:
		c.Type = decimalType(whole, scale)
		c.Evidence = fmt.Sprintf("%s of up to %s%s", amount(n, "number"), amount(int64(scale), "decimal"), span)
	default:
		c.Type = integerType(lo, hi, whole)
		c.Evidence = amount(n, "whole number") + span
		if lo.float == 0 && hi.float == 1 && c.Distinct == 2 {
			c.Evidence += "; write type: boolean if 1 means true"
		}
	}
	if style.DecimalComma {
		c.Decimal = ","
		c.Evidence += "; ',' is the decimal sign"
	}
	if grouped > 0 {
		c.Thousands = ","
		if style.DecimalComma {
			c.Thousands = "."
		}
		c.Evidence += fmt.Sprintf("; '%s' is a thousands separator in %s", c.Thousands, group(grouped))
	}
}

// integerType returns the smallest type of whole numbers from lo to hi.
func integerType(lo, hi extreme, digits int) table.Type {
	switch {
	case digits > 18:
		return decimalType(digits, 0)
	case lo.int < math.MinInt32 || hi.int > math.MaxInt32:
		return table.Type{Kind: table.BigInt}
	}
	return table.Type{Kind: table.Integer}
}

// decimalType leaves headroom of one digit before the point. Numbers too long
// for any decimal stay text.
func decimalType(whole, scale int) table.Type {
	size := max(whole, 1) + scale
	if size > table.MaxPrecision {
		return table.Type{Kind: table.Text}
	}
	return table.Type{Kind: table.Decimal, Size: min(size+1, table.MaxPrecision), Scale: scale}
}

// booleans reads the words of one pair.
func booleans(pair uint8) reading {
	shape := value.Shape{Kind: value.Boolean, Notation: pair}
	r := reading{name: "true or false", takes: func(s value.Shape) bool { return s == shape }}
	r.plan = func(p *Column, c *Choice) {
		lo, hi := p.extremesOf(r.takes, 0)
		c.Type = table.Type{Kind: table.Boolean}
		c.Min, c.Max = string(lo.text), string(hi.text)
		c.Evidence = fmt.Sprintf("every value is %s or %s", quoted(value.BooleanWord(pair, true)), quoted(value.BooleanWord(pair, false)))
	}
	return r
}

// dates reads dates and timestamps with the numbers in the same places as in s.
func dates(s value.Shape) reading {
	family := value.Format{Shape: s}
	r := reading{
		name:  "dates",
		takes: family.Takes,
		near:  func(o value.Shape) bool { return o.Kind == value.Impossible && family.SameDate(o) },
	}
	r.plan = func(p *Column, c *Choice) { p.planDates(r, s, c) }
	return r
}

func (p *Column) planDates(r reading, s value.Shape, c *Choice) {
	var over [2]Example
	n := int64(0)
	format := value.Format{Shape: s}
	p.each(r.takes, func(t *tally) {
		n += t.count
		format.Shape = format.Shape.Finer(t.shape)
		for i, e := range t.over12 {
			if e.Line > 0 && (over[i].Line == 0 || e.Line < over[i].Line) {
				over[i] = e
			}
		}
	})
	c.Type = table.Type{Kind: table.Date}
	what := "date"
	if format.Shape.Kind == value.Timestamp {
		c.Type.Kind, what = table.Timestamp, "timestamp"
	}
	why := ""
	if s.Order() != value.YearFirst {
		switch {
		case over[0].Line > 0 && over[1].Line > 0:
			c.Type = p.textType()
			c.Evidence = fmt.Sprintf("dates in two orders: %s has the day first, %s the month", at(over[0]), at(over[1]))
			return
		case over[1].Line > 0:
			format.Order = value.MonthFirst
			why = "; month first: " + at(over[1])
		case over[0].Line > 0:
			why = "; day first: " + at(over[0])
		default:
			why = "; ambiguous: no number is over 12, so the day was taken to be first; for the other order write the format with MM before dd"
		}
	}
	lo, hi := p.extremesOf(r.takes, int(format.Order))
	c.Min, c.Max, c.Format = string(lo.text), string(hi.text), format.String()
	c.Evidence = fmt.Sprintf("%s; %s to %s%s", amount(n, what), lo.text, hi.text, why)
}

// times reads times of day.
func times() reading {
	r := reading{name: "times", takes: func(s value.Shape) bool { return s.Kind == value.Time }}
	r.plan = func(p *Column, c *Choice) {
		lo, hi := p.extremesOf(r.takes, 0)
		var finest value.Shape
		p.each(r.takes, func(t *tally) { finest = finest.Finer(t.shape) })
		c.Type, c.Format = table.Type{Kind: table.Time}, value.Format{Shape: finest}.String()
		c.Min, c.Max = string(lo.text), string(hi.text)
		c.Evidence = fmt.Sprintf("times of day; %s to %s", lo.text, hi.text)
	}
	return r
}

// uuids reads UUIDs.
func uuids() reading {
	r := reading{name: "UUIDs", takes: func(s value.Shape) bool { return s.Kind == value.UUID }}
	r.plan = func(_ *Column, c *Choice) {
		c.Type, c.Evidence = table.Type{Kind: table.UUID}, "every value is a UUID"
	}
	return r
}

// chooseText gives the column a text type and says what kind of text it is;
// code tells that it is digits that are no number.
func (p *Column) chooseText(c *Choice) (code bool) {
	c.Type = p.textType()
	codes, digits := int64(0), int64(0)
	for i := range p.tallies {
		switch t := &p.tallies[i]; t.shape.Kind {
		case value.Code:
			codes += t.count
			digits += t.count
		case value.Integer:
			digits += t.count
		}
	}
	values := p.Records - p.Blanks
	switch {
	case codes > 0 && digits == values && p.Shortest == p.Longest:
		c.Evidence = fmt.Sprintf("%d digits in all %s, %s with 0: a code, not a number", p.Longest, amount(values, "value"), count(codes, "begins", "begin"))
	case codes > 0 && digits == values:
		c.Evidence = fmt.Sprintf("%s with 0: a code, not a number", count(codes, "value begins", "values begin"))
	case c.Type.Kind == table.Char:
		c.Evidence = fmt.Sprintf("%s in every value", amount(int64(p.Longest), "character"))
	case c.Type.Kind == table.Varchar:
		c.Evidence = fmt.Sprintf("text of %d to %d characters; room for %d", p.Shortest, p.Longest, c.Type.Size)
	default:
		c.Evidence = fmt.Sprintf("text of %d to %s characters", p.Shortest, group(int64(p.Longest)))
	}
	return codes > 0 && digits == values
}

// sizes are the lengths that a varchar is rounded up to.
var sizes = []int{10, 20, 30, 40, 50, 60, 80, 100, 120, 150, 200, 250, 300, 400, 500, 750, 1000, 1500, 2000}

// textType returns char for values of one short length, varchar with a quarter
// of headroom otherwise, and text for long ones.
func (p *Column) textType() table.Type {
	if p.Shortest == p.Longest && p.Longest <= 40 && p.Records-p.Blanks > 1 {
		return table.Type{Kind: table.Char, Size: p.Longest}
	}
	for _, n := range sizes {
		if 4*n >= 5*p.Longest {
			return table.Type{Kind: table.Varchar, Size: n}
		}
	}
	return table.Type{Kind: table.Text}
}

package infer

import (
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Choice is the type chosen for a column, the rules that its cells are read
// by, and the reasons.
type Choice struct {
	Type      table.Type
	Format    string
	Nullable  bool
	Thousands string
	Decimal   string
	NullWords []string
	// Unique tells that no two values are alike; Sure that this was counted
	// exactly. A key is offered where both hold and no value is missing.
	Unique, Sure bool
	// Evidence says in words why this type; Way what stands in the way of a
	// tighter one and what to write to take it. Way may be empty.
	Evidence, Way string
	// Rejects is how many values the type leaves out: dates that do not exist.
	Rejects  int64
	Distinct int64
	Min, Max string
}

// reading is one way to understand the values of a column.
type reading struct {
	name  string                     // plural, for the evidence
	takes func(s value.Shape) bool   // the shapes that it understands
	near  func(s value.Shape) bool   // shapes that were meant so but do not exist
	plan  func(p *Column, c *Choice) // sets the type; c.Type stays text if none holds them all
}

// Choose returns the smallest type that holds every value of the column.
//
// Two things do not widen a type. Well-known null words that are all that
// stands in the way of a tighter type are taken for what they are. And dates
// that do not exist, where they are at most one in a hundred, become rejects:
// no type but text would hold them, and the column is plainly one of dates.
func (p *Column) Choose() Choice {
	c := Choice{Nullable: p.Blanks > 0 || p.Records == 0, Min: string(p.First), Max: string(p.Last)}
	values := p.Records - p.Blanks
	c.Distinct, c.Sure = p.distinct.count()
	c.Unique = values > 1 && (c.Sure && c.Distinct == values || !c.Sure && float64(c.Distinct) > 0.97*float64(values))
	if values == 0 {
		c.Type = table.Type{Kind: table.Text}
		c.Evidence = "blank in every record: nothing says what it is"
		return c
	}
	best, fits := p.bestReading()
	if best == nil {
		p.chooseText(&c)
		return c
	}
	words, near, others := p.besides(best)
	if others == 0 && near*100 <= fits {
		best.plan(p, &c)
		if c.Type.Textual() {
			return c
		}
		p.addNullWords(&c, words)
		p.addNear(&c, best, near)
		return c
	}
	if isCode := p.chooseText(&c); fits*2 >= values && !isCode {
		c.Way = p.inTheWay(best, fits)
	}
	return c
}

// bestReading returns the reading that understands most values, if any.
func (p *Column) bestReading() (best *reading, fits int64) {
	for _, r := range p.readings() {
		n := int64(0)
		for i := range p.tallies {
			if r.takes(p.tallies[i].shape) {
				n += p.tallies[i].count
			}
		}
		if n > fits {
			best, fits = &r, n
		}
	}
	return best, fits
}

// readings lists the ways to understand the column that its shapes suggest.
func (p *Column) readings() []reading {
	list := []reading{numbers(p), times(), uuids()}
	for i := range p.tallies {
		switch s := p.tallies[i].shape; s.Kind {
		case value.Boolean:
			list = append(list, booleans(s.Notation))
		case value.Date, value.Timestamp:
			list = append(list, dates(s))
		}
	}
	return list
}

// besides counts the values that a reading does not understand: null words,
// near misses, and others.
func (p *Column) besides(r *reading) (words, near, others int64) {
	for i := range p.tallies {
		switch t := &p.tallies[i]; {
		case r.takes(t.shape):
		case t.shape.Kind == value.NullWord:
			words += t.count
		case r.near != nil && r.near(t.shape):
			near += t.count
		default:
			others += t.count
		}
	}
	return words, near, others
}

func (p *Column) addNullWords(c *Choice, words int64) {
	if words == 0 {
		return
	}
	c.Nullable = true
	for i := range p.tallies {
		if t := &p.tallies[i]; t.shape.Kind == value.NullWord {
			word := t.examples[0].Text
			c.NullWords = append(c.NullWords, word)
			c.Evidence += "; " + count(t.count, "is", "are") + " " + quoted(word) + ", read as no value"
		}
	}
}

func (p *Column) addNear(c *Choice, r *reading, near int64) {
	if near == 0 {
		return
	}
	c.Rejects = near
	c.Way = count(near, "is no such date", "are no such dates") + " and will be rejected: " +
		examples(p.examplesOf(r.near)) + "; write type: " + p.textType().String() + " to keep " + pronoun(near) + " as text"
}

// inTheWay says what keeps a column of mostly one kind from a tighter type.
func (p *Column) inTheWay(r *reading, fits int64) string {
	tight := Choice{}
	r.plan(p, &tight)
	if tight.Type.Textual() {
		return ""
	}
	out := func(s value.Shape) bool { return !r.takes(s) }
	n := p.Records - p.Blanks - fits
	rule := "type: " + tight.Type.String()
	if tight.Format != "" {
		rule += ", format: " + tight.Format
	}
	return group(fits) + " are " + r.name + ", but " + count(n, "is not", "are not") + ": " + examples(p.examplesOf(out)) +
		"; write " + rule + " to reject " + pronoun(n)
}

func (p *Column) examplesOf(takes func(value.Shape) bool) []Example {
	var all []Example
	for i := range p.tallies {
		if takes(p.tallies[i].shape) {
			all = append(all, p.tallies[i].examples...)
		}
	}
	return all
}

// tally sums over the shapes that f takes.
func (p *Column) each(takes func(value.Shape) bool, f func(*tally)) {
	for i := range p.tallies {
		if takes(p.tallies[i].shape) {
			f(&p.tallies[i])
		}
	}
}

// extremesOf returns the least and greatest value of the shapes, of reading i.
func (p *Column) extremesOf(takes func(value.Shape) bool, i int) (lo, hi extreme) {
	p.each(takes, func(t *tally) {
		if len(t.min[i].text) > 0 && (len(lo.text) == 0 || t.min[i].float < lo.float) {
			lo = t.min[i]
		}
		if len(t.max[i].text) > 0 && (len(hi.text) == 0 || t.max[i].float > hi.float) {
			hi = t.max[i]
		}
	})
	return lo, hi
}

package infer

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/note"
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
	Currency  string
	Percent   bool
	NullWords []string
	// TrueWord and FalseWord are those of a boolean, as they are written.
	TrueWord, FalseWord string

	Trim bool // the spaces around values are taken off
	// Untyped says that there is no value, so that nothing says what type the column has.
	Untyped bool
	// Long is the type of the values as whole numbers, if some are so long that they are more
	// likely identifiers and another type was chosen, or nil.
	Long *table.Type
	// Unique says that no two values are alike; Sure that this was counted
	// exactly. A key is offered where both hold and no value is missing.
	Unique, Sure bool
	// Evidence says in words why this type; Obstacle what keeps the column from a
	// tighter one and what to write to take it. Guess says what the values leave
	// open and how it was taken, and Remark what else a person should check.
	// The last three may be empty.
	Evidence, Obstacle, Guess, Remark string
	// Rejects is how many values the type leaves out: dates that do not exist.
	Rejects  int64
	Distinct int64
	Min, Max string
	// Tighter is the choice that the obstacle keeps the column from, or nil.
	Tighter *Choice
	// Remedies are the ways out of the obstacle or the guess, the one that is meant most
	// often first.
	Remedies []Remedy
}

// Remedy is a way out of what keeps a column from a type: keys of its plan and their
// values, and what that does.
type Remedy struct {
	What string
	Keys [][2]string
}

// Fit is the policy on headroom.
type Fit uint8

// Roomy leaves room for values somewhat larger than those seen, Snug none.
const (
	Roomy Fit = iota
	Snug
)

// ParseFit returns the fit of a word.
func ParseFit(word string) (Fit, error) {
	i := slices.Index([]string{"roomy", "snug"}, word)
	if i < 0 {
		return 0, fmt.Errorf("fit %q: write snug for types that just hold the values, or roomy for some headroom", word)
	}
	return Fit(i), nil
}

// Conventions are what other columns of the source show of the hand that wrote it.
// They only decide what the column's own values leave open.
type Conventions struct {
	MonthFirst, DayFirst bool   // a date that is certain to be so
	DecimalComma         bool   // numbers that prove it, and none that prove a point
	From                 string // heading of the column that shows it
}

// Options of a choice.
type Options struct {
	Fit         Fit
	Conventions Conventions
}

// reading is one way to understand the values of a column.
type reading struct {
	name  string                     // plural, for the evidence
	takes func(s value.Shape) bool   // the shapes that it understands
	near  func(s value.Shape) bool   // shapes that were meant so but do not exist
	none  func(t *tally) bool        // values that stand for no value beside null words, or nil
	plan  func(p *Column, c *Choice) // sets the type; c.Type is text if none holds them all
}

// Choose returns the smallest type that holds every value of the column.
//
// Two things do not widen a type. Well-known null words that are all that
// keeps a column from a tighter type are taken for what they are. And dates
// that do not exist, where they are at most one in a hundred, become rejects:
// no type but text would hold them, and the column is plainly one of dates.
func (p *Column) Choose(o Options) Choice {
	c := Choice{Nullable: p.Blanks > 0 || p.Records == 0, Min: string(p.First), Max: string(p.Last)}
	values := p.Records - p.Blanks
	c.Distinct, c.Sure = p.distinct.count()
	c.Unique = values > 1 && (c.Sure && c.Distinct == values || !c.Sure && float64(c.Distinct) > 0.97*float64(values))
	if values == 0 {
		c.Type, c.Untyped = table.Type{Kind: table.Text}, true
		c.Evidence = "blank in every record: nothing says what it is"
		return c
	}
	if len(p.tallies) == 1 && p.tallies[0].examples[0].Text == value.DumpedNull {
		c.Type, c.Untyped, c.Unique = table.Type{Kind: table.Text}, true, false
		c.Evidence = "NULL in every record: nothing says what it is"
		c.readAsNull(&p.tallies[0])
		return c
	}
	best, fits := p.bestReading(o)
	if best == nil {
		p.chooseText(o.Fit, &c)
		return c
	}
	words, near, others := p.countMisfits(best)
	if others == 0 && near*100 <= fits {
		best.plan(p, &c)
		if c.Type.Textual() {
			return c
		}
		p.addNullWords(&c, best, words)
		p.addNear(&c, best, near)
		return c
	}
	isCode := p.chooseText(o.Fit, &c)
	if fits*2 >= values && !isCode {
		p.obstacle(&c, best, fits)
	}
	return c
}

// bestReading returns the reading that understands most values, if any; of
// equals the first.
func (p *Column) bestReading(o Options) (best *reading, fits int64) {
	for _, r := range p.readings(o) {
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
func (p *Column) readings(o Options) []reading {
	list := p.dates(o)
	list = append(list, p.numbers(o)...)
	list = append(list, times(o), uuids())
	var pairs []value.Pair
	for i := range p.tallies {
		s := p.tallies[i].shape
		if s.Kind == value.Boolean {
			for _, pair := range s.Pairs() {
				if !slices.Contains(pairs, pair) && p.suggests(pair) {
					pairs = append(pairs, pair)
					list = append(list, booleans(pair))
				}
			}
		}
	}
	return list
}

// suggests reports whether the column has both words of a pair. One word alone may be
// a code or a mark, except true and false themselves.
func (p *Column) suggests(pair value.Pair) bool {
	is, isNot := false, false
	for i := range p.tallies {
		s := p.tallies[i].shape
		is = is || pair.Takes(s) && s.Word() == pair.True
		isNot = isNot || pair.Takes(s) && s.Word() == pair.False
	}
	return is && isNot || (is || isNot) && pair.True == "true"
}

// countMisfits counts the values that a reading does not understand: null words,
// near misses, and others.
func (p *Column) countMisfits(r *reading) (words, near, others int64) {
	for i := range p.tallies {
		t := &p.tallies[i]
		switch {
		case r.takes(t.shape):
		case r.isNone(t):
			words += t.count
		case r.near != nil && r.near(t.shape):
			near += t.count
		default:
			others += t.count
		}
	}
	return words, near, others
}

// isNone reports whether values stand for no value in a column that a reading understands.
func (r *reading) isNone(t *tally) bool {
	return t.shape.Kind == value.NullWord || r.none != nil && r.none(t)
}

func (p *Column) addNullWords(c *Choice, r *reading, words int64) {
	if words == 0 {
		return
	}
	for i := range p.tallies {
		t := &p.tallies[i]
		if r.isNone(t) {
			c.readAsNull(t)
		}
	}
}

// readAsNull adds a word that is read as NULL.
func (c *Choice) readAsNull(word *tally) {
	text := strings.TrimSpace(word.examples[0].Text)
	c.Nullable = true
	c.NullWords = append(c.NullWords, text)
	c.Evidence += "; " + note.Count(word.count, "is", "are") + " " + quoted(text) + ", read as no value"
}

func (p *Column) addNear(c *Choice, r *reading, near int64) {
	if near == 0 {
		return
	}
	c.Rejects = near
	c.Obstacle = note.Count(near, "value is not a valid date and is rejected: ", "values are not valid dates and are rejected: ") +
		examples(p.examplesOf(r.near)) + "; write type: " + p.textType(Roomy).String() + " to keep " + pronoun(near) + " as text"
	text := [2]string{"type", p.textType(Roomy).String()}
	c.Remedies = append(c.Remedies, Remedy{"keep " + pronoun(near) + " as text", [][2]string{text}})
	list := p.examplesOf(r.near)
	if len(list) == 1 && near > 1 {
		c.Remedies = append(c.Remedies, Remedy{"read " + pronoun(near) + " as no value", [][2]string{{"null_words", "[" + quoted(list[0].Text) + "]"}, {"nullable", "true"}}})
		c.Obstacle += fmt.Sprintf(", or null_words: [%s] to read %s as no value", quoted(list[0].Text), pronoun(near))
	}
}

// obstacle says what keeps a column of mostly one kind from a tighter type.
func (p *Column) obstacle(c *Choice, r *reading, fits int64) {
	tight := &Choice{Nullable: p.Blanks > 0}
	r.plan(p, tight)
	if tight.Type.Textual() {
		return
	}
	out := func(s value.Shape) bool { return !r.takes(s) }
	n := p.Records - p.Blanks - fits
	keys := [][2]string{{"type", tight.Type.String()}}
	for _, extra := range [][2]string{{"format", tight.Format}, {"thousands", tight.Thousands}, {"decimal", tight.Decimal}, {"currency", tight.Currency}} {
		if extra[1] != "" {
			keys = append(keys, [2]string{extra[0], yamlWord(extra[1])})
		}
	}
	list := p.examplesOf(out)
	c.Tighter = tight
	c.Remedies = []Remedy{{fmt.Sprintf("%s, and reject %s", tight.Type, group(n)), keys}}
	c.Obstacle = group(fits) + " of " + group(fits+n) + " are " + r.name + ", but " + note.Count(n, "is not", "are not") + ": " + examples(list) +
		"; write " + inTray(keys) + " to reject " + pronoun(n)
	words := p.words(out)
	if len(words) > 0 {
		null := "[" + strings.Join(words, ", ") + "]"
		c.Obstacle += ", and null_words: " + null + " to read " + pronoun(n) + " as no value"
		c.Remedies = append(c.Remedies, Remedy{fmt.Sprintf("%s, and read %s as no value", tight.Type, group(n)),
			append(slices.Clone(keys), [2]string{"null_words", null}, [2]string{"nullable", "true"})})
	}
	if tight.Guess != "" {
		c.Obstacle += "; " + tight.Guess
	}
}

// inTray returns keys of a column and their values as a person writes them in the tray.
func inTray(keys [][2]string) string {
	var rules []string
	for _, k := range keys {
		rules = append(rules, k[0]+": "+k[1])
	}
	return strings.Join(rules, ", ")
}

// yamlWord quotes what YAML would not take as it stands.
func yamlWord(s string) string {
	if strings.Trim(s, ",.' ") == "" || strings.ContainsAny(s, "'") {
		return `"` + s + `"`
	}
	return s
}

// maxWords is how many different texts may be words for 'no value'.
const maxWords = 3

// words returns the values that are not taken where they are a few texts that
// come again and again: most likely words for 'no value'.
func (p *Column) words(out func(value.Shape) bool) (words []string) {
	n := int64(0)
	for i := range p.tallies {
		t := &p.tallies[i]
		if !out(t.shape) {
			continue
		}
		if t.shape.Kind != value.Text && t.shape.Kind != value.NullWord {
			return nil
		}
		n += t.count
		for _, e := range t.examples {
			words = append(words, quoted(e.Text))
		}
	}
	if len(words) > maxWords || n < 2*int64(len(words)) {
		return nil
	}
	return words
}

func (p *Column) examplesOf(takes func(value.Shape) bool) []Example {
	var all []Example
	for i := range p.tallies {
		if takes(p.tallies[i].shape) {
			all = append(all, p.tallies[i].examples...)
		}
	}
	inOrder(all)
	return all[:min(len(all), maxExamples)]
}

// each calls f with the tallies of the shapes that are taken.
func (p *Column) each(takes func(value.Shape) bool, f func(*tally)) {
	for i := range p.tallies {
		if takes(p.tallies[i].shape) {
			f(&p.tallies[i])
		}
	}
}

// extremesOf returns the least and greatest value of the shapes; of dates those
// in the order that at gives the place of.
func (p *Column) extremesOf(takes func(value.Shape) bool, at func(value.Shape) int) (lo, hi extreme) {
	p.each(takes, func(t *tally) {
		i := at(t.shape)
		if i < 0 {
			return
		}
		if len(t.min[i].text) > 0 && (len(lo.text) == 0 || t.min[i].less(&lo)) {
			lo = t.min[i]
		}
		if len(t.max[i].text) > 0 && (len(hi.text) == 0 || hi.less(&t.max[i])) {
			hi = t.max[i]
		}
	})
	return lo, hi
}

// only is the place of the extremes of what has no orders.
func only(value.Shape) int { return 0 }

package infer

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/note"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// booleans reads the words of one pair.
func booleans(pair value.Pair) reading {
	r := reading{name: "true or false", takes: pair.Takes}
	r.plan = func(p *Column, c *Choice) {
		lo, hi := p.extremesOf(r.takes, only)
		c.Type = table.Type{Kind: table.Boolean}
		c.Min, c.Max = string(lo.text), string(hi.text)
		c.TrueWord, c.FalseWord = pair.True, pair.False
		for _, seen := range []string{c.Min, c.Max} { // as it is written
			switch {
			case strings.EqualFold(seen, pair.True):
				c.TrueWord = seen
			case strings.EqualFold(seen, pair.False):
				c.FalseWord = seen
			}
		}
		c.Evidence = "every value is " + quoted(c.TrueWord) + " or " + quoted(c.FalseWord)
		if strings.EqualFold(c.Min, c.Max) {
			c.Evidence = "every value is " + quoted(c.Min)
			c.TrueWord, c.FalseWord = casedLike(c.Min, pair.True), casedLike(c.Min, pair.False)
		}
	}
	return r
}

// casedLike returns a lower-case word in the letter case of another word: lower, upper or capitalised.
func casedLike(like, word string) string {
	switch like {
	case strings.ToLower(like):
		return word
	case strings.ToUpper(like):
		return strings.ToUpper(word)
	}
	return strings.ToUpper(word[:1]) + word[1:]
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
// code says that its digits are not a number.
func (p *Column) chooseText(fit Fit, c *Choice) (code bool) {
	c.Type = p.textType(fit)
	c.Trim = p.spaced()
	codes, why := p.codes()
	switch {
	case codes:
		c.Evidence = why
	case c.Type.Kind == table.Char:
		c.Evidence = fmt.Sprintf("%s in every value", amount(int64(p.Longest), "character"))
	case c.Type.Kind == table.Varchar && fit == Snug:
		c.Evidence = p.lengths()
	case c.Type.Kind == table.Varchar:
		c.Evidence = fmt.Sprintf("%s; room for %d", p.lengths(), c.Type.Size)
	default:
		c.Evidence = fmt.Sprintf("text of %d to %s characters", p.Shortest, group(int64(p.Longest)))
	}
	p.remarkText(c)
	if codes && p.Shortest < p.Longest {
		p.remarkLostZeros(c)
	}
	return codes
}

// codes reports whether all values are numbers, some with zeros before them, and says why they
// are codes.
func (p *Column) codes() (ok bool, why string) {
	codes, digits, noun := int64(0), int64(0), "digits"
	for i := range p.tallies {
		t := &p.tallies[i]
		switch t.shape.Kind {
		case value.Code:
			codes += t.count
			digits += t.count
			if t.scale > 0 {
				noun = "digits and signs"
			}
		case value.Integer, value.Decimal:
			digits += t.count
		}
	}
	values := p.Records - p.Blanks
	switch {
	case codes == 0 || digits < values:
		return false, ""
	case p.Shortest < p.Longest:
		return true, fmt.Sprintf("%s with 0: a code, not a number", note.Count(codes, "value begins", "values begin"))
	}
	all := "the only value"
	if values > 1 {
		all = "all " + amount(values, "value")
	}
	return true, fmt.Sprintf("%d %s in %s, %s with 0: a code, not a number", p.Longest, noun, all, note.Count(codes, "begins", "begin"))
}

// remarkLostZeros reports codes of one width, some of which are shorter and do
// not begin with 0: a spreadsheet that took them for numbers has eaten theirs.
func (p *Column) remarkLostZeros(c *Choice) {
	var short []Example
	for i := range p.tallies {
		t := &p.tallies[i]
		for _, e := range t.examples {
			shorter := len(e.Text) < p.Longest
			switch {
			case t.shape.Kind == value.Code && shorter:
				return // of several widths
			case t.shape.Kind == value.Integer && shorter:
				short = append(short, e)
			}
		}
	}
	if len(short) > 0 {
		c.Remedies = []Remedy{{"put the zeros back", [][2]string{{"pad_zeros", fmt.Sprint(p.Longest)}}}}
		c.Obstacle = fmt.Sprintf("codes of %d digits, some without their leading zeros, such as %s; pad_zeros: %d restores them",
			p.Longest, at(short[0]), p.Longest)
	}
}

// remarkText adds what a person may want to make of a text column.
func (p *Column) remarkText(c *Choice) {
	var texts []string
	var words []*tally
	for i := range p.tallies {
		t := &p.tallies[i]
		switch t.shape.Kind {
		case value.Text:
			for _, e := range t.examples {
				texts = append(texts, quoted(e.Text))
			}
		case value.NullWord:
			if p.isCode(t) {
				continue
			}
			if t.examples[0].Text == value.DumpedNull {
				c.readAsNull(t)
				continue
			}
			words = append(words, t)
		}
	}
	c.remarkNullWords(words)
	if len(texts) == 2 && c.Distinct == 2 && p.Records-p.Blanks > 4 {
		c.Evidence += fmt.Sprintf("; only %s: with true_words and false_words it can be boolean", strings.Join(texts, " and "))
	}
}

// maxNullWords is how many null words of a text column the evidence names.
const maxNullWords = 3

// remarkNullWords says which values of a text column null_words would read as no value.
func (c *Choice) remarkNullWords(words []*tally) {
	if len(words) == 0 {
		return
	}
	slices.SortStableFunc(words, func(a, b *tally) int { return cmp.Compare(b.count, a.count) })
	n := int64(0)
	var named []string
	for i, t := range words {
		n += t.count
		if i < maxNullWords {
			named = append(named, note.Count(t.count, "is ", "are ")+quoted(t.examples[0].Text))
		}
	}
	more := len(words) - maxNullWords
	if more > 0 {
		named = append(named, note.Count(int64(more), "more word is like these", "more words are like these"))
	}
	c.Evidence += fmt.Sprintf("; %s: null_words would read %s as no value", strings.Join(named, ", "), pronoun(n))
}

// isCode reports whether a null word is most likely one of many codes of the same
// form, as NA is among codes of two capitals.
func (p *Column) isCode(word *tally) bool {
	for i := range p.tallies {
		t := &p.tallies[i]
		if t.shape.Kind == value.Text && !t.prose && t.width == word.width && t.count > 4*word.count && p.Shortest == p.Longest {
			return true
		}
	}
	return false
}

// sizes are the lengths that a varchar is rounded up to.
var sizes = []int{10, 20, 30, 40, 50, 60, 80, 100, 120, 150, 200, 250, 300, 400, 500, 750, 1000, 1500, 2000}

const (
	longestChar = 40
	// manyWords is how many values of one length make even words a char.
	manyWords = 20
)

// spaced reports whether most values begin with a space: the sign of a program
// that writes one after each delimiter, not of the value.
func (p *Column) spaced() bool { return p.Spaced > 1 && 2*p.Spaced > p.Records-p.Blanks }

// padded reports whether a value ends with a space. A char does not keep it.
func (p *Column) padded() bool {
	return slices.ContainsFunc(p.tallies, func(t tally) bool { return t.padded })
}

// textType returns char for codes of one short length, varchar with a quarter
// of headroom otherwise, and text for long ones.
func (p *Column) textType(fit Fit) table.Type {
	values, longest := p.Records-p.Blanks, max(p.Longest, p.Units)
	t := table.Type{Kind: table.Varchar, Size: longest, Characters: p.Characters}
	if p.Shortest == p.Longest && !p.spaced() && !p.padded() && p.Longest <= longestChar && values > 1 && (values >= manyWords || !p.prose()) {
		t.Kind = table.Char
		return t
	}
	if fit == Snug && longest <= sizes[len(sizes)-1] {
		return t
	}
	for _, n := range sizes {
		if 4*n >= 5*longest {
			t.Size = n
			return t
		}
	}
	return table.Type{Kind: table.Text, Characters: p.Characters}
}

// prose reports whether the values are more than codes; those that are not text
// are judged by their examples.
func (p *Column) prose() bool {
	return slices.ContainsFunc(p.tallies, func(t tally) bool {
		return t.prose || slices.ContainsFunc(t.examples, func(e Example) bool { return prose([]byte(e.Text)) })
	})
}

// lengths returns the lengths of the texts of the column, in words.
func (p *Column) lengths() string {
	if p.Shortest == p.Longest {
		return "text of " + amount(int64(p.Longest), "character")
	}
	return fmt.Sprintf("text of %d to %d characters", p.Shortest, p.Longest)
}

package infer

import (
	"fmt"
	"strings"

	"github.com/dustin/go-humanize"
)

// group writes a number with its thousands grouped.
func group(n int64) string { return humanize.Comma(n) }

// amount writes a number and its noun.
func amount(n int64, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return group(n) + " " + noun + "s"
}

// spanText describes the range of the n values of a column.
func spanText(c *Choice, n int64) string {
	switch {
	case c.Min != c.Max:
		return "; " + c.Min + " to " + c.Max
	case n > 1:
		return "; always " + c.Min
	}
	return "; " + c.Min
}

func verb(n int64) string {
	if n == 1 {
		return "has"
	}
	return "have"
}

func pronoun(n int64) string {
	if n == 1 {
		return "it"
	}
	return "them"
}

// maxQuoted is how many characters of a value the evidence shows.
const maxQuoted = 40

func quoted(text string) string {
	r := []rune(text)
	if len(r) > maxQuoted {
		text = string(r[:maxQuoted-1]) + "…"
	}
	return fmt.Sprintf("%q", text)
}

func at(e Example) string { return quoted(e.Text) + " " + e.Place() }

// examples writes up to five examples.
func examples(list []Example) string {
	var words []string
	for _, e := range list[:min(len(list), maxExamples)] {
		words = append(words, at(e))
	}
	return strings.Join(words, ", ")
}

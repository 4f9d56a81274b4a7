package dialect

import (
	"fmt"
	"strings"

	"ambertray/internal/table"
)

// Caster writes the expressions by which a server reads the texts of a column as values
// of another type. A server reads some texts otherwise than we do: whoever uses them
// compares the values afterwards.
type Caster struct {
	*Dialect
	// To casts an expression to a type.
	To func(expression string, t table.Type) string
	// Formatted reads an expression as a date or time by a pattern, or is nil where the
	// server only reads dates that are written alike, digit by digit.
	Formatted func(expression, pattern string, t table.Type) string
	// ByFormat says that times are read by their pattern also where it is that of ISO 8601.
	ByFormat bool
	// Truth are the constants for true and false.
	Truth [2]string
}

// Values returns the expression for the values that the rules of column c make of the
// text column of that name; width is how many characters every value has, 0 where they
// differ. If it cannot, it returns why.
func (s *Caster) Values(c *table.Column, width int) (expression, why string) {
	text := "LTRIM(RTRIM(" + s.Quote(c.Name) + "))" // which all servers have
	if c.Currency != "" || c.Percent {
		return "", "the numbers have a sign"
	}
	read, why := s.read(text, c, width)
	if why != "" {
		return "", why
	}
	blank := text + " = ''"
	if len(c.NullWords) > 0 {
		blank = s.among(text, append([]string{""}, c.NullWords...))
	}
	return fmt.Sprintf("CASE WHEN %s IS NULL OR %s THEN NULL ELSE %s END", s.Quote(c.Name), blank, read), ""
}

func (s *Caster) read(text string, c *table.Column, width int) (expression, why string) {
	switch {
	case c.Type.Numeric():
		if c.Thousands != "" {
			text = fmt.Sprintf("REPLACE(%s, %s, '')", text, s.Literal(c.Thousands))
		}
		if c.Decimal != "" {
			text = fmt.Sprintf("REPLACE(%s, %s, '.')", text, s.Literal(c.Decimal))
		}
		return s.To(text, c.Type), ""
	case c.Type.Kind == table.Boolean && len(c.TrueWords) == 0:
		return "", "the words for true and false are not known"
	case c.Type.Kind == table.Boolean:
		return s.truth(text, c), ""
	case c.Type.Kind == table.UUID:
		return s.To(text, c.Type), ""
	}
	if s.ByFormat && c.Type.HasClock() && c.Format != "" {
		return s.Formatted(text, c.Format, c.Type), ""
	}
	iso, ok := rearranged(text, c.Format, width)
	if ok {
		return s.To(iso, c.Type), ""
	}
	if s.Formatted == nil {
		return "", "the dates or times are written in several ways, and " + s.Title + " reads only one"
	}
	return s.Formatted(text, c.Format, c.Type), ""
}

// truth converts the words of a column. Other words are cast as they are, and most servers refuse them.
func (s *Caster) truth(text string, c *table.Column) string {
	return fmt.Sprintf("CASE WHEN %s THEN %s WHEN %s THEN %s ELSE %s END",
		s.among(text, c.TrueWords), s.Truth[0], s.among(text, c.FalseWords), s.Truth[1], s.To(text, c.Type))
}

// among is the condition that a text is one of some words, in any letter case.
func (s *Caster) among(text string, words []string) string {
	var list []string
	for _, w := range words {
		list = append(list, s.Literal(strings.ToLower(w)))
	}
	return "LOWER(" + text + ") IN (" + strings.Join(list, ", ") + ")"
}

// isoParts are the parts of a pattern in the order of ISO 8601, and what stands before
// each of them there.
var isoParts = []struct{ part, before string }{{"yyyy", ""}, {"MM", "-"}, {"dd", "-"}, {"HH", " "}, {"mm", ":"}, {"ss", ":"}, {"SSSSSS", "."}}

// rearranged writes a text of a pattern as ISO 8601, of which every part has its place:
// all values have as many characters as the pattern.
func rearranged(text, pattern string, width int) (expression string, ok bool) {
	pattern = strings.ReplaceAll(pattern, "'T'", "T")
	if strings.Contains(pattern, "XXX") {
		return "", false
	}
	if pattern == "" || strings.HasPrefix(pattern, "yyyy-MM-dd") || strings.HasPrefix(pattern, "HH:mm") && !strings.Contains(pattern, "a") {
		return text, true // which every server reads as it is
	}
	if width != len(pattern) || strings.ContainsAny(strings.Join(strings.FieldsFunc(pattern, func(r rune) bool { return strings.ContainsRune("yMdHms-/. :T", r) }), ""), "ahEX") || strings.Contains(pattern, "MMM") {
		return "", false
	}
	var pieces []string
	for _, p := range isoParts {
		at := strings.Index(pattern, p.part)
		if at < 0 {
			if p.part == "yyyy" {
				return "", false
			}
			continue
		}
		if p.before != "" {
			pieces = append(pieces, "'"+p.before+"'")
		}
		pieces = append(pieces, fmt.Sprintf("SUBSTRING(%s, %d, %d)", text, at+1, len(p.part)))
	}
	return "CONCAT(" + strings.Join(pieces, ", ") + ")", true
}

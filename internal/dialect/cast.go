package dialect

import (
	"fmt"
	"strings"

	"ambertray/internal/table"
)

// Caster writes the expressions by which a server reads the texts of a column as values
// of another type. A value that would lose something, such as the end of its text or a
// decimal, is not read: other sessions may write such a value before the expression is used.
// A server reads some texts otherwise than we do: whoever uses them compares the values
// afterwards.
type Caster struct {
	*Dialect
	// To casts an expression to a type.
	To func(expression string, t table.Type) string
	// Formatted reads an expression as a date or time by a pattern, or is nil where the
	// server only reads dates that are written alike, digit by digit.
	Formatted func(expression, pattern string, t table.Type) string
	// Unformed is the condition that a text does not have the form of a pattern although Formatted
	// would read it. It is "" if Formatted reads no such text.
	Unformed func(text, pattern string) string
	// ByFormat says that times of day are read by their pattern unless every part has its place.
	ByFormat bool
	// Typed casts an expression to a type, or returns NULL if that fails. It is nil if To casts.
	Typed func(expression string, t table.Type) string
	// Truth are the constants for true and false.
	Truth [2]string
	// Trim takes spaces off both ends of a text, TrimAll tabs and line ends too.
	Trim, TrimAll func(text string) string
	// Matches is the condition that a text matches a pattern from its beginning to its end. A pattern
	// has characters, sets such as [0-9] or [^0-9], and * for any characters.
	Matches func(text, pattern string) string
	// Keeps says that a column takes values of any type, so that a value that is not read stays
	// unchanged. Other servers get a text that they refuse and that gives the reason.
	Keeps bool
}

// Trim takes the spaces off both ends of a text, as most servers do.
func Trim(text string) string { return "TRIM(" + text + ")" }

// newCase stands before each case of an expression but the first, for people who read it.
const newCase = "\n            "

// Values returns the expression for the values that the rules of column c make of the
// text column of that name; width is how many characters every value has, 0 where they
// differ. If it cannot, it returns why.
func (s *Caster) Values(c *table.Column, width int) (expression, why string) {
	trim := s.Trim
	if c.Trim {
		trim = s.TrimAll
	}
	text := trim(s.Quote(c.Name))
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
	cases := fmt.Sprintf("CASE WHEN %s IS NULL OR %s THEN NULL", s.Quote(c.Name), blank)
	unread := s.unread(text, c, width)
	if unread != "" {
		cases += newCase + "WHEN " + unread + " THEN " + s.refused(c)
	}
	return cases + newCase + "ELSE " + read + " END", ""
}

// Same returns the query that counts how many of the texts the server reads as the values beside
// them, by the rules of column c. If it cannot, it returns why.
func (s *Caster) Same(c *table.Column, width int, texts, values []string) (query, why string) {
	read, why := s.Values(c, width)
	if why != "" {
		return "", why
	}
	typed := s.Typed
	if typed == nil {
		typed = s.To
	}
	var rows []string
	for i := range texts {
		rows = append(rows, fmt.Sprintf("SELECT %s AS %s, %s AS ambertray_value", s.Literal(texts[i]), s.Quote(c.Name), s.Literal(values[i])))
	}
	return fmt.Sprintf("SELECT COUNT(*) FROM (%s) t WHERE %s = %s", strings.Join(rows, " UNION ALL "), typed(read, c.Type), typed("ambertray_value", c.Type)), ""
}

// Narrower returns the expression that converts the values of column c to its new, narrower type.
// A value that would change is not converted.
func (s *Caster) Narrower(c *table.Column) string {
	q := s.Quote(c.Name)
	return s.Unless(q+" <> "+s.To(q, c.Type), q, c)
}

// Unless returns the expression that converts a value of column c unless a condition is met.
func (s *Caster) Unless(lost, value string, c *table.Column) string {
	return fmt.Sprintf("CASE WHEN %s THEN %s ELSE %s END", lost, s.refused(c), s.To(value, c.Type))
}

// refused returns the expression for a value that is not read.
func (s *Caster) refused(c *table.Column) string {
	value := s.Quote(c.Name)
	if s.Keeps {
		return value
	}
	what := c.Format
	if what == "" {
		what = c.Type.String()
	}
	return s.To(s.concat(s.Literal("not "+what+": "), value), c.Type)
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
	return s.readDate(text, c, width)
}

func (s *Caster) readDate(text string, c *table.Column, width int) (expression, why string) {
	if hasMidnight(c, width) {
		width = len(c.Format)
		if c.Format == isoDate {
			text = fmt.Sprintf("SUBSTRING(%s, 1, %d)", text, width)
		}
	}
	other := s.Title + " does not read dates or times written like these"
	if s.Keeps && c.Format != "" && (shape(c.Format, width) == "" || strings.Contains(c.Format, "S")) {
		return "", other
	}
	iso, ok := s.rearranged(text, c.Format, width)
	if ok && !(s.ByFormat && iso == text && c.Type.HasClock() && c.Format != "") {
		return s.To(iso, c.Type), ""
	}
	if s.Formatted == nil {
		return "", other
	}
	return s.Formatted(text, c.Format, c.Type), ""
}

// truth converts the words of a column. No other word is read.
func (s *Caster) truth(text string, c *table.Column) string {
	return fmt.Sprintf("CASE WHEN %s THEN %s WHEN %s THEN %s ELSE %s END",
		s.among(text, c.TrueWords), s.Truth[0], s.among(text, c.FalseWords), s.Truth[1], s.refused(c))
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

// isoDate is the format of the dates of ISO 8601.
const isoDate = "yyyy-MM-dd"

// rearranged writes a text of a format as ISO 8601. If ok is false, it cannot: the parts of such
// texts have no places of their own.
func (s *Caster) rearranged(text, format string, width int) (expression string, ok bool) {
	if shape(format, width) == "" {
		return text, isISO(format)
	}
	format = strings.ReplaceAll(format, "'T'", "T")
	if format == isoDate || strings.HasPrefix(format, "yyyy-MM-dd HH:mm:ss") || strings.HasPrefix(format, "HH:mm:ss") {
		return text, true
	}
	var pieces []string
	for _, p := range isoParts {
		at := strings.Index(format, p.part)
		if at < 0 {
			continue
		}
		if pieces != nil {
			pieces = append(pieces, "'"+p.before+"'")
		}
		pieces = append(pieces, fmt.Sprintf("SUBSTRING(%s, %d, %d)", text, at+1, len(p.part)))
	}
	if strings.HasSuffix(format, "mm") {
		pieces = append(pieces, "':00'")
	}
	return s.concat(pieces...), true
}

// concat joins texts. SQLite has CONCAT only since 3.44.
func (s *Caster) concat(texts ...string) string {
	if s.Dialect == SQLite {
		return strings.Join(texts, " || ")
	}
	return "CONCAT(" + strings.Join(texts, ", ") + ")"
}

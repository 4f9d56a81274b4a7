package dialect

import (
	"cmp"
	"strings"

	"ambertray/internal/table"
)

// digit is a pattern of Caster.Matches.
const digit = "[0-9]"

// unread returns the condition that a text does not have the form of its column. It is "" if the
// server refuses every such text by itself.
func (s *Caster) unread(text string, c *table.Column, width int) string {
	var odd []string
	switch {
	case c.Type.Numeric():
		odd = s.oddNumbers(text, c)
	case c.Type.Kind == table.UUID && width == 36:
		return "NOT " + s.Matches(text, strings.ReplaceAll("********-****-****-****-************", "*", "[0-9A-Fa-f]"))
	case c.Type.Kind == table.Date || c.Type.HasClock():
		fixed := shape(c.Format, width)
		if hasMidnight(c, width) {
			fixed = shape(c.Format, len(c.Format)) + "[ T]" + strings.Repeat("[0:.]", width-len(c.Format)-1)
		}
		switch {
		case fixed != "":
			return "NOT " + s.Matches(text, fixed)
		case isISO(c.Format):
			odd = s.oddDates(text, c)
		case s.Unformed != nil:
			return s.Unformed(text, c.Format)
		}
	}
	return strings.Join(odd, newCase+"    OR ")
}

// oddNumbers returns conditions for texts that are not numbers in the form of the column.
func (s *Caster) oddNumbers(text string, c *table.Column) []string {
	rewritten := c.Thousands != "" || c.Decimal != ""
	if s.Keeps && !rewritten {
		return nil
	}
	point := ""
	if !c.Type.Whole() {
		point = cmp.Or(c.Decimal, ".")
	}
	signs := "-+0-9" + c.Thousands + point
	if c.Type.Kind == table.Double {
		signs += "eE"
	}
	odd := []string{s.Matches(text, "*[^"+signs+"]*")}
	if c.Type.Kind == table.Decimal && !s.Keeps { // the server would round them
		odd = append(odd, s.Matches(text, "*["+point+"]"+strings.Repeat(digit, c.Type.Scale+1)+"*"))
	}
	if rewritten {
		odd = append(odd, s.oddSigns(text, c.Thousands, point)...)
	}
	return odd
}

// oddSigns returns conditions for texts that become numbers only because their signs are rewritten.
func (s *Caster) oddSigns(text, thousands, point string) []string {
	odd := []string{s.Matches(text, "*[0-9"+thousands+"][-+]*")}
	if point != "" {
		odd = append(odd, s.Matches(text, "*["+point+"]*["+point+thousands+"]*"))
	}
	if thousands == "" {
		return odd
	}
	group, ended := "*["+thousands+"]", s.concat(text, "' '")
	odd = append(odd, s.Matches(text, group+strings.Repeat(digit, 4)+"*"))
	for n := range 3 { // the last group has three digits, others two or three
		after := "[^0-9]*"
		if n == 2 {
			after = "[^0-9" + thousands + "]*"
		}
		odd = append(odd, s.Matches(ended, group+strings.Repeat(digit, n)+after))
	}
	return odd
}

// isISO reports whether every server reads the texts of a format of dates as they are.
func isISO(format string) bool {
	if strings.Contains(format, "XXX") || strings.HasSuffix(format, "a") {
		return false
	}
	clock, dated := strings.CutPrefix(format, isoDate)
	return clock == "" || strings.HasPrefix(clock, "HH:mm") && !dated || dated && (strings.HasPrefix(clock, " HH:mm") || strings.HasPrefix(clock, "'T'HH:mm"))
}

// oddDates returns conditions for texts that are not dates or times of ISO 8601, or that are more
// exact than the type.
func (s *Caster) oddDates(text string, c *table.Column) []string {
	exact := "*[.]" + strings.Repeat(digit, c.Type.Fraction()+1) + "*"
	if c.Type.Kind == table.Date {
		exact = "*[ T]*[1-9]*" // a time of day other than midnight
	}
	return []string{s.Matches(text, "*[^-0-9 T:.]*"), s.Matches(text, exact)}
}

// hasMidnight reports whether every text of a column of dates has a time of day, which is midnight.
func hasMidnight(c *table.Column, width int) bool {
	return c.Type.Kind == table.Date && width > len(c.Format)+1 && shape(c.Format, len(c.Format)) != ""
}

// shape returns the pattern of texts in a date format whose parts all have fixed places, else "".
func shape(format string, width int) string {
	format = strings.ReplaceAll(format, "'T'", "T")
	if width != len(format) || strings.Trim(format, "yMdHmsST-/. :") != "" || strings.Contains(format, "MMM") || !strings.Contains(format, "yyyy") && !strings.HasPrefix(format, "HH:mm") {
		return ""
	}
	var b strings.Builder
	for _, r := range format {
		switch {
		case strings.ContainsRune("yMdHmsS", r):
			b.WriteString(digit)
		case r == 'T' || r == ' ': // either is read
			b.WriteString("[ T]")
		case r == '.':
			b.WriteString("[.]")
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

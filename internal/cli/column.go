package cli

import (
	"fmt"
	"strings"

	"ambertray/internal/infer"
	"ambertray/internal/survey"
	"ambertray/internal/term"
)

// explain shows everything about one column, named by its heading or by its
// name in the table.
func (a *app) explain(s *survey.Survey, name string) error {
	var names []string
	for i, c := range s.Columns {
		if c.Heading == name || strings.EqualFold(c.Name, name) {
			return a.show(&s.Columns[i], func() { a.drawColumn(s, &s.Columns[i]) })
		}
		names = append(names, c.Heading)
	}
	return usageError{fmt.Errorf("no column %q; the columns are %s", name, strings.Join(names, ", "))}
}

func (a *app) drawColumn(s *survey.Survey, c *survey.Column) {
	p := a.print
	values := s.Records - (s.Ragged - s.Filled) - s.Broken - c.Blanks
	p.Fact("column", "%s, in the table %s", p.Bold(c.Heading), c.Name)
	null := "not null: no record is blank in it"
	if c.Nullable {
		null = "null: " + term.Amount(c.Blanks, "record") + " blank"
	}
	p.Fact("type", "%s · %s", p.Amber(c.Type), null)
	p.Fact("because", "%s", c.Evidence)
	if c.Format != nil {
		p.Fact("format", "%s", *c.Format)
	}
	length := lengths(*c) + " characters"
	if length == "1 characters" {
		length = "1 character"
	}
	p.Fact("values", "%s, %s distinct%s, %s", term.Count(values), distinctText(*c), keyWords(c), length)
	if c.Min != nil && c.Max != nil {
		p.Fact("range", "%s … %s", *c.Min, *c.Max)
	}
	p.Line("")
	var rows [][]string
	for _, k := range c.Kinds {
		rows = append(rows, []string{k.Name, term.Count(k.Count), p.Faint(exampleText(k.Examples))})
	}
	p.Table([]term.Column{{Title: "kind of value"}, {Title: "count", Right: true}, {Title: "first values", Max: 90}}, rows)
	if c.Obstacle != nil {
		p.Line("")
		p.Fact("note", "%s", *c.Obstacle)
	}
	p.Next("To write the tray:", "ambertray draft "+s.Source+overridesText(&s.Layout))
}

func keyWords(c *survey.Column) string {
	switch {
	case c.Key:
		return ", so it could be the key"
	case c.LikelyKey:
		return ", so it is probably unique"
	}
	return ""
}

func exampleText(list []infer.Example) string {
	var parts []string
	for _, e := range list {
		parts = append(parts, term.Shorten(term.Printable(e.Text), 30)+" "+e.Place())
	}
	return strings.Join(parts, ", ")
}

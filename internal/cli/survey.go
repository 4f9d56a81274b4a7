package cli

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/term"
)

// surveyFlags adds the flags of every command that surveys a source.
func surveyFlags(c *cobra.Command) func() (survey.Options, error) {
	sample := c.Flags().Int64("sample", 0, "read only the first `N` records (default all of them)")
	delimiter := c.Flags().String("delimiter", "", "the character between cells (default: detected)")
	header := c.Flags().String("header", "", "the `LINE` of the header, or none (default: detected)")
	return func() (survey.Options, error) {
		o := survey.Options{Sample: *sample}
		if *sample < 0 {
			return o, usageError{fmt.Errorf("--sample %d: write a number of records", *sample)}
		}
		if *delimiter != "" {
			d := strings.ReplaceAll(*delimiter, `\t`, "\t")
			o.Delimiter = &d
		}
		if *header != "" {
			line := int64(0)
			if _, err := fmt.Sscanf(*header, "%d", &line); *header != "none" && (err != nil || line < 1) {
				return o, usageError{fmt.Errorf("--header %q: write the number of its line, or none", *header)}
			}
			o.Header = &line
		}
		return o, nil
	}
}

func (a *app) newSurvey() *cobra.Command {
	c := &cobra.Command{
		Use:   "survey SOURCE...",
		Short: "Show what a source holds, before anything is decided",
		Args:  cobra.MinimumNArgs(1),
	}
	options := surveyFlags(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		result := struct {
			Sources []*survey.Survey `json:"sources"`
		}{}
		for _, path := range args {
			s, err := a.survey(c, path, options)
			if err != nil {
				return err
			}
			result.Sources = append(result.Sources, s)
		}
		return a.show(result, func() {
			for i, s := range result.Sources {
				if i > 0 {
					a.print.Line("")
				}
				a.drawSurvey(s)
			}
			a.print.Next("", "ambertray draft "+strings.Join(args, " "))
		})
	}
	return c
}

// survey surveys one source with a progress line.
func (a *app) survey(c *cobra.Command, path string, options func() (survey.Options, error)) (*survey.Survey, error) {
	o, err := options()
	if err != nil {
		return nil, err
	}
	var done func()
	o.Progress, done = a.progress("surveying")
	defer done()
	return survey.Run(c.Context(), path, o)
}

func (a *app) drawSurvey(s *survey.Survey) {
	p := a.print
	p.Fact("source", "%s", p.Bold(s.Source))
	a.drawLayout(s)
	p.Line("")
	a.drawFirstRows(s)
	p.Line("")
	var rows [][]string
	for i, c := range s.Columns {
		rows = append(rows, []string{
			fmt.Sprint(i + 1), c.Heading, p.Amber(c.Type), blanks(c), distinctText(c), uniqueText(c), lengths(c), extremes(c),
		})
	}
	p.Table([]term.Column{
		{Title: "", Right: true}, {Title: "column", Max: 28}, {Title: "type"}, {Title: "blank", Right: true},
		{Title: "distinct", Right: true}, {Title: ""}, {Title: "length", Right: true}, {Title: "least … greatest"},
	}, rows)
	a.drawInTheWay(s)
	a.drawOddities(s)
}

func (a *app) drawLayout(s *survey.Survey) {
	p := a.print
	p.Fact("layout", "%s", layoutText(s))
	records := term.Amount(s.Records, "record")
	if s.Sampled {
		records = "the first " + records
	}
	p.Fact("read", "%s, %s skipped%s", records, skippedText(s), troubles(s))
}

func skippedText(s *survey.Survey) string {
	if s.Skipped.Blank > 0 {
		return term.Amount(s.Skipped.Blank, "blank line")
	}
	return "no row"
}

func troubles(s *survey.Survey) string {
	text := ""
	if s.Ragged > 0 {
		text += fmt.Sprintf(", %s ragged", term.Count(s.Ragged))
	}
	if s.Broken > 0 {
		text += fmt.Sprintf(", %s broken", term.Count(s.Broken))
	}
	return text
}

var delimiterNames = map[string]string{",": "comma", ";": "semicolon", "\t": "tab", "|": "pipe"}

func layoutText(s *survey.Survey) string {
	l := s.Layout
	name := delimiterNames[l.Delimiter]
	if name == "" {
		name = fmt.Sprintf("delimiter %q", l.Delimiter)
	}
	header := "no header"
	if l.HeaderLine > 0 {
		header = fmt.Sprintf("header on line %d", l.HeaderLine)
	}
	parts := []string{term.Bytes(s.Bytes), l.Encoding, name, header}
	if l.BOM {
		parts[1] += " with byte order mark"
	}
	if l.LineEnd == "crlf" {
		parts = append(parts, "CRLF")
	}
	if len(l.Told) > 0 {
		parts = append(parts, "told: "+strings.Join(l.Told, ", "))
	}
	return strings.Join(parts, " · ")
}

// maxCell is how wide a cell of the first rows is shown.
const maxCell = 18

func (a *app) drawFirstRows(s *survey.Survey) {
	var cols []term.Column
	for _, c := range s.Columns {
		cols = append(cols, term.Column{Title: term.Shorten(c.Heading, maxCell), Max: maxCell, Right: isNumber(c.Choice.Type)})
	}
	var rows [][]string
	for _, r := range s.Rows {
		row := make([]string, len(cols))
		copy(row, r)
		for i := range row {
			if strings.TrimSpace(row[i]) == "" {
				row[i] = "·"
			}
		}
		rows = append(rows, row)
	}
	a.print.Narrow(cols, rows)
}

// blanks counts the blank cells, and names the null words beside them.
func blanks(c survey.Column) string {
	text := "·"
	if c.Blanks > 0 {
		text = term.Count(c.Blanks)
	}
	for _, word := range slices.Sorted(maps.Keys(c.NullWords)) {
		text += fmt.Sprintf(" +%s %s", term.Count(c.NullWords[word]), word)
	}
	return text
}

func isNumber(t table.Type) bool {
	return t.Whole() || t.Kind == table.Decimal || t.Kind == table.Double
}

func distinctText(c survey.Column) string {
	if !c.Exact {
		return "~" + term.Count(c.Distinct)
	}
	return term.Count(c.Distinct)
}

func uniqueText(c survey.Column) string {
	if c.Key {
		return "unique"
	}
	return ""
}

func lengths(c survey.Column) string {
	if c.Shortest == c.Longest {
		return term.Count(int64(c.Longest))
	}
	return fmt.Sprintf("%d–%s", c.Shortest, term.Count(int64(c.Longest)))
}

func extremes(c survey.Column) string {
	if c.Min == nil {
		return "·"
	}
	return fmt.Sprintf("%s … %s", term.Shorten(*c.Min, 26), term.Shorten(*c.Max, 26))
}

// drawInTheWay names the values that keep columns from a tighter type.
func (a *app) drawInTheWay(s *survey.Survey) {
	first := true
	for _, c := range s.Columns {
		if c.InTheWay == nil {
			continue
		}
		if first {
			a.print.Line("")
			first = false
		}
		a.print.Fact("look at", "%s", a.print.Wrap(c.Heading+": "+*c.InTheWay, 14))
	}
}

func (a *app) drawOddities(s *survey.Survey) {
	for i, o := range s.Oddities {
		label := ""
		if i == 0 {
			label = "odd"
			a.print.Line("")
		}
		where := fmt.Sprintf("line %s", term.Count(o.Line))
		if o.Column != nil {
			where += ", " + *o.Column
		}
		a.print.Fact(label, "%s: %s", where, a.print.Red(o.What))
	}
}

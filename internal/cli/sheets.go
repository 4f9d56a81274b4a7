package cli

import (
	"errors"
	"slices"

	"github.com/spf13/cobra"

	"ambertray/internal/sheet"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/term"
)

// surveySheets surveys a file, or of a workbook each sheet that is chosen, and
// where none is each that is visible and has values.
func (a *app) surveySheets(c *cobra.Command, name string, o survey.Options) (list []*survey.Survey, err error) {
	book, err := a.from.Book(c.Context(), name)
	if err != nil {
		return nil, err
	}
	var known source.Layout
	if o.Override != nil {
		o.Override(&known)
	}
	if book == nil {
		s, err := a.survey(c, []string{name}, o)
		return []*survey.Survey{s}, err
	}
	chosen, _, err := book.Resolve(known.Sheet, known.Cells)
	var choice *sheet.ChoiceError
	if known.Sheet == "" && errors.As(err, &choice) {
		chosen, _, err = book.Resolve(sheet.All, known.Cells)
	}
	if err != nil {
		return nil, err
	}
	sheets := slices.Clone(book.Sheets)
	for _, i := range chosen {
		s, err := a.survey(c, []string{name}, onSheet(o, sheets[i].Name))
		if err != nil {
			return nil, err
		}
		s.Sheet, sheets[i].Records = &sheets[i].Name, &s.Records
		if sheets[i].Range == "" && s.Layout.Cells == "" && !s.Sampled {
			sheets[i].Range = s.Used
		}
		if len(list) == 0 {
			s.Sheets = sheets
		}
		list = append(list, s)
	}
	return list, nil
}

// drawSheets lists the sheets of a workbook above the survey of the first.
func (a *app) drawSheets(s *survey.Survey) {
	if s.Sheets == nil {
		return
	}
	p := a.print
	p.Fact("workbook", "%s · %s · %s", p.Bold(s.Source), s.Layout.Packing, term.Amount(int64(len(s.Sheets)), "sheet"))
	p.Line("")
	var rows [][]string
	for i, one := range s.Sheets {
		state := ""
		switch {
		case one.Empty:
			state = p.Faint("empty")
		case one.Hidden:
			state = p.Amber("hidden")
		}
		records := ""
		if one.Records != nil {
			records = term.Count(*one.Records)
		}
		rows = append(rows, []string{term.Count(int64(i + 1)), p.Bold(one.Name), one.Range, records, state})
	}
	p.Table([]term.Column{{Title: "", Right: true}, {Title: "sheet", Max: 40}, {Title: "range"}, {Title: "records", Right: true}, {Title: ""}}, rows)
	p.Line("")
}

// overrideOf repeats for the next command what was set for the first survey, whose
// sheet was chosen by a word.
func overrideOf(list []*survey.Survey, word string) string {
	lay := list[0].Layout
	lay.Sheet = word
	if len(list) > 1 && list[1].Sheet != nil && word == "" {
		return " --sheet NAME" + overridesText(&lay)
	}
	return overridesText(&lay)
}

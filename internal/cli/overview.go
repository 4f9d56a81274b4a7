package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/intake"
	"ambertray/internal/note"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/term"
)

// overview is what many sources hold, each a table of its own.
type overview struct {
	Sources []overviewRow `json:"sources"`
	// Alike are sources that have the same columns, and could be one table.
	Alike     [][]string        `json:"alike"`
	Relations []survey.Relation `json:"relations"`
	intake.LeftOut
}

// overviewRow is one source.
type overviewRow struct {
	Source  string   `json:"source"`
	Table   string   `json:"table"`
	Records int64    `json:"records"`
	Columns []string `json:"columns"`
	Key     []string `json:"key"` // the columns that could each be the key
	Error   *string  `json:"error"`
}

// surveyEach surveys every file and sheet, and how they belong together.
func (a *app) surveyEach(c *cobra.Command, o survey.Options, names []string) error {
	units, left, err := intake.Units(c.Context(), a.from, names)
	if err != nil {
		return err
	}
	e := &each{a: a}
	err = e.name(units)
	if err != nil {
		return err
	}
	res := &overview{LeftOut: left}
	var surveys []*survey.Survey
	var tables []string
	for i := range e.units {
		u := &e.units[i]
		row := overviewRow{Source: u.Source, Table: u.Table, Columns: []string{}, Key: []string{}}
		s, err := a.survey(c, []string{u.File}, onSheet(o, u.Sheet))
		if c.Context().Err() != nil {
			return c.Context().Err()
		}
		if err != nil {
			message := err.Error()
			row.Error = &message
			a.status = exitFailed
			res.Sources = append(res.Sources, row)
			continue
		}
		s.Source = u.Source
		surveys, tables = append(surveys, s), append(tables, u.Table)
		row.Records = s.Records
		for i := range s.Columns {
			row.Columns = append(row.Columns, s.Columns[i].Name)
			if s.Columns[i].Key {
				row.Key = append(row.Key, s.Columns[i].Name)
			}
		}
		res.Sources = append(res.Sources, row)
	}
	res.Alike = survey.Alike(surveys)
	res.Relations, err = survey.Relate(c.Context(), a.from, surveys, tables)
	if err != nil {
		return err
	}
	return a.show(res, func() { a.drawOverview(res, e) })
}

// onSheet limits a survey to one sheet, unless its name is empty.
func onSheet(o survey.Options, sheet string) survey.Options {
	override := o.Override
	if sheet != "" {
		o.Override = func(l *source.Layout) {
			if override != nil {
				override(l)
			}
			l.Sheet = sheet
		}
	}
	return o
}

func (a *app) drawOverview(res *overview, e *each) {
	p := a.print
	var rows [][]string
	for _, r := range res.Sources {
		key := strings.Join(r.Key, ", ")
		if r.Error != nil {
			key = p.Red(*r.Error)
		}
		rows = append(rows, []string{r.Source, p.Bold(r.Table), term.Count(r.Records), term.Count(int64(len(r.Columns))), key})
	}
	p.Table([]term.Column{{Title: "source", Max: 48}, {Title: "table"}, {Title: "records", Right: true}, {Title: "columns", Right: true}, {Title: "could be the key"}}, rows)
	p.Line("")
	for _, group := range res.Alike {
		p.Fact("alike", "%s have the same columns, and could be one table", note.Names(group))
	}
	for _, r := range res.Relations {
		p.Fact("refers", "%s.%s to %s.%s: %s", p.Bold(r.Source), r.Column, p.Bold(r.Table), r.Key, r.Evidence)
		for i := range e.units {
			u := &e.units[i]
			if u.Table == r.Source {
				p.Fact("", "%s", p.Amber("ambertray draft "+shellWord(u.File)+" --change "+shellWord(r.Column+".references="+r.Table+"("+r.Key+")")))
			}
		}
	}
	a.drawLeftOut(res.LeftOut)
}

// drawLeftOut names the files of folders that are not taken.
func (a *app) drawLeftOut(left intake.LeftOut) {
	if len(left.Growing) > 0 {
		a.print.Fact("left out", "still being written: %s", note.Names(left.Growing))
	}
	if len(left.Empty) > 0 {
		a.print.Fact("left out", "empty: %s", note.Names(left.Empty))
	}
}

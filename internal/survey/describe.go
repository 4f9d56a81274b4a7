package survey

import (
	"fmt"
	"slices"

	"ambertray/internal/dialect"
	"ambertray/internal/infer"
	"ambertray/internal/note"
	"ambertray/internal/table"
)

// describe writes the columns of the survey.
func (w *surveying) describe() {
	names := dialect.Names(w.headings, dialect.PostgreSQL.MaxName)
	o := infer.Options{Fit: w.options.Fit, Conventions: w.conventions()}
	for i, h := range w.headings {
		p := &w.columns[i]
		c := p.Choose(o)
		if w.keys.Unique(i) && p.Records-p.Blanks > 1 {
			c.Unique, c.Sure, c.Distinct = true, true, p.Records-p.Blanks
		}
		if w.survey.Sampled {
			c.Evidence = fmt.Sprintf("in the first %s: %s", note.Count(w.survey.Records, "record", "records"), c.Evidence)
		}
		w.survey.Columns = append(w.survey.Columns, Column{
			Heading: h, Name: names[i], Type: c.Type.String(), Format: optional(c.Format), Nullable: c.Nullable,
			Key: c.Unique && c.Sure && !c.Nullable && !c.Trim, LikelyKey: c.Unique && !c.Sure && !c.Nullable,
			Blanks: p.Blanks, NullWords: p.NullWords(&c), Distinct: c.Distinct, Exact: c.Sure, Min: optional(c.Min), Max: optional(c.Max),
			Shortest: p.Shortest, Longest: p.Longest, Examples: p.Examples(), Evidence: c.Evidence,
			Obstacle: optional(c.Obstacle), Choice: c, Kinds: p.Kinds(), Controls: p.Controls,
		})
		if w.options.Table {
			w.survey.Columns[i].Forms = p.Forms()
		}
	}
	w.survey.KeyPairs = w.keyPairs()
}

// conventions gathers what columns show of the hand that wrote the source, for those
// that leave it open.
func (w *surveying) conventions() (h infer.Conventions) {
	comma, point := false, false
	for i := range w.columns {
		month, day := w.columns[i].DayOrder()
		if month || day {
			h.MonthFirst, h.DayFirst, h.From = h.MonthFirst || month, h.DayFirst || day, w.headings[i]
		}
		c, p := w.columns[i].DecimalSign()
		comma, point = comma || c, point || p
	}
	h.DecimalComma = comma && !point
	return h
}

// keyPairs looks for pairs of columns where no single one could be the key.
func (w *surveying) keyPairs() []KeyPair {
	pairs := []KeyPair{}
	var columns []int
	var distinct []int64
	for i, c := range w.survey.Columns {
		if c.Key && keyType(c.Choice.Type) {
			return pairs
		}
		if !c.Nullable && c.Distinct > 1 && (keyType(c.Choice.Type) || c.Choice.Type.Kind == table.Date) {
			columns, distinct = append(columns, i), append(distinct, c.Distinct)
		}
	}
	for _, p := range w.keys.Pairs(columns, distinct) {
		pairs = append(pairs, KeyPair{[]string{w.survey.Columns[p.A].Name, w.survey.Columns[p.B].Name}, p.Sure, p.Dense})
	}
	return pairs
}

// KeysFor returns the keys that a plan needs beside a type of a column if most of its values are
// of that type, such as their format. The column goes by its heading or its name.
func (s *Survey) KeysFor(column, typ string) [][2]string {
	i := slices.IndexFunc(s.Columns, func(c Column) bool { return c.Heading == column || c.Name == column })
	wanted, err := table.ParseType(typ)
	if i < 0 || err != nil || s.Columns[i].Choice.Tighter == nil {
		return nil
	}
	tighter := s.Columns[i].Choice.Tighter.Type
	if tighter.Kind != wanted.Kind && !(tighter.Numeric() && wanted.Numeric()) {
		return nil
	}
	return s.Columns[i].Choice.Remedies[0].Keys[1:]
}

package survey

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/note"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// notes lists what a person should know of the survey, the most important first:
// values that keep a column from a tighter type, guesses, what is not loaded,
// and then conventions that are unusual.
func (w *surveying) notes() {
	s := w.survey
	s.Notes = []note.Note{}
	add := func(list ...note.Note) { s.Notes = append(s.Notes, list...) }
	for i := range s.Columns {
		c := &s.Columns[i]
		if c.Obstacle != nil {
			add(note.On(c.Heading, *c.Obstacle))
		}
	}
	add(s.encodingNotes()...)
	for i := range s.Columns {
		c := &s.Columns[i]
		for _, what := range []string{c.Choice.Guess, c.Choice.Remark} {
			if what != "" {
				add(note.On(c.Heading, what))
			}
		}
	}
	add(w.recordNotes()...)
	for i := range s.Columns {
		c := &s.Columns[i]
		for _, word := range c.Choice.NullWords {
			add(note.NullWord(c.Heading, word, c.NullWords[word]))
		}
	}
	add(s.escapeNotes()...)
	add(s.trimNotes()...)
	add(s.layoutNotes()...)
	add(s.keyNotes()...)
	for _, d := range s.Drift {
		add(note.Note{Source: &d.Part, What: "columns differ from those of the first part: " + d.String()})
	}
	add(s.besideNotes()...)
	add(w.noticed...)
	add(w.leftOut...)
	if len(s.Files) > 1 || len(w.parts) > 1 && s.Layout.IsText() {
		add(note.About(fmt.Sprintf("%d files became one table", len(w.parts))))
	}
}

// encodingNotes says that an encoding is a guess, and how the text would read in
// others.
func (s *Survey) encodingNotes() (list []note.Note) {
	for i, r := range s.Layout.Readings {
		what := fmt.Sprintf("the encoding is a guess: as %s this line reads %q", r.Encoding, r.Text)
		if i > 0 {
			what = fmt.Sprintf("as %s the line reads %q; --encoding %s takes that", r.Encoding, r.Text, r.Encoding)
		}
		list = append(list, note.Note{Line: r.Line, What: what})
	}
	return list
}

// recordNotes is about records that are rejected, filled, or loaded with an oddity.
func (w *surveying) recordNotes() (list []note.Note) {
	s := w.survey
	n := s.Ragged - s.Filled
	if n > 0 {
		remedy := "--fill-short fills the short ones with NULL"
		if s.Layout.BlankDelimited() {
			remedy = "--columns cuts them at fixed places if some cells are blank, " + remedy + " at the end"
		}
		list = append(list, note.About(note.Count(n, "record is rejected because it has", "records are rejected because they have")+
			" more or fewer cells than columns; "+remedy))
	}
	if s.Broken > 0 {
		list = append(list, note.About(note.Count(s.Broken, "record is rejected because it", "records are rejected because they")+" cannot be read"))
	}
	return append(list, w.occurrences.Notes(w.parts, w.headings)...)
}

// escapeNotes says that backslashes are kept, if a server seems to have written the text.
func (s *Survey) escapeNotes() []note.Note {
	if s.Layout.Escape == source.ServerEscapes {
		return nil
	}
	for i := range s.Columns {
		if slices.Contains(s.Columns[i].Choice.NullWords, value.DumpedNull) {
			return []note.Note{note.About(`servers write \N for NULL; other backslashes are kept unchanged, as not all begin escapes of servers; --escape server reads those that do`)}
		}
	}
	return nil
}

// trimNotes names the columns whose values lose the spaces around them.
func (s *Survey) trimNotes() []note.Note {
	var names []string
	for i := range s.Columns {
		c := &s.Columns[i]
		if c.Choice.Trim {
			names = append(names, c.Name)
		}
	}
	if names == nil {
		return nil
	}
	return []note.Note{note.About("the spaces around the values of " + strings.Join(names, ", ") +
		" are removed, as most begin with one; trim: false keeps them")}
}

// layoutNotes is about the rows that are skipped and about unusual conventions.
func (s *Survey) layoutNotes() (list []note.Note) {
	for _, rule := range []record.Rule{record.Title, record.Description, record.Footer} {
		i := slices.IndexFunc(s.SkippedRows, func(r SkippedRow) bool { return r.Rule == rule.String() })
		n := s.Skipped[rule]
		if n > 0 && i >= 0 {
			first := &s.SkippedRows[i]
			list = append(list, note.Of(first.Source, first.Line, fmt.Sprintf("%s skipped, the first %q",
				note.Count(n, rule.String()+" is", rule.String()+"s are"), strings.Join(strings.Fields(strings.ReplaceAll(record.Clip([]byte(first.Text)), "\x1f", " ")), " "))))
		}
	}
	l := &s.Layout
	typed := func(setting string) bool { return slices.Contains(l.Overrides, setting) } // and not detected
	switch {
	case l.HeaderLine == 0 && typed("header"):
	case l.HeaderLine == 0:
		list = append(list, note.About("no header was found: columns are numbered; --header LINE sets it"))
	case l.HeaderGuess:
		list = append(list, note.About(fmt.Sprintf("the header on line %d is a guess: its cells look like the values below them; --header none reads it as a record", l.HeaderLine)))
	case s.Records == 0 && s.Broken == 0:
		list = append(list, note.About(fmt.Sprintf("no record follows the header on line %d; --header none reads it as a record", l.HeaderLine)))
	}
	for _, c := range []struct {
		unusual bool
		what    string
	}{
		{l.Unquoted() && s.hasQuotes && !typed("quote") && l.Escape != source.ServerEscapes, `quotes are read as text: they do not go around cells; --quote '"' if they do`},
		{l.Quote == "'" && !typed("quote"), "cells are quoted with '"},
		{l.Escape == source.ServerEscapes, `backslashes are escapes, as servers write them: \t is a tab, \n a line end, \\ a backslash; --escape doubled if they are text`},
		{l.Escape == source.Backslash, `a quote in a quoted cell is written \"`},
		{l.Escape == source.Unescaped, "quotes in quoted cells are not doubled: only one before a delimiter or line end closes a cell"},
		{l.SkipSpaces, "the spaces around cells are removed; --skip-spaces=false keeps them"},
		{l.TextFormulas, `cells such as ="0012" are read as the text 0012; --text-formulas=false keeps them unchanged`},
		{l.Columns != "", "cells are cut at fixed places, without the spaces around them: " + l.Columns},
		{l.Comment != "" && s.Skipped[record.Comment] > 0, fmt.Sprintf("lines that start with %s are comments: %d", l.Comment, s.Skipped[record.Comment])},
	} {
		if c.unusual {
			list = append(list, note.About(c.what))
		}
	}
	return list
}

// keyNotes names columns that could be the key where none is drafted.
func (s *Survey) keyNotes() (list []note.Note) {
	var unique []string
	for i, c := range s.Columns {
		if c.Key && keyType(c.Choice.Type) {
			if i == 0 || keyWords.MatchString(c.Name) {
				return nil // it is drafted as the key
			}
			unique = append(unique, c.Name)
		}
	}
	if unique == nil && !s.Sampled {
		for _, c := range s.Columns {
			if c.LikelyKey && keyType(c.Choice.Type) {
				list = append(list, note.On(c.Heading, "likely unique, by estimate; not drafted as the key"))
				break
			}
		}
	}
	if unique != nil && !s.Sampled {
		list = append(list, note.About("no key is drafted; unique in all records: "+note.Names(unique)))
	}
	return list
}

// Repeated is a note, and in how many other parts the same holds.
type Repeated struct {
	note.Note
	Others int
}

// Elsewhere says in how many other parts the same was noticed.
func (n *Repeated) Elsewhere() string {
	if n.Others == 0 {
		return ""
	}
	return ", and in " + note.Count(int64(n.Others), "other part", "other parts")
}

// WithoutRepeats returns notes, those that say the same of several parts once.
func WithoutRepeats(notes []note.Note) (list []Repeated) {
	first := map[[2]string]int{} // the note of a part that says the same of the same column
	for _, n := range notes {
		says := [2]string{n.What}
		if n.Column != nil {
			says[1] = *n.Column
		}
		i, ok := first[says]
		if n.Source != nil && ok && *list[i].Source != *n.Source {
			list[i].Others++
			continue
		}
		if n.Source != nil && !ok {
			first[says] = len(list)
		}
		list = append(list, Repeated{Note: n})
	}
	return list
}

package survey

import (
	"fmt"
	"regexp"
	"strings"

	"ambertray/internal/dialect"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// Draft makes a plan of the survey, to be kept in the folder dir.
func (s *Survey) Draft(dir string) *tray.Tray {
	t := &tray.Tray{
		Dir:    dir,
		Layout: s.Layout,
		Notes:  map[string][]string{},
	}
	for _, f := range s.Files {
		t.Files = append(t.Files, tray.RelativePath(dir, f))
	}
	t.Table.Name = tableName(s.Files[0])
	for _, c := range s.Columns {
		t.Table.Columns = append(t.Table.Columns, table.Column{
			From: c.Heading, Name: c.Name, Type: c.Choice.Type, Nullable: c.Nullable, Format: c.Choice.Format,
			Thousands: c.Choice.Thousands, Decimal: c.Choice.Decimal, NullWords: c.Choice.NullWords,
		})
		notes := []string{c.Evidence}
		if c.InTheWay != nil {
			notes = append(notes, *c.InTheWay)
		}
		t.Notes[c.Name] = notes
	}
	s.offerKeys(t)
	if s.Ragged > 0 {
		t.Notes["source"] = append(t.Notes["source"], fmt.Sprintf(
			"%d records have more or fewer cells than the header and will be rejected; fill_short: true fills the short ones with NULL", s.Ragged))
	}
	if s.Broken > 0 {
		t.Notes["source"] = append(t.Notes["source"], fmt.Sprintf("%d records cannot be read and will be rejected", s.Broken))
	}
	for _, row := range s.SkippedRows {
		t.Notes["source"] = append(t.Notes["source"], fmt.Sprintf("%s, line %d, is skipped: %s", row.Source, row.Line, row.Rule))
	}
	return t
}

// tableName is the name of the source without its year or other number.
func tableName(path string) string {
	name := dialect.Identifier(source.BaseName(path))
	if short := trailingNumber.ReplaceAllString(name, ""); short != "" {
		name = short
	}
	if name == "" {
		name = "loaded"
	}
	return name
}

var trailingNumber = regexp.MustCompile(`(_\d+)+$`)

// keyWords are words in the name of a column that is meant to tell records
// apart.
var keyWords = regexp.MustCompile(`(^|_)(id|no|nr|number|code|key|ref|uuid)(_|$)`)

// offerKeys takes the first column that could be the key, and is named or
// placed like one, and names the others in a note.
func (s *Survey) offerKeys(t *tray.Tray) {
	var others []string
	for i, c := range s.Columns {
		switch {
		case !c.Key || s.Sampled:
		case t.Table.Key == nil && keyType(c.Choice.Type) && (i == 0 || keyWords.MatchString(c.Name)):
			t.Table.Key = []string{c.Name}
		default:
			others = append(others, c.Name)
		}
	}
	if t.Table.Key != nil {
		t.Notes["key"] = append(t.Notes["key"], "no two records are alike in it")
	}
	if others != nil {
		t.Notes["key"] = append(t.Notes["key"], "also unique: "+strings.Join(others, ", "))
	}
	t.Notes["key"] = []string{strings.Join(t.Notes["key"], "; ")}
}

// keyType tells whether a type suits a key: a whole number or a short text.
func keyType(t table.Type) bool {
	return t.Whole() || t.Kind == table.UUID || t.Kind == table.Char || t.Kind == table.Varchar && t.Size <= 60
}

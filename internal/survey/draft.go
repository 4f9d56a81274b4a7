package survey

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"ambertray/internal/dialect"
	"ambertray/internal/frame"
	"ambertray/internal/infer"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// Draft makes a plan of the survey, to be kept in the folder dir.
func (s *Survey) Draft(dir string) *tray.Tray {
	t := &tray.Tray{
		Dir:     dir,
		Layout:  s.Layout,
		Notes:   map[string][]string{},
		Tighter: map[string]table.Column{},
		Untyped: map[string]bool{},
	}
	switch {
	case slices.Contains(s.Layout.Overrides, "first_data_line"):
	case s.Skipped[record.Title] == 0: // comments and blank lines are skipped in any number
		t.Layout.FirstDataLine, t.Layout.FindFirstDataLine = 1, false
	case s.Layout.FindFirstDataLine: // each file has its own
		t.Layout.FirstDataLine = 0
	}
	for _, f := range s.Files {
		t.Files = append(t.Files, tray.RelativePath(dir, f))
	}
	t.Table.Name = tableName(s.Files[0])
	t.Table.OnlyNew = slices.ContainsFunc(s.Files, isFolder)
	for i, c := range s.Columns {
		if s.spacer(i) {
			t.Table.Columns = append(t.Table.Columns, table.Column{From: c.Heading, LeaveOut: true, Blank: true})
			continue
		}
		t.Table.Columns = append(t.Table.Columns, c.planned(&c.Choice))
		switch {
		case c.Choice.Tighter != nil:
			t.Tighter[c.Heading] = c.planned(c.Choice.Tighter)
		case c.Choice.Long != nil:
			number := c.Choice
			number.Type = *number.Long
			t.Tighter[c.Heading] = c.planned(&number)
		}
		t.Untyped[c.Heading] = c.Choice.Untyped
		notes := []string{c.Evidence}
		if c.Obstacle != nil {
			notes = append(notes, *c.Obstacle)
		}
		t.Notes[c.Name] = notes
	}
	s.addParts(t)
	s.offerKeys(t)
	for _, n := range WithoutRepeats(s.Notes) {
		if n.Column == nil || n.Line > 0 {
			t.Notes["source"] = append(t.Notes["source"], s.noteText(&n))
		}
	}
	for _, row := range s.SkippedRows {
		t.Notes["source"] = append(t.Notes["source"], fmt.Sprintf("%s, %s %d, is skipped: %s", row.Source, s.Layout.LineWord(), row.Line, row.Rule))
	}
	return t
}

// planned returns the column of a plan by one of its choices.
func (c *Column) planned(as *infer.Choice) table.Column {
	col := table.Column{
		From: c.Heading, Name: c.Name, Type: as.Type, Nullable: c.Nullable, Format: as.Format,
		Thousands: as.Thousands, Decimal: as.Decimal, Currency: as.Currency, Percent: as.Percent,
		NullWords: as.NullWords, Trim: as.Trim,
	}
	usual := as.TrueWord == "true" && as.FalseWord == "false"
	if as.Type.Kind == table.Boolean && !usual {
		col.TrueWords, col.FalseWords = []string{as.TrueWord}, []string{as.FalseWord}
	}
	return col
}

// Rejects reports whether the plan of the survey would reject records.
func (s *Survey) Rejects() bool {
	return s.Ragged > s.Filled || s.Broken > 0 || slices.ContainsFunc(s.Columns, func(c Column) bool { return c.Choice.Rejects > 0 })
}

// isFolder reports whether a source is a folder whose new files each load takes.
func isFolder(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.IsDir()
}

// addParts adds a column for the sheet, and one for the workbook, where there are
// several.
func (s *Survey) addParts(t *tray.Tray) {
	if s.Layout.IsText() {
		return
	}
	longest := map[string]map[string]int{"file": {}, "sheet": {}}
	for _, part := range s.Parts {
		file, sheet, _ := strings.Cut(part, record.SheetSign)
		file = filepath.Base(file)
		longest["file"][file], longest["sheet"][sheet] = utf8.RuneCountInString(file), utf8.RuneCountInString(sheet)
	}
	for _, what := range []string{"file", "sheet"} {
		if len(longest[what]) < 2 {
			continue
		}
		name := what
		for t.Table.Column(name) != nil {
			name = "source_" + name
		}
		size := max(maxSheetName, slices.Max(slices.Collect(maps.Values(longest[what]))))
		t.Table.Columns = append(t.Table.Columns, table.Column{Value: "{" + what + "}", Name: name, Type: table.Type{Kind: table.Varchar, Size: size}})
		t.Notes[name] = []string{"the " + what + " that the record is from; remove it if it is not wanted"}
	}
}

// maxSheetName is how long the name of a sheet may be in the usual programs.
const maxSheetName = 31

// noteText writes a note as a comment of the plan.
func (s *Survey) noteText(n *Repeated) string {
	where := ""
	if n.Source != nil {
		where = *n.Source
	}
	if n.Line > 0 {
		where = strings.TrimPrefix(fmt.Sprintf("%s, %s %d", where, s.Layout.LineWord(), n.Line), ", ")
	}
	if where == "" {
		return n.What
	}
	return where + n.Elsewhere() + ": " + n.What
}

// spacer reports whether a column has neither a value nor, where others have one, a
// heading.
func (s *Survey) spacer(i int) bool {
	c := &s.Columns[i]
	return s.Layout.HeaderLine > 0 && s.Records > 0 && len(c.Kinds) == 0 && c.Heading == frame.Numbered(i)
}

// tableName is the name of the source without its year or other number.
func tableName(path string) string { return TableName(source.BaseName(path)) }

// TableName makes the name of a table of that of a file or sheet: without the numbers at
// its end, in which the files of one table differ.
func TableName(base string) string {
	name := dialect.Identifier(base)
	short := trailingNumber.ReplaceAllString(name, "")
	if short != "" {
		name = short
	}
	if name == "" {
		name = "loaded"
	}
	return name
}

var trailingNumber = regexp.MustCompile(`(_\d+)+$`)

// keyWords are words in the name of a column that is meant to identify records.
var keyWords = regexp.MustCompile(`(^|_)(id|no|nr|number|code|key|ref|uuid)(_|$)`)

// offerKeys takes the first column that could be the key, and is named or
// placed like one, or else a pair of columns that can hardly be one by
// accident, and names the others in a note.
func (s *Survey) offerKeys(t *tray.Tray) {
	var others, likely []string
	for i, c := range s.Columns {
		switch {
		case s.Sampled:
		case c.LikelyKey && keyType(c.Choice.Type):
			likely = append(likely, c.Name)
		case !c.Key:
		case t.Table.Key == nil && keyType(c.Choice.Type) && (i == 0 || keyWords.MatchString(c.Name)):
			t.Table.Key = []string{c.Name}
		default:
			others = append(others, c.Name)
		}
	}
	var notes []string
	if t.Table.Key != nil {
		notes = append(notes, "no two records are alike in it")
	} else if !s.Sampled {
		notes = s.offerPairs(t)
	}
	if others != nil {
		notes = append(notes, "also unique: "+strings.Join(others, ", "))
	}
	if likely != nil {
		notes = append(notes, "likely unique, by estimate: "+strings.Join(likely, ", "))
	}
	t.Notes["key"] = []string{strings.Join(notes, "; ")}
}

// offerPairs takes the first pair for the key where it is sure and no accident.
func (s *Survey) offerPairs(t *tray.Tray) (notes []string) {
	var sure, likely []string
	for i, p := range s.KeyPairs {
		together := strings.Join(p.Columns, " with ")
		switch {
		case i == 0 && p.Sure && p.dense:
			t.Table.Key = p.Columns
			notes = append(notes, "no single column identifies the records, these two together do")
		case p.Sure:
			sure = append(sure, together)
		default:
			likely = append(likely, together)
		}
	}
	if sure != nil {
		notes = append(notes, "also unique together: "+strings.Join(sure[:min(len(sure), maxPairs)], ", "))
	}
	if likely != nil {
		notes = append(notes, "likely unique together, by the first records: "+strings.Join(likely[:min(len(likely), maxPairs)], ", "))
	}
	return notes
}

// maxPairs is how many pairs of columns a note names.
const maxPairs = 5

// keyType reports whether a type suits a key: a whole number or a short text.
func keyType(t table.Type) bool {
	return t.Whole() || t.Kind == table.UUID || t.Kind == table.Char || t.Kind == table.Varchar && t.Size <= 60
}

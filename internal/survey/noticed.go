package survey

import (
	"fmt"
	"strings"

	"ambertray/internal/intake"
	"ambertray/internal/note"
	"ambertray/internal/record"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// notice adds what the reading of a part has shown apart from its records.
func (w *surveying) notice(p *intake.Part) {
	line := w.survey.Layout.HeaderLine
	if p.HeaderLine != line {
		w.noticed = append(w.noticed, note.Of(p.Title(), p.HeaderLine, fmt.Sprintf("the header is here, and not on %s %d as in the first", w.survey.Layout.LineWord(), line)))
	}
	f := p.Facts
	if f == nil {
		return
	}
	w.survey.Used = f.Used.String()
	add := func(row int, heading, what string, values ...any) {
		n := note.Of(p.Title(), int64(row), fmt.Sprintf(what, values...))
		n.Column = optional(heading)
		w.noticed = append(w.noticed, n)
	}
	fate := "taken; --hidden leave leaves them out"
	if w.survey.Layout.Hidden == source.HiddenLeave {
		fate = "left out"
	}
	if f.HiddenRows > 0 {
		add(f.FirstHidden, "", "hidden rows with values: %d, %s", f.HiddenRows, fate)
	}
	if len(f.HiddenColumns) > 0 {
		add(f.Used.FirstRow, "", "hidden columns with values: %s, %s", lettersOf(f.HiddenColumns), fate)
	}
	w.noticeMerged(f, add)
	if f.Formulas > 0 {
		add(f.FirstFormula, "", "formulas without a value: %d, read as their text; a spreadsheet program works them out and saves what comes of it", f.Formulas)
	}
	for i, m := range f.Mixed {
		if m.Texts > 0 && m.Numbers > m.Texts && i < len(p.Headings) {
			add(m.FirstText, p.Headings[i], "numbers stored as text: %d, next to %d stored as numbers; all are read in the same way", m.Texts, m.Numbers)
		}
	}
}

// noticeMerged reports merged cells among the records.
func (w *surveying) noticeMerged(f *sheet.Facts, add func(int, string, string, ...any)) {
	var within []sheet.Cells
	for _, c := range f.Merged {
		if int64(c.FirstRow) >= w.survey.Layout.FirstDataLine && c.Meets(f.Used) {
			within = append(within, c)
		}
	}
	if within == nil {
		return
	}
	where := "the value is in the first cell of each; --merged each puts it into all of them"
	if w.survey.Layout.Merged == source.MergedEach {
		where = "the value is put into all cells of each"
	}
	add(within[0].FirstRow, "", "merged cells among the records: %d, the first %s; %s", len(within), within[0], where)
}

// maxNamed is how many columns a note names.
const maxNamed = 8

// lettersOf names columns by their letters.
func lettersOf(columns []int) string {
	var letters []string
	for _, c := range columns {
		if len(letters) == maxNamed {
			return strings.Join(letters, " ") + fmt.Sprintf(" and %d more", len(columns)-maxNamed)
		}
		letters = append(letters, sheet.Letters(c))
	}
	return strings.Join(letters, " ")
}

// newTable returns the row of a batch at which another table seems to begin, or
// 0: after a blank row, with several texts, one of which stands above or below
// what is not a table.
func newTable(b *record.Batch) int64 {
	if b.Skipped[record.Blank] == 0 {
		return 0
	}
	for r := 1; r+1 < b.Len(); r++ {
		if b.Line(r-1)+1 < b.Line(r) && b.Line(r)+1 == b.Line(r+1) && isHeading(b, r) {
			return b.Line(r)
		}
	}
	return 0
}

// besideNotes reports a smaller table beside the first in a sheet. A column without heading
// and values separates them.
func (s *Survey) besideNotes() []note.Note {
	if s.Layout.Format != source.Sheet || s.Layout.Cells != "" {
		return nil
	}
	for i := 2; i+2 < len(s.Columns); i++ {
		left, right := s.fewestBlanks(0, i), s.fewestBlanks(i+1, len(s.Columns))
		if s.spacer(i) && (left == 0) != (right == 0) {
			return []note.Note{note.About(fmt.Sprintf("another table seems to stand beside this one, in columns %s to %s; --cells %s:%s and --cells %s:%s take one each",
				sheet.Letters(i+2), sheet.Letters(len(s.Columns)), sheet.Letters(1), sheet.Letters(i), sheet.Letters(i+2), sheet.Letters(len(s.Columns))))}
		}
	}
	return nil
}

// fewestBlanks returns the number of blank cells in the fullest of some columns.
func (s *Survey) fewestBlanks(from, to int) int64 {
	fewest := s.Records
	for i := from; i < to; i++ {
		fewest = min(fewest, s.Columns[i].Blanks)
	}
	return fewest
}

// isHeading reports whether a record reads like a header among its neighbours.
func isHeading(b *record.Batch, r int) bool {
	texts, other := 0, false
	for c := range b.Width(r) {
		cell := b.Cell(r, c)
		if value.Blank(cell) {
			continue
		}
		if !isText(cell) {
			return false
		}
		texts++
		for _, near := range []int{r - 1, r + 1} {
			other = other || c < b.Width(near) && !value.Blank(b.Cell(near, c)) && !isText(b.Cell(near, c))
		}
	}
	return texts > 1 && other
}

func isText(cell []byte) bool {
	var v value.Value
	kind := value.Scan(cell, &v).Kind
	return kind == value.Text || kind == value.Boolean && len(cell) > 1 // a heading such as No
}

package survey

import (
	"fmt"

	"ambertray/internal/intake"
	"ambertray/internal/note"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
)

// notice adds what the reading of a part has shown apart from its records.
func (w *surveying) notice(p *intake.Part) {
	lay := &w.survey.Layout
	if p.HeaderLine != lay.HeaderLine {
		w.noticed = append(w.noticed, note.Of(p.Title(), p.HeaderLine, fmt.Sprintf("the header is here, and not on %s %d as in the first", lay.LineWord(), lay.HeaderLine)))
	}
	w.noticed = append(w.noticed, p.Notes(lay)...)
	if p.Facts != nil {
		w.survey.Used = p.Facts.Used.String()
	}
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

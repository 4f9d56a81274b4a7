package survey

import (
	"regexp"
	"slices"
	"strings"

	"ambertray/internal/source"
)

// maxFooter is how many rows at the end can be a footer.
const maxFooter = 10

// corrected returns the layout as the whole of the source shows it, or nil when
// nothing speaks against the one that it was read by: the encoding, where
// records were not valid in it, and the rows at the end that are no records.
func (w *surveying) corrected() *source.Layout {
	lay := w.survey.Layout
	if lay.HeaderLine > 0 {
		lay.FirstDataLine = 0
	}
	changed := false
	if guess := source.Guess(w.misread); len(w.misread) > 0 && guess.Name != lay.Encoding && lay.Encoding == "utf-8" && !slices.Contains(lay.Told, "encoding") {
		lay.Encoding, lay.Confidence, changed = guess.Name, guess.Confidence, true
	}
	if n := w.footer(); n > 0 && !slices.Contains(lay.Told, "footer") && !w.survey.Sampled {
		lay.Footer, changed = n, true
	}
	if !changed {
		return nil
	}
	return &lay
}

// footer counts the rows at the end that are no records.
func (w *surveying) footer() (n int64) {
	for i := len(w.last) - 1; i >= 0 && w.isFooter(w.last[i]); i-- {
		n++
	}
	if n == w.survey.Records {
		return 0
	}
	return n
}

// footerWords begin a total or a note.
var footerWords = regexp.MustCompile(`(?i)^\W*((grand|sub)[ -]?)?(totals?|subtotal|sum|summe|gesamt|average|mean|end of|source:|notes?:|printed|generated|exported|records?:|rows?:|page \d|\d+ (rows|records))\b`)

// totalWord is a total and nothing else.
var totalWord = regexp.MustCompile(`(?i)^\W*((grand|sub)[ -]?)?totals?\W*$`)

// isFooter tells whether a row is a total or a note: it begins with a word for
// one and is not filled as a record is, or it is one sentence where there
// should be several cells.
func (w *surveying) isFooter(row []string) bool {
	first, filled := "", 0
	for _, cell := range row {
		if strings.TrimSpace(cell) != "" {
			if filled++; filled == 1 {
				first = strings.TrimSpace(cell)
			}
		}
	}
	width := len(w.headings)
	if width < 2 {
		return false
	}
	if totalWord.MatchString(first) {
		return true
	}
	if footerWords.MatchString(first) {
		return filled < width || len(row) != width
	}
	return filled == 1 && width > 2 && len(row) < width && strings.Contains(first, " ")
}

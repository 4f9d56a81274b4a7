package survey

import (
	"slices"

	"ambertray/internal/frame"
	"ambertray/internal/source"
)

// corrected returns the layout as the whole of the source shows it, or nil when
// nothing speaks against the one that it was read by: its encoding, where records
// were not valid in that, and short records, where more than a few lack the same
// cells.
func (w *surveying) corrected() *source.Layout {
	lay := w.survey.Layout
	if lay.HeaderLine > 0 {
		lay.FirstDataLine = 0
	}
	changed := false
	guess := source.Guess(w.misread)
	if len(w.misread) > 0 && guess.Name != lay.Encoding && lay.Encoding == "utf-8" && !slices.Contains(lay.Overrides, "encoding") {
		lay.Encoding, lay.Confidence, changed = guess.Name, guess.Confidence, true
	}
	if !lay.FillShort && w.manyShort() && !slices.Contains(lay.Overrides, "fill_short") {
		lay.FillShort, changed = true, true
	}
	if !changed {
		return nil
	}
	return &lay
}

// manyShort reports whether more than a few records lack the same cells.
func (w *surveying) manyShort() bool {
	if w.survey.Layout.BlankDelimited() && w.survey.Ragged == w.survey.Records {
		return false
	}
	for width, n := range w.widths {
		if width > 1 && width < len(w.headings) && frame.ManyShort(n, w.survey.Records) {
			return true
		}
	}
	return false
}

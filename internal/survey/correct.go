package survey

import (
	"slices"

	"ambertray/internal/source"
)

// corrected returns the layout as the whole of the source shows it, or nil when
// nothing speaks against the one that it was read by: its encoding, where
// records were not valid in that.
func (w *surveying) corrected() *source.Layout {
	lay := w.survey.Layout
	if lay.HeaderLine > 0 {
		lay.FirstDataLine = 0
	}
	guess := source.Guess(w.misread)
	if len(w.misread) == 0 || guess.Name == lay.Encoding || lay.Encoding != "utf-8" || slices.Contains(lay.Told, "encoding") {
		return nil
	}
	lay.Encoding, lay.Confidence = guess.Name, guess.Confidence
	return &lay
}

// Package format is the registry of formats: how each is detected and read.
package format

import (
	"slices"

	"ambertray/internal/delimited"
	"ambertray/internal/fixed"
	"ambertray/internal/record"
	"ambertray/internal/sheetrows"
	"ambertray/internal/source"
)

// Format reads the records of sources of one kind.
type Format interface {
	// Open returns a reader of the records of src, which must not have been read
	// from yet, and the headings of its columns, each of them distinct.
	Open(src *source.Source, lay source.Layout) (record.Reader, []string, error)
	// SeekHeader returns the layout with the header where the source that begins
	// with head has it, by the headings that are wanted. whole says that the source
	// ends there. recordLine is that of the first row that looks like a record where
	// lay skips it, or 0.
	SeekHeader(head []byte, whole bool, lay source.Layout, wanted []string) (found source.Layout, recordLine int64)
	// Spacers returns those of the headings that the header does not have, and whose columns
	// have no value in head.
	Spacers(head []byte, whole bool, lay source.Layout, headings []string) []string
}

// Detector returns the layout of the source that begins with head, and a score by
// which formats are compared: the greatest wins. override, unless nil, sets what the
// user has set.
type Detector func(head []byte, whole bool, override func(*source.Layout)) (lay source.Layout, score float64)

// registry lists the formats by their names in source.Formats.
var registry = []struct {
	name   string
	format Format
	detect Detector
}{
	{source.Delimited, delimited.Format, delimited.Detect},
	{source.Fixed, fixed.Format, fixed.Detect},
	{source.Sheet, sheetrows.Format, sheetrows.Detect},
}

// Of returns the format of a layout.
func Of(lay *source.Layout) Format {
	for _, f := range registry {
		if f.name == lay.Format {
			return f.format
		}
	}
	return delimited.Format
}

// FirstDataLine detects the first record of the source that begins with head, whose layout has no
// header but may have titles. It has a number of columns, or 0 if that is not known.
func FirstDataLine(head []byte, whole bool, lay *source.Layout, columns int) int64 {
	if lay.Format == source.Delimited && !lay.FillShort {
		return delimited.FirstRow(head, whole, lay, columns)
	}
	for _, f := range registry {
		if f.name != lay.Format {
			continue
		}
		found, _ := f.detect(head, whole, func(l *source.Layout) {
			detected := *l
			*l = *lay
			l.HeaderLine, l.HeaderLines, l.FirstDataLine = detected.HeaderLine, detected.HeaderLines, detected.FirstDataLine
			l.Columns = detected.Columns // which show what is above them
		})
		if found.HeaderLine > 0 { // a record that looks like a header
			return found.HeaderLine
		}
		return max(found.FirstDataLine, 1)
	}
	return 1
}

// Detect returns the layout of a source by the format that fits best.
func Detect(src *source.Source, override func(*source.Layout)) (best source.Layout) {
	head := src.Head()
	most := -1.0
	for _, f := range registry {
		if (f.name == source.Sheet) != (src.Sheet != "") {
			continue
		}
		lay, score := f.detect(head, len(head) < source.HeadSize, override)
		if score > most {
			best, most = lay, score
		}
	}
	if best.HeaderLine == 0 && best.FirstDataLine > 1 && !slices.Contains(best.Overrides, "first_data_line") {
		best.FindFirstDataLine = FirstDataLine(head, len(head) < source.HeadSize, &best, 0) == best.FirstDataLine
	}
	return best
}

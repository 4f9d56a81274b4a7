package text

import (
	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/source"
)

// Format is what formats that are cut as text have in common.
type Format struct {
	NewCutter func(lay source.Layout) (Cutter, error)
}

// Open returns a reader of the records of src, which must not have been read from
// yet, and the headings of its columns, each of them distinct.
func (f Format) Open(src *source.Source, lay source.Layout) (record.Reader, []string, error) {
	c, err := f.NewCutter(lay)
	if err != nil {
		return nil, nil, err
	}
	return Open(src, lay, c)
}

// Spacers implements format.Format.
func (f Format) Spacers(head []byte, whole bool, lay source.Layout, headings []string) []string {
	unnamed := frame.Unnamed(headings)
	if lay.HeaderLine == 0 || unnamed == nil {
		return nil
	}
	c, err := f.NewCutter(lay)
	if err != nil {
		return nil
	}
	head, whole = FirstLines(head, whole, lineEnds(c), frame.HeadRows+int(lay.HeaderLine))
	return frame.Spacers(CutText(c, head, whole), &lay, unnamed)
}

// SeekHeader implements format.Format.
func (f Format) SeekHeader(head []byte, whole bool, lay source.Layout, wanted []string) (found source.Layout, recordLine int64) {
	c, err := f.NewCutter(lay)
	if err != nil {
		return lay, 0
	}
	return SeekHeader(c, head, whole, lay, wanted)
}

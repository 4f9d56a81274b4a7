package delimited

import (
	"ambertray/internal/source"
	"ambertray/internal/text"
)

// Format is the format of delimited text.
var Format = text.Format{NewCutter: NewCutter}

// NewCutter returns the cutter for a layout.
func NewCutter(lay source.Layout) (text.Cutter, error) {
	c, err := newCutter(lay)
	if err != nil {
		return nil, err
	}
	return c, nil
}

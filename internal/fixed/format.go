package fixed

import (
	"ambertray/internal/source"
	"ambertray/internal/text"
)

// Format is the format of text with columns at fixed places.
var Format = text.Format{NewCutter: func(lay source.Layout) (text.Cutter, error) {
	c, err := newCutter(lay)
	if err != nil {
		return nil, err
	}
	return c, nil
}}

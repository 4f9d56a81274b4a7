package delimited

import (
	"bytes"

	"ambertray/internal/source"
)

// withoutComments returns the shape with comments as records, if most of them have as many
// cells as those or there is one column only; otherwise the shape itself.
func (s shape) withoutComments(head []byte, whole bool, override func(*source.Layout)) shape {
	sign := []byte(s.layout.Comment)
	lay := s.layout
	lay.Comment = ""
	override(&lay)
	read := shapeOf(head, whole, lay, s.decimalCommas)
	comments, alike := 0, 0
	for r := range read.Rows.Len() {
		if bytes.HasPrefix(bytes.TrimLeft(read.Rows.Text(r), " \t"), sign) {
			comments++
			if read.Rows.Width(r) == s.Width {
				alike++
			}
		}
	}
	if comments > 0 && 2*alike >= comments {
		return read
	}
	return s
}

// orWithout returns the shape of the dialect that is the best one without the comments at the ends
// of lines. It returns the shape itself if one column is left without them, or if the signs of
// that dialect are part of the comments.
func (s shape) orWithout(head, bare []byte, whole bool, lay source.Layout, override func(*source.Layout)) shape {
	best := bestShape(bare, whole, lay, override)
	if best.Width < 2 || best.BySpaces {
		return s
	}
	full := shapeOf(head, whole, best.layout, best.decimalCommas)
	if full.Width != best.Width {
		return s
	}
	full.score = best.score
	return full
}

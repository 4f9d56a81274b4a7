package delimited

import (
	"bytes"

	"ambertray/internal/text"
)

// Boundary implements text.Cutter: the end of a record is the last line end with an
// even number of quotes before it, or just the last one.
func (c *cutter) Boundary(data []byte) (end int, sure bool) {
	newline := c.newline
	if newline == 0 {
		newline = '\n'
	}
	data = text.HoldBack(data, newline, c.HeldBack)
	lastLine := bytes.LastIndexByte(data, newline) + 1
	if c.quote == 0 || lastLine == 0 {
		return lastLine, lastLine > 0
	}
	quotes, end := bytes.Count(data, []byte{c.quote}), len(data)
	for at := lastLine; at > 0; at = bytes.LastIndexByte(data[:end-1], newline) + 1 {
		quotes -= bytes.Count(data[at:end], []byte{c.quote})
		if quotes%2 == 0 {
			return at, true
		}
		end = at
	}
	last := bytes.LastIndexByte(data, c.quote)
	opens := last == 0 || last > 0 && (data[last-1] == c.delimiter || data[last-1] == newline)
	return lastLine, !opens
}

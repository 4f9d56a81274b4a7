package delimited

import (
	"bytes"
	"regexp"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

// textFormula is what a cell such as ="0012" looks like in the text, in quotes or not.
var textFormula = regexp.MustCompile(`(?m)(^|[^\w"])="[^"\r\n]*"([^\w"]|$)|"=""[^"\r\n]*"""`)

// insideFormula returns the text of a cell, without the formula if it is one.
func insideFormula(data []byte, s record.Span) record.Span {
	if !value.IsTextFormula(data[s.Start:s.End]) {
		return s
	}
	return record.Span{Start: s.Start + uint32(len(value.TextFormulaStart)), End: s.End - 1}
}

// hasFormulas reports whether the text of a cell is that of a formula.
func (s *shape) hasFormulas() bool {
	for r := range s.Rows.Len() {
		for c := range s.Rows.Width(r) {
			if bytes.HasSuffix(s.Rows.Data[:s.Rows.Span(r, c).Start], []byte(value.TextFormulaStart)) {
				return true
			}
		}
	}
	return false
}

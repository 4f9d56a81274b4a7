package delimited

import (
	"bytes"
	"math"
	"regexp"

	"ambertray/internal/record"
)

// misplaced counts the quotes that do not stand where the dialect has them.
func (s *shape) misplaced() (n int) {
	if s.Rows == nil {
		return math.MaxInt
	}
	for _, o := range s.Rows.Oddities {
		if o.What == record.StrayQuote || o.What == record.OpenQuote || o.What == record.LiteralQuote {
			n++
		}
	}
	return n
}

// cutsQuoted reports whether one row in ten has a cell that begins with a quote, and a later
// cell that ends with one: the quotes enclose both.
func (s *shape) cutsQuoted() bool {
	rows := 0
	for r := range s.Rows.Len() {
		open := false
		for c := range s.Rows.Width(r) {
			cell := s.Rows.Cell(r, c)
			if bytes.Count(cell, []byte(`"`)) != 1 {
				continue
			}
			if open && cell[len(cell)-1] == '"' {
				rows++
				break
			}
			open = open || cell[0] == '"'
		}
	}
	return 10*rows >= s.Rows.Len() && rows > 0
}

// quotedPart is a part of a line that quotes enclose.
var quotedPart = regexp.MustCompile(`"[^"\r\n]*"`)

// cutsInQuotes reports whether nearly all rows are first cut where a quote is open, although the
// quotes of each row are pairs.
func (s *shape) cutsInQuotes() bool {
	rows := 0
	for r := range s.Rows.Len() {
		text := s.Rows.Text(r)
		first := bytes.Index(text, []byte(s.layout.Delimiter))
		if s.layout.Quote == `"` && bytes.HasPrefix(text, []byte(`"`)) {
			continue // the cell ends with its quote
		}
		if first > 0 && bytes.Count(text[:first], []byte(`"`))%2 == 1 && bytes.Count(text, []byte(`"`))%2 == 0 {
			rows++
		}
	}
	return 10*rows >= 9*s.Rows.Len()
}

// wrapped reports whether cells stand between quotes, and more of them than begin
// with a quote only, or nearly all rows do: then quotes go around cells.
func (s *shape) wrapped() bool {
	both, only, rows := 0, 0, 0
	for r := range s.Rows.Len() {
		text := s.Rows.Text(r)
		if len(text) > 1 && text[0] == '"' && text[len(text)-1] == '"' {
			rows++
		}
		for c := range s.Rows.Width(r) {
			cell := s.Rows.Cell(r, c)
			switch {
			case len(cell) < 2 || cell[0] != '"':
			case cell[len(cell)-1] == '"':
				both++
			default:
				only++
			}
		}
	}
	return both > only || 10*rows >= 9*s.Rows.Len()
}

// oneQuotedEach reports whether every row below the first, which has no delimiter, is one cell in quotes.
func (s *shape) oneQuotedEach() bool {
	const minRows = 3
	if s.layout.Quote == "" || s.Rows.Len() < minRows || s.misplaced() > 0 || bytes.ContainsAny(s.Rows.Text(0), ",;\t|") {
		return false
	}
	quote := []byte(s.layout.Quote)
	for r := 1; r < s.Rows.Len(); r++ {
		text := s.Rows.Text(r)
		if s.Rows.Width(r) != 1 || len(text) < 2 || !bytes.HasPrefix(text, quote) || !bytes.HasSuffix(text, quote) {
			return false
		}
		inner := bytes.ReplaceAll(text[1:len(text)-1], append(quote, quote...), nil)
		if bytes.Contains(inner, quote) {
			return false
		}
	}
	return true
}

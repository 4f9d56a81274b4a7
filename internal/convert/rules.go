package convert

import (
	"bytes"
	"fmt"
	"strings"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// rules change the text of a cell before it is read as a value, in this order:
// white space off, words replaced, zeros put in front, letter case.
type rules struct {
	trim    bool
	words   map[string]string // by their lower case
	zeros   int
	letters func([]byte) []byte
}

// newRules returns the rules of a column, or nil if it has none.
func newRules(c table.Column) (*rules, error) {
	r := &rules{trim: c.Trim, zeros: c.PadZeros}
	if len(c.Words) > 0 {
		r.words = map[string]string{}
		for word, text := range c.Words {
			r.words[strings.ToLower(word)] = text
		}
	}
	switch c.LetterCase {
	case "":
	case "upper":
		r.letters = bytes.ToUpper
	case "lower":
		r.letters = bytes.ToLower
	default:
		return nil, fmt.Errorf("column %s: letter_case %q: write upper or lower", c.Name, c.LetterCase)
	}
	if !r.trim && r.words == nil && r.zeros == 0 && r.letters == nil {
		return nil, nil
	}
	return r, nil
}

// apply returns the text that the rules make of a cell. It may be the cell.
func (r *rules) apply(cell []byte) []byte {
	if r.trim {
		cell = value.Trim(cell)
	}
	if r.words != nil {
		text, ok := r.words[strings.ToLower(string(value.Trim(cell)))]
		if ok {
			cell = []byte(text)
		}
	}
	if r.zeros > 0 {
		cell = padZeros(cell, r.zeros)
	}
	if r.letters != nil {
		cell = r.letters(cell)
	}
	return cell
}

// padZeros puts zeros before digits up to a width, without the spaces around them. What is not all
// digits stays unchanged.
func padZeros(cell []byte, width int) []byte {
	code := value.Trim(cell)
	if !value.OnlyDigits(code) {
		return cell
	}
	return append(bytes.Repeat([]byte{'0'}, max(0, width-len(code))), code...)
}

package value

import (
	"bytes"
	"slices"
	"strings"
)

// booleanPairs are the words for true and false that are known without being
// set, the most usual pairs first.
var booleanPairs = [][2]string{
	{"true", "false"}, {"yes", "no"}, {"y", "n"}, {"t", "f"}, {"on", "off"}, {"ja", "nein"}, {"j", "n"}, {"oui", "non"},
	{"si", "no"}, {"sí", "no"}, {"vrai", "faux"}, {"wahr", "falsch"}, {"vero", "falso"},
}

// booleanWords are the words of all pairs; the notation of a Boolean is the
// index of its word.
var booleanWords = func() (list []string) {
	for _, pair := range booleanPairs {
		for _, w := range pair {
			if !slices.Contains(list, w) {
				list = append(list, w)
			}
		}
	}
	return list
}()

// Pair is two words for true and false.
type Pair struct{ True, False string }

// Pairs returns the known pairs that the word of a Boolean shape belongs to.
func (s Shape) Pairs() (list []Pair) {
	word := s.Word()
	for _, p := range booleanPairs {
		if p[0] == word || p[1] == word {
			list = append(list, Pair{p[0], p[1]})
		}
	}
	return list
}

// Word returns the word of a Boolean shape, in lower case.
func (s Shape) Word() string { return booleanWords[s.Notation] }

// Takes reports whether the word of a Boolean shape is one of the pair.
func (p Pair) Takes(s Shape) bool {
	return s.Kind == Boolean && (s.Word() == p.True || s.Word() == p.False)
}

// nullWords are texts that well-known programs and careful people write for 'no
// value'.
var nullWords = strings.Fields(`null n/a na none nil nan nat - -- --- – — ? ?? * . .. ... … n.a. n.a n/d n/k nd #n/a #n/a! #null! #div/0! #value! #ref! #name? #num! \n <null>
	(null) (none) (blank) [null] <na> unknown missing tbc tbd undefined void unspecified nodata`)

// nullPhrases are such texts of several words.
var nullPhrases = []string{"no data", "not known", "not recorded", "not available", "not applicable", "no value"}

const longestNull = 14

// scanBoolean recognises a word for true or false, in any letter case.
func scanBoolean(cell []byte, v *Value) (Shape, bool) {
	if len(cell) > 6 {
		return Shape{}, false
	}
	for i, word := range booleanWords {
		if equalFold(cell, word) {
			v.Int = 0
			if isTrue(word) {
				v.Int = 1
			}
			return Shape{Boolean, uint32(i)}, true
		}
	}
	return Shape{}, false
}

func isTrue(word string) bool {
	return slices.ContainsFunc(booleanPairs, func(p [2]string) bool { return p[0] == word })
}

// BooleanWords returns the words for true and false that are known without being set, in lower case,
// and the digits 1 and 0.
func BooleanWords() (yes, no []string) {
	yes, no = []string{"1"}, []string{"0"}
	for _, word := range booleanWords {
		if isTrue(word) {
			yes = append(yes, word)
		} else {
			no = append(no, word)
		}
	}
	return yes, no
}

// DumpedNull is what servers write for NULL in text files. It has no other meaning.
const DumpedNull = `\N`

// scanNullWord recognises the well-known null words, in any letter case.
func scanNullWord(cell []byte) (Shape, bool) {
	if len(cell) > longestNull {
		return Shape{}, false
	}
	for i, w := range nullByLength[len(cell)] {
		if equalFold(cell, w) {
			return Shape{NullWord, uint32(len(cell)<<8 | i)}, true
		}
	}
	return Shape{}, false
}

var nullByLength = func() (by [longestNull + 1][]string) {
	for _, w := range slices.Concat(nullWords, nullPhrases) {
		by[len(w)] = append(by[len(w)], w)
	}
	return by
}()

// equalFold compares a cell with a word of lower case, of which only ASCII
// letters may be upper case in the cell.
func equalFold(cell []byte, word string) bool {
	if len(cell) != len(word) {
		return false
	}
	for i, c := range cell {
		if c >= 'A' && c <= 'Z' {
			c |= 0x20
		}
		if c != word[i] {
			return false
		}
	}
	return true
}

// scanUUID recognises the text form of RFC 9562, also in braces, which v.Text does not have.
func scanUUID(cell []byte, v *Value) (Shape, bool) {
	if len(cell) == 38 && cell[0] == '{' && cell[37] == '}' {
		cell = cell[1:37]
	}
	if len(cell) != 36 {
		return Shape{}, false
	}
	for i, c := range cell {
		if i == 8 || i == 13 || i == 18 || i == 23 {
			if c != '-' {
				return Shape{}, false
			}
		} else if bytes.IndexByte([]byte("0123456789abcdefABCDEF"), c) < 0 {
			return Shape{}, false
		}
	}
	v.Text = cell
	return Shape{Kind: UUID}, true
}

// IndexWord returns the index of the word that a cell is, in any letter case, or -1.
func IndexWord(words []string, cell []byte) int {
	cell = Trim(cell)
	for i, w := range words {
		if len(w) == len(cell) && strings.EqualFold(w, string(cell)) {
			return i
		}
	}
	return -1
}

// OnlyDigits reports whether a text is ASCII digits and nothing else.
func OnlyDigits(text []byte) bool {
	return len(text) > 0 && len(bytes.Trim(text, "0123456789")) == 0
}

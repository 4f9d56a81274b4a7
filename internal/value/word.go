package value

import (
	"bytes"
	"slices"
)

// booleanPairs are the words for true and false. The notation of a Boolean is
// the index of its pair, so that a column is held to one of them.
var booleanPairs = [][2]string{
	{"true", "false"}, {"yes", "no"}, {"y", "n"}, {"t", "f"}, {"on", "off"},
}

// nullWords are texts that well-known programs write for 'no value'.
var nullWords = []string{"null", "n/a", "na", "none", "nil", "nan", "-", "--", "#n/a", "(null)", "?"}

// scanBoolean recognises a word of a pair, in any letter case.
func scanBoolean(cell []byte, v *Value) (Shape, bool) {
	if len(cell) > 5 {
		return Shape{}, false
	}
	for i, pair := range booleanPairs {
		for j, word := range pair {
			if equalFold(cell, word) {
				v.Int = int64(1 - j)
				return Shape{Boolean, uint8(i)}, true
			}
		}
	}
	return Shape{}, false
}

// scanNullWord recognises the well-known null words, in any letter case.
func scanNullWord(cell []byte) (Shape, bool) {
	if len(cell) > 6 {
		return Shape{}, false
	}
	i := slices.IndexFunc(nullWords, func(w string) bool { return equalFold(cell, w) })
	return Shape{NullWord, uint8(max(i, 0))}, i >= 0
}

// equalFold compares a cell with a word of lower case ASCII.
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

// scanUUID recognises the text form of RFC 9562.
func scanUUID(cell []byte) (Shape, bool) {
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
	return Shape{Kind: UUID}, true
}

// BooleanWord returns the word for true or false of a pair.
func BooleanWord(pair uint8, truth bool) string {
	if truth {
		return booleanPairs[pair][0]
	}
	return booleanPairs[pair][1]
}

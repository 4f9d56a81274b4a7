package frame

import (
	"bytes"

	"ambertray/internal/record"
)

// Rules say which rows of a source are not records.
type Rules struct {
	Delimiter byte   // a row of nothing but these is blank
	Comment   []byte // the prefix of comments, which may be indented
	Ruler     bool   // rows of dashes and the like are left out
	// Special are rows that the format leaves out, and Outside one that is not a row
	// of the source at all.
	Special map[string]record.Rule
	Outside string
	// Sparse says that rows end with their last value, so that short ones lack
	// nothing.
	Sparse bool

	header  [][]byte // the rows of the header
	lengths uint64   // of these, by their last six bits
}

// LeaveOutHeader sets the rows of the header, which are left out where they are repeated.
func (u *Rules) LeaveOutHeader(rows [][]byte) {
	u.header, u.lengths = rows, 0
	for _, row := range rows {
		u.lengths |= 1 << (len(row) & 63)
	}
}

// MayRepeat reports whether a row of a length may be one of the header.
func (u *Rules) MayRepeat(length int) bool { return u.lengths&(1<<(length&63)) != 0 }

func (u *Rules) repeats(row []byte) bool {
	for _, header := range u.header {
		if bytes.Equal(row, header) {
			return true
		}
	}
	return false
}

// Of returns the rule that leaves a row out, if any.
func (u *Rules) Of(row []byte) (record.Rule, bool) {
	switch {
	case len(row) == 0 || row[0] <= ' ' && u.noValue(row) || row[0] == u.Delimiter && u.noValue(row):
		return record.Blank, true
	case len(u.Comment) > 0 && u.IsComment(row):
		return record.Comment, true
	case u.MayRepeat(len(row)) && u.repeats(row):
		return record.RepeatedHeader, true
	case u.Ruler && IsRuler(row):
		return record.Ruler, true
	case u.Outside != "" && string(row) == u.Outside:
		return record.Blank, true
	case u.Special != nil:
		rule, ok := u.Special[string(row)]
		return rule, ok
	}
	return 0, false
}

// IsComment reports whether a row begins with the comment sign.
func (u *Rules) IsComment(row []byte) bool {
	for len(row) > 0 && (row[0] == ' ' || row[0] == '\t' && u.Delimiter != '\t') {
		row = row[1:]
	}
	return bytes.HasPrefix(row, u.Comment)
}

// endOfFile is how DOS ends a text.
const endOfFile = 0x1a

// noValue reports whether a row is nothing but delimiters, spaces and an end-of-file character.
func (u *Rules) noValue(row []byte) bool {
	for _, b := range row {
		if b != u.Delimiter && b != ' ' && b != '\t' && b != '\r' && b != endOfFile {
			return false
		}
	}
	return true
}

// BoxBar is the bar between the cells of a table that is drawn with box drawings.
const BoxBar = "│"

// IsRuler reports whether a row is drawn rather than written: dashes and the
// like, at least three of them, and what stands between such pieces.
func IsRuler(row []byte) bool {
	drawn := 0
	for i := 0; i < len(row); i++ {
		switch row[i] {
		case '-', '=', '_', '~', '*':
			drawn++
		case '+', '|', ' ', '\t', ',', ';', '"', ':':
		case 0xe2: // U+2500 to U+257F are the box drawings: E2 94 80 to E2 95 BF
			if i+2 >= len(row) || row[i+1] != 0x94 && row[i+1] != 0x95 {
				return false
			}
			if !bytes.HasPrefix(row[i:], []byte(BoxBar)) {
				drawn++
			}
			i += 2
		default:
			return false
		}
	}
	return drawn >= 3
}

package frame

import (
	"bytes"
	"fmt"
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"

	"ambertray/internal/value"
)

// minAlike is how many values show the pattern of a column.
const minAlike = 3

// wordNumber matches a word with a short number, as headings are too.
var wordNumber = regexp.MustCompile(`^\pL[\pL_ ]*\d{1,2}$`)

// patterned reports whether a cell has digits and signs that are unusual in headings,
// and half of the values below it have the same, as codes do. Headings with a number,
// such as x1, do not count.
func (h *Head) patterned(at, below, c int) bool {
	cell := h.Cell(at, c)
	marks := marksOf(cell)
	if marks == "" || wordNumber.Match(cell) || h.numbered(at, c) {
		return false
	}
	alike, values := h.countAlike(at, below, c, marksOf)
	return alike >= minAlike && 2*alike >= values
}

// allCodes reports whether every cell of a row is written like a code: it has digits and signs that are
// unusual in headings, and all values below it have the same.
func (h *Head) allCodes(at, below int) bool {
	for c := range h.Width {
		cell := h.Cell(at, c)
		marks := marksOf(cell)
		alike, values := h.countAlike(at, below, c, marksOf)
		series := h.numbered(at, c) && strings.Count(marks, "9") < 4 // such as Week 1 and Week 2
		if marks == "" || wordNumber.Match(cell) || series || alike == 0 || alike < values {
			return false
		}
	}
	return true
}

// likeCodes reports whether a cell is written as the codes below it are.
func (h *Head) likeCodes(at, below, c int) bool {
	return h.patterned(at, below, c) || h.numberedOn(at, below, c) || h.manyDigits(at, below, c) || h.sameBeginning(at, below, c)
}

// sameBeginning reports whether a cell and nearly all values below it begin with a digit, or with
// the same sign, or consist of hexadecimal numbers. Headings may begin with a year, or with one or
// two digits before more letters.
func (h *Head) sameBeginning(at, below, c int) bool {
	form := func(cell []byte) string {
		first, _ := utf8.DecodeRune(cell)
		switch {
		case isHexadecimals(cell), unicode.IsDigit(first):
			return "9"
		case unicode.IsSymbol(first), strings.ContainsRune("#@%&*/", first):
			return string(first)
		}
		return ""
	}
	cell := h.Cell(at, c)
	if len(cell) == 0 || form(cell) == "" || beginsWithYear.Match(cell) || shortNumber.Match(cell) && !isHexadecimals(cell) && mostlyLetters(cell) {
		return false
	}
	alike, values := h.countAlike(at, below, c, form)
	return alike >= minAlike && 10*alike >= 9*values
}

// mostlyLetters reports whether a cell has at least as many letters as digits.
func mostlyLetters(cell []byte) bool {
	letters, digits := 0, 0
	for _, r := range string(cell) {
		switch {
		case unicode.IsLetter(r):
			letters++
		case unicode.IsDigit(r):
			digits++
		}
	}
	return letters >= digits
}

var (
	// beginsWithYear matches headings such as 2026 and 2026 budget, and shortNumber such as 1st.
	beginsWithYear = regexp.MustCompile(`^(19|20)\d\d\b`)
	shortNumber    = regexp.MustCompile(`^\d{1,2}(\D|$)`)
)

// hexadecimals matches hexadecimal numbers of at least four digits, and what stands between them.
var hexadecimals = regexp.MustCompile(`^[0-9A-Fa-f]{4,}([ .:-]+[0-9A-Fa-f]{4,})*$`)

// isHexadecimals reports whether a cell consists of hexadecimal numbers with a digit.
func isHexadecimals(cell []byte) bool {
	return hexadecimals.Match(cell) && bytes.ContainsAny(cell, "0123456789")
}

// minDigits is how many digits a heading seldom has.
const minDigits = 6

// manyDigits reports whether a cell and all values below it are of one length and have as many
// digits.
func (h *Head) manyDigits(at, below, c int) bool {
	form := func(cell []byte) string {
		digits := 0
		for _, r := range string(cell) {
			if unicode.IsDigit(r) {
				digits++
			}
		}
		if digits < minDigits {
			return ""
		}
		return fmt.Sprint(utf8.RuneCount(cell), digits)
	}
	alike, values := h.countAlike(at, below, c, form)
	return form(h.Cell(at, c)) != "" && alike > 1 && alike == values
}

// numberedOn reports whether a cell has letters and a number, and the values below it have
// the same letters and other numbers. Of many values a few may differ. A cell that may be a
// heading with a number needs many values.
func (h *Head) numberedOn(at, below, c int) bool {
	stem := stemOf(h.Cell(at, c))
	if stem == "" {
		return false
	}
	alike, values := h.countAlike(at, below, c, stemOf)
	if alike >= minOrdered {
		return 10*alike >= 9*values
	}
	return alike > 0 && alike == values && !wordNumber.Match(h.Cell(at, c))
}

// stemOf returns a cell with each of its numbers as 9, and "" if the cell lacks letters or
// numbers.
func stemOf(cell []byte) string {
	var b strings.Builder
	letters, digits, last := false, false, ' '
	for _, r := range string(cell) {
		if unicode.IsDigit(r) {
			digits, r = true, '9'
		}
		letters = letters || unicode.IsLetter(r)
		if r != '9' || last != '9' {
			b.WriteRune(r)
		}
		last = r
	}
	if !letters || !digits {
		return ""
	}
	return b.String()
}

// likeRecords reports whether each cell of a header is written as values below it are,
// so that nothing distinguishes it from a record.
func (h *Head) likeRecords(at, below int) bool {
	for c := range h.Rows.Width(at) {
		alike, _ := h.countAlike(at, below, c, styleOf)
		if alike == 0 {
			return false
		}
	}
	return true
}

// minOrdered is the number of values whose order is not an accident.
const minOrdered = 10

// firstInOrder reports whether a cell of a header is the first of a sorted list: it sorts before
// the first value and begins with the same letter or digit. It must look like the values, unless
// the whole header does.
func (h *Head) firstInOrder(at, below int, guess bool) bool {
	for c := range h.Rows.Width(at) {
		if h.inOrder(at, below, c) && (guess || h.likeMost(at, below, c)) {
			return true
		}
	}
	return false
}

// inOrder reports whether a cell and nearly all values below it are sorted, and the first two
// begin with the same letter or digit.
func (h *Head) inOrder(at, below, c int) bool {
	end := min(h.Rows.Len(), below+KindRows)
	if end-below < minOrdered {
		return false
	}
	first, last := bytes.ToLower(h.Cell(at, c)), bytes.ToLower(h.Cell(below, c))
	if len(first) == 0 || len(last) == 0 || first[0] != last[0] || bytes.Compare(first, last) >= 0 {
		return false
	}
	falls := 0
	for r := below + 1; r < end; r++ {
		next := bytes.ToLower(h.Cell(r, c))
		if bytes.Compare(last, next) >= 0 {
			falls++
		}
		last = next
	}
	return 20*falls <= end-below
}

// likeMost reports whether a cell begins with a digit, or is written as most values below it.
func (h *Head) likeMost(at, below, c int) bool {
	alike, values := h.countAlike(at, below, c, styleOf)
	return isDigit(h.Cell(at, c)[0]) || 2*alike > values
}

func isDigit(b byte) bool { return b >= '0' && b <= '9' }

// countAlike counts the values of a column, from row below on, that differ from the cell
// in row at, and those of them that have the same form.
func (h *Head) countAlike(at, below, c int, form func(cell []byte) string) (alike, values int) {
	cell := h.Cell(at, c)
	wanted := form(cell)
	for r := below; r < min(h.Rows.Len(), below+KindRows); r++ {
		other := h.Cell(r, c)
		if value.Blank(other) || bytes.Equal(other, cell) {
			continue
		}
		values++
		if form(other) == wanted {
			alike++
		}
	}
	return alike, values
}

// numbered reports whether another cell of the row differs from one only in its number.
func (h *Head) numbered(at, c int) bool {
	unnumbered := func(c int) string { return strings.Trim(string(h.Cell(at, c)), "0123456789") }
	if h.unnumbered[at] == nil {
		counts := map[string]int{}
		for c := range h.Rows.Width(at) {
			counts[unnumbered(c)]++
		}
		h.unnumbered[at] = counts
	}
	return h.unnumbered[at][unnumbered(c)] > 1
}

// marksOf returns the digits and signs of a cell that are unusual in headings: each digit
// as 9, each sign of a number as +.
func marksOf(cell []byte) string {
	var b strings.Builder
	for len(cell) > 0 {
		r, size := utf8.DecodeRune(cell)
		cell = cell[size:]
		next, _ := utf8.DecodeRune(cell)
		switch {
		case unicode.IsDigit(r):
			b.WriteByte('9')
		case r == '-' && unicode.IsDigit(next):
			b.WriteByte('+')
		case unicode.IsLetter(r) || unicode.IsMark(r) || strings.ContainsRune(" _.,;?!-/()%&'", r):
		case unicode.Is(unicode.So, r):
			b.WriteByte('*')
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// styleOf returns how a cell is written: each run of upper-case letters as A, of other
// letters as a, and each digit as 9.
func styleOf(cell []byte) string {
	var b strings.Builder
	last := ' '
	for _, r := range string(cell) {
		class := r
		switch {
		case unicode.IsDigit(r):
			class = '9'
		case unicode.IsUpper(r):
			class = 'A'
		case unicode.IsLetter(r) || unicode.IsMark(r):
			class = 'a'
		}
		if class != last || class == '9' {
			b.WriteRune(class)
		}
		last = class
	}
	return b.String()
}

// sentenceAmong reports whether a cell of a row is a sentence, and most cells below it are, which
// then are no headings.
func (h *Head) sentenceAmong(at, below int) bool {
	sentence := func(r, c int) bool {
		cell := h.Cell(r, c)
		return bytes.HasSuffix(cell, []byte(".")) && len(bytes.Fields(cell)) > 3
	}
	for c := range h.Rows.Width(at) {
		n, to := 0, min(h.Rows.Len(), below+KindRows)
		for r := below; r < to && sentence(at, c); r++ {
			if sentence(r, c) {
				n++
			}
		}
		if 2*n > to-below {
			return true
		}
	}
	return false
}

// digitFirst reports whether a cell of a row begins with a digit, as few headings do.
func (h *Head) digitFirst(at int) bool {
	for c := range h.Rows.Width(at) {
		cell := h.Cell(at, c)
		if len(cell) > 0 && isDigit(cell[0]) && !isYear(string(cell)) {
			return true
		}
	}
	return false
}

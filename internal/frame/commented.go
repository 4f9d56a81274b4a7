package frame

import (
	"bytes"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

// Comments reads comments, one of which may be the header.
type Comments struct {
	Sign string // prefix of comments, "" without comments
	// Delimiter is the shortest text between two cells of a record, "" for cells at fixed places.
	Delimiter string
	Cut       func(text []byte) *record.Batch // cuts a text as the records are cut
}

// logFields begins the comment with the headings in the Extended Log File Format of the W3C.
const logFields = "Fields:"

// Text returns a line without the signs of a comment at its beginning.
func (c *Comments) Text(line []byte) []byte {
	text, commented := line, false
	for c.Sign != "" {
		rest, found := bytes.CutPrefix(bytes.TrimLeft(text, " \t"), []byte(c.Sign))
		if !found {
			break
		}
		text, commented = rest, true
	}
	if !commented {
		return line
	}
	text, _ = bytes.CutPrefix(text, []byte(logFields))
	if c.Delimiter == "\t" {
		return bytes.TrimLeft(text, " ")
	}
	return bytes.TrimLeft(text, " \t")
}

// Headings returns the headings in a comment above rows. If the first one is blank, the sign is that
// heading.
func (c *Comments) Headings(comment []byte, rows *record.Batch) []string {
	h := newHead(rows, 0)
	h.Width = h.CommonWidth()
	headings := JoinHeadings(c.cells(comment, &h), 0, 1)
	if len(headings) > 0 && headings[0] == "" {
		headings[0] = c.Sign
	}
	return headings
}

// headingSigns are what may stand between headings in a comment.
var headingSigns = []string{"\t", ",", ";", "|"}

// cells cuts the text of a comment as the records are cut. It is cut at another delimiter, or at runs of
// tabs, if that gives as many headings as the records have cells, and if the cut of the records gives
// too few or too many, or the records only have spaces between cells.
func (c *Comments) cells(comment []byte, h *Head) *record.Batch {
	text := c.Text(comment)
	b := c.Cut(text)
	fits := b.Len() == 1 && b.Width(0) >= max(h.Width-1, 2) && b.Width(0) <= max(h.Width, h.widest())
	if c.Delimiter == "" || fits && strings.TrimSpace(c.Delimiter) != "" {
		return b
	}
	for _, sign := range headingSigns {
		headings := strings.Split(string(text), sign)
		for i := range headings {
			headings[i] = strings.TrimSpace(headings[i])
		}
		if sign == "\t" {
			headings = slices.DeleteFunc(headings, func(heading string) bool { return heading == "" })
		}
		other := c.Cut([]byte(strings.Join(headings, c.Delimiter)))
		if len(headings) == h.Width && other.Len() == 1 && other.Width(0) == h.Width {
			return other
		}
	}
	return b
}

// commentHeader returns the line of a comment that names the columns, or 0. It stands
// above a row, which is then the first record. Where that row may be a header itself, or other
// comments are between, the comment needs as many cells. A sentence is not a header.
func (h *Head) commentHeader(at int, guess bool) int64 {
	left, next := h.Rows.LeftOut(), h.Rows.Line(at)
	for i := len(left) - 1; i >= 0; i-- {
		above := next - left[i].Line
		text := strings.TrimPrefix(left[i].Text, h.Comments.Sign)
		if left[i].Rule == record.Comment && above == 1 && (IsRuler([]byte(text)) || strings.TrimSpace(text) == "") {
			next = left[i].Line
			continue
		}
		plain := above == 1 || !h.BySpaces && beginsWithLetter([]byte(text)) // needed above other comments
		if left[i].Rule == record.Comment && above > 0 && plain && h.namesColumns(left[i].Text, guess || above > 1) {
			return left[i].Line
		}
	}
	return 0
}

// namesColumns reports whether a comment is a header.
func (h *Head) namesColumns(comment string, guess bool) bool {
	if h.Width < 2 {
		return false
	}
	text := h.Comments.Text([]byte(comment))
	b := h.Comments.cells([]byte(comment), h)
	width := h.Width
	if !guess && beginsWithLetter([]byte(strings.TrimPrefix(comment, h.Comments.Sign))) { // records may lack their last cells
		width = max(width, h.widest())
	}
	named := newHead(b, width)
	named.BySpaces = h.BySpaces
	if b.Len() != 1 || b.Width(0) > width || b.Width(0) < max(h.Width-1, 2) || named.isNote(text) {
		return false
	}
	first := named.afterSign()
	if first > 0 && h.signsAlone() > 1 || !named.distinctTexts(0, first) && !(named.mostlyTexts() && !h.contains(b)) {
		return false
	}
	return !guess || b.Width(0) == h.Width && !named.spaced(0)
}

// isNote reports whether the first row is the text of a comment that does not name columns: a sentence,
// an address, or pairs of keys and values.
func (h *Head) isNote(text []byte) bool {
	cut := h.BySpaces && (h.wordy() || h.cutsWords(h.Rows.Text(0)) || bytes.HasSuffix(bytes.TrimSpace(text), []byte(".")))
	return cut || h.spaced(0) && h.wordy() || h.pairs() || bytes.HasPrefix(text, []byte("@")) || bytes.HasSuffix(text, []byte("!")) || bytes.Contains(text, []byte("://"))
}

// afterSign returns the index of the first heading after the sign: 1 if the sign is a heading of its own
// before short ones, otherwise 0.
func (h *Head) afterSign() int {
	long := h.afterFirst(0, func(cell []byte) bool { return len(bytes.Fields(cell)) > 2 })
	if value.Blank(h.Rows.Cell(0, 0)) && !long {
		return 1
	}
	return 0
}

// widest returns the most cells that a row has.
func (h *Head) widest() (width int) {
	for w := range h.widths(0) {
		width = max(width, w)
	}
	return width
}

// mostlyTexts reports whether three quarters of the cells of the first row, which are many, are
// different texts.
func (h *Head) mostlyTexts() bool {
	texts := map[string]bool{}
	for c := range h.Rows.Width(0) {
		if h.kind(0, c) == value.Text || h.kind(0, c) == value.Boolean {
			texts[string(h.Cell(0, c))] = true
		}
	}
	return h.Rows.Width(0) == h.Width && h.Width >= minMany && 4*len(texts) >= 3*h.Width
}

// contains reports whether a cell of the first row of a batch is a value of its column too.
func (h *Head) contains(b *record.Batch) bool {
	for r := range min(h.Rows.Len(), KindRows) {
		for c := range min(b.Width(0), h.Rows.Width(r)) {
			if !value.Blank(b.Cell(0, c)) && bytes.Equal(b.Cell(0, c), h.Rows.Cell(r, c)) {
				return true
			}
		}
	}
	return false
}

// minMany is the number of columns of which a few may have another heading than a text of its own.
const minMany = 5

// commentOn returns the comment on a line, or "".
func (h *Head) commentOn(line int64) string {
	for _, left := range h.Rows.LeftOut() {
		if left.Rule == record.Comment && left.Line == line {
			return left.Text
		}
	}
	return ""
}

// commentNames reports whether a comment above a row of words names the columns: it has
// as many cells, and no space after the sign.
func (h *Head) commentNames(at int) bool {
	line := h.commentHeader(at, true)
	text, commented := strings.CutPrefix(h.commentOn(line), h.Comments.Sign)
	return commented && h.Comments.Sign != "" && beginsWithLetter([]byte(text))
}

func beginsWithLetter(text []byte) bool {
	first, _ := utf8.DecodeRune(text)
	return unicode.IsLetter(first)
}

// pairs reports whether the cells of the first row are pairs of keys and values, which may be
// cells of their own.
func (h *Head) pairs() bool {
	return h.afterFirst(0, func(cell []byte) bool {
		return bytes.HasSuffix(cell, []byte(":")) || bytes.HasSuffix(cell, []byte(";")) || bytes.Contains(cell, []byte(": "))
	})
}

// signsAlone counts the comments in which the delimiter follows the sign.
func (h *Head) signsAlone() (n int) {
	for _, left := range h.Rows.LeftOut() {
		text := h.Comments.Text([]byte(left.Text))
		if left.Rule == record.Comment && h.Comments.Delimiter != "" && bytes.HasPrefix(text, []byte(h.Comments.Delimiter)) {
			n++
		}
	}
	return n
}

// cutsWords reports whether the cells of the first row are not whole words of its text.
func (h *Head) cutsWords(text []byte) bool {
	var words [][]byte
	for c := range h.Rows.Width(0) {
		words = append(words, bytes.Fields(h.Rows.Cell(0, c))...)
	}
	return !slices.EqualFunc(words, bytes.Fields(bytes.ReplaceAll(text, []byte(`"`), nil)), bytes.Equal)
}

// wordy reports whether the cells of a row have three times as many words as columns, and a
// cell has more words than headings have.
func (h *Head) wordy() bool {
	words, most := 0, 0
	for c := range h.Rows.Width(0) {
		n := len(bytes.Fields(h.Rows.Cell(0, c)))
		words += n
		most = max(most, n)
	}
	return words >= 3*h.Width && most > 4
}

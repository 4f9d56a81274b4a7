package frame

import (
	"bytes"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"ambertray/internal/record"
	"ambertray/internal/value"
)

// commentSigns are what comments may begin with, and what must follow. A sign that
// stands for a number or a share is not a comment.
var commentSigns = []struct {
	sign    string
	follows *regexp.Regexp
}{
	{"#", regexp.MustCompile(`^#([# \t!=*-]|\pL|$)`)},
	{"//", regexp.MustCompile(`^//([/ \t]|\pL|$)`)},
	{"%", regexp.MustCompile(`^%([% \t]|\pL|$)`)},
	{";", regexp.MustCompile(`^;([; \t]|\pL|$)`)},
	{"!", regexp.MustCompile(`^!([! \t]|\pL|$)`)},
	{"@", regexp.MustCompile(`^@[A-Z]{2}\t`)}, // header lines of the SAM format
}

// manyComments lines at the beginning of a text show its sign of comments.
const manyComments = 5

// CommentSign returns the sign that comments of the text begin with, or "", and whether a
// comment stands above the first other line. Comments stand at the beginning of the text,
// or are less than half of the lines after that. Below many with # at the beginning, they may be
// more. Unless the sign is #, they are several, or have no usual delimiter. The sign does not begin
// most other lines, because these would be left out too.
func CommentSign(head []byte) (sign string, above bool) {
	for _, c := range commentSigns {
		top, later, lines, signed, bare := 0, 0, 0, 0, false
		for line := range bytes.Lines(head) {
			line = bytes.TrimSpace(line)
			if len(line) == 0 {
				continue
			}
			switch {
			case !c.follows.Match(line):
				lines++
				if bytes.HasPrefix(line, []byte(c.sign)) {
					signed++
				}
				continue
			case lines == 0:
				top++
			default:
				later++
				lines++
			}
			bare = bare || !bytes.ContainsAny(line[len(c.sign):], ",;\t|")
		}
		most := 0.5
		if c.sign == "#" && top >= manyComments {
			most = 0.8
		}
		if top+later == 0 || float64(later) > most*float64(lines) || 2*signed > lines || lines == 0 {
			continue
		}
		if c.sign == "#" || top+later > 1 || bare {
			if c.sign != ";" || !isDelimiter(head, c.sign) {
				return c.sign, top > 0
			}
		}
	}
	return "", false
}

// isDelimiter reports whether most lines have a sign after their first character. Comments without
// another sign do not count.
func isDelimiter(head []byte, sign string) bool {
	with, lines := 0, 0
	for line := range bytes.Lines(head) {
		line = bytes.TrimSpace(line)
		begin, rest, found := bytes.Cut(line, []byte(sign))
		switch {
		case len(line) == 0:
		case len(begin) > 0 && found || bytes.Contains(rest, []byte(sign)):
			with++
			lines++
		case len(begin) > 0:
			lines++
		}
	}
	return 2*with > lines
}

// WithoutComments returns the lines that do not begin with the sign.
func WithoutComments(head []byte, sign string) []byte {
	if sign == "" {
		return head
	}
	var rest []byte
	for line := range bytes.Lines(head) {
		if !bytes.HasPrefix(bytes.TrimLeft(line, " \t"), []byte(sign)) {
			rest = append(rest, line...)
		}
	}
	return rest
}

// WithoutRemarks returns the lines without the comments at their ends, which begin with the
// sign between two spaces. It returns nil if a quarter of the lines has no such comment.
func WithoutRemarks(head []byte, sign string) []byte {
	if sign == "" || sign == ";" { // which is a delimiter too
		return nil
	}
	var rest []byte
	lines, remarks := 0, 0
	for line := range bytes.Lines(head) {
		text := bytes.TrimSpace(line)
		at := bytes.Index(line, []byte(" "+sign+" "))
		switch {
		case len(text) == 0 || bytes.HasPrefix(text, []byte(sign)):
		case at < 0:
			lines++
		default:
			lines++
			remarks++
			line = append(line[:at:at], '\n')
		}
		rest = append(rest, line...)
	}
	if remarks == 0 || 4*remarks < 3*lines {
		return nil
	}
	return rest
}

// maxMatter is how many lines a block of metadata may have.
const maxMatter = 200

// keyAndValue is a line of metadata.
var keyAndValue = regexp.MustCompile(`^\pL[\pL\d _.()/-]{0,40}:(\s.*)?$`)

// FrontMatter returns how many bytes and lines of metadata the text begins with:
// a block between lines of three dashes, or lines of a key, a colon and a value.
func FrontMatter(head []byte) (size int, lines int64) {
	pairs, block, at := 0, false, 0
	for line := range bytes.Lines(head) {
		lines++
		at += len(line)
		text := bytes.TrimRight(line, " \t\r\n")
		switch {
		case lines == 1 && string(text) == "---":
			block = true
		case block && (string(text) == "---" || string(text) == "..."):
			return at, lines
		case lines > maxMatter:
			return 0, 0
		case block:
		case keyAndValue.Match(text):
			pairs++
		case pairs < 2 || manyPairs(head[at:]) || len(text) > 0 && len(bytes.TrimSpace(head[at:])) == 0: // a single line below is of the same table
			return 0, 0
		default:
			return at - len(line), lines - 1
		}
	}
	return 0, 0
}

// manyPairs reports whether lines of keys and values are the data.
func manyPairs(text []byte) bool {
	pairs, lines := 0, 0
	for line := range bytes.Lines(text) {
		line = bytes.TrimSpace(line)
		if len(line) == 0 {
			continue
		}
		lines++
		if keyAndValue.Match(line) {
			pairs++
		}
	}
	return 2*pairs > lines
}

// commentHeader returns the line of a comment that names the columns, or 0. It stands
// above a row, which is then the first record. Where that row may be a header itself, or other
// comments are between, the comment needs as many cells. A sentence is not a header.
func (h *Head) commentHeader(at int, guess bool) int64 {
	left := h.Rows.LeftOut()
	for i := len(left) - 1; i >= 0; i-- {
		above := h.Rows.Line(at) - left[i].Line
		text := strings.TrimPrefix(left[i].Text, h.Comments.Sign)
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
	b := h.Comments.cells(text, h)
	width := h.Width
	if !guess && beginsWithLetter([]byte(strings.TrimPrefix(comment, h.Comments.Sign))) { // records may lack their last cells
		width = max(width, h.widest())
	}
	named := newHead(b, width)
	if b.Len() != 1 || b.Width(0) > width || b.Width(0) < max(h.Width-1, 2) || !named.distinctTexts(0, named.afterSign()) && !(named.mostlyTexts() && !h.contains(b)) {
		return false
	}
	if bytes.HasPrefix(text, []byte("@")) || bytes.HasSuffix(text, []byte("!")) || bytes.Contains(text, []byte("://")) {
		return false
	}
	if h.BySpaces && (named.wordy() || named.cutsWords(b.Text(0)) || bytes.HasSuffix(bytes.TrimSpace(text), []byte("."))) {
		return false
	}
	return !guess || b.Width(0) == h.Width && !named.spaced(0)
}

// afterSign returns the index of the first heading in a comment: 1 if the sign stands alone before
// short ones, and is a heading itself.
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

// spaced reports whether a cell after the first is blank or begins with a space, as in prose
// after a comma.
func (h *Head) spaced(at int) bool {
	return h.afterFirst(at, func(cell []byte) bool { return value.Blank(cell) || cell[0] == ' ' })
}

// spaceLed reports whether a cell after the first begins with a space.
func (h *Head) spaceLed(at int) bool {
	return h.afterFirst(at, func(cell []byte) bool { return len(cell) > 0 && cell[0] == ' ' })
}

// afterFirst reports whether a cell of a row after the first meets a condition.
func (h *Head) afterFirst(at int, condition func(cell []byte) bool) bool {
	for c := 1; c < h.Rows.Width(at); c++ {
		if condition(h.Rows.Cell(at, c)) {
			return true
		}
	}
	return false
}

package frame

import (
	"bytes"
	"regexp"
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

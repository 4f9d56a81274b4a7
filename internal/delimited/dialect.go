package delimited

import (
	"bytes"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"ambertray/internal/frame"
	"ambertray/internal/source"
	"ambertray/internal/text"
)

// dialects lists the layouts worth trying: each delimiter that occurs in most
// lines, with each way of quoting that the text suggests.
func dialects(head []byte, lay source.Layout) []source.Layout {
	head = frame.WithoutComments(head, lay.Comment)
	var list []source.Layout
	signs := quotes(head)
	for _, d := range delimiters(head) {
		if !worthTrying(head, d) {
			continue
		}
		written := serverWrote(head, d)
		if written != noEvidence {
			try := lay
			try.Delimiter, try.Quote, try.Escape, try.LineEnd = d, "", source.ServerEscapes, serverLineEnd(head)
			list = append(list, try)
		}
		if written == allEscapes {
			try := list[len(list)-1]
			try.Quote = `"`
			list = append(list, try)
			if isCutEvenly(head, list[len(list)-2]) || isCutEvenly(head, try) {
				continue
			}
		}
		for _, q := range signs {
			try := lay
			try.Delimiter, try.Quote = d, q
			list = append(list, try)
			if q != "" && bytes.Contains(head, []byte(`\`+q)) {
				try.Escape = source.Backslash
				list = append(list, try)
			}
			if q != "" && bytes.Contains(head, []byte(q)) {
				try.Escape = source.Unescaped
				list = append(list, try)
			}
			try.Escape = source.Doubled
			if d != source.Spaces && d != source.WideSpaces && d != "" && spaced(head, d) {
				try.SkipSpaces = true
				list = append(list, try)
			}
		}
	}
	return list
}

// isCutEvenly reports whether a dialect cuts all complete lines, of which there are several, into the
// same number of cells.
func isCutEvenly(head []byte, lay source.Layout) bool {
	c, err := newCutter(lay)
	if err != nil {
		return false
	}
	rows := text.CutText(c, head, false)
	for r := 1; r < rows.Len(); r++ {
		if rows.Width(r) != rows.Width(0) {
			return false
		}
	}
	return rows.Len() > 1
}

// quotes lists the signs of quoting that a text may have.
func quotes(head []byte) []string {
	list := []string{`"`}
	n := bytes.Count(head, []byte("'"))
	if n > 3 && n > bytes.Count(head, []byte(`"`)) {
		list = append(list, "'")
	}
	if bytes.IndexByte(head, '"') >= 0 {
		list = append(list, "")
	}
	return list
}

// worthTrying reports whether a delimiter can give another result than the others. One that is
// not in the text gives the same as the first of the common ones, which is always tried.
func worthTrying(head []byte, delimiter string) bool {
	switch delimiter {
	case common[0], source.Spaces, source.WideSpaces:
		return true
	case "":
		return bytes.Contains(head, []byte(common[0]))
	}
	return bytes.Contains(head, []byte(delimiter))
}

// spaced reports whether spaces follow most delimiters.
func spaced(head []byte, delimiter string) bool {
	return bytes.Count(head, []byte(delimiter+" "))*2 > bytes.Count(head, []byte(delimiter))
}

// spacesBeforeQuotes reports whether a quote opens a cell after spaces.
func spacesBeforeQuotes(head []byte, lay *source.Layout) bool {
	return lay.Quote != "" && bytes.Contains(head, []byte(lay.Delimiter+" ")) && bytes.Contains(head, []byte(" "+lay.Quote))
}

// common are the delimiters that are always tried, the first being preferred
// where two do as well.
var common = []string{",", ";", "\t", "|"}

// delimiters returns the candidates: the common ones, any other sign that
// occurs in most lines, what stands around such a sign everywhere, and runs of
// spaces.
func delimiters(head []byte) []string {
	lines, in := linesWith(withoutLinks(head))
	list := slices.Clone(common)
	for i, n := range in {
		sign := string(rune(i))
		if n*2 > lines && isSign(byte(i)) && !slices.Contains(common, sign) && (sign != ":" || !inTimes(head)) {
			list = append(list, sign)
		}
	}
	for _, d := range slices.Clone(list) {
		long := surrounding(head, d[0])
		if long != d {
			list = append(list, long)
		}
	}
	return append(list, frame.BoxBar, source.Spaces, source.WideSpaces, "")
}

// linesWith counts the lines of a text that are not empty, and those that contain each byte.
func linesWith(text []byte) (lines int, in [256]int) {
	var seen [256]int // the last line that contained the byte
	empty := true
	for _, c := range text {
		switch {
		case c == '\n' || c == '\r':
			empty = true
			continue
		case empty:
			empty = false
			lines++
		}
		if seen[c] != lines {
			seen[c] = lines
			in[c]++
		}
	}
	return lines, in
}

// withoutLinks removes from a text what follows :// in web addresses, because the signs in them
// are not delimiters.
func withoutLinks(text []byte) (rest []byte) {
	mark := []byte("://")
	for {
		before, link, found := bytes.Cut(text, mark)
		if rest == nil && !found {
			return text
		}
		rest = append(rest, before...)
		if !found {
			return rest
		}
		text = bytes.TrimLeftFunc(link, func(r rune) bool {
			return r < utf8.RuneSelf && (isWord(byte(r)) || strings.ContainsRune("-./:?#@!$&+=%", r))
		})
	}
}

// inTimes reports whether most colons outside quotes, if there are any, belong to times: they
// stand after a number of one or two digits, and before one of minutes or seconds.
func inTimes(head []byte) bool {
	in, all, quoted := 0, 0, false
	for i, c := range head {
		quoted = c != '\n' && quoted != (c == '"')
		if c != ':' || quoted {
			continue
		}
		all++
		if i > 0 && isDigit(head[i-1]) && (i < 3 || !isDigit(head[i-3])) && i+2 < len(head) && head[i+1]-'0' < 6 && isDigit(head[i+2]) &&
			(i+3 == len(head) || !isWord(head[i+3])) {
			in++
		}
	}
	return in*2 > all || all == 0
}

func isDigit(c byte) bool { return c-'0' < 10 }

func isWord(c byte) bool { return isDigit(c) || c == '_' || c|0x20 >= 'a' && c|0x20 <= 'z' }

// decimalCommas reports whether commas stand before decimals: nearly each one is between
// digits or opens a cell, and every line has another usual delimiter.
func decimalCommas(head []byte) bool {
	commas := bytes.Count(head, []byte(","))
	return commas > 0 && slices.ContainsFunc(common[1:], func(d string) bool { return inEveryLine(head, []byte(d)) }) &&
		len(decimalComma.FindAll(head, -1))*20 >= commas*19
}

// inEveryLine reports whether all lines that are not blank contain a sign.
func inEveryLine(head, sign []byte) bool {
	for line := range bytes.Lines(head) {
		line = bytes.TrimSpace(line)
		if len(line) > 0 && !bytes.Contains(line, sign) {
			return false
		}
	}
	return true
}

var decimalComma = regexp.MustCompile(`[\d;\t|"-],\d`)

// isSign reports whether a single character can be a delimiter.
func isSign(c byte) bool {
	switch {
	case c >= 0x80, c >= '0' && c <= '9', c|0x20 >= 'a' && c|0x20 <= 'z':
		return false
	}
	return !strings.ContainsRune("\"' \r\n.-_+()[]{}<>\\/%#", rune(c))
}

// together reports whether each sign of a run mostly occurs as part of the run. Those of ^$ do
// not if $ only begins amounts.
func together(head, run []byte) bool {
	runs := bytes.Count(head, run)
	for i := range run {
		sign := run[i : i+1]
		if runs*bytes.Count(run, sign)*10 < bytes.Count(head, sign)*7 {
			return false
		}
	}
	return true
}

// surrounding returns the longest run of signs that the sign stands in at each
// of its first places: ~|~ of | in a~|~b~|~c.
func surrounding(head []byte, d byte) string {
	at := bytes.IndexByte(head, d)
	if at < 0 || d == '$' { // which begins amounts
		return string(rune(d))
	}
	from, to := at, at+1
	long := func(c byte) bool {
		return c > ' ' && c < 0x7f && c != '"' && c != '\'' && c != '$' && (isSign(c) || c == '#' || c == '-')
	}
	const most = 8 // signs on either side: longer runs are no delimiters
	for to < len(head) && to < at+most && long(head[to]) {
		to++
	}
	for from > 0 && from > at-most && long(head[from-1]) {
		from--
	}
	run := head[from:to]
	for len(run) > 1 && !together(head, run) {
		run = run[:len(run)-1]
	}
	if len(run) > 3 || bytes.IndexByte(run, d) < 0 || len(run) > 1 && bytes.Count(run, []byte{','}) > 0 {
		return string(rune(d))
	}
	return string(run)
}

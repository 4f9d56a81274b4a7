package delimited

import (
	"bytes"
	"strings"

	"ambertray/internal/frame"
	"ambertray/internal/source"
	"ambertray/internal/value"
)

// evidence is how much speaks for escapes of a server.
type evidence uint8

const (
	noEvidence evidence = iota
	onlyNull            // nothing but the \N for NULL
	allEscapes          // each backslash begins an escape
)

// serverWrote says how likely it is that a server wrote a text with the given delimiter: NULL is \N,
// and all other backslashes begin escapes. Unless tabs separate the cells, one of those must be more
// than a letter, as in paths. The client of MySQL writes NULL as a word.
func serverWrote(head []byte, delimiter string) evidence {
	if delimiter == source.Spaces || delimiter == source.WideSpaces { // a name, and no sign
		return noEvidence
	}
	nulls, letter, signs := 0, 0, 0
	for at := 0; ; {
		i := bytes.IndexByte(head[at:], '\\')
		if i < 0 || at+i+1 == len(head) {
			break
		}
		i += at
		at = i + 2
		sign := head[i+1]
		switch {
		case sign == 'N' && isCell(head, i, at, delimiter):
			nulls++
		case letters[sign] != 0 || sign == '0':
			letter++
		case strings.IndexByte("\\\r\n\""+delimiter[:min(1, len(delimiter))], sign) >= 0:
			signs++
		default:
			return noEvidence
		}
	}
	tabs := delimiter == "\t"
	switch {
	case nulls > 0 && signs > 0, tabs && letter+signs > 0 && (nulls > 0 || hasCell(head, "NULL", delimiter)):
		return allEscapes
	case nulls > 0 && letter+signs == 0 && tabs:
		return onlyNull
	}
	return noEvidence
}

// serverLineEnd returns the line end of a text that a server wrote, which has only one: what else
// would end a line is part of a cell.
func serverLineEnd(head []byte) string {
	lf, crlf := 0, 0
	for line := range bytes.Lines(head) {
		if !bytes.HasSuffix(line, []byte("\n")) || escaped(line[:len(line)-1]) {
			continue
		}
		lf++
		if bytes.HasSuffix(line, []byte("\r\n")) {
			crlf++
		}
	}
	if 2*crlf > lf {
		return "crlf"
	}
	return "lf"
}

// ruledByCrosses reports whether a ruler such as ----+---- has a cross below each | of the line
// above it, as clients of servers draw tables.
func ruledByCrosses(head []byte) bool {
	var above []byte
	for line := range bytes.Lines(head) {
		line = bytes.TrimRight(line, " \r\n")
		if len(above) > 0 && frame.IsRuler(line) && bytes.IndexByte(line, '+') >= 0 && len(above) <= len(line)+1 {
			for i, b := range above {
				if b == '|' && (i >= len(line) || line[i] != '+') {
					return false
				}
			}
			return bytes.IndexByte(above, '|') >= 0
		}
		above = line
	}
	return false
}

// mixesQuotes reports whether some values of a column are quoted and some are not. Servers quote
// all values of a column, or none.
func (s *shape) mixesQuotes() bool {
	for c := range s.Width {
		var quoted, plain bool
		for r := s.FirstFull() + 1; r < s.Rows.Len(); r++ {
			if c >= s.Rows.Width(r) || string(s.Rows.Cell(r, c)) == value.DumpedNull {
				continue
			}
			start := int(s.Rows.Span(r, c).Start)
			switch {
			case start >= s.Rows.Raw: // it had escapes, and may have been quoted
			case start > 0 && s.Rows.Data[start-1] == '"':
				quoted = true
			default:
				plain = true
			}
		}
		if quoted && plain {
			return true
		}
	}
	return false
}

// hasCell reports whether a word is a cell of its own.
func hasCell(head []byte, word, delimiter string) bool {
	for at := 0; ; at++ {
		i := bytes.Index(head[at:], []byte(word))
		if i < 0 {
			return false
		}
		at += i
		if isCell(head, at, at+len(word), delimiter) {
			return true
		}
	}
}

// isCell reports whether text[from:to] is a cell of its own.
func isCell(text []byte, from, to int, delimiter string) bool {
	before, after := text[:from], text[to:]
	begins := from == 0 || text[from-1] == '\n' || text[from-1] == '\r' || delimiter != "" && bytes.HasSuffix(before, []byte(delimiter))
	ends := len(after) == 0 || after[0] == '\n' || after[0] == '\r' || delimiter != "" && bytes.HasPrefix(after, []byte(delimiter))
	return begins && ends
}

package tsql

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// kind is what a token is.
type kind uint8

const (
	end kind = iota
	word
	quoted // an identifier in brackets or double quotes
	number
	text
	national // a text after N
	binary
	variable
	sign
)

type token struct {
	kind kind
	text string
	at   int // its byte in the batch
}

// SyntaxError says where a batch is not what the stand-in can read.
type SyntaxError struct {
	Near string
	Line int
	Why  string
}

func (e *SyntaxError) Error() string {
	if e.Why != "" {
		return e.Why
	}
	return fmt.Sprintf("Incorrect syntax near '%s'.", e.Near)
}

// scan cuts a batch into tokens; the last one is an end.
func scan(batch string) (list []token, err error) {
	for at := 0; at < len(batch); {
		c := batch[at]
		switch {
		case c == ' ' || c == '\t' || c == '\r' || c == '\n':
			at++
			continue
		case strings.HasPrefix(batch[at:], "--"):
			n := strings.IndexByte(batch[at:], '\n')
			if n < 0 {
				n = len(batch) - at
			}
			at += n
			continue
		case strings.HasPrefix(batch[at:], "/*"):
			n := strings.Index(batch[at:], "*/")
			if n < 0 {
				return nil, &SyntaxError{Near: "/*", Line: lineOf(batch, at), Why: "Missing end comment mark '*/'."}
			}
			at += n + 2
			continue
		}
		t, size := next(batch[at:])
		if size == 0 {
			return nil, &SyntaxError{Near: batch[at : at+1], Line: lineOf(batch, at)}
		}
		t.at = at
		list, at = append(list, t), at+size
	}
	return append(list, token{kind: end, at: len(batch)}), nil
}

func lineOf(batch string, at int) int { return 1 + strings.Count(batch[:at], "\n") }

// next returns the token that a text begins with and its size, 0 where it begins with no token.
func next(s string) (token, int) {
	c := s[0]
	switch {
	case c == '\'':
		return delimited(text, s, '\'')
	case (c == 'N' || c == 'n') && len(s) > 1 && s[1] == '\'':
		t, size := delimited(national, s[1:], '\'')
		if size == 0 {
			return t, 0
		}
		return t, size + 1
	case c == '[':
		return delimited(quoted, s, ']')
	case c == '"':
		return delimited(quoted, s, '"')
	case c == '0' && len(s) > 1 && (s[1] == 'x' || s[1] == 'X'):
		n := 2
		for n < len(s) && strings.IndexByte("0123456789abcdefABCDEF", s[n]) >= 0 {
			n++
		}
		return token{kind: binary, text: s[2:n]}, n
	case c >= '0' && c <= '9', c == '.' && len(s) > 1 && s[1] >= '0' && s[1] <= '9':
		n := numberSize(s)
		return token{kind: number, text: s[:n]}, n
	}
	n := wordSize(s)
	if n > 0 {
		t := token{kind: word, text: s[:n]}
		if s[0] == '@' {
			t.kind = variable
		}
		return t, n
	}
	for _, op := range []string{"<>", "<=", ">=", "!=", "(", ")", ",", ".", ";", "=", "<", ">", "+", "-", "*", "/", "%", "&", "|"} {
		if strings.HasPrefix(s, op) {
			return token{kind: sign, text: op}, len(op)
		}
	}
	return token{}, 0
}

// delimited reads what stands between two marks; the last one is doubled within.
func delimited(k kind, s string, last byte) (token, int) {
	var b strings.Builder
	for i := 1; i < len(s); i++ {
		if s[i] != last {
			b.WriteByte(s[i])
			continue
		}
		if i+1 < len(s) && s[i+1] == last {
			b.WriteByte(last)
			i++
			continue
		}
		return token{kind: k, text: b.String()}, i + 1
	}
	return token{}, 0
}

func numberSize(s string) int {
	n := 0
	for n < len(s) {
		c := s[n]
		exponent := (c == '+' || c == '-') && n > 0 && (s[n-1] == 'e' || s[n-1] == 'E')
		if c >= '0' && c <= '9' || c == '.' || c == 'e' || c == 'E' || exponent {
			n++
			continue
		}
		break
	}
	return n
}

func wordSize(s string) int {
	for n, r := range s {
		first := unicode.IsLetter(r) || r == '_' || r == '#' || r == '@'
		if !first && (n == 0 || !unicode.IsDigit(r) && r != '$') {
			return n
		}
		if r == utf8.RuneError {
			return n
		}
	}
	return len(s)
}

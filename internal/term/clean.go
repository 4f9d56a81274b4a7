package term

import (
	"fmt"
	"io"
	"strings"
	"unicode"

	"github.com/jedib0t/go-pretty/v6/text"
)

// ours are the escape sequences that a Printer writes.
var ours = []string{amber.EscapeSeq(), red.EscapeSeq(), faint.EscapeSeq(), text.Bold.EscapeSeq(), text.Reset.EscapeSeq()}

// cleaner passes on what is safe on a terminal: text, line ends and the escape
// sequences of ours. Other control characters, and those that change the
// direction of text, are shown as signs, so that data cannot steer the terminal
// or look like something else.
type cleaner struct {
	out io.Writer
	err error // the first
}

// Write implements io.Writer. Each call has whole characters and sequences.
func (c *cleaner) Write(p []byte) (int, error) {
	_, err := io.WriteString(c.out, clean(string(p), ours))
	if c.err == nil {
		c.err = err
	}
	return len(p), err
}

// Inert shows everything in a text that could steer a terminal as signs, colours too. For
// those who write to the terminal by themselves, not by a Printer.
func Inert(s string) string { return clean(Printable(s), nil) }

// clean shows what is unsafe as signs, but for the given sequences.
func clean(s string, kept []string) string {
	if strings.IndexFunc(s, unsafe) < 0 {
		return s
	}
	var out strings.Builder
	for len(s) > 0 {
		seq := leadingSequence(s, kept)
		if seq != "" {
			out.WriteString(seq)
			s = s[len(seq):]
			continue
		}
		r := []rune(s[:min(len(s), 4)])[0]
		size := len(string(r))
		if r == unicode.ReplacementChar && s[0] >= 0x80 && !strings.HasPrefix(s, "\uFFFD") {
			size = 1
		}
		if unsafe(r) {
			out.WriteString(sign(r))
		} else {
			out.WriteString(s[:size])
		}
		s = s[size:]
	}
	return out.String()
}

func leadingSequence(s string, sequences []string) string {
	for _, seq := range sequences {
		if strings.HasPrefix(s, seq) {
			return seq
		}
	}
	return ""
}

// unsafe reports whether a character may not reach the terminal as it is.
func unsafe(r rune) bool {
	return r != '\n' && unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r) || r == '\u2028' || r == '\u2029' || r == unicode.ReplacementChar
}

// sign shows a character that may not reach the terminal.
func sign(r rune) string {
	switch {
	case r == unicode.ReplacementChar:
		return "\uFFFD"
	case r < ' ':
		return string('␀' + r)
	case r == 0x7f:
		return "␡"
	}
	return fmt.Sprintf("<U+%04X>", r)
}

package dialect

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// literals is how a server writes constants.
type literals struct {
	truth     [2]string // false and true
	national  string    // before the quote of a text
	typed     bool      // DATE '2026-01-31' rather than '2026-01-31'
	instant   string    // the type before a timestamp with its offset
	middle    string    // between a date and its time
	backslash bool      // a backslash escapes
	breaks    breaks    // how line breaks are written
}

// breaks is how a constant holds line breaks and variables of clients. They are never written as
// they are: the servers' own clients change line ends and replace variables.
type breaks struct {
	prefix   string // of a text with escapes: E'a\r\nb'
	unicode  bool   // a text with escapes for Unicode: U&'a\000D\000Ab'
	char     string // a function of the code of a character, which concat joins
	concat   string
	collate  string // what makes a text differ from all others
	variable string // prefix of variables that the client replaces in constants too
}

// within reports whether a text has a line break or such a variable.
func (b *breaks) within(text []byte) bool {
	return bytes.ContainsAny(text, "\r\n") || b.variable != "" && bytes.Contains(text, []byte(b.variable))
}

// AppendLiteral appends a value as a constant. t is the type that the server
// stores it as.
func (d *Dialect) AppendLiteral(dst []byte, t table.Type, v *value.Value) []byte {
	l := &d.literals
	switch t.Kind {
	case table.SmallInt, table.Integer, table.BigInt, table.Decimal:
		return v.AppendDecimal(dst)
	case table.Double:
		return strconv.AppendFloat(dst, v.Float, 'g', -1, 64)
	case table.Boolean:
		return append(dst, l.truth[v.Int&1]...)
	case table.Date:
		return append(value.AppendDate(l.begin(dst, "DATE"), v.Int), '\'')
	case table.Time:
		return append(value.AppendClock(l.begin(dst, "TIME"), v.Int), '\'')
	case table.Timestamp:
		return append(l.timestamp(l.begin(dst, "TIMESTAMP"), v), '\'')
	case table.TimestampTZ:
		return append(l.timestamp(l.begin(dst, l.instant), v), "+00:00'"...)
	}
	return d.appendText(dst, v.Text)
}

func (l *literals) begin(dst []byte, word string) []byte {
	if l.typed {
		dst = append(append(dst, word...), ' ')
	}
	return append(dst, '\'')
}

func (l *literals) timestamp(dst []byte, v *value.Value) []byte {
	at := len(dst) + len("yyyy-MM-dd")
	dst = value.AppendTimestamp(dst, v.Int)
	return append(dst[:at], append([]byte(l.middle), dst[at+1:]...)...)
}

// appendText appends a text in quotes, which are doubled within.
func (d *Dialect) appendText(dst, text []byte) []byte {
	l := &d.literals
	for d.MaxLine > 0 && len(text) > d.MaxLine/3 { // leaves room for doubled quotes
		n := d.MaxLine / 3
		for n > 0 && !utf8.RuneStart(text[n]) {
			n--
		}
		dst = append(l.appendRows(append(dst, "TO_CLOB("...), text[:n]), ") || "...)
		text = text[n:]
	}
	return l.appendRows(dst, text)
}

// appendRows appends a text that may have several lines.
func (l *literals) appendRows(dst, text []byte) []byte {
	b := &l.breaks
	if l.backslash || !b.within(text) {
		return l.appendQuoted(dst, text)
	}
	switch {
	case b.prefix != "":
		text = bytes.ReplaceAll(text, []byte(`\`), []byte(`\\`))
		return escapeBreaks(append(dst, b.prefix...), l.appendQuoted(nil, text), `\r`, `\n`)
	case b.unicode:
		text = bytes.ReplaceAll(text, []byte(`\`), []byte(`\\`))
		return escapeBreaks(append(dst, "U&"...), l.appendQuoted(nil, text), `\000D`, `\000A`)
	}
	return l.replaceBreaks(dst, text)
}

func escapeBreaks(dst, quoted []byte, cr, lf string) []byte {
	quoted = bytes.ReplaceAll(quoted, []byte("\r"), []byte(cr))
	return append(dst, bytes.ReplaceAll(quoted, []byte("\n"), []byte(lf))...)
}

// replaceBreaks writes a text with a sign in place of each kind of line break, and has the server
// replace it. An expression that joins lines would be too deep for some servers if these are many.
func (l *literals) replaceBreaks(dst, text []byte) []byte {
	var calls, ends string
	for _, b := range []string{"\r\n", "\n", "\r", l.breaks.variable} {
		if b == "" || !bytes.Contains(text, []byte(b)) {
			continue
		}
		sign := signNotIn(text)
		text = bytes.ReplaceAll(text, []byte(b), []byte(sign))
		var codes []string
		for _, c := range []byte(b) {
			codes = append(codes, fmt.Sprintf("%s(%d)", l.breaks.char, c))
		}
		calls += "REPLACE("
		ends += fmt.Sprintf(", %s'%s', %s)", l.national, sign, strings.Join(codes, l.breaks.concat))
	}
	dst = l.appendQuoted(append(dst, calls...), text)
	return append(append(dst, l.breaks.collate...), ends...)
}

// signNotIn returns a sign that a text does not have. Clients of servers do nothing with it.
func signNotIn(text []byte) string {
	for _, sign := range "|~^%*+=<>_" {
		if !bytes.ContainsRune(text, sign) {
			return string(sign)
		}
	}
	n := 0
	for bytes.Contains(text, fmt.Appendf(nil, "^%d", n)) {
		n++
	}
	return fmt.Sprintf("^%d", n)
}

// letters are the escapes of bytes that a client takes for the end of a line or, on Windows, of the
// script.
var letters = [256]byte{'\\': '\\', '\n': 'n', '\r': 'r', 0: '0', 26: 'Z'}

func (l *literals) appendQuoted(dst, text []byte) []byte {
	dst = append(append(dst, l.national...), '\'')
	for _, b := range text {
		letter := byte(0)
		if l.backslash {
			letter = letters[b]
		}
		switch {
		case letter != 0:
			dst = append(dst, '\\', letter)
		case b == '\'':
			dst = append(dst, "''"...)
		default:
			dst = append(dst, b)
		}
	}
	return append(dst, '\'')
}

// Literal writes a text that is not of a record: a comment, a name.
func (d *Dialect) Literal(s string) string { return string(d.literals.appendQuoted(nil, []byte(s))) }

// TextWriter returns what writes values of a type as text, where they are
// stored so, in a buffer that the next value may use again.
func TextWriter(t, stored table.Type) func(v *value.Value) []byte {
	if t.Textual() || !stored.Textual() {
		return nil
	}
	switch t.Kind {
	case table.Decimal:
		return func(v *value.Value) []byte { return v.AppendDecimal(v.Buffer()) }
	case table.Date:
		return func(v *value.Value) []byte { return value.AppendDate(v.Buffer(), v.Int) }
	case table.Time:
		return func(v *value.Value) []byte { return value.AppendClock(v.Buffer(), v.Int) }
	case table.Timestamp:
		return func(v *value.Value) []byte { return value.AppendTimestamp(v.Buffer(), v.Int) }
	case table.TimestampTZ:
		return func(v *value.Value) []byte { return append(value.AppendTimestamp(v.Buffer(), v.Int), "+00:00"...) }
	}
	return nil
}

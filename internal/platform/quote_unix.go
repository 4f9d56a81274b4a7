//go:build unix

package platform

import "strings"

// Quote quotes a word where a shell would not take it as it stands. Control
// characters are written as $'\x..' has them.
func Quote(w string) string {
	if w != "" && strings.IndexFunc(w, needsQuote) < 0 {
		return w
	}
	if strings.IndexFunc(w, func(r rune) bool { return r < ' ' || r == 0x7f }) < 0 {
		return "'" + strings.ReplaceAll(w, "'", `'\''`) + "'"
	}
	var out strings.Builder
	for _, c := range []byte(w) {
		switch {
		case c == '\'' || c == '\\':
			out.WriteString(`\` + string(rune(c)))
		case c < ' ' || c >= 0x7f:
			out.WriteString(`\x` + string("0123456789abcdef"[c>>4]) + string("0123456789abcdef"[c&15]))
		default:
			out.WriteByte(c)
		}
	}
	return "$'" + out.String() + "'"
}

func needsQuote(r rune) bool {
	return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r > 0x7f || strings.ContainsRune("-_./:@%+=,", r))
}

package cli

import (
	"net/url"
	"strings"
)

// shellWords writes words so that a shell takes each as it stands.
func shellWords(words []string) string {
	quoted := make([]string, len(words))
	for i, w := range words {
		quoted[i] = shellWord(w)
	}
	return strings.Join(quoted, " ")
}

// shellWord quotes a word where a shell would not take it as it stands. Control
// characters are written as $'\x..' has them.
func shellWord(w string) string {
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

// toText repeats --to, without a password.
func toText(to string) string {
	if to == "" {
		return ""
	}
	if u, err := url.Parse(to); err == nil && u.User != nil {
		u.User = url.User(u.User.Username())
		to = u.String()
	}
	return " --to " + shellWord(to)
}

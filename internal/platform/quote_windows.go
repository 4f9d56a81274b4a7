package platform

import "strings"

// Quote quotes a word where the shells of Windows, the old and the new one, would not take
// it as it stands.
func Quote(w string) string {
	if w != "" && strings.IndexFunc(w, needsQuote) < 0 {
		return w
	}
	return `"` + strings.ReplaceAll(w, `"`, `""`) + `"`
}

func needsQuote(r rune) bool {
	return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r > 0x7f || strings.ContainsRune(`-_./\:@+=`, r))
}

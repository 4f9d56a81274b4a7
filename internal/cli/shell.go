package cli

import (
	"net/url"
	"os"
	"strings"

	"ambertray/internal/platform"
)

// shellWords writes words so that a shell takes each as it stands.
func shellWords(words []string) string {
	quoted := make([]string, len(words))
	for i, w := range words {
		quoted[i] = shellWord(w)
	}
	return strings.Join(quoted, " ")
}

// shellWord quotes a word where a shell would not take it as it stands.
func shellWord(w string) string { return platform.Quote(w) }

// withTarget replaces TARGET in suggested commands by the target of the command line. It removes
// --to TARGET if AMBERTRAY_TO sets the target.
func (a *app) withTarget(text string) string {
	if a.to == "" && os.Getenv("AMBERTRAY_TO") == "" {
		return text
	}
	return strings.ReplaceAll(text, " --to TARGET", toText(a.to))
}

// toText repeats --to, without a password.
func toText(to string) string {
	if to == "" {
		return ""
	}
	u, err := url.Parse(to)
	switch {
	case err != nil:
		return " --to TARGET"
	case u.User != nil:
		u.User = url.User(u.User.Username())
		to = u.String()
	}
	return " --to " + shellWord(to)
}

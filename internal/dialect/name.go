package dialect

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// spelled are the symbols that a name spells out.
var spelled = map[rune]string{
	'%': "percent", '#': "no", '&': "and", '+': "plus", '@': "at", '=': "equals",
	'$': "usd", '€': "eur", '£': "gbp", '°': "degrees", '<': "under", '>': "over",
	'ß': "ss", 'æ': "ae", 'ø': "o", 'đ': "d", 'ł': "l", 'œ': "oe", 'þ': "th",
}

// Names returns a safe, readable and distinct identifier for each heading, in
// order: lower case ASCII letters, digits and underscores, at most max bytes.
// A heading without any letter or digit becomes column_N.
func Names(headings []string, max int) []string {
	names, taken := make([]string, len(headings)), map[string]bool{}
	for i, h := range headings {
		name := Identifier(h)
		if name == "" {
			name = fmt.Sprintf("column_%d", i+1)
		}
		name = cutName(name, max)
		for n := 2; taken[name]; n++ {
			suffix := fmt.Sprintf("_%d", n)
			name = cutName(cutName(Identifier(h), max-len(suffix))+suffix, max)
		}
		names[i], taken[name] = name, true
	}
	return names
}

func cutName(name string, max int) string {
	if len(name) > max {
		name = strings.TrimRight(name[:max], "_")
	}
	return name
}

// Identifier makes a safe identifier of any text: accents are taken off,
// symbols spelled out, words joined by underscores, and a leading digit gets
// an underscore before it. It is empty when nothing of the text is left.
func Identifier(text string) string {
	var words []string
	var word strings.Builder
	end := func() {
		if word.Len() > 0 {
			words = append(words, word.String())
			word.Reset()
		}
	}
	var before rune
	for _, r := range norm.NFKD.String(text) {
		lower := unicode.ToLower(r)
		switch {
		case lower < utf8.RuneSelf && (unicode.IsLetter(lower) || unicode.IsDigit(lower)):
			if unicode.IsUpper(r) && unicode.IsLower(before) {
				end()
			}
			word.WriteRune(lower)
		case spelled[lower] != "" && unicode.IsLetter(lower):
			word.WriteString(spelled[lower])
		case spelled[lower] != "":
			end()
			words = append(words, spelled[lower])
		case unicode.Is(unicode.Mn, r) || r == '\'' || r == '’':
		default:
			end()
		}
		before = r
	}
	end()
	name := strings.Join(words, "_")
	if name != "" && unicode.IsDigit(rune(name[0])) {
		name = "_" + name
	}
	return name
}

package dialect

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/mozillazg/go-unidecode"
	"golang.org/x/text/unicode/norm"
)

// spelled are the symbols that a name spells out.
var spelled = map[rune]string{
	'%': "percent", '‰': "permille", '#': "no", '&': "and", '+': "plus", '@': "at", '=': "equals", '°': "degrees", '<': "under", '>': "over",
	'$': "usd", '€': "eur", '£': "gbp", '¥': "jpy", '₹': "inr", '₽': "rub", '₩': "krw", '₺': "try", '±': "plus_minus", '×': "x", '≤': "at_most", '≥': "at_least",
}

// systemColumns are the names that every table of PostgreSQL has already.
var systemColumns = []string{"ctid", "oid", "xmin", "xmax", "cmin", "cmax", "tableoid"}

// Names returns a safe, readable and distinct identifier for each heading, in
// order: lower case letters, digits and underscores, at most max bytes. A
// heading without any letter or digit becomes column_N.
func Names(headings []string, max int) []string {
	names := make([]string, len(headings))
	for i, h := range headings {
		names[i] = Identifier(h)
		switch {
		case names[i] == "":
			names[i] = fmt.Sprintf("column_%d", i+1)
		case slices.Contains(systemColumns, names[i]):
			names[i] += "_value"
		}
	}
	return distinctNames(names, max)
}

// distinctNames cuts names to a length and numbers those that are alike, but
// never so that one becomes what another is called already.
func distinctNames(names []string, max int) []string {
	wanted, taken := map[string]bool{}, map[string]bool{}
	for _, name := range names {
		wanted[cutName(name, max)] = true
	}
	cut := make([]string, len(names))
	for i, full := range names {
		name := cutName(full, max)
		for n := 2; taken[name] || n > 2 && wanted[name]; n++ {
			suffix := fmt.Sprintf("_%d", n)
			name = cutName(full, max-len(suffix)) + suffix
		}
		cut[i], taken[name] = name, true
	}
	return cut
}

func cutName(name string, max int) string {
	for len(name) > max {
		_, n := utf8.DecodeLastRuneInString(name)
		name = strings.TrimRight(name[:len(name)-n], "_")
	}
	return name
}

// Identifier makes a safe identifier of any text: accents are taken off, Greek
// and Cyrillic written in Latin letters, other scripts kept, symbols spelled
// out, words joined by underscores, and a leading digit gets an underscore
// before it. It is empty when nothing of the text is left.
func Identifier(text string) string {
	var words []string
	var word strings.Builder
	end := func() {
		if word.Len() > 0 {
			words = append(words, word.String())
			word.Reset()
		}
	}
	runes := []rune(norm.NFKC.String(text))
	for i, r := range runes {
		switch {
		case spelled[r] != "":
			end()
			words = append(words, spelled[r])
		case unicode.In(r, unicode.Letter, unicode.Digit, unicode.Mark):
			if beginsWord(runes, i) {
				end()
			}
			word.WriteString(latin(r))
		case r == '\'' || r == '’':
		default:
			end()
		}
	}
	end()
	name := strings.Join(words, "_")
	if name != "" && unicode.IsDigit(rune(name[0])) {
		name = "_" + name
	}
	return name
}

// beginsWord reports whether a capital begins a word: after a small letter, as in
// foundOn, or before one after capitals, as in URLPath.
func beginsWord(runes []rune, i int) bool {
	if i == 0 || !unicode.IsUpper(runes[i]) {
		return false
	}
	next := i+1 < len(runes) && unicode.IsLower(runes[i+1])
	return unicode.IsLower(runes[i-1]) || unicode.IsUpper(runes[i-1]) && next && i+2 < len(runes) && unicode.IsLetter(runes[i+2])
}

// latin returns the small Latin letters for a letter or digit, or the character
// itself without a reading.
func latin(r rune) string {
	switch {
	case r == 'μ': // of micrograms, which must not become mg
		return "u"
	case r < utf8.RuneSelf:
		return string(unicode.ToLower(r))
	case unicode.In(r, unicode.Latin, unicode.Greek, unicode.Cyrillic):
		return strings.Map(func(c rune) rune {
			if unicode.IsLetter(c) || unicode.IsDigit(c) {
				return unicode.ToLower(c)
			}
			return -1
		}, unidecode.Unidecode(string(r)))
	case unicode.In(r, unicode.Inherited):
		return ""
	}
	return string(unicode.ToLower(r))
}

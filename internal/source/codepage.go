package source

import (
	"strings"
	"unicode"

	"golang.org/x/text/encoding/charmap"
)

// codePage is an encoding of one byte a character, and the languages that are
// written in it.
type codePage struct {
	name      string
	table     *charmap.Charmap
	languages []*language
	rare      float64 // what speaks against it: files in it are old
}

// language is what text of a language has beyond ASCII: its letters, the most
// frequent first. Words of one with a script of its own have no letters of ASCII.
type language struct {
	letters string
	script  *unicode.RangeTable // nil for Latin
	rank    map[rune]int
}

func newLanguage(letters string, script *unicode.RangeTable) *language {
	l := &language{letters: letters, script: script, rank: map[rune]int{}}
	for i, r := range []rune(letters) {
		l.rank[r] = i + 1
	}
	return l
}

var (
	western = []*language{
		newLanguage("éèàçêâîôûùëïœæ", nil), newLanguage("üäöß", nil), newLanguage("áíóéñúü", nil), newLanguage("ãçáéíóõêúâàô", nil),
		newLanguage("àèìòùé", nil), newLanguage("åäöøæé", nil), newLanguage("éëïóü", nil), newLanguage("íáðóúýæöéþ", nil),
	}
	central = []*language{
		newLanguage("łęóąśżćńź", nil), newLanguage("íáéěřčžšýůúňťďó", nil), newLanguage("áíéčžšýúľťňôäďóĺŕ", nil),
		newLanguage("áéőóöíüúű", nil), newLanguage("ăîâşţșț", nil), newLanguage("čšžćđ", nil),
	}
	turkish  = []*language{newLanguage("ıüşğçöİâî", nil)}
	baltic   = []*language{newLanguage("šėųžąūčįę", nil), newLanguage("āīšēūņļķģžč", nil), newLanguage("äõüöšž", nil)}
	cyrillic = []*language{
		newLanguage("оеаинтсрвлкмдпуяыьгзбчйхжшюцщэфъё", unicode.Cyrillic), newLanguage("оаиінвертскулдпмякьзигбчхйжшюєцїфщґ", unicode.Cyrillic),
		newLanguage("аеиоснтрвдклпмузябгјчшцжњљћђџфх", unicode.Cyrillic),
	}
	greek  = []*language{newLanguage("αοιετσνηυρπκμλςωγδχθφβξζψάίόέήύώϊϋ", unicode.Greek)}
	hebrew = []*language{newLanguage("יוהלאמרתבשנדקכעחםפטגצסזןץףך", unicode.Hebrew)}
	thai   = []*language{newLanguage("านรอกเงมยลว่ี้ดัทสตะปิบคหแจพชขใไ์ุูำื็ถึธผศโณญภษซฟฉฐฎฏฬฮฆฤๆ๊๋ฯ", unicode.Thai)}
	arabic = []*language{newLanguage("المينروتبدعكفسحقهجشطةصخزىثغأضءذئإظؤآ", unicode.Arabic)}
)

// codePages lists the encodings of one byte that are distinguished, in the order in
// which they are taken where the text does not decide.
var codePages = []codePage{
	{"windows-1252", charmap.Windows1252, western, 0},
	{"iso-8859-15", charmap.ISO8859_15, western, 0},
	{"windows-1250", charmap.Windows1250, central, 0},
	{"windows-1251", charmap.Windows1251, cyrillic, 0},
	{"windows-1253", charmap.Windows1253, greek, 0},
	{"windows-1254", charmap.Windows1254, turkish, 0},
	{"windows-1255", charmap.Windows1255, hebrew, 0},
	{"windows-1256", charmap.Windows1256, arabic, 0},
	{"windows-1257", charmap.Windows1257, baltic, 0},
	{"iso-8859-2", charmap.ISO8859_2, central, 0},
	{"iso-8859-5", charmap.ISO8859_5, cyrillic, 0},
	{"koi8-r", charmap.KOI8R, cyrillic, 0},
	{"koi8-u", charmap.KOI8U, cyrillic, 0},
	{"windows-874", charmap.Windows874, thai, 0},
	{"ibm866", charmap.CodePage866, cyrillic, rareToday},
	{"ibm850", charmap.CodePage850, western, rareToday},
	{"ibm437", charmap.CodePage437, western, rareToday},
	{"ibm852", charmap.CodePage852, central, rareToday},
	{"macintosh", charmap.Macintosh, western, rareToday},
}

// codePageByName returns the code page with a name.
func codePageByName(name string) (codePage, bool) {
	for _, p := range codePages {
		if p.name == name {
			return p, true
		}
	}
	return codePage{}, false
}

const rareToday = 0.15

// signs are characters that are not letters and may stand in any text.
const signs = "\u00a0°§£€²³½¼·±×–—‘’“”„«»…ºª®©™•µ¿¡"

// score says how well a sample reads in the code page: the mean over what is not
// ASCII of how well each character fits, at best about 1. It is negative for
// text that cannot be meant.
func (p *codePage) score(sample []byte) float64 {
	text := make([]rune, len(sample))
	for i, c := range sample {
		text[i] = p.table.DecodeByte(c)
	}
	best := -1.0
	for _, l := range p.languages {
		best = max(best, p.scoreAs(l, text))
	}
	return best - p.rare
}

// scoreAs is the mean of what the characters of a text beyond ASCII are worth in
// a language.
func (p *codePage) scoreAs(l *language, text []rune) float64 {
	sum, n := 0.0, 0
	at := func(i int) rune {
		if i < 0 || i >= len(text) {
			return ' '
		}
		return text[i]
	}
	for i, r := range text {
		if r < 0x80 {
			continue
		}
		n++
		if n > maxScored {
			break
		}
		sum += p.worth(l, r, at(i-1), at(i+1))
	}
	least := 1
	if l.script != nil || p.rare > 0 { // one or two letters come out of any encoding
		least = minTypical
	}
	return sum / float64(max(n, least))
}

// worth is what a character between two others is worth: most for a letter of the
// language, the more the more frequent it is, less for one of the other languages
// that are written so and for other signs, and less than nothing for what does
// not stand in words.
func (p *codePage) worth(l *language, r, before, after rune) float64 {
	inWord := unicode.IsLetter(before) && unicode.IsLetter(after)
	switch {
	case r == unicode.ReplacementChar || unicode.IsControl(r):
		return -2
	case !unicode.IsLetter(r) && l.rank[r] == 0: // vowels of Thai are marks
		if inWord && r != '’' || !strings.ContainsRune(signs, r) {
			return -1
		}
		return 0.7
	case !unicode.IsLetter(r) && !unicode.IsLetter(before) && l.rank[before] == 0:
		return -1 // a mark without its letter
	case r == 'ς' && unicode.IsLetter(after), unicode.IsUpper(r) && unicode.IsLower(before), unicode.IsLower(r) && unicode.IsUpper(before) && unicode.IsUpper(after):
		return -0.5 // as no word is written
	case l.script != nil && (isASCIILetter(before) || isASCIILetter(after)):
		return -1
	case l.script == nil && isAccented(before) && isAccented(after):
		return 0 // no word has three of them in a row
	case !unicode.IsLetter(before) && !unicode.IsLetter(after) && unicode.IsUpper(r):
		return 0.2
	case !unicode.IsLetter(before) && !unicode.IsLetter(after):
		return 0.6
	}
	lower := unicode.ToLower(r)
	rank := max(l.rank[lower], l.rank[r])
	switch {
	case rank > 0 && l.script == nil:
		return 1
	case rank > 0 && unicode.IsUpper(r) && unicode.IsUpper(before): // words in capitals are rare
		return 1.25 - 1.2*float64(rank)/float64(len(l.rank))
	case rank > 0:
		return 1.4 - 1.2*float64(rank)/float64(len(l.rank))
	}
	for _, other := range p.languages {
		if other.rank[lower] > 0 {
			return 0.8
		}
	}
	return 0.3
}

func isAccented(r rune) bool { return r >= 0x80 && unicode.IsLetter(r) }

func isASCIILetter(r rune) bool { return r|0x20 >= 'a' && r|0x20 <= 'z' }

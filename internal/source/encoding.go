package source

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/simplifiedchinese"
	utf16 "golang.org/x/text/encoding/unicode"
	"golang.org/x/text/encoding/unicode/utf32"
)

// Encoding is how the characters of a source are written in bytes.
type Encoding struct {
	Name string
	BOM  bool
	// Confidence, from 0 to 1, is how sure the detection is; 1 when it is set
	// explicitly. Below WeakGuess, Readings shows the text in this encoding and in
	// those that are nearly as likely.
	Confidence float64
	Readings   []Reading

	decoder   encoding.Encoding // nil for UTF-8
	bomLength int
}

const utf8Name = "utf-8"

// ASCII reports whether the bytes of ASCII stand for themselves.
func (e *Encoding) ASCII() bool {
	return !strings.HasPrefix(e.Name, "utf-16") && !strings.HasPrefix(e.Name, "utf-32") && !isEBCDIC(e.Name)
}

// IsUTF8 reports whether the source is UTF-8 without decoding.
func (e *Encoding) IsUTF8() bool { return e.decoder == nil }

// reader returns a reader of UTF-8, which is r if the source is UTF-8.
// What is not valid becomes U+FFFD.
func (e *Encoding) reader(r io.Reader) io.Reader {
	if e.decoder == nil {
		return r
	}
	return e.decoder.NewDecoder().Reader(r)
}

// Encode returns text in the encoding, or an error if that lacks a character of it.
func (e *Encoding) Encode(text []byte) ([]byte, error) {
	if e.decoder == nil {
		return text, nil
	}
	return e.decoder.NewEncoder().Bytes(text)
}

// Mark returns the byte order mark that a text in the encoding begins with, if it
// needs one.
func (e *Encoding) Mark() string { return wide[e.Name].bom }

// wide are the encodings of two and four bytes a character.
var wide = map[string]struct {
	encoding encoding.Encoding
	bom      string
}{
	"utf-32le": {utf32.UTF32(utf32.LittleEndian, utf32.IgnoreBOM), "\xff\xfe\x00\x00"},
	"utf-32be": {utf32.UTF32(utf32.BigEndian, utf32.IgnoreBOM), "\x00\x00\xfe\xff"},
	"utf-16le": {utf16.UTF16(utf16.LittleEndian, utf16.IgnoreBOM), "\xff\xfe"},
	"utf-16be": {utf16.UTF16(utf16.BigEndian, utf16.IgnoreBOM), "\xfe\xff"},
}

var wideOrder = []string{"utf-32le", "utf-32be", "utf-16le", "utf-16be"}

// The byte order marks of encodings whose ASCII stands for itself.
const (
	utf8BOM    = "\xef\xbb\xbf"
	gb18030BOM = "\x84\x31\x95\x33"
)

// detectEncoding returns the encoding of a source that begins with head; set
// is its name, or "".
func detectEncoding(head []byte, set string) (Encoding, error) {
	if set != "" {
		e, err := EncodingByName(set)
		e.setBOM(head)
		return e, err
	}
	if bytes.HasPrefix(head, []byte(utf8BOM)) {
		return Encoding{Name: utf8Name, BOM: true, bomLength: len(utf8BOM), Confidence: 1}, nil
	}
	if bytes.HasPrefix(head, []byte(gb18030BOM)) {
		return Encoding{Name: "gb18030", BOM: true, bomLength: len(gb18030BOM), Confidence: 1, decoder: simplifiedchinese.GB18030}, nil
	}
	for _, name := range wideOrder {
		w := wide[name]
		if bytes.HasPrefix(head, []byte(w.bom)) {
			return Encoding{Name: name, BOM: true, bomLength: len(w.bom), Confidence: 1, decoder: w.encoding}, nil
		}
	}
	name := wideByZeros(head)
	if name != "" && readsAsText(head[:min(len(head), 4096)&^3], wide[name].encoding) {
		return Encoding{Name: name, Confidence: 0.9, decoder: wide[name].encoding}, nil
	}
	name = mainframeText(head)
	if name != "" {
		return Encoding{Name: name, Confidence: 0.9, decoder: ibmPages[name]}, nil
	}
	list := guesses(head)
	mixed := mixedLines(head)
	if mixed != nil && list[0].Confidence < 1 && checkSignature(head) == nil && checkControls(head) == nil {
		return Encoding{}, mixed
	}
	if list[0].Confidence < WeakGuess {
		list[0].Readings = readings(list, head)
	}
	return list[0], nil
}

// EncodingByName returns the encoding with that name.
func EncodingByName(name string) (Encoding, error) {
	name = strings.ToLower(name)
	p, ok := codePageByName(name)
	if ok {
		return Encoding{Name: p.name, Confidence: 1, decoder: p.table}, nil
	}
	ibm := strings.Replace(name, "cp", "ibm", 1)
	page, ok := ibmPages[ibm]
	if ok {
		return Encoding{Name: ibm, Confidence: 1, decoder: page}, nil
	}
	w, ok := wide[name]
	if ok {
		return Encoding{Name: name, Confidence: 1, decoder: w.encoding}, nil
	}
	if name == "iso-8859-1" { // which the index of the web takes for windows-1252
		return Encoding{Name: name, Confidence: 1, decoder: charmap.ISO8859_1}, nil
	}
	enc, err := htmlindex.Get(name)
	if err != nil {
		return Encoding{}, fmt.Errorf("unknown encoding %q; write one of utf-8, utf-16le, utf-32be, windows-1252, windows-1250, windows-1251, iso-8859-15, koi8-r, ibm850, ibm037, shift_jis, euc-jp, gb18030, big5, euc-kr and the like", name)
	}
	canonical, err := htmlindex.Name(enc)
	if err == nil && canonical == utf8Name {
		return Encoding{Name: utf8Name, Confidence: 1}, nil
	}
	return Encoding{Name: name, Confidence: 1, decoder: enc}, nil
}

func (e *Encoding) setBOM(head []byte) {
	mark := utf8BOM
	w, ok := wide[e.Name]
	if ok {
		mark = w.bom
	} else if e.Name == "gb18030" {
		mark = gb18030BOM
	} else if e.Name != utf8Name {
		return
	}
	if bytes.HasPrefix(head, []byte(mark)) {
		e.BOM, e.bomLength = true, len(mark)
	}
}

// wideByZeros finds text of two or four bytes a character by where its zero
// bytes stand: nearly always in the same places.
func wideByZeros(head []byte) string {
	head = head[:min(len(head), 4096)&^3]
	var zeros [4]int
	for i, c := range head {
		if c == 0 {
			zeros[i%4]++
		}
	}
	most := func(places ...int) bool {
		for _, p := range places {
			if zeros[p]*10 < len(head)/4*7 {
				return false
			}
		}
		return len(head) >= 8
	}
	switch {
	case most(1, 2, 3):
		return "utf-32le"
	case most(0, 1, 2):
		return "utf-32be"
	case most(1, 3):
		return "utf-16le"
	case most(0, 2):
		return "utf-16be"
	}
	return ""
}

// readsAsText reports whether nearly all characters that the bytes are in an encoding occur
// in texts.
func readsAsText(head []byte, e encoding.Encoding) bool {
	decoded, _ := e.NewDecoder().Bytes(head)
	characters, strange := 0, 0
	for _, r := range string(decoded) {
		characters++
		if r == utf8.RuneError || !unicode.IsGraphic(r) && !unicode.IsSpace(r) {
			strange++
		}
	}
	return float64(strange) <= maxControls*float64(characters)
}

// WeakGuess is the confidence below which a detected encoding is a guess that a
// person should check.
const WeakGuess = 0.6

// Guess returns the most likely encoding of text whose ASCII stands for itself.
// sample should hold what is not ASCII in it.
func Guess(sample []byte) Encoding { return guesses(sample)[0] }

// guesses returns the encodings that text may be in, the most likely first.
func guesses(sample []byte) []Encoding {
	share := shareUTF8(sample)
	if share == 1 {
		return []Encoding{{Name: utf8Name, Confidence: 1}}
	}
	list := []Encoding{{Name: utf8Name, Confidence: share}}
	for i := range codePages {
		p := &codePages[i]
		list = append(list, Encoding{Name: p.name, Confidence: p.score(sample) - 0.002*float64(i), decoder: p.table})
	}
	if isolated(sample) <= 0.4 {
		for _, c := range eastAsian {
			list = append(list, Encoding{Name: c.name, Confidence: c.score(sample), decoder: c.encoding})
		}
	}
	if share > 0.7 {
		list[0].Confidence = 2 // a few bad bytes
	}
	slices.SortStableFunc(list, func(a, b Encoding) int { return cmp.Compare(b.Confidence, a.Confidence) })
	if list[0].Name == utf8Name {
		list[0].Confidence = share
		return list
	}
	if list[0].Confidence < noGuess {
		i := slices.IndexFunc(list, func(e Encoding) bool { return e.Name == codePages[0].name })
		list = slices.Concat(list[i:i+1], list[:i], list[i+1:])
	}
	list[0].Confidence = confidence(list)
	if list[0].Name != codePages[0].name && kindsBeyondASCII(sample) <= fewKinds {
		list[0].Confidence = min(list[0].Confidence, 0.5)
	}
	return list
}

// fewKinds is how many different bytes beyond ASCII prove no encoding but the most widespread.
const fewKinds = 2

// kindsBeyondASCII counts the different bytes beyond ASCII.
func kindsBeyondASCII(sample []byte) (n int) {
	var seen [256]bool
	for _, c := range sample {
		if c >= 0x80 && !seen[c] {
			seen[c] = true
			n++
		}
	}
	return n
}

// noGuess is the score below which nothing speaks for any encoding, and the most
// widespread is taken.
const noGuess = 0.25

// confidence is how sure the first of several encodings is: less where the next
// that would read in another way is as good.
func confidence(list []Encoding) float64 {
	sure := list[0].Confidence
	for _, next := range list[1:] {
		if next.Name != "iso-8859-15" && next.Name != "koi8-u" { // which differ in few characters
			sure = min(sure, 0.5+2*(list[0].Confidence-next.Confidence))
			break
		}
	}
	return max(0.1, min(sure, 0.95))
}

// shareUTF8 is the share of valid sequences among what is not ASCII, 1 where
// all of it is. A sequence that is cut off at the end counts for nothing.
func shareUTF8(sample []byte) float64 {
	if utf8.Valid(sample) {
		return 1
	}
	valid, bad := 0, 0
	for i := 0; i < len(sample); {
		r, n := utf8.DecodeRune(sample[i:])
		switch {
		case n > 1:
			valid++
		case r == utf8.RuneError && utf8.FullRune(sample[i:]):
			bad++
		}
		i += n
	}
	if bad == 0 {
		return 1
	}
	return float64(valid) / float64(valid+bad)
}

// isolated is the share of bytes beyond ASCII that have ASCII on both sides:
// high in scripts of one byte a character, low in those of two.
func isolated(sample []byte) float64 {
	high, alone := 0, 0
	for i, c := range sample {
		if c < 0x80 {
			continue
		}
		high++
		before := i == 0 || sample[i-1] < 0x80
		after := i+1 == len(sample) || sample[i+1] < 0x40 || sample[i+1] >= 'a' && sample[i+1] <= 'z'
		if before && after {
			alone++
		}
	}
	return float64(alone) / float64(max(high, 1))
}

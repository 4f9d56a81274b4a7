// Package codepage knows the encodings of texts that a server keeps in one byte a
// character, or in a few.
package codepage

import (
	"encoding/binary"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/korean"
	"golang.org/x/text/encoding/simplifiedchinese"
	"golang.org/x/text/encoding/traditionalchinese"
)

// UTF8 is the number of the code page that has every character.
const UTF8 = 65001

// Page is a code page.
type Page struct {
	Number int
	text   encoding.Encoding // nil for UTF-8
}

// pages are those that collations have, by their numbers.
var pages = map[int]encoding.Encoding{
	437: charmap.CodePage437, 850: charmap.CodePage850, 874: charmap.Windows874, 932: japanese.ShiftJIS, 936: simplifiedchinese.GBK, 949: korean.EUCKR, 950: traditionalchinese.Big5,
	1250: charmap.Windows1250, 1251: charmap.Windows1251, 1252: charmap.Windows1252, 1253: charmap.Windows1253, 1254: charmap.Windows1254,
	1255: charmap.Windows1255, 1256: charmap.Windows1256, 1257: charmap.Windows1257, 1258: charmap.Windows1258,
}

// ByNumber returns a code page, or nil for one that is not known.
func ByNumber(n int) *Page {
	if n == UTF8 {
		return &Page{Number: n}
	}
	text := pages[n]
	if text != nil {
		return &Page{n, text}
	}
	return nil
}

// Encode returns a text of UTF-8 in the code page; ok is false where that lacks a
// character. It may be the text itself.
func (p *Page) Encode(text []byte) (encoded []byte, ok bool) {
	if p.text == nil || ASCII(text) {
		return text, true
	}
	encoded, err := p.text.NewEncoder().Bytes(text)
	return encoded, err == nil
}

// Decode returns a text of the code page in UTF-8. It may be the text itself.
func (p *Page) Decode(text []byte) []byte {
	if p.text == nil || ASCII(text) {
		return text
	}
	decoded, err := p.text.NewDecoder().Bytes(text)
	if err != nil {
		return text
	}
	return decoded
}

// ASCII reports whether a text has no other characters.
func ASCII(text []byte) bool {
	const high = 0x8080808080808080
	for len(text) >= 8 {
		if binary.NativeEndian.Uint64(text)&high != 0 {
			return false
		}
		text = text[8:]
	}
	for _, c := range text {
		if c >= 0x80 {
			return false
		}
	}
	return true
}

package source

import (
	"bytes"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
)

// ibmPages are the code pages of IBM: those of DOS, and those of mainframes. They are also called
// cp850 and the like.
var ibmPages = map[string]encoding.Encoding{
	usualPage: mainframe{charmap.CodePage037, false}, newLinePage: mainframe{charmap.CodePage1047, true}, "ibm1140": mainframe{charmap.CodePage1140, false},
	"ibm437": charmap.CodePage437, "ibm850": charmap.CodePage850, "ibm852": charmap.CodePage852, "ibm855": charmap.CodePage855, "ibm858": charmap.CodePage858,
	"ibm860": charmap.CodePage860, "ibm862": charmap.CodePage862, "ibm863": charmap.CodePage863, "ibm865": charmap.CodePage865, "ibm866": charmap.CodePage866,
}

const (
	usualPage   = "ibm037"
	newLinePage = "ibm1047" // of Unix on mainframes, which ends lines with a character of its own
)

// isEBCDIC reports whether an encoding is one of mainframes, in which ASCII does not stand for itself.
func isEBCDIC(name string) bool {
	_, ok := ibmPages[name].(mainframe)
	return ok
}

// nextLine ends lines on mainframes, as the line feed does.
const nextLine = '\u0085'

// mainframe is an encoding of mainframes. Both of its line endings are read as line feeds; which
// one is written depends on the system.
type mainframe struct {
	encoding.Encoding
	writesNextLine bool
}

// NewDecoder implements encoding.Encoding.
func (m mainframe) NewDecoder() *encoding.Decoder {
	feeds := runes.Map(func(r rune) rune {
		if r == nextLine {
			return '\n'
		}
		return r
	})
	return &encoding.Decoder{Transformer: transform.Chain(m.Encoding.NewDecoder(), feeds)}
}

// NewEncoder implements encoding.Encoding.
func (m mainframe) NewEncoder() *encoding.Encoder {
	if !m.writesNextLine {
		return m.Encoding.NewEncoder()
	}
	ends := runes.Map(func(r rune) rune {
		if r == '\n' {
			return nextLine
		}
		return r
	})
	return &encoding.Encoder{Transformer: transform.Chain(ends, m.Encoding.NewEncoder())}
}

// The bytes of line endings in EBCDIC.
const (
	ebcdicNextLine = 0x15
	ebcdicLineFeed = 0x25
)

// mainframeText returns the name of the encoding if bytes are text of a mainframe, else "". In
// EBCDIC, letters, digits and spaces are bytes that hardly occur in other texts.
func mainframeText(head []byte) string {
	usual, high := 0, 0 // high: of letters and digits
	for _, c := range head {
		if usualEBCDIC[c] {
			usual++
		}
		if c >= 0x80 {
			high++
		}
	}
	switch {
	case len(head) < 8 || usual*100 < len(head)*95 || high*5 < len(head) || shareUTF8(head) == 1:
		return ""
	case bytes.IndexByte(head, ebcdicNextLine) >= 0:
		return newLinePage
	}
	return usualPage
}

// usualEBCDIC are the bytes of letters, digits, spaces, the most frequent signs and line endings.
var usualEBCDIC = func() (usual [256]bool) {
	const text = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789 .,;:-/|+_()'\"\t\r"
	b, _ := charmap.CodePage037.NewEncoder().String(text)
	for i := range len(b) {
		usual[b[i]] = true
	}
	usual[ebcdicNextLine], usual[ebcdicLineFeed] = true, true
	return usual
}()

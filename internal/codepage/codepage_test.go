package codepage_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/codepage"
)

// TestReturns sends every character there and back through every page: what a page takes it
// gives back, in a text of other characters too, and what it lacks it does not take.
func TestReturns(t *testing.T) {
	for number, taken := range map[int]int{
		437: 256, 850: 256, 874: 225, 932: 6000, 936: 20000, 949: 8000, 950: 13000, 1250: 251, 1251: 255, 1252: 251, 1253: 239, 1254: 249, 1255: 233, 1256: 256, 1257: 244, 1258: 247,
		codepage.UTF8: 63488,
	} {
		page := codepage.ByNumber(number)
		require.Equal(t, number, page.Number)
		n := 0
		for r := rune(0); r < 0x10000; r++ {
			if r >= 0xd800 && r < 0xe000 {
				continue
			}
			text := "ä" + string(r) + "z"
			encoded, ok := page.Encode([]byte(string(r)))
			if !ok {
				continue
			}
			n++
			require.Equal(t, string(r), string(page.Decode(encoded)), "page %d, U+%04X", number, r)
			both, ok := page.Encode([]byte(text))
			if ok {
				require.Equal(t, text, string(page.Decode(both)), "page %d, U+%04X", number, r)
			}
		}
		require.GreaterOrEqual(t, n, taken, "page %d", number)
		_, ok := page.Encode([]byte("😀"))
		require.Equal(t, number == codepage.UTF8, ok, "page %d", number)
	}
	require.Nil(t, codepage.ByNumber(37))
}

// TestASCII finds one character beyond ASCII wherever it stands.
func TestASCII(t *testing.T) {
	for n := range 40 {
		text := []byte(strings.Repeat("a", n))
		require.True(t, codepage.ASCII(text))
		for at := range text {
			for _, c := range []byte{0x80, 0xff} {
				text[at] = c
				require.False(t, codepage.ASCII(text), "%d of %d", at, n)
			}
			text[at] = 0x7f
		}
	}
}

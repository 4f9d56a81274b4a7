package record

import (
	"bytes"
	"encoding/binary"
	"slices"
	"unicode/utf8"
)

// replacement is what decoding makes of bytes that are not valid.
var replacement = []byte("\uFFFD")

// CheckText notes the records whose text is not valid: bytes that are not
// UTF-8, or that were no characters in the encoding that it was decoded from,
// and NUL characters. Text without any, which is the rule, is seen in one pass.
func (b *Batch) CheckText(decoded bool) {
	text := b.Data[:b.Raw]
	zero := bytes.IndexByte(text, 0) >= 0
	bad := !ascii(text) && !utf8.Valid(text) || decoded && bytes.Contains(text, replacement)
	if !zero && !bad {
		return
	}
	old := b.Oddities
	b.Oddities = nil
	for r := range b.Len() {
		for ; len(old) > 0 && old[0].Record == r; old = old[1:] {
			b.Oddities = append(b.Oddities, old[0])
		}
		row := b.Text(r)
		switch {
		case bad && (!utf8.Valid(row) || decoded && bytes.Contains(row, replacement)):
			b.noteAt(r, BadEncoding, badOffset(row))
		case zero && bytes.IndexByte(row, 0) >= 0:
			b.noteAt(r, NUL, bytes.IndexByte(row, 0))
		}
	}
}

// NoteRecords notes an oddity of some records, in order, at the beginning of each.
func (b *Batch) NoteRecords(records []int, what What) {
	for _, r := range records {
		at, _ := slices.BinarySearchFunc(b.Oddities, r+1, func(o Oddity, r int) int { return o.Record - r })
		b.Oddities = slices.Insert(b.Oddities, at, Oddity{Record: r, What: what, offset: int(b.records[r].start)})
	}
}

// ascii reports whether text is all ASCII, looking at 32 bytes at a time.
func ascii(text []byte) bool {
	var seen uint64
	for len(text) >= 32 {
		seen |= binary.LittleEndian.Uint64(text) | binary.LittleEndian.Uint64(text[8:16]) |
			binary.LittleEndian.Uint64(text[16:24]) | binary.LittleEndian.Uint64(text[24:32])
		text = text[32:]
	}
	for _, c := range text {
		seen |= uint64(c)
	}
	return seen&0x8080808080808080 == 0
}

// noteAt records an oddity at an offset in the text of record r.
func (b *Batch) noteAt(r int, what What, offset int) {
	at := int(b.records[r].start) + offset
	cell := 0
	for c, s := range b.Cells(r) {
		if int(s.Start) <= at && int(s.End) <= b.Raw {
			cell = c
		}
	}
	b.Oddities = append(b.Oddities, Oddity{Record: r, Cell: cell, What: what, offset: at})
}

// badOffset returns where the first character is that is not valid.
func badOffset(row []byte) int {
	for i := 0; i < len(row); {
		r, n := utf8.DecodeRune(row[i:])
		if r == utf8.RuneError {
			return i
		}
		i += n
	}
	return 0
}

// MaxShown is how many bytes of a cell are kept to show it.
const MaxShown = 256

// Clip returns the beginning of a cell, to be shown. It is cut between two
// characters, and what is not a character is replaced.
func Clip(cell []byte) string {
	if len(cell) > MaxShown {
		n := MaxShown
		for n > MaxShown-utf8.UTFMax && !utf8.RuneStart(cell[n]) {
			n--
		}
		cell = cell[:n]
	}
	return string(bytes.ToValidUTF8(cell, replacement))
}

package sqlserver

import (
	"encoding/binary"
	"slices"

	"ambertray/internal/codepage"
)

// utf8Flag is the bit of a collation whose code page is UTF-8.
const utf8Flag = 1 << 26

// sorts are the code pages of the older sort orders, by the first number of each range
// (section 2.2.5.1.2 of [MS-TDS], and the view fn_helpcollations of the server).
var sorts = []struct{ from, to, page int }{
	{30, 35, 437}, {40, 49, 850}, {50, 54, 1252}, {55, 61, 850}, {71, 75, 1252}, {80, 98, 1250}, {104, 108, 1251}, {112, 124, 1253},
	{128, 130, 1254}, {136, 138, 1255}, {144, 146, 1256}, {152, 160, 1257}, {183, 186, 1252}, {192, 193, 932}, {194, 195, 949}, {196, 197, 950}, {198, 199, 936},
	{200, 200, 932}, {201, 201, 949}, {202, 202, 950}, {203, 203, 936}, {204, 206, 874}, {210, 217, 1252},
}

// languages are the code pages of the languages that have another than 1252, by the
// low byte of their number, and by all of it where it matters.
var languages = map[int]int{
	0x01: 1256, 0x02: 1251, 0x04: 936, 0x05: 1250, 0x08: 1253, 0x0d: 1255, 0x0e: 1250, 0x11: 932, 0x12: 949, 0x15: 1250, 0x18: 1250, 0x19: 1251, 0x1a: 1250,
	0x1b: 1250, 0x1c: 1250, 0x1e: 874, 0x1f: 1254, 0x20: 1256, 0x22: 1251, 0x23: 1251, 0x24: 1250, 0x25: 1257, 0x26: 1257, 0x27: 1257, 0x29: 1256, 0x2a: 1258,
	0x2c: 1254, 0x2f: 1251, 0x3f: 1251, 0x42: 1250, 0x43: 1254, 0x44: 1251, 0x50: 1251, 0x6d: 1251, 0x80: 1256, 0x85: 1251, 0x8c: 1256,
	0x0404: 950, 0x0c04: 950, 0x1404: 950,
}

// codePageOf returns the code page of a collation: its language and flags in four
// bytes, and its sort order in one.
func codePageOf(collation []byte) *codepage.Page {
	info, sort := int(binary.LittleEndian.Uint32(collation)), int(collation[4])
	if info&utf8Flag != 0 {
		return codepage.ByNumber(codepage.UTF8)
	}
	i := slices.IndexFunc(sorts, func(s struct{ from, to, page int }) bool { return sort >= s.from && sort <= s.to })
	if i >= 0 {
		return codepage.ByNumber(sorts[i].page)
	}
	language := info & 0xffff
	page, ok := languages[language]
	if ok && language > 0xff {
		return codepage.ByNumber(page)
	}
	page, ok = languages[language&0xff]
	if ok {
		return codepage.ByNumber(page)
	}
	return codepage.ByNumber(1252)
}

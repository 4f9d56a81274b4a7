package database

import (
	"bytes"
	"encoding/hex"
	"fmt"

	"ambertray/internal/table"
)

// hexDigits returns the digits of bytes that are written as 0x00ff or \x00ff, in lower case.
func hexDigits(text []byte) (digits []byte, ok bool) {
	lower := bytes.ToLower(text)
	digits, ok = bytes.CutPrefix(lower, []byte("0x"))
	if !ok {
		digits, ok = bytes.CutPrefix(lower, []byte(`\x`))
	}
	_, err := hex.Decode(make([]byte, hex.DecodedLen(len(digits))), digits)
	return digits, ok && err == nil
}

// BytesOf returns the type and the limit of a column of bytes, of which it takes from least to
// most. They are given back as hexadecimal digits after 0x.
func BytesOf(native string, least, most int) (*table.Type, *table.Limit, bool) {
	return &table.Type{Kind: table.Text, Size: table.Bytes}, BytesLimit(native, "0x", least, most), true
}

// BytesLimit returns the limit of a column of bytes, of which it takes from least to most, and
// gives them back as hexadecimal digits after a prefix.
func BytesLimit(native, prefix string, least, most int) *table.Limit {
	return &table.Limit{Native: native, Text: func(text []byte) ([]byte, string) {
		digits, ok := hexDigits(text)
		n := len(digits) / 2
		switch {
		case !ok:
			return nil, "not bytes in hexadecimal digits, such as 0x00ff"
		case n < least || n > most:
			return nil, fmt.Sprintf("%d bytes do not fit %s", n, native)
		}
		return append([]byte(prefix), digits...), ""
	}}
}

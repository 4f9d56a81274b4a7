package postgres

import (
	"encoding/binary"
	"fmt"
	"math"
	"regexp"
	"strconv"

	"ambertray/internal/table"
)

var bitsForm = regexp.MustCompile(`^bit( varying)?(?:\((\d+)\))?$`)

// bitsType returns the text type for strings of bits, and its limit.
func bitsType(native string) (*table.Type, *table.Limit, bool) {
	m := bitsForm.FindStringSubmatch(native)
	if m == nil {
		return nil, nil, false
	}
	most, err := strconv.Atoi(m[2])
	if err != nil { // varying without a number
		most = math.MaxInt32
	}
	limit := &table.Limit{Native: native, Text: func(text []byte) ([]byte, string) {
		for _, c := range text {
			if c != '0' && c != '1' {
				return nil, "not of the digits 0 and 1"
			}
		}
		if len(text) > most || len(text) < most && m[1] == "" {
			return nil, fmt.Sprintf("%d bits, not %s", len(text), native)
		}
		return text, ""
	}}
	return &table.Type{Kind: table.Text, Size: table.Bits}, limit, true
}

// encodeBits appends bits as bit_recv reads them: their number, and eight in each byte.
func encodeBits(dst, text []byte) []byte {
	dst = binary.BigEndian.AppendUint32(dst, uint32(len(text)))
	for i, c := range text {
		if i%8 == 0 {
			dst = append(dst, 0)
		}
		dst[len(dst)-1] |= (c - '0') << (7 - i%8)
	}
	return dst
}

// bitsText is the inverse of encodeBits.
func bitsText(field []byte) []byte {
	text := make([]byte, binary.BigEndian.Uint32(field))
	for i := range text {
		text[i] = '0' + field[4+i/8]>>(7-i%8)&1
	}
	return text
}

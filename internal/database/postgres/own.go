package postgres

import (
	"encoding/binary"
	"encoding/hex"
	"math"
	"net"

	"ambertray/internal/database"
	"ambertray/internal/table"
)

// ownType is a type whose values have a form of their own in the binary format. They are sent
// from the text that the server's cast returns, and rows are proved by that text.
type ownType struct {
	limit *table.Limit
	// encode appends the field of a text that the limit returns; text is its inverse.
	encode func(dst, text []byte) []byte
	text   func(field []byte) []byte
}

// ownSizes are the sizes of the text types that stand for them.
var ownSizes = map[string]int{
	"jsonb": table.JSON, "inet": table.Address, "cidr": table.Network, "bytea": table.Bytes, "macaddr": table.Hardware, "interval": table.Interval,
	"smallint[]": table.Array, "integer[]": table.Array + 1, "bigint[]": table.Array + 2, "text[]": table.Array + 3, "character varying[]": table.Array + 4,
}

var ownTypes = map[int]ownType{
	table.JSON: {jsonb.Limit(), func(dst, text []byte) []byte { return append(append(dst, versionJSON), text...) },
		func(field []byte) []byte { return field[1:] }},
	table.Address:   {limitInet, func(dst, text []byte) []byte { return appendInet(dst, text, 0) }, inetText},
	table.Network:   {limitCidr, func(dst, text []byte) []byte { return appendInet(dst, text, 1) }, inetText},
	table.Bytes:     {database.BytesLimit("bytea", bytesPrefix, 0, math.MaxInt32), decodeBytes, bytesText},
	table.Hardware:  {&table.Limit{Native: "macaddr", Text: canonicalHardware}, decodeHardware, hardwareText},
	table.Interval:  {&table.Limit{Native: "interval", Text: canonicalInterval}, encodeInterval, intervalText},
	table.Array:     arrayOf("smallint", 21, 16),
	table.Array + 1: arrayOf("integer", 23, 32),
	table.Array + 2: arrayOf("bigint", 20, 64),
	table.Array + 3: arrayOf("text", 25, 0),
	table.Array + 4: arrayOf("character varying", 1043, 0),
}

// versionJSON comes before the text of a jsonb.
const versionJSON = 1

// append appends the field of a text with its length.
func (o *ownType) append(dst, text []byte) []byte {
	at := len(dst)
	dst = o.encode(append(dst, 0, 0, 0, 0), text)
	binary.BigEndian.PutUint32(dst[at:], uint32(len(dst)-at-4))
	return dst
}

// bytesPrefix begins the digits of bytes that the server's cast returns.
const bytesPrefix = `\x`

func decodeBytes(dst, text []byte) []byte {
	dst, _ = hex.AppendDecode(dst, text[len(bytesPrefix):]) // the limit has seen that they are digits
	return dst
}

func bytesText(field []byte) []byte { return hex.AppendEncode([]byte(bytesPrefix), field) }

// canonicalHardware returns an address of six bytes as the server's cast.
func canonicalHardware(text []byte) ([]byte, string) {
	address, err := net.ParseMAC(string(text))
	if err != nil || len(address) != 6 {
		return nil, "not an address such as 08:00:2b:01:02:03"
	}
	return []byte(address.String()), ""
}

func decodeHardware(dst, text []byte) []byte {
	address, _ := net.ParseMAC(string(text)) // the limit has seen that it is one
	return append(dst, address...)
}

func hardwareText(field []byte) []byte { return []byte(net.HardwareAddr(field).String()) }

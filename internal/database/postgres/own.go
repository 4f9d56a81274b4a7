package postgres

import (
	"encoding/binary"
	"encoding/hex"
	"maps"
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
	"jsonb": table.JSON, "inet": table.Address, "cidr": table.Network, "bytea": table.Bytes, "macaddr": table.Hardware, "macaddr8": table.LongHardware,
	"interval": table.Interval,
}

// ownTypes have no limit where that depends on more than the size.
var ownTypes = func() map[int]ownType {
	types := arrays()
	maps.Copy(types, map[int]ownType{
		table.JSON: {jsonb.Limit(), func(dst, text []byte) []byte { return append(append(dst, versionJSON), text...) },
			func(field []byte) []byte { return field[1:] }},
		table.Address:      {limitInet, func(dst, text []byte) []byte { return appendInet(dst, text, 0) }, inetText},
		table.Network:      {limitCidr, func(dst, text []byte) []byte { return appendInet(dst, text, 1) }, inetText},
		table.Bytes:        {database.BytesLimit("bytea", bytesPrefix, 0, math.MaxInt32), decodeBytes, bytesText},
		table.Hardware:     {hardwareLimit("macaddr", 6, "08:00:2b:01:02:03"), decodeHardware, hardwareText},
		table.LongHardware: {hardwareLimit("macaddr8", 8, "08:00:2b:01:02:03:04:05"), decodeHardware, hardwareText},
		table.Interval:     {&table.Limit{Native: "interval", Text: canonicalInterval}, encodeInterval, intervalText},
		table.Bits:         {nil, encodeBits, bitsText},
		table.TimeTZ:       {nil, encodeTimeTZ, timeTZText},
	})
	return types
}()

// ownTypeOf returns the text type that stands for a type with a form of its own, and its limit.
func ownTypeOf(native string) (*table.Type, *table.Limit, bool) {
	size, ok := ownSizes[native]
	if ok {
		return &table.Type{Kind: table.Text, Size: size}, ownTypes[size].limit, true
	}
	for _, find := range []func(string) (*table.Type, *table.Limit, bool){bitsType, timeTZType, arrayType} {
		t, limit, ok := find(native)
		if ok {
			return t, limit, true
		}
	}
	return nil, nil, false
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

// hardwareLimit returns the limit of addresses with a number of bytes, which are as the server's cast.
func hardwareLimit(native string, bytes int, example string) *table.Limit {
	return &table.Limit{Native: native, Text: func(text []byte) ([]byte, string) {
		address, err := net.ParseMAC(string(text))
		if err != nil || len(address) != bytes {
			return nil, "not an address such as " + example
		}
		return []byte(address.String()), ""
	}}
}

func decodeHardware(dst, text []byte) []byte {
	address, _ := net.ParseMAC(string(text)) // the limit has seen that it is one
	return append(dst, address...)
}

func hardwareText(field []byte) []byte { return []byte(net.HardwareAddr(field).String()) }

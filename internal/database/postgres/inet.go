package postgres

import (
	"net/netip"

	"ambertray/internal/database"
)

// Columns of type inet contain addresses with the number of bits of their networks, and columns
// of type cidr contain networks. Rows are proved by the text that the server's cast returns.
var (
	limitInet = database.AddressLimit("inet", prefixText)
	limitCidr = database.AddressLimit("cidr", func(p netip.Prefix) string {
		if p != p.Masked() {
			return ""
		}
		return prefixText(p)
	})
)

// shortestZeros is the shortest run of zeros that the server leaves out of an address.
const shortestZeros = 2

func prefixText(p netip.Prefix) string {
	return database.AddressText(p.Addr(), shortestZeros) + p.String()[len(p.Addr().String()):]
}

// The families of addresses in the binary format, as utils/inet.h of the server's source
// numbers them.
const (
	family4 = 2
	family6 = 3
)

// appendInet appends an address as inet_recv reads it, or a network as cidr_recv does; network
// says which, as 0 or 1.
func appendInet(dst, text []byte, network byte) []byte {
	p, err := netip.ParsePrefix(string(text))
	if err != nil {
		return dst // which the server refuses
	}
	family, address := byte(family6), p.Addr().AsSlice()
	if p.Addr().Is4() {
		family = family4
	}
	dst = append(dst, family, byte(p.Bits()), network, byte(len(address)))
	return append(dst, address...)
}

// inetText returns the text of an address in the binary format.
func inetText(field []byte) []byte {
	a, ok := netip.AddrFromSlice(field[min(4, len(field)):])
	if !ok {
		return nil
	}
	return []byte(prefixText(netip.PrefixFrom(a, int(field[1]))))
}

package database

import (
	"net/netip"
	"strconv"

	"ambertray/internal/table"
)

// AddressText returns an address as servers write it. In version 6 they leave out the longest
// run of zeros, if it has at least the shortest length. They write the last four bytes as an
// address of version 4 if the others are zero, or if the address is mapped (RFC 4291).
func AddressText(a netip.Addr, shortest int) string {
	if a.Is4() || a.Is4In6() {
		return a.String()
	}
	bytes := a.As16()
	var words [8]uint64
	for i := range words {
		words[i] = uint64(bytes[2*i])<<8 | uint64(bytes[2*i+1])
	}
	from, to := longestZeros(words)
	if from == 0 && to == 6 {
		return "::" + netip.AddrFrom4([4]byte(bytes[12:])).String()
	}
	if to-from < shortest {
		from, to = len(words), len(words)
	}
	var text []byte
	for i := 0; i < len(words); i++ {
		switch {
		case i == from:
			text = append(text, "::"...)
			i = to - 1
			continue
		case i > 0 && i != to:
			text = append(text, ':')
		}
		text = strconv.AppendUint(text, words[i], 16)
	}
	return string(text)
}

// longestZeros returns where the longest run of zeros begins and ends.
func longestZeros(words [8]uint64) (from, to int) {
	start := 0
	for i, word := range words {
		if word != 0 {
			start = i + 1
			continue
		}
		if i+1-start > to-from {
			from, to = start, i+1
		}
	}
	return from, to
}

// AddressLimit returns the limit of a column of addresses. write returns the text that the
// column stores, or "" for an address that it rejects.
func AddressLimit(native string, write func(netip.Prefix) string) *table.Limit {
	return &table.Limit{Native: native, Text: func(text []byte) ([]byte, string) {
		p, err := netip.ParsePrefix(string(text))
		if err != nil {
			a, noAddress := netip.ParseAddr(string(text))
			if noAddress != nil || a.Zone() != "" {
				return nil, "not an address of the network"
			}
			p = netip.PrefixFrom(a, a.BitLen())
		}
		canonical := write(p)
		if canonical == "" {
			return nil, "not an address that " + native + " takes"
		}
		return []byte(canonical), ""
	}}
}

package delimited

import "encoding/binary"

const (
	lows  = 0x7f7f7f7f7f7f7f7f // every bit of eight bytes but the highest
	highs = 0x8080808080808080
	ones  = 0x0101010101010101
)

// marksPortable returns a bit for each of the 64 bytes that equals x or y, both ASCII.
// It compares eight bytes at a time, which find leaves in the highest bit of
// each; word k keeps them in bit k of its bytes, and turning that square of
// bits over puts them in the order of the bytes. Processors with an own way (see
// the assembly) use that.
func marksPortable(p *[64]byte, x, y byte) uint64 {
	xs, ys := uint64(x)*ones, uint64(y)*ones
	return transpose(find(p[0:8], xs, ys)>>7 | find(p[8:16], xs, ys)>>6 | find(p[16:24], xs, ys)>>5 | find(p[24:32], xs, ys)>>4 |
		find(p[32:40], xs, ys)>>3 | find(p[40:48], xs, ys)>>2 | find(p[48:56], xs, ys)>>1 | find(p[56:64], xs, ys))
}

// find sets the highest bit of each byte that equals the byte of xs or of ys.
// Adding 127 to what differs carries into that bit; a byte that has it already
// is not ASCII.
func find(p []byte, xs, ys uint64) uint64 {
	w := binary.LittleEndian.Uint64(p)
	low := w & lows
	return ^(((low^xs)+lows)&((low^ys)+lows) | w) & highs
}

// transpose turns a square of 8 by 8 bits over, as in Hacker's Delight, 7-3.
func transpose(x uint64) uint64 {
	t := (x ^ x>>7) & 0x00AA00AA00AA00AA
	x ^= t ^ t<<7
	t = (x ^ x>>14) & 0x0000CCCC0000CCCC
	x ^= t ^ t<<14
	t = (x ^ x>>28) & 0x00000000F0F0F0F0
	return x ^ t ^ t<<28
}

package delimited

// marks returns a bit for each of the 64 bytes that equals x or y.
//
//go:noescape
func marks(p *[64]byte, x, y byte) uint64

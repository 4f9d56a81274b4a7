//go:build !amd64

package delimited

func marks(p *[64]byte, x, y byte) uint64 { return marksPortable(p, x, y) }

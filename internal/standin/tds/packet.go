// Package tds is the server's side of the Tabular Data Stream protocol, version 7.4,
// after the open specification [MS-TDS]: what the stand-in for SQL Server needs of it.
package tds

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net"
)

// The types of messages (section 2.2.3.1.1).
const (
	Batch       = 0x01
	RPC         = 0x03
	Reply       = 0x04
	Attention   = 0x06
	BulkLoad    = 0x07
	Transaction = 0x0e
	Login       = 0x10
	PreLogin    = 0x12
)

const (
	headerSize = 8
	statusEnd  = 0x01
	statusSkip = 0x02 // the message is to be ignored
	// DefaultPacket is the size of packets before the login.
	DefaultPacket = 4096
	maxPacket     = 32767
)

// ErrCancelled is returned when the client breaks a message off by an attention.
var ErrCancelled = errors.New("the client has cancelled the request")

type packet struct {
	kind, status byte
	data         []byte
}

// Conn reads and writes messages. Packets are read ahead by a goroutine, so that an
// attention is noticed while a request is served.
type Conn struct {
	net.Conn
	Attention func() // called, unless nil, when one arrives
	size      int    // of the packets that are sent
	packets   chan packet
	failed    error // why no more packets come
	out       []byte
	sequence  byte
}

// NewConn returns a connection over which nothing but packets go. The goroutine that
// reads them begins with Start.
func NewConn(c net.Conn) *Conn { return &Conn{Conn: c, size: DefaultPacket} }

// SetSize sets the size of the packets that are sent.
func (c *Conn) SetSize(n int) int {
	c.size = min(max(n, 512), maxPacket)
	return c.size
}

// readPacket reads one packet from the connection.
func readPacket(r io.Reader) (p packet, err error) {
	var h [headerSize]byte
	_, err = io.ReadFull(r, h[:])
	if err != nil {
		return p, err
	}
	n := int(binary.BigEndian.Uint16(h[2:]))
	if n < headerSize {
		return p, fmt.Errorf("a packet of %d bytes", n)
	}
	p = packet{kind: h[0], status: h[1], data: make([]byte, n-headerSize)}
	_, err = io.ReadFull(r, p.data)
	return p, err
}

// Start begins to read ahead.
func (c *Conn) Start() {
	c.packets = make(chan packet, 8)
	go func() {
		defer close(c.packets)
		for {
			p, err := readPacket(c.Conn)
			if err != nil {
				c.failed = err
				if c.Attention != nil {
					c.Attention() // nobody is there to get an answer
				}
				return
			}
			if p.kind == Attention && c.Attention != nil {
				c.Attention()
			}
			c.packets <- p
		}
	}()
}

// next returns the next packet.
func (c *Conn) next() (packet, error) {
	if c.packets == nil {
		return readPacket(c.Conn)
	}
	p, ok := <-c.packets
	if !ok {
		return p, c.failed
	}
	return p, nil
}

// Message is a message that is being read.
type Message struct {
	Kind byte
	c    *Conn
	data []byte
	last bool
}

// Receive waits for the next message.
func (c *Conn) Receive() (*Message, error) {
	p, err := c.next()
	if err != nil {
		return nil, err
	}
	return &Message{Kind: p.kind, c: c, data: p.data, last: p.status&statusEnd != 0}, nil
}

// Read implements io.Reader.
func (m *Message) Read(b []byte) (int, error) {
	for len(m.data) == 0 {
		if m.last {
			return 0, io.EOF
		}
		p, err := m.c.next()
		if err != nil {
			return 0, err
		}
		if p.kind == Attention || p.status&statusSkip != 0 {
			return 0, ErrCancelled
		}
		m.data, m.last = p.data, p.status&statusEnd != 0
	}
	n := copy(b, m.data)
	m.data = m.data[n:]
	return n, nil
}

// Write sends data in packets of type Reply, the last of which waits for more.
func (c *Conn) Write(b []byte) (int, error) {
	n := len(b)
	for len(b) > 0 {
		if len(c.out) == 0 {
			c.out = append(c.out, make([]byte, headerSize)...)
		}
		k := min(len(b), c.size-len(c.out))
		c.out, b = append(c.out, b[:k]...), b[k:]
		if len(c.out) == c.size && len(b) > 0 {
			err := c.send(0)
			if err != nil {
				return 0, err
			}
		}
	}
	return n, nil
}

// End sends the rest of a message.
func (c *Conn) End() error {
	if len(c.out) == 0 {
		c.out = append(c.out, make([]byte, headerSize)...)
	}
	err := c.send(statusEnd)
	c.sequence = 0
	return err
}

func (c *Conn) send(status byte) error {
	c.sequence++
	c.out[0], c.out[1], c.out[6] = Reply, status, c.sequence
	binary.BigEndian.PutUint16(c.out[2:], uint16(len(c.out)))
	_, err := c.Conn.Write(c.out)
	c.out = c.out[:0]
	return err
}

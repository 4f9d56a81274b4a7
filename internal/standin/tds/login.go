package tds

import (
	"bufio"
	"bytes"
	"crypto/tls"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net"
	"time"
)

// What a client or server says of encryption (section 2.2.6.5).
const (
	encryptOff = iota // of the login only
	encryptOn
	encryptNotSupported
	encryptRequired
)

// The options of a PRELOGIN message.
const (
	optionVersion = iota
	optionEncryption
	optionInstance
	optionThread
	optionMARS
	optionEnd = 0xff
)

// Hello is what a client says when it logs in.
type Hello struct {
	User, Password, Database, App, Host string
	PacketSize                          int
	// Encrypted says that all goes through TLS, not only the login.
	Encrypted bool
}

// firstByte reads ahead by one byte.
type firstByte struct {
	net.Conn
	r *bufio.Reader
}

func (f *firstByte) Read(b []byte) (int, error) { return f.r.Read(b) }

const tlsHandshake = 0x16

// Accept greets a client until its login is read. config is nil for a server without
// TLS; require says that it takes no connection without.
func Accept(raw net.Conn, config *tls.Config, require bool) (*Conn, *Hello, error) {
	first := &firstByte{raw, bufio.NewReader(raw)}
	b, err := first.r.Peek(1)
	if err != nil {
		return nil, nil, err
	}
	strict := b[0] == tlsHandshake
	var c net.Conn = first
	if strict { // version 8: all goes through TLS from the first byte
		if config == nil {
			return nil, nil, errors.New("the client wants TLS")
		}
		with := config.Clone()
		with.NextProtos = []string{"tds/8.0"}
		c = tls.Server(first, with)
	}
	conn := NewConn(c)
	asked, err := readPreLogin(conn)
	if err != nil {
		return nil, nil, err
	}
	answer := answerEncryption(asked, config != nil, require)
	if strict {
		answer = encryptNotSupported
	}
	err = writePreLogin(conn, answer)
	if err != nil {
		return nil, nil, err
	}
	hello, conn, err := secureLogin(conn, first, config, answer)
	if err != nil {
		return nil, nil, err
	}
	hello.Encrypted = strict || answer == encryptOn || answer == encryptRequired
	return conn, hello, nil
}

func answerEncryption(asked byte, able, require bool) byte {
	switch {
	case !able:
		return encryptNotSupported
	case asked == encryptNotSupported && require:
		return encryptRequired
	case asked == encryptNotSupported:
		return encryptNotSupported
	case asked == encryptOff && !require:
		return encryptOff
	case asked == encryptOff:
		return encryptRequired
	}
	return encryptOn
}

func readPreLogin(c *Conn) (encryption byte, err error) {
	m, err := c.Receive()
	if err != nil {
		return 0, err
	}
	data, err := io.ReadAll(m)
	if err != nil || m.Kind != PreLogin {
		return 0, errors.Join(err, fmt.Errorf("message of type %d before the login", m.Kind))
	}
	for at := 0; at+5 <= len(data) && data[at] != optionEnd; at += 5 {
		offset, size := int(binary.BigEndian.Uint16(data[at+1:])), int(binary.BigEndian.Uint16(data[at+3:]))
		if data[at] == optionEncryption && size == 1 && offset < len(data) {
			encryption = data[offset]
		}
	}
	return encryption, nil
}

// version is that of the server, as a PRELOGIN and a LOGINACK state it: 16.0.1000.
var version = []byte{16, 0, 0x03, 0xe8}

func writePreLogin(c *Conn, encryption byte) error {
	options := []struct {
		token byte
		data  []byte
	}{{optionVersion, append(bytes.Clone(version), 0, 0)}, {optionEncryption, []byte{encryption}}, {optionInstance, []byte{0}}, {optionThread, nil}, {optionMARS, []byte{0}}}
	var head, body []byte
	for _, o := range options {
		head = append(head, o.token)
		head = binary.BigEndian.AppendUint16(head, uint16(5*len(options)+1+len(body)))
		head = binary.BigEndian.AppendUint16(head, uint16(len(o.data)))
		body = append(body, o.data...)
	}
	_, err := c.Write(append(append(head, optionEnd), body...))
	if err != nil {
		return err
	}
	return c.End()
}

// wrapped carries a TLS handshake in packets, until it is done.
type wrapped struct {
	net.Conn
	in, out []byte
	done    bool
}

func (w *wrapped) Read(b []byte) (int, error) {
	if w.done {
		return w.Conn.Read(b)
	}
	err := w.flush()
	if err != nil {
		return 0, err
	}
	for len(w.in) == 0 {
		p, err := readPacket(w.Conn)
		if err != nil {
			return 0, err
		}
		w.in = p.data
	}
	n := copy(b, w.in)
	w.in = w.in[n:]
	return n, nil
}

func (w *wrapped) Write(b []byte) (int, error) {
	if w.done {
		return w.Conn.Write(b)
	}
	w.out = append(w.out, b...)
	return len(b), nil
}

// flush sends what the handshake has written as one message.
func (w *wrapped) flush() error {
	if len(w.out) == 0 {
		return nil
	}
	head := make([]byte, headerSize, headerSize+len(w.out))
	head[0], head[1] = PreLogin, statusEnd
	binary.BigEndian.PutUint16(head[2:], uint16(headerSize+len(w.out)))
	_, err := w.Conn.Write(append(head, w.out...))
	w.out = w.out[:0]
	return err
}

// secureLogin reads the login, through TLS where that was agreed.
func secureLogin(c *Conn, raw net.Conn, config *tls.Config, answer byte) (*Hello, *Conn, error) {
	if answer == encryptNotSupported {
		hello, err := readLogin(c)
		return hello, c, err
	}
	w := &wrapped{Conn: raw}
	within := config.Clone()
	within.MaxVersion = tls.VersionTLS12 // whose handshake ends with the server's word
	secure := tls.Server(w, within)
	_ = raw.SetDeadline(time.Now().Add(20 * time.Second))
	err := secure.Handshake()
	if err != nil {
		return nil, nil, err
	}
	err = w.flush()
	if err != nil {
		return nil, nil, err
	}
	_ = raw.SetDeadline(time.Time{})
	w.done = true
	through := NewConn(secure)
	hello, err := readLogin(through)
	if answer == encryptOff {
		through.Conn = raw
	}
	return hello, through, err
}

// The places of LOGIN7 (section 2.2.6.4) that are read.
const (
	loginPacketSize = 8
	loginHost       = 36
	loginUser       = 40
	loginPassword   = 44
	loginApp        = 48
	loginDatabase   = 68
	loginFixed      = 94
)

func readLogin(c *Conn) (*Hello, error) {
	m, err := c.Receive()
	if err != nil {
		return nil, err
	}
	data, err := io.ReadAll(m)
	if err != nil {
		return nil, err
	}
	if m.Kind != Login || len(data) < loginFixed {
		return nil, fmt.Errorf("message of type %d and %d bytes instead of a login", m.Kind, len(data))
	}
	h := &Hello{PacketSize: int(binary.LittleEndian.Uint32(data[loginPacketSize:]))}
	for at, field := range map[int]*string{loginHost: &h.Host, loginUser: &h.User, loginPassword: &h.Password, loginApp: &h.App, loginDatabase: &h.Database} {
		offset, chars := int(binary.LittleEndian.Uint16(data[at:])), int(binary.LittleEndian.Uint16(data[at+2:]))
		if offset+2*chars > len(data) {
			return nil, errors.New("a login that is cut off")
		}
		part := bytes.Clone(data[offset : offset+2*chars])
		if at == loginPassword {
			for i, b := range part { // its nibbles are swapped and some bits turned over
				b ^= 0xa5
				part[i] = b<<4 | b>>4
			}
		}
		*field = UTF8(part)
	}
	return h, nil
}

package tds

import (
	"encoding/binary"
	"unicode/utf16"
)

// The tokens of an answer (section 2.2.7).
const (
	tokenReturnStatus = 0x79
	tokenColumns      = 0x81
	tokenError        = 0xaa
	tokenInfo         = 0xab
	tokenReturnValue  = 0xac
	tokenLoginAck     = 0xad
	tokenRow          = 0xd1
	tokenNullRow      = 0xd2
	tokenEnvChange    = 0xe3
	tokenDone         = 0xfd
	tokenDoneProc     = 0xfe
	tokenDoneInProc   = 0xff
)

// The bits of a DONE.
const (
	DoneMore      = 0x01
	DoneError     = 0x02
	DoneInTran    = 0x04
	DoneCount     = 0x10
	DoneAttention = 0x20
)

// The changes that ENVCHANGE reports.
const (
	EnvDatabase = 1
	EnvPacket   = 4
	envBegin    = 8
	envCommit   = 9
	envRollback = 10
)

// Error is an error of the server, or with a Severity up to 10 a remark.
type Error struct {
	Number   int
	Severity byte
	State    byte
	Message  string
	Line     int
	// Ends says that the connection ends with it.
	Ends bool
	// Aborts says that the transaction was rolled back with it.
	Aborts bool
}

func (e *Error) Error() string { return e.Message }

// UCS2 returns a text in UTF-16, the low byte first.
func UCS2(s string) []byte { return AppendUCS2(nil, s) }

// AppendUCS2 appends it.
func AppendUCS2(dst []byte, s string) []byte {
	for _, r := range s {
		if r < 0x10000 {
			dst = append(dst, byte(r), byte(r>>8))
			continue
		}
		a, b := utf16.EncodeRune(r)
		dst = append(dst, byte(a), byte(a>>8), byte(b), byte(b>>8))
	}
	return dst
}

// UTF8 returns the text that UTF-16 stands for.
func UTF8(b []byte) string {
	units := make([]uint16, len(b)/2)
	for i := range units {
		units[i] = binary.LittleEndian.Uint16(b[2*i:])
	}
	return string(utf16.Decode(units))
}

// appendShort appends a text with its length in one byte.
func appendShort(dst []byte, s string) []byte {
	t := UCS2(s)
	return append(append(dst, byte(len(t)/2)), t...)
}

// Fail sends an error or a remark.
func (c *Conn) Fail(e *Error, server string) {
	token := byte(tokenError)
	if e.Severity <= 10 {
		token = tokenInfo
	}
	message := UCS2(e.Message)
	var b []byte
	b = binary.LittleEndian.AppendUint32(b, uint32(e.Number))
	b = append(b, max(e.State, 1), e.Severity)
	b = binary.LittleEndian.AppendUint16(b, uint16(len(message)/2))
	b = append(b, message...)
	b = appendShort(b, server)
	b = appendShort(b, "") // the procedure
	b = binary.LittleEndian.AppendUint32(b, uint32(max(e.Line, 1)))
	c.token(token, b)
}

// token sends a token with its length.
func (c *Conn) token(token byte, b []byte) {
	head := binary.LittleEndian.AppendUint16([]byte{token}, uint16(len(b)))
	_, _ = c.Write(append(head, b...))
}

// Done sends a DONE; InProc one within a procedure.
func (c *Conn) Done(status uint16, rows int64) { c.done(tokenDone, status, rows) }

// DoneInProc sends the end of a statement within a call.
func (c *Conn) DoneInProc(status uint16, rows int64) { c.done(tokenDoneInProc, status, rows) }

// DoneProc sends the end of a call.
func (c *Conn) DoneProc(status uint16) { c.done(tokenDoneProc, status, 0) }

func (c *Conn) done(token byte, status uint16, rows int64) {
	b := binary.LittleEndian.AppendUint16([]byte{token}, status)
	b = binary.LittleEndian.AppendUint16(b, 0)
	_, _ = c.Write(binary.LittleEndian.AppendUint64(b, uint64(rows)))
}

// ReturnStatus sends the return code of a call.
func (c *Conn) ReturnStatus(code int32) {
	_, _ = c.Write(binary.LittleEndian.AppendUint32([]byte{tokenReturnStatus}, uint32(code)))
}

// ReturnValue sends the value of an output parameter.
func (c *Conn) ReturnValue(ordinal int, name string, t Type, v Value) {
	b := binary.LittleEndian.AppendUint16([]byte{tokenReturnValue}, uint16(ordinal))
	b = appendShort(b, name)
	b = append(b, 1, 0, 0, 0, 0, 0, 0)
	_, _ = c.Write(t.Append(t.AppendInfo(b), v))
}

// Welcome acknowledges a login.
func (c *Conn) Welcome(database string, size int) {
	c.Changed(EnvDatabase, database, "master")
	b := []byte{1, 0x74, 0, 0, 4} // SQL, version 7.4
	b = append(appendShort(b, "Microsoft SQL Server"), version...)
	c.token(tokenLoginAck, b)
	c.Changed(EnvPacket, itoa(size), itoa(DefaultPacket))
}

func itoa(n int) string {
	if n < 10 {
		return string(rune('0' + n))
	}
	return itoa(n/10) + string(rune('0'+n%10))
}

// Changed reports a change of a setting.
func (c *Conn) Changed(what byte, now, before string) {
	c.token(tokenEnvChange, appendShort(appendShort([]byte{what}, now), before))
}

// Begun reports that a transaction has begun, Ended that it has ended.
func (c *Conn) Begun(id uint64) {
	b := append([]byte{envBegin, 8}, binary.LittleEndian.AppendUint64(nil, id)...)
	c.token(tokenEnvChange, append(b, 0))
}

// Ended reports that a transaction was committed or rolled back.
func (c *Conn) Ended(id uint64, committed bool) {
	what := byte(envRollback)
	if committed {
		what = envCommit
	}
	c.token(tokenEnvChange, append([]byte{what, 0, 8}, binary.LittleEndian.AppendUint64(nil, id)...))
}

// Column is a column of a result.
type Column struct {
	Name        string
	Type        Type
	Nullable    bool
	Identity    bool
	FixedLength bool // sent as a fixed-length type, which cannot be NULL
}

// Columns announces rows.
func (c *Conn) Columns(columns []Column) {
	b := binary.LittleEndian.AppendUint16([]byte{tokenColumns}, uint16(len(columns)))
	for _, col := range columns {
		flags := uint16(0x08) // it may be updated
		if col.Nullable {
			flags |= 0x01
		}
		if col.Identity {
			flags |= 0x10
		}
		b = binary.LittleEndian.AppendUint32(b, 0)
		b = binary.LittleEndian.AppendUint16(b, flags)
		if col.FixedLength {
			b = append(b, fixedLength[col.Type.Name])
		} else {
			b = col.Type.AppendInfo(b)
		}
		b = appendShort(b, col.Name)
	}
	_, _ = c.Write(b)
}

// AppendRow begins a row.
func AppendRow(dst []byte) []byte { return append(dst, tokenRow) }

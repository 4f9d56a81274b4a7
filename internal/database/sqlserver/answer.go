package sqlserver

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"unicode/utf16"
	"unicode/utf8"

	mssql "github.com/microsoft/go-mssqldb"

	"ambertray/internal/codepage"
	"ambertray/internal/table"
)

// The tokens of an answer (section 2.2.7).
const (
	tokenReturnStatus = 0x79
	tokenColumns      = 0x81
	tokenOrder        = 0xa9
	tokenError        = 0xaa
	tokenInfo         = 0xab
	tokenReturnValue  = 0xac
	tokenRow          = 0xd1
	tokenNullRow      = 0xd2
	tokenEnvChange    = 0xe3
	tokenDone         = 0xfd
	tokenDoneProc     = 0xfe
	tokenDoneInProc   = 0xff

	doneMore      = 0x01
	doneCount     = 0x10
	doneAttention = 0x20
)

// answer reads what the server says to a request.
type answer struct {
	w       *wire
	r       *bufio.Reader
	ended   bool // the last word of the server was that nothing follows
	stopped bool // the server has confirmed an attention
	columns []wireColumn
	rows    int64 // that the last statement with a count has changed
	errors  []mssql.Error
}

// wireColumn is a column as the server describes it.
type wireColumn struct {
	name  string
	flags uint16
	info  []byte // its TYPE_INFO, as it goes over the wire
	code  byte   // of the type
	size  int    // of its longest value in bytes; longSize for (max)
	// precision and scale of a decimal; the scale of a time.
	precision, scale int
	page             *codepage.Page // of a text that is not in UTF-16
}

// longSize is the size of a type with (max).
const longSize = 0xffff

// begin waits for the answer.
func (a *answer) begin() error {
	got := a.w.receive.Call(nil)
	err, failed := got[1].Interface().(error)
	if failed {
		return err
	}
	a.r, a.ended = bufio.NewReaderSize(a.w.stream, 64<<10), false
	return nil
}

// finish reads what is left of the answer, so that the connection can be used again:
// rows are passed over, and where the request was broken off, the server's word that it
// was is waited for.
func (a *answer) finish() error {
	for {
		row := &rowReader{}
		err := row.each(a, func() error { return nil })
		interrupted := a.w.interrupted() // which waits until an attention is sent as a whole
		if err != nil || a.stopped || !interrupted {
			return err
		}
		err = a.begin()
		if err != nil {
			return err
		}
	}
}

// next reads tokens up to the next row, whose columns are still to be read; nulls, unless
// nil, has a bit for each that is NULL. At the end it returns io.EOF: a message that ends
// without the server's word for it has lost its connection between two packets.
func (a *answer) next() (nulls []byte, err error) {
	for {
		token, err := a.r.ReadByte()
		if err == io.EOF && a.ended {
			return nil, err
		}
		if err != nil {
			return nil, cut(err)
		}
		a.ended = false
		switch token {
		case tokenRow:
			return nil, nil
		case tokenNullRow:
			nulls = make([]byte, (len(a.columns)+7)/8)
			_, err := io.ReadFull(a.r, nulls)
			return nulls, cut(err)
		case tokenColumns:
			err = a.readColumns()
		case tokenError, tokenInfo:
			err = a.readError(token)
		case tokenOrder:
			_, err = a.short()
		case tokenEnvChange:
			err = a.readChange()
		case tokenReturnStatus:
			_, err = a.take(4)
		case tokenDone, tokenDoneProc, tokenDoneInProc:
			err = a.readDone()
		default:
			err = fmt.Errorf("%w: token %#x", errMangled, token)
		}
		if err != nil {
			return nil, cut(err)
		}
	}
}

// errMangled is returned for an answer that is not as the protocol has it. Nothing that
// comes after it can be read.
var errMangled = errors.New("the server's answer is not as the protocol has it")

// cut says that an answer ends too early.
func cut(err error) error {
	if err == io.EOF || err == io.ErrUnexpectedEOF {
		return fmt.Errorf("%w: %w", errMangled, io.ErrUnexpectedEOF)
	}
	return err
}

// take reads n bytes, which are valid until the next read.
func (a *answer) take(n int) ([]byte, error) {
	if n > a.r.Size() {
		var long bytes.Buffer // grows with the bytes received, not with the length announced
		_, err := io.CopyN(&long, a.r, int64(n))
		return long.Bytes(), cut(err)
	}
	b, err := a.r.Peek(n)
	if err != nil {
		return nil, cut(err)
	}
	_, err = a.r.Discard(n)
	return b, err
}

// short reads data with its length in two bytes.
func (a *answer) short() ([]byte, error) {
	n, err := a.take(2)
	if err != nil {
		return nil, err
	}
	return a.take(int(binary.LittleEndian.Uint16(n)))
}

// The changes of a transaction that the server reports.
const (
	changeBegun      = 8
	changeCommitted  = 9
	changeRolledBack = 10
)

// readChange has the driver know which transaction is open: a trigger may have ended it.
func (a *answer) readChange() error {
	b, err := a.short()
	if err != nil || len(b) == 0 {
		return err
	}
	switch {
	case b[0] == changeBegun && len(b) >= 10:
		a.w.setTransaction(binary.LittleEndian.Uint64(b[2:]))
	case b[0] == changeCommitted, b[0] == changeRolledBack:
		a.w.setTransaction(0)
	}
	return nil
}

func (a *answer) readDone() error {
	b, err := a.take(12)
	if err != nil {
		return err
	}
	status := binary.LittleEndian.Uint16(b)
	a.ended = status&doneMore == 0
	a.stopped = a.stopped || status&doneAttention != 0
	if status&doneCount != 0 {
		a.rows = int64(binary.LittleEndian.Uint64(b[4:]))
	}
	return nil
}

// readError keeps an error; a remark is passed over.
func (a *answer) readError(token byte) error {
	b, err := a.short()
	if err != nil || token == tokenInfo {
		return err
	}
	if len(b) < 8 {
		return cut(io.EOF)
	}
	e := mssql.Error{Number: int32(binary.LittleEndian.Uint32(b)), State: b[4], Class: b[5]}
	size := 2 * int(binary.LittleEndian.Uint16(b[6:]))
	if len(b) < 8+size {
		return cut(io.EOF)
	}
	e.Message = string(appendUTF8(nil, b[8:8+size]))
	a.errors = append(a.errors, e)
	return nil
}

// failure returns the errors of the answer as the driver does.
func (a *answer) failure() error {
	if len(a.errors) == 0 {
		return nil
	}
	last := a.errors[len(a.errors)-1]
	last.All = a.errors
	return last
}

func appendUTF8(dst, text []byte) []byte {
	for i := 0; i+1 < len(text); i += 2 {
		r := rune(binary.LittleEndian.Uint16(text[i:]))
		if utf16.IsSurrogate(r) && i+3 < len(text) {
			r = utf16.DecodeRune(r, rune(binary.LittleEndian.Uint16(text[i+2:])))
			i += 2
		}
		if r < utf8.RuneSelf {
			dst = append(dst, byte(r))
			continue
		}
		dst = utf8.AppendRune(dst, r)
	}
	return dst
}

// readColumns reads the columns of the rows that follow.
func (a *answer) readColumns() error {
	b, err := a.take(2)
	if err != nil {
		return err
	}
	count := int(binary.LittleEndian.Uint16(b))
	a.columns = nil
	if count == 0xffff { // no columns
		return nil
	}
	for range count {
		c := wireColumn{}
		b, err := a.take(6)
		if err != nil {
			return err
		}
		c.flags = binary.LittleEndian.Uint16(b[4:])
		err = c.readInfo(a)
		if err != nil {
			return err
		}
		n, err := a.take(1)
		if err != nil {
			return err
		}
		name, err := a.take(2 * int(n[0]))
		if err != nil {
			return err
		}
		c.name = string(appendUTF8(nil, name))
		a.columns = append(a.columns, c)
	}
	return nil
}

// The types on the wire (section 2.2.5.4).
const (
	typeGUID     = 0x24
	typeIntN     = 0x26
	typeDate     = 0x28
	typeTime     = 0x29
	typeDateTime = 0x2a // datetime2
	typeOffset   = 0x2b
	typeInt1     = 0x30
	typeBit      = 0x32
	typeInt2     = 0x34
	typeInt4     = 0x38
	typeOldTime4 = 0x3a // smalldatetime
	typeFloat4   = 0x3b
	typeOldTime8 = 0x3d // datetime
	typeMoney8   = 0x3c
	typeFloat8   = 0x3e
	typeBitN     = 0x68
	typeDecimalN = 0x6a
	typeNumericN = 0x6c
	typeFloatN   = 0x6d
	typeMoneyN   = 0x6e
	typeOldTimeN = 0x6f
	typeMoney4   = 0x7a // smallmoney
	typeInt8     = 0x7f
	typeVarBin   = 0xa5
	typeVarChar  = 0xa7
	typeBinary   = 0xad
	typeChar     = 0xaf
	typeNVarChar = 0xe7
	typeNChar    = 0xef
)

// fixed are the types whose values have no length before them, with their size.
var fixed = map[byte]int{typeInt1: 1, typeBit: 1, typeInt2: 2, typeInt4: 4, typeOldTime4: 4, typeFloat4: 4, typeOldTime8: 8, typeFloat8: 8, typeInt8: 8, typeMoney8: 8, typeMoney4: 4}

// readInfo reads the TYPE_INFO.
func (c *wireColumn) readInfo(a *answer) error {
	keep := func(n int) ([]byte, error) {
		b, err := a.take(n)
		c.info = append(c.info, b...)
		return c.info[len(c.info)-len(b):], err
	}
	b, err := keep(1)
	if err != nil {
		return err
	}
	c.code = b[0]
	c.size = fixed[c.code]
	switch c.code {
	case typeInt1, typeBit, typeInt2, typeInt4, typeOldTime4, typeFloat4, typeOldTime8, typeFloat8, typeInt8, typeMoney8, typeMoney4, typeDate:
	case typeTime, typeDateTime, typeOffset:
		b, err = keep(1)
		if err == nil {
			c.scale = int(b[0])
		}
	case typeGUID, typeIntN, typeBitN, typeFloatN, typeOldTimeN, typeMoneyN:
		b, err = keep(1)
		if err == nil {
			c.size = int(b[0])
		}
	case typeDecimalN, typeNumericN:
		b, err = keep(3)
		if err == nil {
			c.size, c.precision, c.scale = int(b[0]), int(b[1]), int(b[2])
		}
	case typeVarBin, typeBinary:
		b, err = keep(2)
		if err == nil {
			c.size = int(binary.LittleEndian.Uint16(b))
		}
	case typeVarChar, typeChar, typeNVarChar, typeNChar:
		b, err = keep(7)
		if err == nil {
			c.size, c.page = int(binary.LittleEndian.Uint16(b)), codePageOf(b[2:])
		}
	default:
		err = fmt.Errorf("column of type %#x, which is not supported", c.code)
	}
	if err == nil && !c.possible() {
		err = fmt.Errorf("%w: a column of type %#x, size %d, precision %d and scale %d", errMangled, c.code, c.size, c.precision, c.scale)
	}
	return err
}

// possible reports whether the size of a type is one that the protocol has.
func (c *wireColumn) possible() bool {
	switch c.code {
	case typeTime, typeDateTime, typeOffset:
		return c.scale <= 7
	case typeGUID:
		return c.size == 16
	case typeIntN:
		return c.size == 1 || c.size == 2 || c.size == 4 || c.size == 8
	case typeBitN:
		return c.size == 1
	case typeFloatN, typeOldTimeN, typeMoneyN:
		return c.size == 4 || c.size == 8
	case typeDecimalN, typeNumericN:
		return c.precision >= 1 && c.precision <= table.MaxPrecision && c.scale <= c.precision && c.size >= 5 && c.size <= 17
	case typeVarChar, typeChar:
		return c.page != nil // one that is not known cannot be read
	}
	return true
}

// holds reports whether a value of the column may have n bytes.
func (c *wireColumn) holds(n int) bool {
	switch c.code {
	case typeDate:
		return n == 3
	case typeTime:
		return n == clockSize(c.scale)
	case typeDateTime:
		return n == clockSize(c.scale)+3
	case typeOffset:
		return n == clockSize(c.scale)+5
	case typeDecimalN, typeNumericN:
		return n >= 2 && n <= 17
	}
	return n == c.size
}

// long reports whether values come in pieces.
func (c *wireColumn) long() bool {
	return c.size == longSize && (c.code == typeVarBin || c.code == typeVarChar || c.code == typeNVarChar)
}

// wide reports whether texts are in UTF-16.
func (c *wireColumn) wide() bool { return c.code == typeNVarChar || c.code == typeNChar }

// declaration is the type as INSERT BULK declares it.
func (c *wireColumn) declaration() string {
	size := func(name string, units int) string {
		if c.size == longSize {
			return name + "(max)"
		}
		return fmt.Sprintf("%s(%d)", name, c.size/units)
	}
	switch c.code {
	case typeGUID:
		return "uniqueidentifier"
	case typeIntN, typeInt1, typeInt2, typeInt4, typeInt8:
		return map[int]string{1: "tinyint", 2: "smallint", 4: "int", 8: "bigint"}[c.size]
	case typeBitN, typeBit:
		return "bit"
	case typeDate:
		return "date"
	case typeTime:
		return fmt.Sprintf("time(%d)", c.scale)
	case typeDateTime:
		return fmt.Sprintf("datetime2(%d)", c.scale)
	case typeOffset:
		return fmt.Sprintf("datetimeoffset(%d)", c.scale)
	case typeDecimalN, typeNumericN:
		return fmt.Sprintf("decimal(%d,%d)", c.precision, c.scale)
	case typeFloatN, typeFloat4, typeFloat8:
		return map[int]string{4: "real", 8: "float"}[c.size]
	case typeOldTimeN, typeOldTime4, typeOldTime8:
		return map[int]string{4: "smalldatetime", 8: "datetime"}[c.size]
	case typeMoneyN, typeMoney4, typeMoney8:
		return map[int]string{4: "smallmoney", 8: "money"}[c.size]
	case typeVarChar:
		return size("varchar", 1)
	case typeChar:
		return size("char", 1)
	case typeNVarChar:
		return size("nvarchar", 2)
	case typeNChar:
		return size("nchar", 2)
	case typeBinary:
		return size("binary", 1)
	}
	return size("varbinary", 1)
}

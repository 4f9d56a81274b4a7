package tds

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"math/big"
	"strings"
)

// Reader reads the parts of a message. Its methods panic with an error that Recover
// returns.
type Reader struct{ r *bufio.Reader }

// NewReader returns a reader of a message.
func NewReader(r io.Reader) *Reader { return &Reader{bufio.NewReaderSize(r, 64<<10)} }

// ProtocolError says that a message is not as the specification has it.
type ProtocolError struct{ Err error }

func (e *ProtocolError) Error() string { return "a message that is not as specified: " + e.Err.Error() }

// Unwrap returns the cause.
func (e *ProtocolError) Unwrap() error { return e.Err }

// Recover turns a panic of a Reader into an error.
func Recover(err *error) {
	r := recover()
	if r != nil {
		e, ok := r.(*ProtocolError)
		if !ok {
			panic(r)
		}
		*err = e
	}
}

func (r *Reader) broken(err error) {
	if err == io.EOF {
		err = io.ErrUnexpectedEOF
	}
	panic(&ProtocolError{err})
}

// Bytes reads n bytes.
func (r *Reader) Bytes(n int) []byte {
	if n > r.r.Size() {
		var long bytes.Buffer // grows with the bytes received, not with the length announced
		_, err := io.CopyN(&long, r.r, int64(n))
		if err != nil {
			r.broken(err)
		}
		return long.Bytes()
	}
	b := make([]byte, n)
	_, err := io.ReadFull(r.r, b)
	if err != nil {
		r.broken(err)
	}
	return b
}

// Byte reads one byte.
func (r *Reader) Byte() byte {
	b, err := r.r.ReadByte()
	if err != nil {
		r.broken(err)
	}
	return b
}

// Little reads a number of some bytes, the lowest first.
func (r *Reader) Little(size int) (n uint64) {
	b, err := r.r.Peek(size)
	if err != nil {
		r.broken(err)
	}
	for i := size - 1; i >= 0; i-- {
		n = n<<8 | uint64(b[i])
	}
	_, _ = r.r.Discard(size)
	return n
}

// Rest reads all that is left.
func (r *Reader) Rest() []byte {
	b, err := io.ReadAll(r.r)
	if err != nil {
		r.broken(err)
	}
	return b
}

// More reports whether there is more.
func (r *Reader) More() bool {
	_, err := r.r.Peek(1)
	if err != nil && err != io.EOF {
		r.broken(err)
	}
	return err == nil
}

// Short reads a text with its length in one byte.
func (r *Reader) Short() string { return UTF8(r.Bytes(2 * int(r.Byte()))) }

// Headers reads ALL_HEADERS and returns the id of the transaction in it.
func (r *Reader) Headers() (transaction uint64) {
	total := int(r.Little(4)) - 4
	for total > 0 {
		size := int(r.Little(4))
		if size < 6 || size > total {
			r.broken(fmt.Errorf("a header of %d bytes", size))
		}
		kind, data := r.Little(2), r.Bytes(size-6)
		if kind == 2 && len(data) >= 8 {
			transaction = binary.LittleEndian.Uint64(data)
		}
		total -= size
	}
	return transaction
}

// wireType is a type as a client declares it.
type wireType struct {
	Type
	code  byte
	width int
	wide  bool // its texts are in UTF-16
}

var fixedWidths = map[byte]struct {
	name  string
	width int
}{wireInt1: {"tinyint", 1}, wireBit: {"bit", 1}, wireInt2: {"smallint", 2}, wireInt4: {"int", 4}, wireTime4: {"smalldatetime", 4}, wireTime8: {"datetime", 8}, wireMoney4: {"smallmoney", 4}, wireMoney8: {"money", 8}, wireFloat4: {"real", 4}, wireFloat8: {"float", 8}, wireInt8: {"bigint", 8}}

// TypeInfo reads a TYPE_INFO.
func (r *Reader) TypeInfo() (t wireType) {
	t.code = r.Byte()
	f, ok := fixedWidths[t.code]
	if ok {
		t.Name, t.width = f.name, f.width
		return t.withScale()
	}
	switch t.code {
	case wireNull:
		t.Name = "int"
	case wireDate:
		t.Name = "date"
	case wireTime, wireDateTime, wireOffset:
		t.Name, t.Scale = map[byte]string{wireTime: "time", wireDateTime: "datetime2", wireOffset: "datetimeoffset"}[t.code], int(r.Byte())
	case wireGUID, wireIntN, wireBitN, wireFloatN, wireOldTimeN, wireMoneyN:
		t.width = int(r.Byte())
		names := map[[2]int]string{
			{wireGUID, 16}: "uniqueidentifier", {wireIntN, 1}: "tinyint", {wireIntN, 2}: "smallint", {wireIntN, 4}: "int", {wireIntN, 8}: "bigint",
			{wireBitN, 1}: "bit", {wireFloatN, 4}: "real", {wireFloatN, 8}: "float", {wireMoneyN, 4}: "smallmoney", {wireMoneyN, 8}: "money", {wireOldTimeN, 4}: "smalldatetime", {wireOldTimeN, 8}: "datetime",
		}
		t.Name = names[[2]int{int(t.code), t.width}]
	case wireDecimalN, wireNumericN:
		t.Name, t.width, t.Size, t.Scale = "decimal", int(r.Byte()), int(r.Byte()), int(r.Byte())
	case wireVarBin, wireBinary, wireVarChar, wireChar, wireNVarChar, wireNChar:
		t.longType(r)
	}
	if t.code != wireDecimalN && t.code != wireNumericN && t.Scale > 7 || t.Scale > max(t.Size, 7) || t.Size > 38 && t.Name == "decimal" {
		r.broken(fmt.Errorf("the type %s with precision %d and scale %d", t.Name, t.Size, t.Scale))
	}
	if t.Name == "" {
		r.broken(fmt.Errorf("the type %#x of %d bytes, which the stand-in does not know", t.code, t.width))
	}
	return t.withScale()
}

// withScale adds the four decimals of money, which the wire does not state.
func (t wireType) withScale() wireType {
	if t.Name == "money" || t.Name == "smallmoney" {
		t.Scale = 4
	}
	return t
}

func (t *wireType) longType(r *Reader) {
	t.Name = map[byte]string{wireVarBin: "varbinary", wireBinary: "binary", wireVarChar: "varchar", wireChar: "char", wireNVarChar: "nvarchar", wireNChar: "nchar"}[t.code]
	t.Size = int(r.Little(2))
	t.Max = t.Size == longest
	if t.Max {
		t.Size = 0
	}
	if t.Textual() {
		r.Bytes(len(collation))
	}
	t.wide = t.National()
	if t.wide {
		t.Size /= 2
	}
}

// holds reports whether a value may have n bytes.
func (t *wireType) holds(n int) bool {
	switch t.Name {
	case "decimal":
		return n >= 2 && n <= 17
	case "date":
		return n == 3
	case "time":
		return n == t.clockSize()
	case "datetime2":
		return n == t.clockSize()+3
	case "datetimeoffset":
		return n == t.clockSize()+5
	}
	return n == t.width
}

// Value reads a value of a type.
func (r *Reader) Value(t *wireType) (v Value) {
	_, ok := fixedWidths[t.code]
	if ok {
		return r.plain(t, t.width)
	}
	switch t.code {
	case wireNull:
		return Value{Null: true}
	case wireVarBin, wireBinary, wireVarChar, wireChar, wireNVarChar, wireNChar:
		return r.long(t)
	}
	n := int(r.Byte())
	if n == 0 {
		return Value{Null: true}
	}
	if !t.holds(n) {
		r.broken(fmt.Errorf("a value of %d bytes of type %s", n, t.Name))
	}
	switch t.Name {
	case "decimal":
		return r.decimal(t, n)
	case "uniqueidentifier":
		return r.guid(n)
	case "date":
		return Value{Int: int64(r.Little(n))}
	case "time":
		return Value{Int: int64(r.Little(n)) * scales[t.Scale]}
	case "datetime2":
		clock := int64(r.Little(n-3)) * scales[t.Scale]
		return Value{Int: clock + int64(r.Little(3))*ticksPerDay}
	case "datetimeoffset":
		clock := int64(r.Little(n-5)) * scales[t.Scale]
		v = Value{Int: clock + int64(r.Little(3))*ticksPerDay}
		r.Little(2) // the instant is in UTC; the stand-in forgets the offset
		return v
	}
	return r.plain(t, n)
}

// plain reads a whole number, a bit or a floating-point number of n bytes.
func (r *Reader) plain(t *wireType, n int) Value {
	raw := r.Little(n)
	switch t.Name {
	case "datetime", "smalldatetime":
		return oldTime(raw, n)
	case "money":
		return Value{Int: int64(raw<<32 | raw>>32)}
	case "float", "real":
		if n == 4 {
			return Value{Float: float64(math.Float32frombits(uint32(raw)))}
		}
		return Value{Float: math.Float64frombits(raw)}
	case "tinyint", "bit":
		return Value{Int: int64(raw)}
	}
	shift := 64 - 8*n
	return Value{Int: int64(raw<<shift) >> shift}
}

// oldTime returns the value of a datetime, or of a smalldatetime of 4 bytes.
func oldTime(raw uint64, n int) Value {
	if n == 4 {
		return Value{Int: (int64(uint16(raw))+daysTo1900)*ticksPerDay + int64(raw>>16)*60*10_000_000}
	}
	return Value{Int: (int64(int32(raw))+daysTo1900)*ticksPerDay + (int64(raw>>32)*10_000_000+150)/300}
}

func (r *Reader) long(t *wireType) Value {
	var text []byte
	if t.Max {
		total := r.Little(8)
		if total == math.MaxUint64 {
			return Value{Null: true}
		}
		for {
			n := int(r.Little(4))
			if n == 0 {
				break
			}
			text = append(text, r.Bytes(n)...)
		}
	} else {
		n := int(r.Little(2))
		if n == longest {
			return Value{Null: true}
		}
		text = r.Bytes(n)
	}
	if t.wide {
		if len(text)%2 == 1 {
			r.broken(fmt.Errorf("a text of %d bytes in UTF-16", len(text)))
		}
		text = fromUTF16(text)
	} else if t.code != wireVarBin && t.code != wireBinary && !ascii(text) {
		text, _ = codePage.NewDecoder().Bytes(text)
	}
	return Value{Text: text}
}

// fromUTF16 returns a text in UTF-8, in the memory of its UTF-16 where it is ASCII.
func fromUTF16(text []byte) []byte {
	for i := 1; i < len(text); i += 2 {
		if text[i] != 0 || text[i-1] >= 0x80 {
			return []byte(UTF8(text))
		}
	}
	for i := range len(text) / 2 {
		text[i] = text[2*i]
	}
	return text[:len(text)/2]
}

func (r *Reader) decimal(t *wireType, n int) Value {
	sign, raw := r.Byte(), r.Bytes(n-1)
	if t.Size <= 18 {
		var padded [8]byte
		copy(padded[:], raw)
		v := Value{Int: int64(binary.LittleEndian.Uint64(padded[:]))}
		if sign == 0 {
			v.Int = -v.Int
		}
		return v
	}
	for i, j := 0, len(raw)-1; i < j; i, j = i+1, j-1 {
		raw[i], raw[j] = raw[j], raw[i]
	}
	digits := new(big.Int).SetBytes(raw).String()
	if len(digits) <= t.Scale {
		digits = strings.Repeat("0", t.Scale+1-len(digits)) + digits
	}
	text := digits[:len(digits)-t.Scale]
	if t.Scale > 0 {
		text += "." + digits[len(digits)-t.Scale:]
	}
	if sign == 0 {
		text = "-" + text
	}
	return Value{Text: []byte(text)}
}

func (r *Reader) guid(n int) Value {
	raw := r.Bytes(n)
	var b strings.Builder
	for i, at := range guidOrder {
		if i == 4 || i == 6 || i == 8 || i == 10 {
			b.WriteByte('-')
		}
		fmt.Fprintf(&b, "%02X", raw[at])
	}
	return Value{Text: []byte(b.String())}
}

// BulkColumn is a column as a client announces it.
type BulkColumn struct {
	Name string
	wire wireType
}

// Type returns its type.
func (c *BulkColumn) Type() Type { return c.wire.Type }

// BulkColumns reads the columns of a bulk load.
func (r *Reader) BulkColumns() (list []BulkColumn) {
	token := r.Byte()
	if token != tokenColumns {
		r.broken(fmt.Errorf("token %#x instead of the columns", token))
	}
	for range r.Little(2) {
		r.Little(4)
		r.Little(2)
		c := BulkColumn{wire: r.TypeInfo()}
		c.Name = r.Short()
		list = append(list, c)
	}
	return list
}

// BulkRow reads the next row into values; it returns false at the end.
func (r *Reader) BulkRow(columns []BulkColumn, row []Value) bool {
	token := r.Byte()
	var nulls []byte
	switch token {
	case tokenDone:
		return false
	case tokenNullRow:
		nulls = r.Bytes((len(columns) + 7) / 8)
	case tokenRow:
	default:
		r.broken(fmt.Errorf("token %#x instead of a row", token))
	}
	for i := range columns {
		if nulls != nil && nulls[i/8]>>(i%8)&1 == 1 {
			row[i] = Value{Null: true}
			continue
		}
		row[i] = r.Value(&columns[i].wire)
	}
	return true
}

// Param is a parameter of a call.
type Param struct {
	Name   string
	Output bool
	wire   wireType
	Value  Value
}

// Type returns its type.
func (p *Param) Type() Type { return p.wire.Type }

// Call reads the name or number of a procedure and its parameters.
func (r *Reader) Call() (name string, number int, params []Param) {
	n := int(r.Little(2))
	if n == 0xffff {
		number = int(r.Little(2))
	} else {
		name = UTF8(r.Bytes(2 * n))
	}
	r.Little(2)
	for r.More() {
		p := Param{Name: r.Short()}
		p.Output = r.Byte()&1 == 1
		p.wire = r.TypeInfo()
		p.Value = r.Value(&p.wire)
		params = append(params, p)
	}
	return name, number, params
}

package postgres

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5/pgtype"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// elements are the kinds of values in arrays, with the numbers of their types on the server. The text
// type that stands for arrays has a size for each, from table.Array on.
var elements = []struct {
	kind   table.Kind
	number uint32
}{
	{table.SmallInt, pgtype.Int2OID}, {table.Integer, pgtype.Int4OID}, {table.BigInt, pgtype.Int8OID}, {table.Text, pgtype.TextOID},
	{table.Varchar, pgtype.VarcharOID}, {table.Decimal, pgtype.NumericOID}, {table.Boolean, pgtype.BoolOID}, {table.Date, pgtype.DateOID},
	{table.Timestamp, pgtype.TimestampOID}, {table.TimestampTZ, pgtype.TimestamptzOID}, {table.UUID, pgtype.UUIDOID},
}

// element is the type of the elements of an array.
type element struct {
	native string // of the elements, where it is known
	table.Type
	number     uint32
	anyDecimal bool // a numeric without precision
}

// arrays returns the types of one-dimensional arrays, by the sizes of the text types that stand for them.
// Their encoders need to know the kind of the elements only.
func arrays() map[int]ownType {
	types := map[int]ownType{}
	for i, known := range elements {
		e := &element{Type: table.Type{Kind: known.kind}, number: known.number, anyDecimal: true}
		types[table.Array+i] = ownType{encode: e.encodeArray, text: e.arrayText}
	}
	return types
}

// arrayType returns the text type for arrays of a native type, and its limit.
func arrayType(native string) (*table.Type, *table.Limit, bool) {
	of, ok := strings.CutSuffix(native, "[]")
	if !ok || ownSizes[of] != 0 {
		return nil, nil, false
	}
	t, limit, ok := typeOf(of)
	if !ok || limit != nil {
		return nil, nil, false
	}
	e := &element{native: of, anyDecimal: t == nil}
	if t != nil {
		e.Type = *t
	} else {
		e.Kind = table.Decimal
	}
	switch of {
	case "character varying":
		e.Kind = table.Varchar
	case "json", "citext": // which are sent as text, but not in arrays
		return nil, nil, false
	}
	for i, known := range elements {
		if known.kind == e.Kind {
			e.number = known.number
			return &table.Type{Kind: table.Text, Size: table.Array + i}, &table.Limit{Native: native, Text: e.canonicalArray}, true
		}
	}
	return nil, nil, false
}

const notArray = `not an array of one dimension such as {1,2} or {"a b",NULL}`

// spaces are skipped between elements. The server quotes elements that contain one.
const spaces = " \t\n\r\v\f"

// cutArray returns the elements of an array's text, nil for NULL.
func cutArray(text []byte) (list [][]byte, ok bool) {
	rest, ok := bytes.CutPrefix(bytes.Trim(text, spaces), []byte("{"))
	if !ok || !bytes.HasSuffix(rest, []byte("}")) {
		return nil, false
	}
	rest = rest[:len(rest)-1]
	if len(bytes.Trim(rest, spaces)) == 0 {
		return nil, true
	}
	for {
		var item []byte
		item, rest, ok = cutElement(bytes.TrimLeft(rest, spaces))
		if !ok {
			return nil, false
		}
		list = append(list, item)
		if len(rest) == 0 {
			return list, true
		}
		if rest[0] != ',' {
			return nil, false
		}
		rest = rest[1:]
	}
}

// cutElement returns the element that a text begins with, and what follows.
func cutElement(text []byte) (item, rest []byte, ok bool) {
	if !bytes.HasPrefix(text, []byte(`"`)) {
		end := bytes.IndexByte(text, ',')
		if end < 0 {
			end = len(text)
		}
		item = bytes.TrimRight(text[:end], spaces)
		if len(item) == 0 || bytes.ContainsAny(item, `"\{}`) {
			return nil, nil, false
		}
		if bytes.EqualFold(item, []byte("NULL")) {
			item = nil
		}
		return item, text[end:], true
	}
	item = []byte{}
	for i := 1; i < len(text); i++ {
		switch text[i] {
		case '"':
			return item, bytes.TrimLeft(text[i+1:], spaces), true
		case '\\':
			i++
			if i == len(text) {
				return nil, nil, false
			}
		}
		item = append(item, text[i])
	}
	return nil, nil, false
}

// appendArray writes elements as the server's cast to text.
func appendArray(dst []byte, list [][]byte) []byte {
	dst = append(dst, '{')
	for i, item := range list {
		if i > 0 {
			dst = append(dst, ',')
		}
		switch {
		case item == nil:
			dst = append(dst, "NULL"...)
		case len(item) == 0 || bytes.ContainsAny(item, `"\{},`+spaces) || bytes.EqualFold(item, []byte("NULL")):
			dst = append(dst, '"')
			dst = append(dst, strings.NewReplacer(`"`, `\"`, `\`, `\\`).Replace(string(item))...)
			dst = append(dst, '"')
		default:
			dst = append(dst, item...)
		}
	}
	return append(dst, '}')
}

// canonicalArray returns an array as the server's cast.
func (e *element) canonicalArray(text []byte) ([]byte, string) {
	list, ok := cutArray(text)
	if !ok {
		return nil, notArray
	}
	var v value.Value
	for i, item := range list {
		if item == nil {
			continue
		}
		if !e.read(item, &v) {
			return nil, fmt.Sprintf("element %d is not of type %s", i+1, e.native)
		}
		list[i] = e.append([]byte{}, &v)
	}
	return appendArray(nil, list), ""
}

// encodeArray writes the field of an array: its dimensions, whether it has NULLs, the type of
// its elements, how many there are, the number of the first, and the fields of all.
func (e *element) encodeArray(dst, text []byte) []byte {
	list, _ := cutArray(text) // checked by the limit
	put, write := binary.BigEndian.AppendUint32, fieldOf(e.Type)
	var v value.Value
	nulls := uint32(0)
	for _, item := range list {
		if item == nil {
			nulls = 1
		}
	}
	dst = put(put(put(dst, uint32(min(len(list), 1))), nulls), e.number)
	if len(list) > 0 {
		dst = put(put(dst, uint32(len(list))), 1)
	}
	for _, item := range list {
		if item == nil {
			dst = put(dst, noField)
			continue
		}
		e.read(item, &v)
		dst = write(dst, &v)
	}
	return dst
}

// noField is the length of a NULL.
const noField = 1<<32 - 1

// arrayText is the inverse of encodeArray. Arrays of other dimensions, which other programs may
// have written, become hexadecimal digits, so that they differ from every array.
func (e *element) arrayText(field []byte) []byte {
	list, ok := e.decodeArray(field)
	if !ok {
		return bytesText(field)
	}
	return appendArray(nil, list)
}

func (e *element) decodeArray(field []byte) (list [][]byte, ok bool) {
	const head, dimension = 12, 8
	if len(field) == head {
		return nil, true
	}
	get, read := binary.BigEndian.Uint32, readerOf(e.Type)
	if e.Kind == table.Decimal {
		read = readShown
	}
	var v value.Value
	if len(field) < head+dimension || get(field) != 1 || get(field[head+4:]) != 1 {
		return nil, false
	}
	for rest := field[head+dimension:]; len(rest) >= 4; {
		size := get(rest)
		rest = rest[4:]
		if size == noField {
			list = append(list, nil)
			continue
		}
		if uint32(len(rest)) < size {
			return nil, false
		}
		item := rest[:size:size]
		v = value.Value{}
		read(item, &v)
		item = e.append([]byte{}, &v)
		list, rest = append(list, item), rest[size:]
	}
	return list, true
}

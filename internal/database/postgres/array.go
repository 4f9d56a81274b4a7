package postgres

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"strconv"
	"strings"

	"ambertray/internal/table"
)

// element is the type of an array's elements.
type element struct {
	native string
	number uint32 // of the type, as the server counts them
	bits   int    // of a whole number; 0 for a text
}

// arrayOf returns the type of one-dimensional arrays whose elements are of a type.
func arrayOf(native string, number uint32, bits int) ownType {
	e := &element{native, number, bits}
	return ownType{&table.Limit{Native: native + "[]", Text: e.canonicalArray}, e.encodeArray, e.arrayText}
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
	for i, item := range list {
		if e.bits == 0 || item == nil {
			continue
		}
		n, err := strconv.ParseInt(string(item), 10, e.bits)
		if err != nil {
			return nil, fmt.Sprintf("element %d is no %s", i+1, e.native)
		}
		list[i] = strconv.AppendInt(nil, n, 10)
	}
	return appendArray(nil, list), ""
}

// encodeArray writes the field of an array: its dimensions, whether it has NULLs, the type of
// its elements, how many there are, the number of the first, and the fields of all.
func (e *element) encodeArray(dst, text []byte) []byte {
	list, _ := cutArray(text) // checked by the limit
	put := binary.BigEndian.AppendUint32
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
		switch {
		case item == nil:
			dst = put(dst, noField)
		case e.bits == 0:
			dst = append(put(dst, uint32(len(item))), item...)
		default:
			n, _ := strconv.ParseInt(string(item), 10, e.bits)
			dst = put(dst, uint32(e.bits/8))
			for shift := e.bits - 8; shift >= 0; shift -= 8 {
				dst = append(dst, byte(n>>shift))
			}
		}
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
	get := binary.BigEndian.Uint32
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
		if e.bits > 0 {
			n := int64(0)
			for i, b := range item {
				if i == 0 {
					n = int64(int8(b))
					continue
				}
				n = n<<8 | int64(b)
			}
			item = strconv.AppendInt(nil, n, 10)
		}
		list, rest = append(list, item), rest[size:]
	}
	return list, true
}

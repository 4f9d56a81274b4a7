package database

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf16"

	"ambertray/internal/table"
)

// JSON describes a type that keeps the values of JSON and not its text: it drops spaces, sorts
// keys, and writes numbers in its own way. We send the text that the server returns later, because
// each row can be proved only then.
type JSON struct {
	Native   string
	MaxDepth int // at which the server would cancel the load
	// Number appends a number as the server writes it, or returns why it has no such number.
	Number func(dst []byte, number string) ([]byte, error)
}

// Limit returns the limit of a column of the type.
func (j *JSON) Limit() *table.Limit { return &table.Limit{Native: j.Native, Text: j.canonical} }

// canonical returns JSON as the server returns it, or why the text is rejected. An object
// with a duplicate key is rejected, because the server would drop one of its values.
func (j *JSON) canonical(text []byte) (canonical []byte, reason string) {
	if !json.Valid(text) {
		return nil, "not JSON"
	}
	if !wholeCharacters(text) {
		return nil, `has an escape such as \u0000 that is not a character`
	}
	w := jsonWriter{j, json.NewDecoder(bytes.NewReader(text))}
	w.in.UseNumber()
	canonical, err := w.value(make([]byte, 0, len(text)), 0)
	if err != nil {
		return nil, err.Error()
	}
	return canonical, ""
}

// jsonWriter writes the values that it reads from valid JSON as the server does.
type jsonWriter struct {
	of *JSON
	in *json.Decoder
}

// value appends the next value.
func (w *jsonWriter) value(dst []byte, depth int) ([]byte, error) {
	token, err := w.in.Token()
	if err != nil {
		return dst, err
	}
	switch v := token.(type) {
	case nil:
		return append(dst, "null"...), nil
	case bool:
		return strconv.AppendBool(dst, v), nil
	case json.Number:
		return w.of.Number(dst, v.String())
	case string:
		return appendString(dst, v), nil
	}
	switch {
	case depth == w.of.MaxDepth:
		return dst, fmt.Errorf("is nested in more than %d levels", depth)
	case token == json.Delim('['):
		return w.array(dst, depth+1)
	}
	return w.object(dst, depth+1)
}

// array appends the values of an array, which has begun.
func (w *jsonWriter) array(dst []byte, depth int) (_ []byte, err error) {
	dst = append(dst, '[')
	for i := 0; w.in.More(); i++ {
		dst, err = w.value(separate(dst, i), depth)
		if err != nil {
			return dst, err
		}
	}
	_, err = w.in.Token() // its end
	return append(dst, ']'), err
}

// object appends the values of an object, which has begun, the shorter keys first.
func (w *jsonWriter) object(dst []byte, depth int) ([]byte, error) {
	values := map[string][]byte{}
	var keys []string
	for w.in.More() {
		token, err := w.in.Token()
		if err != nil {
			return dst, err
		}
		key := token.(string)
		if values[key] != nil {
			return dst, fmt.Errorf("has the key %q twice in an object, of which %s keeps one", key, w.of.Native)
		}
		keys = append(keys, key)
		values[key], err = w.value([]byte{}, depth)
		if err != nil {
			return dst, err
		}
	}
	slices.SortFunc(keys, func(a, b string) int {
		return cmp.Or(cmp.Compare(len(a), len(b)), strings.Compare(a, b))
	})
	dst = append(dst, '{')
	for i, key := range keys {
		dst = append(appendString(separate(dst, i), key), ": "...)
		dst = append(dst, values[key]...)
	}
	_, err := w.in.Token() // its end
	return append(dst, '}'), err
}

// wholeCharacters reports whether the escapes of a JSON text are characters. Zero is not one,
// and neither is half of a surrogate pair.
func wholeCharacters(text []byte) bool {
	high := rune(0) // the first half of a character
	for i := 0; i < len(text); i++ {
		r := rune(-1) // no escape with a number
		if text[i] == '\\' {
			i++
			if text[i] == 'u' {
				n, _ := strconv.ParseUint(string(text[i+1:i+5]), 16, 16)
				r = rune(n)
				i += 4
			}
		}
		switch {
		case r == 0, high != 0 && utf16.DecodeRune(high, r) == '\ufffd', high == 0 && r >= 0xdc00 && r < 0xe000:
			return false
		case high != 0:
			high = 0
		case utf16.IsSurrogate(r):
			high = r
		}
	}
	return true
}

func separate(dst []byte, i int) []byte {
	if i == 0 {
		return dst
	}
	return append(dst, ", "...)
}

// appendString appends a text in quotes.
func appendString(dst []byte, text string) []byte {
	const named = "\b\f\n\r\t"
	dst = append(dst, '"')
	for i := range len(text) {
		c := text[i]
		at := strings.IndexByte(named, c)
		switch {
		case at >= 0:
			dst = append(dst, '\\', "bfnrt"[at])
		case c == '"' || c == '\\':
			dst = append(dst, '\\', c)
		case c < ' ':
			dst = fmt.Appendf(dst, `\u%04x`, c)
		default:
			dst = append(dst, c)
		}
	}
	return append(dst, '"')
}

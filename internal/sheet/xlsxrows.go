package sheet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
)

// write implements content.
func (x *xlsx) write(i int, w *writer) error {
	err := x.begin(i, w, x.merges)
	if err != nil {
		return err
	}
	return x.ahead(x.sheets[i], w, func(r io.Reader) error { return x.rows(newScanner(r), w) })
}

// rows writes the rows of a sheet.
func (x *xlsx) rows(s *scanner, w *writer) error {
	row := 0
	for {
		tag, err := s.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		switch string(name(tag)) {
		case "col":
			if yes(attribute(tag, "hidden")) {
				first, _ := strconv.Atoi(attribute(tag, "min"))
				last, _ := strconv.Atoi(attribute(tag, "max"))
				w.hide(first, last)
			}
		case "mergeCell":
			c, err := ParseCells(attribute(tag, "ref"))
			if err == nil {
				w.merged(c)
			}
		case "row":
			hidden := false
			row, hidden, err = readRow(tag, row+1)
			if err != nil {
				return err
			}
			err = w.begin(row, hidden)
			if err != nil {
				return err
			}
			if closed(tag) {
				continue
			}
			err = x.row(s, w)
			if err != nil {
				return err
			}
			err = w.endRow()
			if err != nil {
				return err
			}
		}
	}
}

// readRow adds the attributes of a row. One without a number follows the one
// before.
func readRow(tag []byte, next int) (row int, hidden bool, err error) {
	row = next
	attributes(tag, func(name, value []byte) {
		switch string(name) {
		case "r":
			row, err = strconv.Atoi(string(value))
			if err != nil {
				err = fmt.Errorf("%w: row %q", ErrBroken, value)
			}
		case "hidden":
			hidden = yes(string(value))
		}
	})
	return row, hidden, err
}

// cellTag is what the tag of a cell says.
type cellTag struct {
	column int
	style  int
	kind   byte // the first letter of its type; 'S' for str, 'i' for inlineStr
}

func (x *xlsx) row(s *scanner, w *writer) error {
	c := cellTag{}
	for {
		if !s.usualTag(&c) {
			tag, err := s.next()
			if err != nil {
				return ended(err)
			}
			n := name(tag)
			if ends(n, "row") {
				return nil
			}
			if string(n) != "c" {
				continue
			}
			c.read(tag)
			if closed(tag) {
				continue
			}
		}
		done, err := x.usualCell(s, w, c)
		if err == nil && !done {
			err = x.cell(s, w, c)
		}
		if err != nil {
			return err
		}
	}
}

// longestTag is as long as the tag of a cell usually is at most.
const longestTag = 64

// usualTag reads the tag of a cell that is written as most are, <c r="B12" s="3"
// t="s">, and is all in the buffer.
func (s *scanner) usualTag(c *cellTag) bool {
	const start = `<c r="`
	p := s.buf[s.at:s.end]
	if len(p) < longestTag || string(p[:len(start)]) != start {
		return false
	}
	p = p[:longestTag]
	next, i := cellTag{kind: 'n'}, len(start)
	for ; i < 16 && p[i] >= 'A' && p[i] <= 'Z'; i++ {
		next.column = next.column*26 + int(p[i]-'A') + 1
	}
	for ; i < 24 && p[i] >= '0' && p[i] <= '9'; i++ {
	}
	if p[i] != '"' {
		return false
	}
	for i++; i+20 < longestTag && p[i] == ' '; {
		end := i + 4
		for ; end < i+16 && p[end] != '"'; end++ {
		}
		if p[i+2] != '=' || p[i+3] != '"' || p[end] != '"' || end == i+4 {
			return false
		}
		next.set(p[i+1], p[i+4:end])
		i = end + 1
	}
	if p[i] != '>' || next.column == 0 {
		return false
	}
	s.at += i + 1
	s.depth++
	*c = next
	return true
}

// read adds the attributes of a cell. One without a reference follows the
// one before.
func (c *cellTag) read(tag []byte) {
	*c = cellTag{column: c.column + 1, kind: 'n'}
	attributes(tag, func(name, value []byte) {
		if len(name) == 1 && len(value) > 0 {
			c.set(name[0], value)
		}
	})
}

// set adds one attribute.
func (c *cellTag) set(name byte, value []byte) {
	switch name {
	case 'r':
		n := 0
		for _, l := range value {
			if l < 'A' || l > 'Z' {
				break
			}
			n = n*26 + int(l-'A') + 1
		}
		if n > 0 {
			c.column = n
		}
	case 's':
		c.style, _ = strconv.Atoi(string(value))
	case 't':
		c.kind = value[0]
		if string(value) == "str" {
			c.kind = 'S'
		}
	}
}

// usualCell writes a cell that is written as most are, with a value only or a
// text of its own.
func (x *xlsx) usualCell(s *scanner, w *writer, c cellTag) (done bool, err error) {
	text, valued := s.usual("<v>", "</v></c>")
	if !valued {
		text, done = s.usual("<is><t>", "</t></is></c>")
		if !done {
			return false, nil
		}
		c.kind = 'S'
	}
	if len(text) == 0 && c.kind != 'S' {
		return true, nil
	}
	return true, x.writeValue(w, text, c)
}

// cell writes a cell: its value, or the formula where that has none.
func (x *xlsx) cell(s *scanner, w *writer, c cellTag) error {
	var formula []byte
	valued := false
	for {
		tag, err := s.next()
		if err != nil {
			return ended(err)
		}
		element := string(name(tag))
		if element == "/c" {
			break
		}
		if closed(tag) {
			if element == "f" { // which shares that of another cell
				formula = []byte{}
			}
			continue
		}
		switch element {
		case "f":
			formula, err = s.inner([]byte{}, "f", "")
		case "v":
			var some bool
			some, err = x.value(s, w, c)
			valued = valued || some
		case "is":
			var text []byte
			text, err = s.rich(nil, "is")
			if err == nil {
				err = w.writeText(c.column, text)
			}
			valued = true
		}
		if err != nil {
			return err
		}
	}
	if formula == nil || valued {
		return nil
	}
	w.formula()
	return w.writeText(c.column, append([]byte{'='}, formula...))
}

// value writes the value of a cell, if there is one.
func (x *xlsx) value(s *scanner, w *writer, c cellTag) (some bool, err error) {
	text, err := s.text()
	if err != nil {
		return false, ended(err)
	}
	some = len(text) > 0 || c.kind == 'S'
	if some {
		err := x.writeValue(w, text, c)
		if err != nil {
			return false, err
		}
	}
	_, err = s.tag() // </v>
	return some, err
}

// writeValue writes the value of a cell as a person sees it.
func (x *xlsx) writeValue(w *writer, text []byte, c cellTag) error {
	ok, err := w.cell(c.column)
	if err != nil || !ok {
		return err
	}
	switch c.kind {
	case 's':
		i, err := strconv.Atoi(string(bytes.TrimSpace(text)))
		shared, ok := x.shared.at(i)
		if err != nil || !ok {
			return fmt.Errorf("%w: missing shared string %q in row %d", ErrBroken, text, w.row)
		}
		w.append(shared)
	case 'b':
		w.out = append(w.out, truth(yes(string(text)))...)
	case 'n':
		w.out = x.style(c.style).appendNumber(w.out, bytes.TrimSpace(text), x.is1904)
		w.number()
	default:
		if bytes.IndexByte(text, '&') >= 0 || bytes.IndexByte(text, '_') >= 0 {
			w.scratch = unescape(appendText(w.scratch[:0], text), 0)
			text = w.scratch
		}
		w.append(text)
	}
	return nil
}

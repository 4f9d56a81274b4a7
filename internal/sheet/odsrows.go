package sheet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
)

// odsRows writes the rows of one table, the first being 0.
func odsRows(s *scanner, table int, w *writer) error {
	tables, row, column := 0, 0, 1
	var cells odsRow
	for {
		tag, err := s.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		within := tables == table+1
		n := string(name(tag))
		switch {
		case n == "table":
			tables++
		case n == "/table" && within:
			return nil
		case n == "table-column" && within:
			of := odsSpan(tag)
			if of.hidden {
				w.hide(column, column+of.times-1)
			}
			column += of.times
		case n == "table-row" && within:
			of := odsSpan(tag)
			if closed(tag) {
				row += of.times
				continue
			}
			err := cells.read(s)
			if err != nil {
				return err
			}
			err = cells.write(w, row, of.times, of.hidden)
			if err != nil {
				return err
			}
			row += of.times
		}
	}
}

// span is what the tag of a row, a column or a cell says of how many it stands
// for.
type span struct {
	times        int
	across, down int // the cells that it is merged with
	hidden       bool
}

func odsSpan(tag []byte) span {
	of := span{times: 1}
	attributes(tag, func(name, value []byte) { of.set(name, value) })
	return of
}

func (of *span) set(name, value []byte) {
	switch string(name) {
	case "number-rows-repeated", "number-columns-repeated":
		of.times = repeated(value)
	case "number-columns-spanned":
		of.across = repeated(value) - 1
	case "number-rows-spanned":
		of.down = repeated(value) - 1
	case "visibility":
		of.hidden = string(value) == "collapse" || string(value) == "filter"
	}
}

// repeated reads how often a row or a cell stands for itself.
func repeated(value []byte) int {
	n, err := strconv.Atoi(string(value))
	if err != nil || n < 1 {
		return 1
	}
	return min(n, maxRows)
}

// odsRow is a row: its cells that have a value. It is used again for the next.
type odsRow struct {
	cells []odsCell
	text  []byte // of the cells, one after the other
	typed []byte // the typed value of the cell that is read
	shown []byte // the text of the number that is read
}

type odsCell struct {
	span
	column     int
	number     bool
	start, end int // of its text
}

// maxRepeated is how many values a repeated row may stand for.
const maxRepeated = 1 << 25

// write writes the row as often as it stands for itself, as long as it has
// values.
func (r *odsRow) write(w *writer, row, times int, hidden bool) error {
	if len(r.cells) == 0 {
		return nil
	}
	width := 0
	for _, c := range r.cells {
		width += c.times
	}
	if width*times > maxRepeated {
		return fmt.Errorf("%w: row %d repeats %d times with of %d values", ErrTooLarge, row+1, times, width)
	}
	for i := range times {
		err := w.begin(row+i+1, hidden)
		if err != nil {
			return err
		}
		for n := range r.cells {
			err := r.writeCell(w, &r.cells[n])
			if err != nil {
				return err
			}
		}
		err = w.endRow()
		if err != nil {
			return err
		}
	}
	return nil
}

func (r *odsRow) writeCell(w *writer, c *odsCell) error {
	for col := c.column; col < c.column+c.times; col++ {
		w.mergedFrom(col, c.across, c.down)
		ok, err := w.cell(col)
		if err != nil {
			return err
		}
		text := r.text[c.start:c.end]
		switch {
		case ok && c.number:
			w.put(text)
			w.number()
		case ok:
			w.append(text)
		}
	}
	return nil
}

// read reads the cells of a row whose tag was read.
func (r *odsRow) read(s *scanner) error {
	r.cells, r.text = r.cells[:0], r.text[:0]
	column := 1
	for {
		tag, err := s.next()
		if err != nil {
			return ended(err)
		}
		n := name(tag)
		switch {
		case string(n) == "/table-row":
			return nil
		case string(n) == "table-cell", string(n) == "covered-table-cell":
			cell := odsCell{column: column, start: len(r.text)}
			err := r.readCell(s, tag, &cell)
			if err != nil {
				return err
			}
			cell.end = len(r.text)
			if cell.end > cell.start {
				if column+cell.times > maxColumns {
					return fmt.Errorf("%w: a row has more than %d columns", ErrBroken, maxColumns)
				}
				r.cells = append(r.cells, cell)
			}
			column = min(column+cell.times, maxColumns+1)
		}
	}
}

// readCell reads the value of a cell: its typed value where it has one, and else
// its paragraphs.
func (r *odsRow) readCell(s *scanner, tag []byte, c *odsCell) (err error) {
	var kind byte // the first letter of the type of the value
	var currency string
	c.times, r.typed = 1, r.typed[:0]
	attributes(tag, func(name, value []byte) {
		switch string(name) {
		case "value-type":
			if len(value) > 0 {
				kind = value[0]
			}
		case "value", "date-value", "time-value", "boolean-value", "string-value":
			r.typed = appendText(r.typed[:0], value)
		case "currency":
			currency = string(value)
		default:
			c.set(name, value)
		}
	})
	if !closed(tag) {
		err := r.paragraphs(s)
		if err != nil {
			return err
		}
	}
	text := r.text[c.start:]
	switch kind {
	case 'f', 'p', 'c': // float, percentage, currency
		c.number = true
		r.shown = append(r.shown[:0], text...)
		r.text = r.text[:c.start]
		if currency != "" {
			r.text = append(append(r.text, currency...), ' ')
		}
		f := format{}
		if kind == 'p' {
			f.style = percent
		}
		r.appendShown(f)
	case 'd': // date
		r.text = append(r.text[:c.start], bytes.Replace(r.typed, []byte("T"), []byte(" "), 1)...)
	case 't': // time
		r.text = append(r.text[:c.start], clock(string(r.typed))...)
	case 'b': // boolean
		r.text = append(r.text[:c.start], bytes.ToUpper(r.typed)...)
	default:
		if len(text) == 0 {
			r.text = append(r.text, r.typed...)
		}
	}
	return nil
}

// appendShown appends the number that was read with as many decimals as its text
// shows, where the two have the same digits.
func (r *odsRow) appendShown(f format) {
	for i := len(r.shown) - 1; i >= 0 && f.decimals == 0; i-- {
		c := r.shown[i]
		if c == '.' || c == ',' {
			for _, d := range r.shown[i:] {
				if d >= '0' && d <= '9' {
					f.decimals++
				}
			}
			break
		}
	}
	start := len(r.text)
	r.text = f.appendNumber(r.text, r.typed, false)
	if f.decimals > 0 && !sameDigits(r.text[start:], r.shown) {
		f.decimals = 0
		r.text = f.appendNumber(r.text[:start], r.typed, false)
	}
}

// sameDigits reports whether two texts have the same digits.
func sameDigits(a, b []byte) bool {
	digit := func(text []byte) ([]byte, byte) {
		for i, c := range text {
			if c >= '0' && c <= '9' {
				return text[i+1:], c
			}
		}
		return nil, 0
	}
	for {
		var x, y byte
		a, x = digit(a)
		if x == 0 {
			_, y = digit(b)
			return y == 0
		}
		b, y = digit(b)
		if x != y {
			return false
		}
	}
}

var isoTime = regexp.MustCompile(`^PT(\d+)H(\d+)M(\d+(?:\.\d+)?)S$`)

// clock writes a time that is given as a duration, such as PT08H30M00S.
func clock(iso string) string {
	m := isoTime.FindStringSubmatch(iso)
	if m == nil {
		return iso
	}
	seconds := m[3]
	if strings.Contains(seconds, ".") {
		seconds = strings.TrimRight(strings.TrimRight(seconds, "0"), ".")
	}
	return m[1] + ":" + m[2] + ":" + seconds
}

// paragraphs appends the text of a cell, without its annotations, up to its end
// tag.
func (r *odsRow) paragraphs(s *scanner) error {
	depth, some := 0, false // depth: of paragraphs
	for {
		text, err := s.text()
		if err != nil {
			return ended(err)
		}
		if depth > 0 {
			r.text = appendText(r.text, text)
		}
		tag, err := s.tag()
		if err != nil {
			return err
		}
		cdata, ok := cdata(tag)
		if ok && depth > 0 {
			r.text = append(r.text, cdata...)
			continue
		}
		switch string(name(tag)) {
		case "/table-cell", "/covered-table-cell":
			return nil
		case "annotation":
			if !closed(tag) {
				_, err := s.inner(nil, "annotation", "")
				if err != nil {
					return err
				}
			}
		case "p", "h":
			if some {
				r.text = append(r.text, '\n')
			}
			some = true
			if !closed(tag) {
				depth++
			}
		case "/p", "/h":
			depth--
		case "line-break":
			r.text = append(r.text, '\n')
		case "tab":
			r.text = append(r.text, '\t')
		case "s":
			spaces, _ := strconv.Atoi(attribute(tag, "c"))
			r.text = append(r.text, bytes.Repeat([]byte(" "), min(max(spaces, 1), maxColumns))...)
		}
	}
}

package sheet

import (
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"
)

// openODS reads which tables a document has.
func (b *Book) openODS() error {
	b.Format = "ods"
	encrypted := false
	err := b.optional("META-INF/manifest.xml", func(s *scanner) error {
		return s.each(func(name string, _ []byte) error {
			encrypted = encrypted || name == "encryption-data"
			return nil
		})
	})
	if err != nil {
		return err
	}
	if encrypted {
		return ErrEncrypted
	}
	hidden := map[string]bool{} // styles of tables that are not shown
	style := ""
	return b.optional("content.xml", func(s *scanner) error {
		return s.each(func(name string, tag []byte) error {
			switch name {
			case "style":
				style = attribute(tag, "name")
			case "table-properties":
				hidden[style] = attribute(tag, "display") == "false"
			case "table":
				b.Sheets = append(b.Sheets, Sheet{Name: attribute(tag, "name"), Hidden: hidden[attribute(tag, "style-name")], Empty: true, part: "content.xml"})
			case "table-cell":
				if len(b.Sheets) > 0 && attribute(tag, "value-type") != "" {
					b.Sheets[len(b.Sheets)-1].Empty = false
				}
			}
			return nil
		})
	})
}

// odsRows writes the rows of one table of an OpenDocument.
func (b *Book) odsRows(s *scanner, table string, w *writer) error {
	within, row := false, 0
	for {
		tag, err := s.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		switch n := string(name(tag)); {
		case n == "table":
			within = attribute(tag, "name") == table
		case n == "/table" && within:
			return nil
		case n == "table-row" && within:
			times := repeated(tag, "number-rows-repeated")
			if closed(tag) {
				row += times
				continue
			}
			cells, err := s.odsRow()
			if err != nil {
				return err
			}
			if err := cells.write(w, row, times); err != nil {
				return err
			}
			row += times
		}
	}
}

// repeated returns how often a row or a cell stands for itself.
func repeated(tag []byte, attr string) int {
	n, err := strconv.Atoi(attribute(tag, attr))
	if err != nil || n < 1 {
		return 1
	}
	return min(n, maxRows)
}

// odsCells are the cells of a row that have a value.
type odsCells []struct {
	column, times int
	text          string
}

// maxRepeated is how many values a repeated row may stand for.
const maxRepeated = 1 << 25

// write writes the row as often as it stands for itself, as long as it has
// values.
func (c odsCells) write(w *writer, row, times int) error {
	if len(c) == 0 {
		return nil
	}
	width := 0
	for _, cell := range c {
		width += cell.times
	}
	if width*times > maxRepeated {
		return fmt.Errorf("%w: row %d stands for %d rows of %d values", ErrTooLarge, row+1, times, width)
	}
	for i := range times {
		if err := w.begin(row + i + 1); err != nil {
			return err
		}
		for _, cell := range c {
			for n := range cell.times {
				ok, err := w.cell(cell.column + n)
				if err != nil {
					return err
				}
				if ok {
					w.out = append(w.out, cell.text...)
				}
			}
		}
		w.endRow()
	}
	return nil
}

func (s *scanner) odsRow() (cells odsCells, err error) {
	column := 1
	for {
		tag, err := s.next()
		if err != nil {
			return nil, ended(err)
		}
		element := string(name(tag))
		switch element {
		case "/table-row":
			return cells, nil
		case "table-cell", "covered-table-cell":
			times := repeated(tag, "number-columns-repeated")
			text, err := s.odsCell(tag, element)
			if err != nil {
				return nil, err
			}
			if text != "" {
				if column+times > maxColumns {
					return nil, fmt.Errorf("%w: a row has more than %d columns", ErrBroken, maxColumns)
				}
				cells = append(cells, struct {
					column, times int
					text          string
				}{column, times, text})
			}
			column = min(column+times, maxColumns+1)
		}
	}
}

// odsCell returns the value of a cell: by its typed value where it has one, and
// else its paragraphs.
func (s *scanner) odsCell(tag []byte, element string) (string, error) {
	kind := attribute(tag, "value-type")
	value := attribute(tag, map[string]string{"date": "date-value", "time": "time-value", "boolean": "boolean-value"}[kind])
	number, currency := attribute(tag, "value"), attribute(tag, "currency")
	var text []byte
	var err error
	if !closed(tag) {
		if text, err = s.paragraphs(element); err != nil {
			return "", err
		}
	}
	switch kind {
	case "float":
		return string(format{}.appendNumber(nil, []byte(number), false)), nil
	case "percentage":
		return string(format{style: percent}.appendNumber(nil, []byte(number), false)), nil
	case "currency":
		return strings.TrimSpace(currency + " " + string(format{}.appendNumber(nil, []byte(number), false))), nil
	case "date":
		return strings.Replace(value, "T", " ", 1), nil
	case "time":
		return clock(value), nil
	case "boolean":
		return strings.ToUpper(value), nil
	}
	return string(unescape(text, 0)), nil
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

// paragraphs returns the text of a cell, without its annotations.
func (s *scanner) paragraphs(element string) (text []byte, err error) {
	some := false
	for {
		tag, err := s.next()
		if err != nil {
			return nil, ended(err)
		}
		n := string(name(tag))
		switch n {
		case "/" + element:
			return text, nil
		case "annotation":
			if !closed(tag) {
				if _, err := s.inner(nil, "annotation", ""); err != nil {
					return nil, err
				}
			}
		case "p", "h":
			if some {
				text = append(text, '\n')
			}
			some = true
			if closed(tag) {
				continue
			}
			if text, err = s.inner(text, n, "annotation"); err != nil {
				return nil, err
			}
		}
	}
}

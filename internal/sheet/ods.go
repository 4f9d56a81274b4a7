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

// ods is an OpenDocument.
type ods struct {
	parts
	names []string
}

const odsContent = "content.xml"

// openODS reads which tables a document has.
func openODS(p parts) (*Book, error) {
	err := p.tags("META-INF/manifest.xml", func(name string, _ []byte) error {
		if name == "encryption-data" {
			return ErrEncrypted
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	o := &ods{parts: p}
	b := &Book{Format: "ods", content: o}
	hidden := map[string]bool{} // styles of tables that are not shown
	style := ""
	err = p.tags(odsContent, func(name string, tag []byte) error {
		switch name {
		case "style":
			style = attribute(tag, "name")
		case "table-properties":
			hidden[style] = attribute(tag, "display") == "false"
		case "table":
			title := attribute(tag, "name")
			b.Sheets = append(b.Sheets, Sheet{Name: title, Hidden: hidden[attribute(tag, "style-name")], Empty: true})
			o.names = append(o.names, title)
		case "table-cell":
			if len(b.Sheets) > 0 && attribute(tag, "value-type") != "" {
				b.Sheets[len(b.Sheets)-1].Empty = false
			}
		case "named-range":
			b.addName(attribute(tag, "name"), fromODS(attribute(tag, "cell-range-address")))
		case "database-range":
			b.addName(attribute(tag, "name"), fromODS(attribute(tag, "target-range-address")))
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return b.found()
}

var odsAddress = regexp.MustCompile(`^\$?('(?:[^']|\'\')*'|[^.]+)\.([$A-Z0-9]+)(?::[^.]*\.([$A-Z0-9]+))?$`)

// fromODS writes an address, $Loans.$A$1:.$C$5, as Office Open XML does.
func fromODS(address string) string {
	m := odsAddress.FindStringSubmatch(address)
	if m == nil {
		return ""
	}
	return strings.TrimSuffix(m[1]+"!"+m[2]+":"+m[3], ":")
}

func (o *ods) size(int) int64 { return o.parts.size(odsContent) }

// write implements content.
func (o *ods) write(i int, w *writer) error {
	part, err := o.open(odsContent)
	if err != nil {
		return err
	}
	defer part.Close()
	ahead := w.reading(part)
	defer ahead.Close()
	if w.view.FillMerged {
		w.fill = &merging{start: -1}
	}
	return odsRows(newScanner(ahead), o.names[i], w)
}

// odsRows writes the rows of one table.
func odsRows(s *scanner, table string, w *writer) error {
	within, row, column := false, 0, 1
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
		case n == "table-column" && within:
			times := repeated(tag, "number-columns-repeated")
			if collapsed(tag) {
				w.hide(column, column+times-1)
			}
			column += times
		case n == "table-row" && within:
			times, hidden := repeated(tag, "number-rows-repeated"), collapsed(tag)
			if closed(tag) {
				row += times
				continue
			}
			cells, err := s.odsRow()
			if err != nil {
				return err
			}
			if err := cells.write(w, row, times, hidden); err != nil {
				return err
			}
			row += times
		}
	}
}

// collapsed tells whether a row or column is hidden.
func collapsed(tag []byte) bool {
	v := attribute(tag, "visibility")
	return v == "collapse" || v == "filter"
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
type odsCells []odsCell

type odsCell struct {
	column, times  int
	across, behind int // the cells that it is merged with
	number         bool
	text           string
}

// maxRepeated is how many values a repeated row may stand for.
const maxRepeated = 1 << 25

// write writes the row as often as it stands for itself, as long as it has
// values.
func (c odsCells) write(w *writer, row, times int, hidden bool) error {
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
		if err := w.begin(row+i+1, hidden); err != nil {
			return err
		}
		for _, cell := range c {
			for n := range cell.times {
				if err := cell.write(w, cell.column+n); err != nil {
					return err
				}
			}
		}
		if err := w.endRow(); err != nil {
			return err
		}
	}
	return nil
}

func (c *odsCell) write(w *writer, col int) error {
	if c.across+c.behind > 0 {
		merged := Cells{col, w.row, col + c.across, w.row + c.behind}
		w.merged(merged)
		w.fillAlso(merged)
	}
	ok, err := w.cell(col)
	if !ok || err != nil {
		return err
	}
	if c.number {
		w.out = append(w.out, c.text...)
		w.number()
	} else {
		w.append([]byte(c.text))
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
			cell := odsCell{
				column: column, times: repeated(tag, "number-columns-repeated"),
				across: repeated(tag, "number-columns-spanned") - 1, behind: repeated(tag, "number-rows-spanned") - 1,
			}
			if cell.text, cell.number, err = s.odsCell(tag, element); err != nil {
				return nil, err
			}
			if cell.text != "" {
				if column+cell.times > maxColumns {
					return nil, fmt.Errorf("%w: a row has more than %d columns", ErrBroken, maxColumns)
				}
				cells = append(cells, cell)
			}
			column = min(column+cell.times, maxColumns+1)
		}
	}
}

// odsCell returns the value of a cell: by its typed value where it has one, and
// else its paragraphs.
func (s *scanner) odsCell(tag []byte, element string) (value string, number bool, err error) {
	kind := attribute(tag, "value-type")
	typed := attribute(tag, map[string]string{"date": "date-value", "time": "time-value", "boolean": "boolean-value"}[kind])
	raw, currency := attribute(tag, "value"), attribute(tag, "currency")
	var text []byte
	if !closed(tag) {
		if text, err = s.paragraphs(element); err != nil {
			return "", false, err
		}
	}
	switch kind {
	case "float":
		return shown(raw, text, format{}), true, nil
	case "percentage":
		return shown(raw, text, format{style: percent}), true, nil
	case "currency":
		return strings.TrimSpace(currency + " " + shown(raw, text, format{})), true, nil
	case "date":
		return strings.Replace(typed, "T", " ", 1), false, nil
	case "time":
		return clock(typed), false, nil
	case "boolean":
		return strings.ToUpper(typed), false, nil
	}
	return string(text), false, nil
}

// shown writes a number with as many decimals as its text shows, where the two
// have the same digits.
func shown(raw string, text []byte, f format) string {
	plain := string(f.appendNumber(nil, []byte(raw), false))
	digits := onlyDigits(text)
	if point := bytes.LastIndexAny(text, ".,"); point >= 0 {
		f.decimals = len(onlyDigits(text[point:]))
	}
	if padded := f.appendNumber(nil, []byte(raw), false); f.decimals > 0 && string(onlyDigits(padded)) == string(digits) {
		return string(padded)
	}
	return plain
}

func onlyDigits(text []byte) (digits []byte) {
	for _, c := range text {
		if c >= '0' && c <= '9' {
			digits = append(digits, c)
		}
	}
	return digits
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

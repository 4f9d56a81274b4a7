package sheet

import (
	"bytes"
	"fmt"
	"io"
	"strconv"
	"strings"
)

// xmlBook is a workbook that is one file of XML, the format of 2003 that many programs still write.
type xmlBook struct {
	textFile
	formats map[string]format // of styles
}

// xmlBookName is the namespace of these workbooks.
const xmlBookName = "urn:schemas-microsoft-com:office:spreadsheet"

// IsXMLBook reports whether text begins a workbook in XML.
func IsXMLBook(head []byte) bool {
	head = bytes.TrimLeft(head, " \t\r\n\uFEFF")
	return bytes.HasPrefix(head, []byte("<?xml")) && bytes.Contains(head, []byte(xmlBookName))
}

// OpenXMLBook reads which sheets a workbook in XML has.
func OpenXMLBook(from io.ReaderAt, size int64) (*Book, error) {
	x := &xmlBook{textFile{from, size}, map[string]format{}}
	b := &Book{Format: "xml", content: x}
	style := ""
	err := newScanner(x.reader()).each(func(name, tag []byte) error {
		switch string(name) {
		case "Style":
			style = attribute(tag, "ID")
		case "NumberFormat":
			x.formats[style] = xmlFormat(attribute(tag, "Format"))
		case "Worksheet":
			b.Sheets = append(b.Sheets, Sheet{Name: attribute(tag, "Name"), Empty: true})
		case "Data":
			if len(b.Sheets) > 0 {
				b.Sheets[len(b.Sheets)-1].Empty = false
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return b.found()
}

// namedFormats are the number formats that have names.
var namedFormats = map[string]format{
	"Fixed": {decimals: 2}, "Standard": {decimals: 2}, "Percent": {style: percent, decimals: 2}, "Currency": {decimals: 2}, "Euro Currency": {decimals: 2, currency: "€"},
	"Short Time": {style: times}, "Medium Time": {style: times}, "Long Time": {style: times},
}

func xmlFormat(code string) format {
	f, ok := namedFormats[code]
	if ok || strings.HasSuffix(code, "Date") || strings.HasPrefix(code, "General") {
		return f
	}
	return parseFormat(code)
}

// write implements content.
func (x *xmlBook) write(sheet int, w *writer) error {
	w.mergesAtCells()
	rows := xmlRows{book: x, s: newScanner(w.counted(x.reader())), w: w}
	sheets := 0
	return rows.s.each(func(name, tag []byte) error {
		switch {
		case string(name) == "Worksheet":
			sheets++
		case string(name) == "/Worksheet" && sheets == sheet+1:
			return errEnough
		case sheets == sheet+1:
			return rows.element(string(name), tag)
		}
		return nil
	})
}

// xmlRows writes the rows of one sheet.
type xmlRows struct {
	book        *xmlBook
	s           *scanner
	w           *writer
	row, column int    // that were read last
	raw, shown  []byte // of the cell that is read
}

// element takes an element of the sheet.
func (r *xmlRows) element(name string, tag []byte) error {
	switch name {
	case "Column":
		at := xmlPlaceOf(tag)
		r.column = at.after(r.column)
		if at.hidden {
			r.w.hide(r.column, r.column+at.more)
		}
		r.column += at.more
	case "Row":
		at := xmlPlaceOf(tag)
		r.row = at.after(r.row)
		if closed(tag) {
			r.row += at.more
			return nil
		}
		return r.cells(at.hidden)
	}
	return nil
}

// xmlPlace is what the tag of a column, a row or a cell says of where it is.
type xmlPlace struct {
	index        int // 0 if it follows the one before
	more         int // columns or rows that are alike
	across, down int
	hidden       bool
	style        string
}

func xmlPlaceOf(tag []byte) (p xmlPlace) {
	attributes(tag, func(name, value []byte) {
		n, _ := strconv.Atoi(string(value))
		n = min(max(n, 0), maxRows)
		switch string(name) {
		case "Index":
			p.index = n
		case "Span":
			p.more = n
		case "MergeAcross":
			p.across = n
		case "MergeDown":
			p.down = n
		case "Hidden":
			p.hidden = n == 1
		case "StyleID":
			p.style = string(value)
		}
	})
	return p
}

// after returns the number of a row or cell: the one in its attribute, or the one after the last.
func (p *xmlPlace) after(before int) int {
	if p.index > 0 {
		return p.index
	}
	return before + 1
}

// cells writes the cells of a row whose tag was read.
func (r *xmlRows) cells(hidden bool) error {
	err := r.w.begin(r.row, hidden)
	if err != nil {
		return err
	}
	column := 0
	for {
		tag, err := r.s.next()
		if err != nil {
			return ended(err)
		}
		n := name(tag)
		switch {
		case string(n) == "/Row":
			return r.w.endRow()
		case string(n) == "Cell":
			at := xmlPlaceOf(tag)
			column = at.after(column)
			if !closed(tag) {
				err = r.cell(column, &at)
			}
			if err != nil {
				return err
			}
			column += at.across
		}
	}
}

// cell writes the value of a cell whose tag was read.
func (r *xmlRows) cell(column int, at *xmlPlace) error {
	kind, err := r.value()
	if err != nil || kind == "" {
		return err
	}
	r.w.mergedFrom(column, at.across, at.down)
	ok, err := r.w.cell(column)
	if err != nil || !ok {
		return err
	}
	f := r.book.formats[at.style]
	switch kind {
	case "Number":
		r.shown = f.appendNumber(r.shown[:0], r.raw, false)
		r.w.put(r.shown)
		r.w.number()
	case "DateTime":
		r.w.put(xmlMoment(r.raw, f.style == times))
	case "Boolean":
		r.w.put([]byte(map[string]string{"0": "FALSE", "1": "TRUE"}[string(r.raw)]))
	default:
		r.w.append(r.raw)
	}
	return nil
}

// value reads the value of a cell, without its comments, and returns its type, "" without any.
func (r *xmlRows) value() (kind string, err error) {
	r.raw = r.raw[:0]
	for {
		tag, err := r.s.next()
		if err != nil {
			return "", ended(err)
		}
		n := name(tag)
		switch {
		case string(n) == "/Cell":
			return kind, nil
		case string(n) == "Comment" && !closed(tag):
			_, err = r.s.inner(nil, "Comment", "")
		case string(n) == "Data" && !closed(tag):
			kind = attribute(tag, "Type")
			r.raw, err = r.s.inner(r.raw[:0], "Data", "")
		}
		if err != nil {
			return "", fmt.Errorf("row %d: %w", r.row, err)
		}
	}
}

// xmlMoment writes a date, 2026-01-31T00:00:00.000, without a time that is midnight, or the
// time alone.
func xmlMoment(raw []byte, isTime bool) []byte {
	date, clock, _ := bytes.Cut(raw, []byte("T"))
	clock, _ = bytes.CutSuffix(clock, []byte(".000"))
	switch {
	case isTime:
		return clock
	case len(clock) == 0 || string(clock) == "00:00:00":
		return date
	}
	return append(append(bytes.Clone(date), ' '), clock...)
}

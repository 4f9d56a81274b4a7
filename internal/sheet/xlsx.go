package sheet

import (
	"bytes"
	"io"
	"regexp"
	"strconv"
	"strings"
	"sync"
)

// xlsx is a workbook of Office Open XML.
type xlsx struct{ openXML }

func openXLSX(p parts, o opening) (*Book, error) {
	x := &xlsx{openXML{parts: p}}
	b := &Book{Format: "xlsx", content: x}
	err := x.readWorkbook(b, o)
	if err != nil {
		return nil, err
	}
	err = x.readStyles(o.styles)
	if err != nil {
		return nil, err
	}
	x.strings = sync.OnceValue(func() error { return x.with(o.strings, x.readStrings) })
	err = x.lookAt(b, x.look, func(sheet int, part string) error { return x.readTable(b, sheet, part) })
	if err != nil {
		return nil, err
	}
	return b.found()
}

func (x *xlsx) readWorkbook(b *Book, o opening) error {
	return x.with(o.main, func(r io.Reader) error {
		s := newScanner(r)
		return s.each(func(name, tag []byte) error {
			switch string(name) {
			case "workbookPr":
				x.is1904 = yes(attribute(tag, "date1904"))
			case "sheet":
				part := o.sheet(attribute(tag, "id"))
				if part != "" {
					hidden := strings.Contains(strings.ToLower(attribute(tag, "state")), "hidden")
					b.Sheets = append(b.Sheets, Sheet{Name: attribute(tag, "name"), Hidden: hidden})
					x.sheets = append(x.sheets, part)
				}
			case "definedName":
				word, hidden := attribute(tag, "name"), attribute(tag, "hidden")
				ref, err := s.inner(nil, "definedName", "")
				if err == nil && !yes(hidden) && !strings.HasPrefix(word, "_xlnm.") {
					b.addName(word, string(ref))
				}
				return err
			}
			return nil
		})
	})
}

// yes reads a truth value of XML.
func yes(text string) bool { return text == "1" || text == "true" }

func (x *xlsx) readStyles(part string) error {
	codes := map[int]format{}
	within := false
	return x.tags(part, func(name, tag []byte) error {
		switch string(name) {
		case "numFmt":
			id, _ := strconv.Atoi(attribute(tag, "numFmtId"))
			codes[id] = parseFormat(attribute(tag, "formatCode"))
		case "cellXfs", "/cellXfs":
			within = string(name) == "cellXfs"
		case "xf":
			if within {
				id, _ := strconv.Atoi(attribute(tag, "numFmtId"))
				x.addStyle(id, codes)
			}
		}
		return nil
	})
}

func (x *xlsx) readStrings(r io.Reader) error {
	s := newScanner(r)
	var text []byte
	return s.each(func(name, tag []byte) (err error) {
		if string(name) != "si" {
			return nil
		}
		text = text[:0]
		if !closed(tag) {
			text, err = s.rich(text, "si")
			if err != nil {
				return err
			}
		}
		return x.shared.add(text)
	})
}

// rich appends the text of an element: of its t elements, but for phonetic ones.
func (s *scanner) rich(dst []byte, element string) ([]byte, error) {
	start := len(dst)
	phonetic := false
	for {
		tag, err := s.next()
		if err != nil {
			return dst, ended(err)
		}
		n := name(tag)
		if ends(n, element) {
			return unescape(dst, start), nil
		}
		switch string(n) {
		case "rPh":
			phonetic = !closed(tag)
		case "/rPh":
			phonetic = false
		case "t":
			if closed(tag) || phonetic {
				continue
			}
			dst, err = s.inner(dst, "t", "")
			if err != nil {
				return dst, err
			}
		}
	}
}

var escaped = regexp.MustCompile(`_x[0-9A-Fa-f]{4}_`)

// unescape takes back the escapes _xHHHH_ for characters that XML cannot have
// (ECMA-376 part 1, 22.9.2.19).
func unescape(dst []byte, start int) []byte {
	text := dst[start:]
	if bytes.IndexByte(text, '_') < 0 {
		return dst
	}
	text = escaped.ReplaceAllFunc(text, func(m []byte) []byte {
		n, _ := strconv.ParseUint(string(m[2:6]), 16, 16)
		return []byte(string(rune(n)))
	})
	return append(dst[:start], text...)
}

// look finds out the range of a sheet and whether any cell has a value.
func (x *xlsx) look(sheet *Sheet, part string) error {
	sheet.Empty = true
	return x.tags(part, func(name, tag []byte) error {
		switch string(name) {
		case "dimension":
			sheet.Range = attribute(tag, "ref")
			if sheet.Range == "A1" { // what writers say that do not know it
				sheet.Range = ""
			}
		case "v", "is", "f":
			sheet.Empty = closed(tag)
			if !sheet.Empty {
				return errEnough
			}
		}
		return nil
	})
}

// readTable gives a table of a sheet its name. Its rows of totals are not part of
// it.
func (x *xlsx) readTable(b *Book, sheet int, part string) error {
	return x.tags(part, func(name, tag []byte) error {
		if string(name) != "table" {
			return nil
		}
		cells, err := ParseCells(attribute(tag, "ref"))
		if err == nil {
			totals, _ := strconv.Atoi(attribute(tag, "totalsRowCount"))
			cells.LastRow -= totals
			b.Names = append(b.Names, Name{attribute(tag, "displayName"), sheet, cells})
		}
		return errEnough
	})
}

// merges returns the merged cells of a sheet, which stand after its rows.
func (x *xlsx) merges(part string) (list []Cells, err error) {
	err = x.tags(part, func(name, tag []byte) error {
		if string(name) == "mergeCell" && len(list) < maxMerged {
			c, err := ParseCells(attribute(tag, "ref"))
			if err == nil {
				list = append(list, c)
			}
		}
		return nil
	})
	return list, err
}

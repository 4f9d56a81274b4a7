package sheet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"strconv"
	"strings"
)

// openXLSX reads the parts around the sheets.
func (b *Book) openXLSX() error {
	b.Format = "xlsx"
	main, err := b.related("", "officeDocument", "xl/workbook.xml")
	if err != nil {
		return err
	}
	if strings.HasSuffix(main, ".bin") {
		return fmt.Errorf("%w: it is a binary workbook (.xlsb); save it as .xlsx", errors.ErrUnsupported)
	}
	ids, err := b.relations(main)
	if err != nil {
		return err
	}
	if err := b.readWorkbook(main, ids); err != nil {
		return err
	}
	dir := path.Dir(main)
	if err := b.optional(relatedAs(ids, dir, "styles", dir+"/styles.xml"), b.readStyles); err != nil {
		return err
	}
	b.shared = relatedAs(ids, dir, "sharedStrings", dir+"/sharedStrings.xml")
	for i := range b.Sheets {
		if err := b.look(&b.Sheets[i]); err != nil {
			return err
		}
	}
	return nil
}

// relation is one part that another one refers to.
type relation struct{ id, kind, target string }

// relations returns what a part refers to.
func (b *Book) relations(part string) (list []relation, err error) {
	file := path.Join(path.Dir(part), "_rels", path.Base(part)+".rels")
	err = b.optional(file, func(s *scanner) error {
		return s.each(func(name string, tag []byte) error {
			if name == "Relationship" {
				list = append(list, relation{attribute(tag, "Id"), path.Base(attribute(tag, "Type")), attribute(tag, "Target")})
			}
			return nil
		})
	})
	return list, err
}

// related returns the part of a kind that another one refers to.
func (b *Book) related(part, kind, usual string) (string, error) {
	list, err := b.relations(part)
	return relatedAs(list, path.Dir(part), kind, usual), err
}

func relatedAs(list []relation, dir, kind, usual string) string {
	for _, r := range list {
		if r.kind == kind {
			return resolve(dir, r.target)
		}
	}
	return usual
}

// resolve returns the name of a part that is given from a folder.
func resolve(dir, target string) string {
	if strings.HasPrefix(target, "/") {
		return target[1:]
	}
	return path.Join(dir, target)
}

// optional reads a part, if there is one.
func (b *Book) optional(part string, read func(*scanner) error) error {
	if b.file(part) == nil {
		return nil
	}
	r, err := b.open(part)
	if err != nil {
		return err
	}
	defer r.Close()
	if err := read(newScanner(r)); err != nil {
		return fmt.Errorf("part %s: %w", part, err)
	}
	return nil
}

// each calls do with every tag.
func (s *scanner) each(do func(name string, tag []byte) error) error {
	for {
		tag, err := s.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err == nil {
			err = do(string(name(tag)), tag)
		}
		if err != nil {
			return err
		}
	}
}

func (b *Book) readWorkbook(part string, ids []relation) error {
	if b.file(part) == nil {
		return fmt.Errorf("%w: it has no part %s", ErrBroken, part)
	}
	err := b.optional(part, func(s *scanner) error {
		return s.each(func(name string, tag []byte) error {
			switch name {
			case "workbookPr":
				on := attribute(tag, "date1904")
				b.is1904 = on == "1" || on == "true"
			case "sheet":
				next := Sheet{Name: attribute(tag, "name"), Hidden: strings.Contains(strings.ToLower(attribute(tag, "state")), "hidden")}
				for _, r := range ids {
					if r.id == attribute(tag, "id") && r.kind == "worksheet" {
						next.part = resolve(path.Dir(part), r.target)
					}
				}
				if next.part != "" { // and not a chart
					b.Sheets = append(b.Sheets, next)
				}
			}
			return nil
		})
	})
	if err == nil && len(b.Sheets) == 0 {
		err = fmt.Errorf("%w: it has no sheets", ErrBroken)
	}
	return err
}

func (b *Book) readStyles(s *scanner) error {
	codes := map[int]format{}
	within := false
	return s.each(func(name string, tag []byte) error {
		switch name {
		case "numFmt":
			id, _ := strconv.Atoi(attribute(tag, "numFmtId"))
			codes[id] = parseFormat(attribute(tag, "formatCode"))
		case "cellXfs", "/cellXfs":
			within = name == "cellXfs"
		case "xf":
			if within {
				id, _ := strconv.Atoi(attribute(tag, "numFmtId"))
				f, custom := codes[id]
				if !custom {
					f = builtin(id)
				}
				b.styles = append(b.styles, f)
			}
		}
		return nil
	})
}

func (b *Book) readStrings(s *scanner) error {
	var text []byte
	return s.each(func(name string, tag []byte) (err error) {
		if name != "si" {
			return nil
		}
		text = text[:0]
		if !closed(tag) {
			if text, err = s.rich(text, "si"); err != nil {
				return err
			}
		}
		return b.strings.add(text)
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
			if dst, err = s.inner(dst, "t", ""); err != nil {
				return dst, err
			}
		}
	}
}

var escaped = regexp.MustCompile(`_x[0-9A-Fa-f]{4}_`)

// unescape takes back the escapes _xHHHH_ for characters that XML cannot have
// (ECMA-376 part 1, 22.9.2.19), and keeps what ends cells and rows out of text.
func unescape(dst []byte, start int) []byte {
	text := dst[start:]
	if bytes.IndexByte(text, '_') >= 0 {
		text = escaped.ReplaceAllFunc(text, func(m []byte) []byte {
			n, _ := strconv.ParseUint(string(m[2:6]), 16, 16)
			return []byte(string(rune(n)))
		})
		dst = append(dst[:start], text...)
	}
	for _, c := range []byte{CellEnd, RowEnd} {
		for i := bytes.IndexByte(dst[start:], c); i >= 0; i = bytes.IndexByte(dst[start:], c) {
			dst[start+i] = ' '
		}
	}
	return dst
}

// look finds out the range of a sheet and whether any cell has a value.
func (b *Book) look(sheet *Sheet) error {
	r, err := b.open(sheet.part)
	if err != nil {
		return err
	}
	defer r.Close()
	s := newScanner(r)
	sheet.Empty = true
	errFound := errors.New("found")
	err = s.each(func(name string, tag []byte) error {
		switch name {
		case "dimension":
			if sheet.Range = attribute(tag, "ref"); sheet.Range == "A1" { // what writers say that do not know it
				sheet.Range = ""
			}
		case "v", "is", "f":
			sheet.Empty = closed(tag)
			if !sheet.Empty {
				return errFound
			}
		}
		return nil
	})
	if errors.Is(err, errFound) {
		err = nil
	}
	return err
}

// Package sheet reads workbooks: it hands out a sheet as text whose cells and
// rows end in characters that no cell has, each cell as a person sees it.
//
// It knows Office Open XML (ECMA-376, transitional and strict), its binary form
// ([MS-XLSB]), OpenDocument (ISO/IEC 26300) and the older binary workbook
// ([MS-XLS]), and reads all but the last as a stream: of a workbook only its
// shared texts are kept.
package sheet

import (
	"archive/zip"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"
)

// Sheet is one sheet of a workbook.
type Sheet struct {
	Name   string `json:"name"`
	Hidden bool   `json:"hidden"`
	Range  string `json:"range"` // as the workbook says or its reading has shown, or ""
	Empty  bool   `json:"empty"` // no cell of it has a value
	// Records is how many records a survey has found in it, if there was one.
	Records *int64 `json:"records"`
}

// Book is an open workbook. Several of its sheets may be read at a time.
type Book struct {
	Format string // "xlsx", "xlsb", "xls" or "ods"
	Sheets []Sheet
	Names  []Name

	content content
}

// content is one way in which workbooks are written.
type content interface {
	// write hands the rows of a sheet to the writer, whose facts record what is
	// read of the sheet.
	write(sheet int, w *writer) error
	// size returns the bytes that are read of a sheet.
	size(sheet int) int64
}

// Is reports whether an archive is a workbook.
func Is(archive *zip.Reader) bool {
	return slices.ContainsFunc(archive.File, func(f *zip.File) bool { return f.Name == "[Content_Types].xml" || f.Name == "content.xml" })
}

// Open reads what a workbook says of itself. The archive stays in use.
func Open(archive *zip.Reader) (*Book, error) {
	p := newParts(archive)
	if p.file("content.xml") != nil {
		return openODS(p)
	}
	o, err := p.opening()
	if err != nil {
		return nil, err
	}
	if strings.HasSuffix(o.main, ".bin") {
		return openXLSB(p, o)
	}
	return openXLSX(p, o)
}

// Size returns the bytes that are read of a sheet.
func (b *Book) Size(i int) int64 { return b.content.size(i) }

// found checks what was found when the workbook was opened.
func (b *Book) found() (*Book, error) {
	if len(b.Sheets) == 0 {
		return nil, fmt.Errorf("%w: no sheets", ErrBroken)
	}
	return b, nil
}

// All is the word for every sheet that is visible and not empty.
const All = "all"

// Choose returns the indexes of the sheets that a word means: a name, a number,
// a pattern of names, All, or "" for the only sheet that has values.
func Choose(sheets []Sheet, word string) ([]int, error) {
	var found []int
	number, _ := strconv.Atoi(word)
	for i, s := range sheets {
		if s.Name == word {
			return []int{i}, nil
		}
		if !s.Empty && !s.Hidden && covers(word, s.Name) {
			found = append(found, i)
		}
	}
	switch {
	case number >= 1 && number <= len(sheets):
		return []int{number - 1}, nil
	case len(found) == 0 && word == "" && len(sheets) == 1:
		return []int{0}, nil
	case len(found) == 0 || word == "" && len(found) > 1:
		return nil, &ChoiceError{Asked: word, Sheets: sheets}
	}
	return found, nil
}

// IsName reports whether a word names one sheet, and is not a number, a pattern or All.
func IsName(word string) bool {
	_, err := strconv.Atoi(word)
	return word != "" && word != All && err != nil && !strings.ContainsAny(word, `*?[\`)
}

// covers reports whether a word other than a number means a sheet.
func covers(word, name string) bool {
	matches, _ := path.Match(word, name)
	return word == "" || word == All || matches
}

// LeftOut returns the names of the sheets that Choose leaves out although the word
// covers them, because they are hidden or empty.
func LeftOut(sheets []Sheet, word string) (names []string) {
	for _, s := range sheets {
		if len(sheets) > 1 && (s.Empty || s.Hidden) && s.Name != word && covers(word, s.Name) {
			names = append(names, s.Name)
		}
	}
	return names
}

// Reader returns the text of a sheet as Text writes it.
func (b *Book) Reader(i int, v View, count func(io.Reader) io.Reader) *Reader {
	r := &Reader{}
	r.relay = newRelay(func(to io.Writer) (err error) {
		r.facts, err = b.Text(i, v, to, count)
		return err
	})
	return r
}

// Reader reads the text of a sheet. Close ends it at any time.
type Reader struct {
	*relay
	facts Facts
}

// Facts returns what the reading has shown, once Read has returned io.EOF.
func (r *Reader) Facts() Facts { return r.facts }

// Text writes the text of a sheet, row by row; those without a value are rows of
// no cell, so that rows have the numbers that they have in the sheet. count,
// unless nil, wraps what is read.
func (b *Book) Text(i int, v View, to io.Writer, count func(io.Reader) io.Reader) (Facts, error) {
	w := &writer{to: to, view: v, count: count}
	err := b.content.write(i, w)
	if err != nil {
		return Facts{}, err
	}
	return w.facts, w.end()
}

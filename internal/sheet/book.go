// Package sheet reads workbooks: it hands out a sheet as text whose cells and
// rows end in characters that no cell has, each cell as a person sees it.
//
// It knows Office Open XML (ECMA-376, transitional and strict) and OpenDocument
// (ISO/IEC 26300), and reads them as a stream: of a workbook only its shared
// texts are kept.
package sheet

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"

	"github.com/klauspost/compress/flate"
)

// What ends a cell and a row of the text of a sheet: the separators that ASCII
// has for that. In the text of cells a space stands for them.
const (
	CellEnd = '\x1f'
	RowEnd  = '\x1e'
)

// Conditions that callers can act on.
var (
	ErrEncrypted = errors.New("the workbook is protected by a password")
	ErrTooLarge  = errors.New("the workbook unpacks to more than it can hold")
)

// maxRatio is how many times larger than its file a part may be.
const maxRatio = 1100

// Sheet is one sheet of a workbook.
type Sheet struct {
	Name   string `json:"name"`
	Hidden bool   `json:"hidden"`
	Range  string `json:"range"` // as the workbook says, or ""
	Empty  bool   `json:"empty"` // no cell of it has a value
	// Records is how many records a survey has found in it, if there was one.
	Records *int64 `json:"records"`

	part string // name of its file in the archive
}

// Book is an open workbook.
type Book struct {
	Format string // "xlsx" or "ods"
	Sheets []Sheet

	archive *zip.Reader
	styles  []format // by the style of a cell
	shared  string   // the part of the shared texts
	strings texts    // which are read when they are needed
	is1904  bool     // days are counted from 1904 on
}

// Is tells whether an archive is a workbook.
func Is(archive *zip.Reader) bool {
	return slices.ContainsFunc(archive.File, func(f *zip.File) bool { return f.Name == "[Content_Types].xml" || f.Name == "content.xml" })
}

// Open reads what a workbook says of itself. The archive stays in use.
func Open(archive *zip.Reader) (*Book, error) {
	for _, f := range archive.File {
		f.Name = strings.TrimPrefix(f.Name, "/")
	}
	archive.RegisterDecompressor(zip.Deflate, func(r io.Reader) io.ReadCloser { return flate.NewReader(r) })
	b := &Book{archive: archive}
	if b.file("content.xml") != nil {
		return b, b.openODS()
	}
	return b, b.openXLSX()
}

func (b *Book) file(name string) *zip.File {
	for _, f := range b.archive.File {
		if strings.EqualFold(f.Name, name) {
			return f
		}
	}
	return nil
}

// open opens a part of the workbook.
func (b *Book) open(name string) (io.ReadCloser, error) {
	f := b.file(name)
	if f == nil {
		return nil, fmt.Errorf("%w: it has no part %s", ErrBroken, name)
	}
	r, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("%w: part %s: %w", ErrBroken, name, err)
	}
	return struct {
		io.Reader
		io.Closer
	}{&bounded{r, int64(f.CompressedSize64+1024) * maxRatio}, r}, nil
}

// bounded ends what unpacks to far more than its size allows.
type bounded struct {
	io.Reader
	left int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if b.left <= 0 {
		return 0, ErrTooLarge
	}
	n, err := b.Reader.Read(p)
	b.left -= int64(n)
	return n, err
}

// Size returns the bytes of the part that a sheet is in, unpacked.
func (b *Book) Size(i int) int64 {
	if f := b.file(b.Sheets[i].part); f != nil {
		return int64(f.UncompressedSize64)
	}
	return 0
}

// ChoiceError says that it is not told which sheet is meant.
type ChoiceError struct {
	Asked  string // what there is no sheet of, or ""
	Sheets []Sheet
}

func (e *ChoiceError) Error() string {
	var names []string
	for _, s := range e.Sheets {
		switch {
		case s.Empty:
			names = append(names, s.Name+" (empty)")
		case s.Hidden:
			names = append(names, s.Name+" (hidden)")
		default:
			names = append(names, s.Name)
		}
	}
	what := "the workbook has several sheets"
	if e.Asked != "" {
		what = fmt.Sprintf("the workbook has no sheet %q", e.Asked)
	}
	return what + ": " + strings.Join(names, ", ")
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
		visible := !s.Empty && !s.Hidden
		matches, _ := path.Match(word, s.Name)
		if visible && (word == "" || word == All || matches) {
			found = append(found, i)
		}
	}
	switch {
	case number >= 1 && number <= len(sheets):
		return []int{number - 1}, nil
	case len(found) == 0 && word == "" && len(sheets) == 1:
		return []int{0}, nil
	case len(found) == 0 || word == "" && len(found) > 1:
		return nil, &ChoiceError{word, sheets}
	}
	return found, nil
}

// texts keeps many texts in little memory.
type texts struct {
	data []byte
	ends []uint32
}

// maxTexts is the length of all shared texts together.
const maxTexts = 1 << 30

func (t *texts) add(text []byte) error {
	if len(t.data)+len(text) > maxTexts {
		return fmt.Errorf("%w: its shared texts are longer than %d MB", ErrTooLarge, maxTexts>>20)
	}
	t.data = append(t.data, text...)
	t.ends = append(t.ends, uint32(len(t.data)))
	return nil
}

// at returns a text, nil if there is none of that number.
func (t *texts) at(i int) []byte {
	if i < 0 || i >= len(t.ends) {
		return nil
	}
	start := uint32(0)
	if i > 0 {
		start = t.ends[i-1]
	}
	return t.data[start:t.ends[i]:t.ends[i]]
}

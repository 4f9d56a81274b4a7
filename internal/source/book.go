package source

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/richardlehane/mscfb"

	"ambertray/internal/sheet"
)

// openBook is a workbook that stays open, so that what it says of itself, its
// shared texts and, where there is room, its sheets are unpacked once.
type openBook struct {
	*sheet.Book
	file    *os.File
	size    int64
	changed time.Time
	lent    bool // by another opener, which closes the file
	texts   map[view]*keptText
	kept    int64 // the bytes of these
}

// unchanged reports whether a file has not changed since the workbook was opened.
func (b *openBook) unchanged(info os.FileInfo) bool {
	return b != nil && b.size == info.Size() && b.changed.Equal(info.ModTime())
}

// lend returns the workbook for another opener, which keeps the texts of sheets for itself.
func (b *openBook) lend() *openBook {
	book := *b.Book
	book.Sheets = slices.Clone(book.Sheets)
	return &openBook{Book: &book, file: b.file, size: b.size, changed: b.changed, lent: true, texts: map[view]*keptText{}}
}

func (b *openBook) close() {
	if !b.lent {
		b.file.Close()
	}
	for _, t := range b.texts {
		t.remove()
	}
}

// Book returns a workbook, or nil for any other file. It is valid as long as the
// opener is.
func (o *Opener) Book(ctx context.Context, name string) (*sheet.Book, error) {
	path, member, err := o.place(ctx, name)
	if err != nil || member != "" {
		return nil, err
	}
	b, err := o.book(name, path)
	if b == nil {
		return nil, err
	}
	return b.Book, nil
}

// book opens a workbook, unless it is open and has not changed since; of any
// other file it returns nil.
func (o *Opener) book(name, path string) (*openBook, error) {
	info, err := os.Stat(path)
	if err == nil {
		path, err = filepath.Abs(path) // which names the file the same, from a tray too
	}
	if err != nil {
		return nil, cannotOpen(name, err)
	}
	b := o.books[path]
	if b.unchanged(info) {
		return b, nil
	}
	if b != nil {
		delete(o.books, path)
		b.close()
	}
	if o.books == nil {
		o.books = map[string]*openBook{}
	}
	if o.lender != nil && o.lender.books[path].unchanged(info) {
		o.books[path] = o.lender.books[path].lend()
		return o.books[path], nil
	}
	f, err := openFile(name, path)
	if err != nil {
		return nil, err
	}
	book, err := readBook(f, info.Size(), name)
	if book == nil || err != nil {
		f.Close()
		if err != nil {
			err = fmt.Errorf("open %s: %w", name, err)
		}
		return nil, err
	}
	o.books[path] = &openBook{Book: book, file: f, size: info.Size(), changed: info.ModTime(), texts: map[view]*keptText{}}
	return o.books[path], nil
}

// What the files of workbooks begin with: archives, and files that are folders
// of their own, which older workbooks are and those with a password.
const (
	zipFile      = "PK\x03\x04"
	compoundFile = "\xd0\xcf\x11\xe0"
)

// pageNames are the endings of the names of files that may be web pages with tables.
var pageNames = []string{".xls", ".xlsx", ".html", ".htm"}

// xmlNames are those of files that may be workbooks in XML.
var xmlNames = []string{".xls", ".xlsx", ".xml"}

// readBook returns the workbook in a file, or nil when it is not one.
func readBook(f *os.File, size int64, name string) (*sheet.Book, error) {
	head := make([]byte, 2000)
	n, err := f.ReadAt(head, 0)
	if err != nil && !errors.Is(err, io.EOF) || n < len(zipFile) {
		return nil, nil // it cannot be read, as reading it will show, or is too short
	}
	head = head[:n]
	switch string(head[:len(zipFile)]) {
	case compoundFile:
		return oldBook(f, size)
	case zipFile:
		archive, err := zip.NewReader(f, size)
		if err != nil || !sheet.Is(archive) {
			return nil, nil // which unpacking it will show
		}
		return sheet.Open(archive)
	}
	ending := strings.ToLower(filepath.Ext(name))
	isPage, isXML := slices.Contains(pageNames, ending), slices.Contains(xmlNames, ending)
	switch {
	case isXML && sheet.IsXMLBook(head):
		return sheet.OpenXMLBook(f, size)
	case isPage && sheet.IsPage(head) && !strings.Contains(name, "://"): // where servers give pages for errors
		return sheet.OpenPage(f, size)
	}
	return nil, nil
}

// oldBook opens the workbook in a file that is a folder of its own.
func oldBook(f *os.File, size int64) (*sheet.Book, error) {
	files, err := mscfb.New(f)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", sheet.ErrBroken, err)
	}
	var data []byte
	for entry, err := files.Next(); err == nil; entry, err = files.Next() {
		switch entry.Name {
		case "EncryptedPackage":
			return nil, sheet.ErrEncrypted
		case "Workbook", "Book": // some files have both; Book is the older one
			if data != nil && entry.Name == "Book" {
				continue
			}
			data, err = io.ReadAll(io.LimitReader(entry, size))
			if err != nil {
				return nil, fmt.Errorf("%w: %w", sheet.ErrBroken, err)
			}
		}
	}
	if data == nil {
		return nil, fmt.Errorf("%w but an older document", ErrBinary)
	}
	return sheet.OpenOld(data)
}

// open opens a sheet as text.
func (b *openBook) open(name string, o Options) (*Source, error) {
	chosen, cells, err := b.Resolve(o.Sheet, o.Cells)
	if err != nil {
		return nil, err
	}
	if len(chosen) > 1 {
		return nil, &sheet.ChoiceError{Sheets: b.Sheets}
	}
	v := view{chosen[0], sheet.View{Cells: cells, LeaveHidden: o.LeaveHidden, FillMerged: o.FillMerged}}
	s := &Source{Name: name, Packing: b.Format, Sheet: b.Sheets[v.sheet].Name, count: o.Count, file: b.file}
	s.info, err = b.file.Stat()
	if err != nil {
		return nil, err
	}
	text := b.text(s, v, o.Keep)
	if o.Sum {
		s.sum = sha256.New()
		text = io.TeeReader(text, s.sum)
	}
	err = s.decode(text, Options{Encoding: utf8Name})
	if err != nil {
		s.Close()
		return nil, fmt.Errorf("sheet %s: %w", s.Sheet, err)
	}
	return s, nil
}

// text returns the text of a sheet as a source.
func (b *openBook) text(s *Source, v view, keep bool) io.Reader {
	s.Size = b.Size(v.sheet)
	kept := b.texts[v]
	if kept != nil {
		s.facts = func() sheet.Facts { return kept.facts }
		text := io.NewSectionReader(kept.file, 0, kept.size)
		if s.count == nil {
			return text
		}
		return &scaled{Reader: text, n: s.count, of: kept.size, size: s.Size}
	}
	r := b.Reader(v.sheet, v.View, s.counted)
	s.facts = r.Facts
	text := io.ReadCloser(r)
	if keep {
		text = b.keep(r, v)
	}
	s.closer = append(s.closer, text)
	return text
}

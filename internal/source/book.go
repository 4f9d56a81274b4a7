package source

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/richardlehane/mscfb"

	"ambertray/internal/sheet"
)

// openBook is a workbook that stays open, so that what it says of itself and its
// shared texts are read once.
type openBook struct {
	*sheet.Book
	file    *os.File
	size    int64
	changed time.Time
}

// Book returns a workbook, or nil for any other file. It is valid as long as the
// opener is.
func (o *Opener) Book(ctx context.Context, name string) (*sheet.Book, error) {
	path, member, err := o.place(ctx, name)
	if err != nil || member != "" {
		return nil, err
	}
	return o.book(name, path)
}

// book opens a workbook, unless it is open and has not changed since.
func (o *Opener) book(name, path string) (*sheet.Book, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	if b := o.books[path]; b != nil {
		if b.size == info.Size() && b.changed.Equal(info.ModTime()) {
			return b.Book, nil
		}
		delete(o.books, path)
		b.file.Close()
	}
	f, err := openFile(name, path)
	if err != nil {
		return nil, err
	}
	book, err := readBook(f, info.Size())
	if book == nil || err != nil {
		f.Close()
		if err != nil {
			err = fmt.Errorf("open %s: %w", name, err)
		}
		return nil, err
	}
	if o.books == nil {
		o.books = map[string]*openBook{}
	}
	o.books[path] = &openBook{book, f, info.Size(), info.ModTime()}
	return book, nil
}

// What the files of workbooks begin with: archives, and files that are folders
// of their own, which older workbooks are and those with a password.
const (
	zipFile      = "PK\x03\x04"
	compoundFile = "\xd0\xcf\x11\xe0"
)

// readBook returns the workbook in a file, or nil when it is none.
func readBook(f *os.File, size int64) (*sheet.Book, error) {
	magic := make([]byte, 4)
	if _, err := f.ReadAt(magic, 0); err != nil {
		return nil, nil // which is too short for one
	}
	switch string(magic) {
	case compoundFile:
		return oldBook(f, size)
	case zipFile:
		archive, err := zip.NewReader(f, size)
		if err != nil || !sheet.Is(archive) {
			return nil, nil // which unpacking it will tell
		}
		return sheet.Open(archive)
	}
	return nil, nil
}

// oldBook opens the workbook in a file that is a folder of its own.
func oldBook(f *os.File, size int64) (*sheet.Book, error) {
	files, err := mscfb.New(f)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", sheet.ErrBroken, err)
	}
	for entry, err := files.Next(); err == nil; entry, err = files.Next() {
		switch entry.Name {
		case "EncryptedPackage":
			return nil, sheet.ErrEncrypted
		case "Workbook", "Book":
			data, err := io.ReadAll(io.LimitReader(entry, size))
			if err != nil {
				return nil, fmt.Errorf("%w: %w", sheet.ErrBroken, err)
			}
			return sheet.OpenOld(data)
		}
	}
	return nil, fmt.Errorf("%w but an older document", ErrBinary)
}

// openSheet opens a sheet of a workbook as text.
func openSheet(name string, book *sheet.Book, o Options) (*Source, error) {
	chosen, cells, err := book.Resolve(o.Sheet, o.Cells)
	if err != nil {
		return nil, err
	}
	if len(chosen) > 1 {
		return nil, &sheet.ChoiceError{Sheets: book.Sheets}
	}
	i := chosen[0]
	s := &Source{Name: name, Packing: book.Format, Sheet: book.Sheets[i].Name, Size: book.Size(i), count: o.Count}
	view := sheet.View{Cells: cells, LeaveHidden: o.LeaveHidden, FillMerged: o.FillMerged}
	s.rows = book.Reader(i, view, s.counted)
	s.closer = append(s.closer, s.rows)
	var text io.Reader = s.rows
	if o.Sum {
		s.sum = sha256.New()
		text = io.TeeReader(text, s.sum)
	}
	return s, s.decode(text, utf8Name)
}

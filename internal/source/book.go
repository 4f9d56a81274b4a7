package source

import (
	"archive/zip"
	"context"
	"fmt"
	"io"
	"os"
	"slices"
	"time"

	"github.com/richardlehane/mscfb"

	"ambertray/internal/sheet"
)

// compoundFile is what files begin with that are folders of their own: older
// workbooks, and those with a password.
const compoundFile = "\xd0\xcf\x11\xe0"

// oldWorkbook says what is in such a file.
func oldWorkbook(f *os.File) error {
	files, err := mscfb.New(f)
	if err != nil {
		return fmt.Errorf("%w: it is damaged", ErrBinary)
	}
	for entry, err := files.Next(); err == nil; entry, err = files.Next() {
		switch entry.Name {
		case "EncryptedPackage":
			return sheet.ErrEncrypted
		case "Workbook", "Book":
			return fmt.Errorf("%w but an older workbook (.xls)", ErrBinary)
		}
	}
	return fmt.Errorf("%w but an older document", ErrBinary)
}

// unpackBook opens a sheet of a workbook as text.
func (s *Source) unpackBook(archive *zip.Reader, o Options) (io.Reader, error) {
	book, err := sheet.Open(archive)
	if err != nil {
		return nil, err
	}
	cells, err := sheet.ParseCells(o.Cells)
	if err != nil {
		return nil, err
	}
	chosen, err := sheet.Choose(book.Sheets, o.Sheet)
	if err != nil {
		return nil, err
	}
	if len(chosen) > 1 {
		return nil, &sheet.ChoiceError{Sheets: book.Sheets}
	}
	i := chosen[0]
	s.Packing, s.Sheet, s.Size = book.Format, book.Sheets[i].Name, book.Size(i)
	in := book.Reader(i, cells, s.counted)
	s.closer = append(s.closer, in)
	if s.sum == nil {
		return in, nil
	}
	s.sum.Reset()
	return io.TeeReader(in, s.sum), nil
}

// Sheets returns the sheets of a workbook; of any other file there are none. What
// a file has is looked at once, as long as it does not change.
func (o *Opener) Sheets(ctx context.Context, name string) ([]sheet.Sheet, error) {
	path, member, err := o.place(ctx, name)
	if err != nil || member != "" {
		return nil, err
	}
	f, err := openFile(name, path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	seen, ok := o.looked[path]
	if ok && seen.size == info.Size() && seen.changed.Equal(info.ModTime()) {
		return slices.Clone(seen.sheets), nil
	}
	archive, err := zip.NewReader(f, info.Size())
	if err != nil || !sheet.Is(archive) {
		return nil, nil // which opening it will tell
	}
	book, err := sheet.Open(archive)
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", name, err)
	}
	if o.looked == nil {
		o.looked = map[string]looked{}
	}
	o.looked[path] = looked{info.Size(), info.ModTime(), book.Sheets}
	return slices.Clone(book.Sheets), nil
}

// looked is what was seen of a workbook.
type looked struct {
	size    int64
	changed time.Time
	sheets  []sheet.Sheet
}

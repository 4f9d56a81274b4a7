package source

import (
	"errors"
	"io"
	"os"
	"sync/atomic"

	"ambertray/internal/sheet"
)

// maxKept is the length of all texts of sheets of a workbook that are kept.
const maxKept = 256 << 20

// view is one sheet of a workbook as it is handed out.
type view struct {
	sheet int
	sheet.View
}

// keptText is the text of a sheet that was read to its end, so that reading it
// again is reading a file.
type keptText struct {
	file  *os.File
	size  int64
	facts sheet.Facts
}

func (k *keptText) remove() {
	k.file.Close()
	os.Remove(k.file.Name())
}

// keeping passes the text of a sheet on and keeps it on the way. Where that
// fails because there is no room, nothing is kept.
type keeping struct {
	*sheet.Reader
	book *openBook
	view view
	text *keptText // nil when it is given up
}

// keep keeps the text of a sheet as it is read.
func (b *openBook) keep(r *sheet.Reader, v view) io.ReadCloser {
	f, err := os.CreateTemp("", "ambertray-sheet-")
	if err != nil {
		return r
	}
	return &keeping{r, b, v, &keptText{file: f}}
}

// Read implements io.Reader.
func (k *keeping) Read(p []byte) (int, error) {
	n, err := k.Reader.Read(p)
	if k.text == nil {
		return n, err
	}
	_, writeErr := k.text.file.Write(p[:n])
	k.text.size += int64(n)
	switch {
	case writeErr != nil || k.book.kept+k.text.size > maxKept:
		k.giveUp()
	case errors.Is(err, io.EOF) && k.text.size > 0 && k.book.texts[k.view] == nil:
		k.text.facts = k.Facts()
		k.book.texts[k.view] = k.text
		k.book.kept += k.text.size
		k.text = nil
	}
	return n, err
}

func (k *keeping) giveUp() {
	if k.text != nil {
		k.text.remove()
		k.text = nil
	}
}

// Close implements io.Closer.
func (k *keeping) Close() error {
	k.giveUp()
	return k.Reader.Close()
}

// scaled counts what is read through it, of a text, as if it were read of the
// larger part that the text was unpacked from.
type scaled struct {
	io.Reader
	n        *atomic.Int64
	of, size int64
	read     int64
}

func (s *scaled) Read(p []byte) (int, error) {
	n, err := s.Reader.Read(p)
	before := s.read * s.size / s.of
	s.read += int64(n)
	s.n.Add(s.read*s.size/s.of - before)
	return n, err
}

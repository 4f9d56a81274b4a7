package handover

import (
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"path/filepath"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/publish"
)

// sum is a SHA-256 that is added up.
type sum struct{ hash.Hash }

func newSum() sum { return sum{sha256.New()} }

func (s sum) hex() string { return hex.EncodeToString(s.Sum(nil)) }

// rowFile is a file of rows that is being written.
type rowFile struct {
	name  string
	file  *os.File
	sum   sum
	bytes int64
	zip   *gzip.Writer // nil unless it is packed
	out   *publish.Background
}

// newRowFile makes the next file of rows.
func (h *handover) newRowFile() (*rowFile, error) {
	name := h.form.rows
	if h.Part > 0 {
		base, ending, _ := strings.Cut(name, ".")
		name = fmt.Sprintf("%s-%04d.%s", base, len(h.parts)+1, ending)
	}
	h.parts = append(h.parts, name)
	f := &rowFile{name: name, sum: newSum()}
	if h.Pack {
		f.name += ".gz"
	}
	var err error
	f.file, err = os.OpenFile(filepath.Join(h.dir, f.name), os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o666)
	if err != nil {
		return nil, err
	}
	var to io.Writer = io.MultiWriter(f.file, f.sum, counter{&f.bytes})
	if h.Pack {
		f.zip = gzip.NewWriter(to)
		to = f.zip
	}
	f.out = publish.NewBackground(to)
	return f, nil
}

// counter counts what is written.
type counter struct{ n *int64 }

func (c counter) Write(p []byte) (int, error) {
	*c.n += int64(len(p))
	return len(p), nil
}

// endRowFile ends a file of rows, which is on the disk then and in the list of files.
func (h *handover) endRowFile(f *rowFile) error {
	err := f.out.End()
	if f.zip != nil {
		err = errors.Join(err, f.zip.Close())
	}
	if err == nil {
		err = f.file.Sync()
	}
	return errors.Join(err, h.add(File{f.name, f.bytes, f.sum.hex()}), f.file.Close())
}

// bulkWriter writes rows for the bulk load of a server: fields that an encoder has ended,
// of which the last one's end becomes a line feed.
type bulkWriter struct {
	h      *handover
	header string
	file   *rowFile // nil until there are rows, or no more
	inFile int64
	rows   int64
}

func openBulk(h *handover, header string) (rowsWriter, error) {
	w := &bulkWriter{h: h, header: header}
	return w, w.next() // so that there is a file even without rows
}

// next goes on with another file.
func (w *bulkWriter) next() (err error) {
	if w.file != nil {
		err := w.h.endRowFile(w.file)
		if err != nil {
			w.file = nil
			return err
		}
	}
	w.inFile = 0
	w.file, err = w.h.newRowFile()
	if err != nil {
		return err
	}
	_, err = w.file.out.Write([]byte(w.header))
	return err
}

func (w *bulkWriter) write(k *convert.Block) error {
	for _, end := range k.Ends {
		k.Data[end-1] = '\n'
	}
	start, first := 0, 0
	for first < len(k.Ends) {
		n := len(k.Ends) - first
		part := w.h.Part
		if part > 0 {
			if w.inFile == part {
				err := w.next()
				if err != nil {
					return err
				}
			}
			n = int(min(int64(n), part-w.inFile))
		}
		end := k.Ends[first+n-1]
		_, err := w.file.out.Write(k.Data[start:end])
		if err != nil {
			return err
		}
		first, start = first+n, end
		w.inFile, w.rows = w.inFile+int64(n), w.rows+int64(n)
	}
	return nil
}

func (w *bulkWriter) close() (int64, error) {
	if w.file == nil {
		return w.rows, nil
	}
	return w.rows, w.h.endRowFile(w.file)
}

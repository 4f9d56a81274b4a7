package sheet

import (
	"archive/zip"
	"bufio"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"github.com/klauspost/compress/flate"
)

// maxRatio is how many times larger than its file a part may be.
const maxRatio = 1100

// parts are the files of a workbook that is an archive.
type parts struct{ archive *zip.Reader }

func newParts(archive *zip.Reader) parts {
	for _, f := range archive.File {
		f.Name = strings.TrimPrefix(f.Name, "/")
	}
	archive.RegisterDecompressor(zip.Deflate, func(r io.Reader) io.ReadCloser { return flate.NewReader(bufio.NewReaderSize(r, chunk)) })
	return parts{archive}
}

func (p parts) file(name string) *zip.File {
	for _, f := range p.archive.File {
		if strings.EqualFold(f.Name, name) {
			return f
		}
	}
	return nil
}

// size returns the bytes of a part, unpacked.
func (p parts) size(name string) int64 {
	f := p.file(name)
	if f != nil {
		return int64(f.UncompressedSize64)
	}
	return 0
}

// open opens a part of the workbook.
func (p parts) open(name string) (io.ReadCloser, error) {
	f := p.file(name)
	if f == nil {
		return nil, fmt.Errorf("%w: part %s is missing", ErrBroken, name)
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

// with reads a part, if there is one.
func (p parts) with(part string, read func(io.Reader) error) error {
	if p.file(part) == nil {
		return nil
	}
	r, err := p.open(part)
	if err != nil {
		return err
	}
	defer r.Close()
	err = read(r)
	if err != nil && !errors.Is(err, errEnough) {
		return fmt.Errorf("part %s: %w", part, err)
	}
	return nil
}

// errEnough ends the reading of a part whose rest is not wanted.
var errEnough = errors.New("enough")

// ahead reads a part whose rows are written, which is unpacked on another core.
func (p parts) ahead(name string, w *writer, read func(io.Reader) error) error {
	part, err := p.open(name)
	if err != nil {
		return err
	}
	defer part.Close()
	ahead := readAhead(w.counted(part))
	defer ahead.Close()
	return read(ahead)
}

// readAheadFrom is how long a part is that is worth being unpacked on another
// core.
const readAheadFrom = 16 << 20

// tags calls do with every tag of a part, if there is one.
func (p parts) tags(part string, do func(name, tag []byte) error) error {
	return p.with(part, func(r io.Reader) error {
		if p.size(part) > readAheadFrom {
			ahead := readAhead(r)
			defer ahead.Close()
			r = ahead
		}
		return newScanner(r).each(do)
	})
}

// relation is one part that another one refers to.
type relation struct{ id, kind, part string }

// relations returns what a part refers to.
func (p parts) relations(part string) (list []relation, err error) {
	dir, base := path.Split(part) // of the workbook as a whole they are empty
	file := dir + "_rels/" + base + ".rels"
	err = p.tags(file, func(name, tag []byte) error {
		if string(name) == "Relationship" {
			list = append(list, relation{attribute(tag, "Id"), path.Base(attribute(tag, "Type")), resolve(dir, attribute(tag, "Target"))})
		}
		return nil
	})
	return list, err
}

// resolve returns the name of a part that is given from a folder.
func resolve(dir, target string) string {
	if strings.HasPrefix(target, "/") {
		return target[1:]
	}
	return path.Join(dir, target)
}

// related returns the first part of a kind, or else the usual one.
func related(list []relation, kind, usual string) string {
	for _, r := range list {
		if r.kind == kind {
			return r.part
		}
	}
	return usual
}

package export

import (
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/klauspost/compress/zstd"
	"github.com/ulikunitz/xz"

	"ambertray/internal/publish"
)

// ErrFileExists is returned for an existing file that must not be replaced.
var ErrFileExists = errors.New("the file exists")

// file is what is written, under a temporary name until it is whole. What is written
// to it is packed as its name says.
type file struct {
	io.Writer
	path       string
	temp       *os.File
	packer     io.Closer // nil for a file that is not packed
	background *publish.Background
	sum        hash.Hash
	size       int64
	replace    bool
}

// Standard is the name of standard output.
const Standard = "-"

// create opens the file. stdout takes the place of the file with the name Standard. Once ctx is
// done, nothing more is written to it.
func create(ctx context.Context, path string, replace bool, stdout io.Writer) (*file, error) {
	f := &file{path: path, replace: replace, sum: sha256.New()}
	var to io.Writer = stdout
	if path != Standard {
		_, err := os.Lstat(path)
		if err == nil && !replace {
			return nil, fmt.Errorf("%s: %w", path, ErrFileExists)
		}
		name := filepath.Join(filepath.Dir(path), fmt.Sprintf(".%s.%d.new", filepath.Base(path), os.Getpid()))
		f.temp, err = os.OpenFile(name, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o666)
		if err != nil {
			return nil, err
		}
		to = f.temp
	}
	packed, err := pack(path, io.MultiWriter(whileWanted{ctx}, to, f.sum, (*counter)(&f.size)))
	if err != nil {
		return nil, errors.Join(err, f.drop())
	}
	f.packer, _ = packed.(io.Closer)
	f.background = publish.NewBackground(packed)
	f.Writer = f.background
	return f, nil
}

// whileWanted fails once its context is done: a library that packs a whole workbook has no other
// way to be stopped.
type whileWanted struct{ context.Context }

func (w whileWanted) Write(p []byte) (int, error) { return len(p), w.Err() }

// counter counts what is written.
type counter int64

func (c *counter) Write(p []byte) (int, error) {
	*c += counter(len(p))
	return len(p), nil
}

// Ending returns the ending of a file in lower case, the one before that of how it is packed.
func Ending(path string) string {
	return strings.ToLower(filepath.Ext(plainName(path)))
}

// plainName is the name of a file without the ending of how it is packed.
func plainName(path string) string {
	for _, ending := range []string{".gz", ".zst", ".xz"} {
		if strings.HasSuffix(strings.ToLower(path), ending) {
			return path[:len(path)-len(ending)]
		}
	}
	return path
}

func pack(path string, w io.Writer) (io.Writer, error) {
	switch strings.ToLower(filepath.Ext(path)) {
	case ".gz":
		return gzip.NewWriter(w), nil
	case ".zst":
		return zstd.NewWriter(w)
	case ".xz":
		return xz.NewWriter(w)
	}
	return w, nil
}

// finish gives the file its name. Until then it is nobody's.
func (f *file) finish() error {
	err := f.background.End()
	if err != nil {
		return err
	}
	if f.packer != nil {
		err := f.packer.Close()
		if err != nil {
			return err
		}
	}
	if f.temp == nil {
		return nil
	}
	err = errors.Join(f.temp.Sync(), f.temp.Close())
	if err != nil {
		return err
	}
	if !f.replace { // another program may have made it meanwhile
		err := os.Link(f.temp.Name(), f.path)
		switch {
		case errors.Is(err, fs.ErrExist):
			return fmt.Errorf("%s: %w", f.path, ErrFileExists)
		case err == nil:
			return os.Remove(f.temp.Name())
		}
	}
	return publish.Replace(f.temp.Name(), f.path)
}

// drop removes what was written.
func (f *file) drop() error {
	if f.background != nil {
		_ = f.background.End() // why it failed is known
	}
	if f.temp == nil {
		return nil
	}
	f.temp.Close()
	err := os.Remove(f.temp.Name())
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

func (f *file) sha256() string { return hex.EncodeToString(f.sum.Sum(nil)) }

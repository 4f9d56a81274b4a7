// Package source opens what is to be loaded and hands out its bytes.
package source

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"path/filepath"
	"strings"
)

// Errors that tell why a source cannot be read.
var (
	ErrDirectory = errors.New("it is a folder")
	ErrEmpty     = errors.New("it is empty")
	ErrBinary    = errors.New("it is not text")
)

// HeadSize is how much of the beginning of a source can be looked at before it
// is read.
const HeadSize = 1 << 20

// Source is an open source. Its text is UTF-8 without a byte order mark.
type Source struct {
	Name string // its path, as it was given
	Size int64  // in bytes; -1 when it is not known
	BOM  bool

	file *os.File
	sum  hash.Hash // nil unless it is wanted
	text *bufio.Reader
}

var bom = []byte("\xef\xbb\xbf")

// Open opens the file at path.
func Open(path string) (*Source, error) { return open(path, nil) }

// OpenSummed opens the file at path and adds up its SHA-256 as it is read.
func OpenSummed(path string) (*Source, error) { return open(path, sha256.New()) }

func open(path string, sum hash.Hash) (*Source, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	if info.IsDir() {
		return nil, &os.PathError{Op: "open", Path: path, Err: ErrDirectory}
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	s := &Source{Name: path, Size: info.Size(), file: f, sum: sum}
	var raw io.Reader = f
	if sum != nil {
		raw = io.TeeReader(f, sum)
	}
	s.text = bufio.NewReaderSize(raw, HeadSize)
	if err := s.begin(); err != nil {
		f.Close()
		return nil, fmt.Errorf("open %s: %w", path, err)
	}
	return s, nil
}

// begin looks at the first bytes, and takes the byte order mark off.
func (s *Source) begin() error {
	head, err := s.Head()
	if err != nil {
		return err
	}
	if len(head) == 0 {
		return ErrEmpty
	}
	if what := binaryKind(head); what != "" {
		return fmt.Errorf("%w but %s", ErrBinary, what)
	}
	if s.BOM = bytes.HasPrefix(head, bom); s.BOM {
		_, err = s.text.Discard(len(bom))
	}
	return err
}

// signatures are the first bytes of files that are often taken for text.
var signatures = []struct{ magic, what string }{
	{"PK\x03\x04", "a zip archive or a workbook"},
	{"\x1f\x8b", "compressed by gzip"},
	{"BZh", "compressed by bzip2"},
	{"\x28\xb5\x2f\xfd", "compressed by zstd"},
	{"\xfd7zXZ", "compressed by xz"},
	{"\xd0\xcf\x11\xe0", "an older workbook or document"},
	{"SQLite format 3\x00", "an SQLite database"},
	{"%PDF-", "a PDF document"},
	{"\xff\xfe", "text in UTF-16"},
	{"\xfe\xff", "text in UTF-16"},
}

// binaryKind says what the file is when it is not text that can be read.
func binaryKind(head []byte) string {
	for _, s := range signatures {
		if strings.HasPrefix(string(head[:min(len(head), 32)]), s.magic) {
			return s.what
		}
	}
	if i := bytes.IndexByte(head[:min(len(head), 8000)], 0); i >= 0 {
		return fmt.Sprintf("has a NUL byte at offset %d", i)
	}
	return ""
}

// Head returns up to HeadSize bytes from the beginning without reading them.
// They are valid until the first Read.
func (s *Source) Head() ([]byte, error) {
	head, err := s.text.Peek(HeadSize)
	if errors.Is(err, io.EOF) {
		err = nil
	}
	return head, err
}

// Read implements io.Reader.
func (s *Source) Read(p []byte) (int, error) { return s.text.Read(p) }

// Sum returns the SHA-256 of what was read, in hexadecimal: of the whole
// source once Read has returned io.EOF. It is empty unless OpenSummed was used.
func (s *Source) Sum() string {
	if s.sum == nil {
		return ""
	}
	return hex.EncodeToString(s.sum.Sum(nil))
}

// Close closes the source.
func (s *Source) Close() error { return s.file.Close() }

// BaseName returns the name of the source without folder and extensions: what
// a tray and a table are called after.
func BaseName(path string) string {
	base := filepath.Base(path)
	if i := strings.IndexByte(base, '.'); i > 0 {
		base = base[:i]
	}
	return base
}

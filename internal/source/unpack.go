package source

import (
	"archive/zip"
	"bufio"
	"bytes"
	"compress/bzip2"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"

	"github.com/klauspost/compress/flate"
	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/ulikunitz/xz"
)

// memberSign stands between an archive and its member: archive.zip//member.
const memberSign = "//"

// maxZstdWindow bounds the memory that a zstd stream may ask for.
const maxZstdWindow = 64 << 20

// MembersError says that an archive has several files and which.
type MembersError struct {
	Archive string
	Members []string
	Asked   string // the one that is not there, or ""
}

func (e *MembersError) Error() string {
	what := "has several files"
	if e.Asked != "" {
		what = fmt.Sprintf("has no file %q", e.Asked)
	}
	return fmt.Sprintf("the archive %s; files in the archive: %s", what, strings.Join(e.Members, ", "))
}

// unpack returns the plain bytes of the file. How it is packed is known by its
// first bytes, not by its name.
func (s *Source) unpack(f *os.File, raw io.Reader, member string) (io.Reader, error) {
	buffered := bufio.NewReaderSize(raw, 1<<16)
	magic, err := buffered.Peek(6)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	starts := func(with string) bool { return bytes.HasPrefix(magic, []byte(with)) }
	switch {
	case starts(zipFile):
		s.Packing = "zip"
		return s.unpackZip(f, member)
	case member != "":
		return nil, fmt.Errorf("not a zip archive: no member %q", member)
	case starts("\x1f\x8b"):
		s.Packing = "gzip"
		return gzip.NewReader(buffered)
	case starts("BZh"):
		s.Packing = "bzip2"
		return bzip2.NewReader(buffered), nil
	case starts("\x28\xb5\x2f\xfd"):
		s.Packing = "zstd"
		d, err := zstd.NewReader(buffered, zstd.WithDecoderMaxWindow(maxZstdWindow), zstd.WithDecoderConcurrency(1))
		if err != nil {
			return nil, err
		}
		s.closer = append(s.closer, d.IOReadCloser())
		return d, nil
	case starts("\xfd7zXZ"):
		s.Packing = "xz"
		return xz.NewReader(buffered)
	}
	s.raw = buffered
	return buffered, nil
}

// bookExtensions are how the names of workbooks end.
var bookExtensions = []string{".xlsx", ".xlsm", ".xlsb", ".xls", ".ods"}

// unpackZip opens the one data file of an archive, or the member asked for.
func (s *Source) unpackZip(f *os.File, member string) (io.Reader, error) {
	archive, err := zip.NewReader(f, s.Size)
	if err != nil {
		return nil, err
	}
	archive.RegisterDecompressor(zip.Deflate, func(r io.Reader) io.ReadCloser { return flate.NewReader(bufio.NewReader(r)) })
	var names []string
	var found *zip.File
	for _, file := range archive.File {
		base := path.Base(file.Name)
		if file.FileInfo().IsDir() || strings.HasPrefix(file.Name, "__MACOSX/") || strings.HasPrefix(base, ".") {
			continue
		}
		names = append(names, file.Name)
		if member == "" || member == file.Name || member == base {
			found = file
		}
	}
	if len(names) == 0 {
		return nil, ErrNoMember
	}
	if found == nil || member == "" && len(names) > 1 {
		return nil, &MembersError{Archive: s.Name, Members: names, Asked: member}
	}
	if slices.Contains(bookExtensions, strings.ToLower(path.Ext(found.Name))) {
		return nil, fmt.Errorf("contains a workbook, %s; extract it from the archive first", found.Name)
	}
	r, err := found.Open()
	if err != nil {
		return nil, err
	}
	s.closer = append(s.closer, r)
	s.Size = int64(found.UncompressedSize64)
	plain := s.counted(r)
	if s.sum != nil {
		s.sum.Reset()
		plain = io.TeeReader(plain, s.sum)
	}
	return plain, nil
}

// Package source opens what is to be loaded, a file, an archive's member, a web
// address or standard input, and hands out its text: unpacked, decoded to
// UTF-8, without a byte order mark.
package source

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync/atomic"

	"ambertray/internal/sheet"
)

// Errors that say why a source cannot be read.
var (
	ErrDirectory = errors.New("is a folder")
	ErrEmpty     = errors.New("is empty")
	ErrBinary    = errors.New("is not text")
	ErrControls  = fmt.Errorf("%w but binary", ErrBinary)
	ErrDatabase  = fmt.Errorf("%w but an SQLite database", ErrBinary)
	ErrHTML      = errors.New("is a web page, not a table")
	ErrDocument  = errors.New("not a table")
	ErrSQL       = errors.New("contains SQL statements, not a table")
	ErrNoMember  = errors.New("the archive contains no file")
	ErrChanged   = errors.New("was changed while it was read")
)

// HeadSize is how much of the beginning of a source can be examined before it
// is read.
const HeadSize = 1 << 20

// Options say how to open a source.
type Options struct {
	Encoding string // "" to detect it
	// RecordLength is the length in characters of fixed-length records without line endings, 0 if
	// each line is a record. Of such a text, each record is read as a line.
	RecordLength int64
	Sheet        string // of a workbook; "" for the only one that has values
	Cells        string // of a sheet: a range such as B3:H200, or a name; "" for all
	// LeaveHidden leaves out the hidden rows and columns of a sheet, FillMerged
	// puts the value of merged cells into each of them.
	LeaveHidden, FillMerged bool
	Keep                    bool // the text of a sheet that is read to its end
	Sum                     bool // add up the SHA-256 as it is read
	// Count, unless nil, is raised by the bytes of the file as they are read,
	// by the goroutine that reads.
	Count *atomic.Int64
}

// Source is an open source.
type Source struct {
	Name     string // as it was given
	Size     int64  // of the file, packed as it is
	Packing  string // how it is packed: "gzip", "zip" and so on, or ""
	Encoding Encoding
	Sheet    string // of a workbook

	lined bool // a line was made of each record
	count *atomic.Int64
	sum   hash.Hash // nil unless it is wanted
	// content adds up the text, where that is not the file as it is.
	content hash.Hash
	read    int64 // bytes of the text
	text    *headed
	file    *os.File      // what is read
	raw     *bufio.Reader // its bytes, nil where it is packed
	info    os.FileInfo
	facts   func() sheet.Facts // of a sheet, or nil
	closer  []io.Closer
}

// open opens a local file under the name that the user knows it by.
func open(name, path, member string, o Options) (*Source, error) {
	f, err := openFile(name, path)
	if err != nil {
		return nil, err
	}
	s := &Source{Name: name, closer: []io.Closer{f}, count: o.Count}
	err = s.begin(f, member, o)
	if err != nil {
		s.Close()
		return nil, fmt.Errorf("open %s: %w", name, err)
	}
	return s, nil
}

// begin unpacks and decodes the file.
func (s *Source) begin(f *os.File, member string, o Options) error {
	info, err := f.Stat()
	if err != nil {
		return err
	}
	s.file, s.info = f, info
	s.Size = info.Size()
	if s.Size == 0 {
		return ErrEmpty
	}
	raw := s.counted(f)
	if o.Sum {
		s.sum = sha256.New()
		raw = io.TeeReader(raw, s.sum)
	}
	plain, err := s.unpack(f, raw, member)
	if err != nil {
		return err
	}
	return s.decode(plain, o)
}

func openFile(name, path string) (*os.File, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, cannotOpen(name, err)
	}
	if info.IsDir() {
		return nil, &os.PathError{Op: "open", Path: name, Err: ErrDirectory}
	}
	return os.Open(path)
}

// cannotOpen names the file as the user did, and not the system call.
func cannotOpen(name string, err error) error {
	var failed *os.PathError
	if errors.As(err, &failed) {
		return &os.PathError{Op: "open", Path: name, Err: failed.Err}
	}
	return err
}

// counted counts what is read of r, if that is wanted.
func (s *Source) counted(r io.Reader) io.Reader {
	if s.count == nil {
		return r
	}
	return &counter{r, s.count}
}

// counter counts what is read through it.
type counter struct {
	io.Reader
	n *atomic.Int64
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	c.n.Add(int64(n))
	return n, err
}

// decode detects the encoding, unless it is set, and checks that what comes out
// is text.
func (s *Source) decode(plain io.Reader, o Options) error {
	raw, err := newHeaded(plain)
	if err != nil {
		return err
	}
	s.Encoding, err = detectEncoding(raw.head, o.Encoding)
	if err != nil {
		return err
	}
	if bytes.HasPrefix(raw.head, []byte(databaseSign)) {
		return ErrDatabase
	}
	if s.Sheet == "" {
		err = s.checkText(raw.head, o.Encoding != "")
	}
	if err != nil {
		return err
	}
	s.lined = o.RecordLength > 0
	if !s.lined && withoutLines(raw.head, s.Encoding.Name) {
		return ErrNoLines
	}
	raw.head = raw.head[s.Encoding.bomLength:]
	if s.sum != nil && !s.Plain() && s.Sheet == "" {
		s.content = sha256.New()
	}
	s.text = raw
	decoded := s.Encoding.reader(raw)
	if s.lined {
		decoded = lines(decoded, o.RecordLength)
	}
	if decoded != io.Reader(raw) {
		s.text, err = newHeaded(decoded)
	}
	if err == nil && len(s.text.head) == 0 {
		err = ErrEmpty
	}
	return err
}

// headed reads from a stream whose head was examined before. After the head
// every read goes straight to the stream.
type headed struct {
	head []byte // not yet read
	rest io.Reader
}

func newHeaded(r io.Reader) (*headed, error) {
	h := &headed{rest: r}
	for size := firstRead; len(h.head) < HeadSize; size = len(h.head) { // most files are short
		h.head = slices.Grow(h.head, size)
		n, err := Fill(r, h.head[len(h.head):min(cap(h.head), HeadSize)])
		h.head = h.head[:len(h.head)+n]
		if errors.Is(err, io.EOF) {
			return h, nil
		}
		if err != nil {
			return h, err
		}
	}
	return h, nil
}

// firstRead is how much of a head is read first.
const firstRead = 64 << 10

// Fill reads until p is full or r ends, and then returns io.EOF. Unlike
// io.ReadFull it passes io.ErrUnexpectedEOF on as what it is: an archive that
// was cut off.
func Fill(r io.Reader, p []byte) (n int, err error) {
	for n < len(p) && err == nil {
		var k int
		k, err = r.Read(p[n:])
		n += k
	}
	return n, err
}

// Read implements io.Reader.
func (h *headed) Read(p []byte) (int, error) {
	if len(h.head) == 0 {
		return h.rest.Read(p)
	}
	n := copy(p, h.head)
	h.head = h.head[n:]
	if len(h.head) == 0 {
		h.head = nil
	}
	return n, nil
}

// databaseSign begins a database file (SQLite, "Database File Format", 1.3).
const databaseSign = "SQLite format 3\x00"

// signatures are what files have at a place that are often taken for text.
var signatures = []struct {
	at          int
	magic, what string
}{
	{0, "%PDF-", "a PDF document"},
	{0, "PAR1", "a Parquet file"},
	{257, "ustar", "a tar archive, whose files have to be unpacked first"},
}

// maxControls is the share of control characters beyond which a file is not
// text.
const maxControls = 0.02

// documentKind returns an error for text that is a document and not a table: XML, JSON, SQL or a
// web page, which servers often send instead of a file.
func documentKind(head []byte) error {
	head = bytes.TrimLeft(head, " \t\r\n\uFEFF")
	start := bytes.ToLower(head[:min(len(head), 1000)])
	switch {
	case bytes.HasPrefix(start, []byte("<!doctype html")), bytes.HasPrefix(start, []byte("<html")):
		return ErrHTML
	case bytes.HasPrefix(start, []byte("<?xml")) && bytes.Contains(start, []byte("<!doctype html")):
		return ErrHTML
	case bytes.HasPrefix(start, []byte("<?xml")):
		return fmt.Errorf("is XML, %w", ErrDocument)
	case isJSON(head):
		return fmt.Errorf("is JSON, %w", ErrDocument)
	case bytes.HasPrefix(head, []byte(`{\rtf`)):
		return fmt.Errorf("is a text document in RTF, %w", ErrDocument)
	case sqlScript.Match(head):
		return ErrSQL
	}
	return nil
}

// sqlScript matches the beginning of files that servers' clients write of tables, after comments.
var sqlScript = regexp.MustCompile(`(?i)^(?:--[^\n]*\n|\s)*(?:/\*!\d+ |(?:insert into|create (?:table|schema|database)|drop table|alter table) [\w."` + "`" + `\[]|(?:pragma|set) \w+ ?= ?[^,;\t|\n]*;\s*?\n|begin transaction;)`)

// isJSON reports whether text begins with an object of JSON that has a member, with a list of
// such objects, or with a list of other values on several lines (RFC 8259), and nothing else is
// on its last line.
func isJSON(head []byte) bool {
	d := json.NewDecoder(bytes.NewReader(head))
	opening, err := d.Token()
	list := opening == json.Delim('[')
	if list {
		opening, err = d.Token()
	}
	members := opening == json.Delim('{') && d.More()
	if err != nil || !members && !list {
		return false
	}
	d = json.NewDecoder(bytes.NewReader(head))
	var document json.RawMessage
	err = d.Decode(&document)
	rest := bytes.TrimLeft(head[d.InputOffset():], " \t\r")
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return members || bytes.IndexByte(bytes.TrimSpace(head), '\n') >= 0
	}
	return err == nil && (members || bytes.IndexByte(document, '\n') >= 0) && (len(rest) == 0 || rest[0] == '\n')
}

// checkText returns an error if a file is not text that can be read as delimited. If its encoding is set,
// control characters and documents are taken for text.
func (s *Source) checkText(head []byte, encodingSet bool) (err error) {
	if s.Encoding.ASCII() {
		err = checkSignature(head)
	}
	if err != nil || encodingSet {
		return err
	}
	if s.Encoding.ASCII() {
		err = checkControls(head)
	}
	if err != nil {
		return err
	}
	return documentKind(head)
}

// checkSignature returns an error for a file that begins with the signature of another format.
func checkSignature(head []byte) error {
	for _, s := range signatures {
		if len(head) > s.at && bytes.HasPrefix(head[s.at:], []byte(s.magic)) {
			return fmt.Errorf("%w but %s", ErrBinary, s.what)
		}
	}
	return nil
}

// fewControls is how many control characters any text may have.
const fewControls = 2

// checkControls returns an error for a text with many control characters, or with a few of which one is a NUL.
func checkControls(head []byte) error {
	head = bytes.TrimRight(head[:min(len(head), 8000)], "\x1a\r\n") // DOS ends a text with an end-of-file character
	controls, first := 0, 0
	for i, c := range head {
		if c < ' ' && c != '\t' && c != '\n' && c != '\r' && c != '\f' && c != '\x1f' && c != '\x01' || c == 0x7f {
			controls++
			if controls == 1 {
				first = i
			}
		}
	}
	few := controls <= fewControls && bytes.IndexByte(head, 0) < 0
	if few || float64(controls) <= maxControls*float64(len(head)) {
		return nil
	}
	return fmt.Errorf("%w: %d of its first %d bytes are control characters, the first at offset %d", ErrControls, controls, len(head), first)
}

// Head returns up to HeadSize bytes from the beginning without reading them.
// They are valid until the first Read.
func (s *Source) Head() []byte { return s.text.head }

// Read implements io.Reader. At the end it returns ErrChanged where the file is
// not what it was when it was opened.
func (s *Source) Read(p []byte) (int, error) {
	n, err := s.text.Read(p)
	s.read += int64(n)
	if s.content != nil {
		s.content.Write(p[:n])
	}
	if errors.Is(err, io.EOF) && s.file != nil {
		now, statErr := s.file.Stat()
		if statErr == nil && (now.Size() != s.info.Size() || !now.ModTime().Equal(s.info.ModTime())) {
			return n, ErrChanged
		}
	}
	return n, err
}

// Skip leaves out bytes of the text. A plain file is not read there, unless its sum is
// wanted.
func (s *Source) Skip(n int64) error {
	if !s.Plain() || s.raw == nil || s.sum != nil {
		_, err := io.CopyN(io.Discard, s, n)
		return err
	}
	s.read += n
	head := min(n, int64(len(s.text.head)))
	s.text.head = s.text.head[head:]
	held := min(n-head, int64(s.raw.Buffered()))
	_, err := s.raw.Discard(int(held))
	if err != nil {
		return err
	}
	rest := n - head - held
	if s.count != nil {
		s.count.Add(rest)
	}
	_, err = s.file.Seek(rest, io.SeekCurrent)
	return err
}

// Facts returns what the reading of a sheet has shown, once Read has returned
// io.EOF; text has none.
func (s *Source) Facts() *sheet.Facts {
	if s.facts == nil {
		return nil
	}
	facts := s.facts()
	return &facts
}

// Sum returns the SHA-256 of the file as it is, in hexadecimal, once Read has
// returned io.EOF. It is empty unless it was asked for.
func (s *Source) Sum() string {
	if s.sum == nil {
		return ""
	}
	return hex.EncodeToString(s.sum.Sum(nil))
}

// Plain reports whether the text is the file as it is.
func (s *Source) Plain() bool {
	return s.Packing == "" && s.Encoding.IsUTF8() && !s.Encoding.BOM && s.Sheet == "" && !s.lined
}

// Content identifies the text, however it is packed and encoded: its SHA-256 and
// its length, once Read has returned io.EOF. It is empty unless Sum was asked for.
func (s *Source) Content() (sum string, size int64) {
	if s.content == nil {
		return s.Sum(), s.read
	}
	return hex.EncodeToString(s.content.Sum(nil)), s.read
}

// Close closes the source.
func (s *Source) Close() error {
	var errs []error
	for i := len(s.closer) - 1; i >= 0; i-- {
		errs = append(errs, s.closer[i].Close())
	}
	return errors.Join(errs...)
}

// BaseName returns the name of the source without folder and extensions: what
// a tray and a table are called after.
func BaseName(name string) string {
	i := strings.LastIndex(name, memberSign)
	if i >= 0 && !IsWeb(name) {
		name = name[i+len(memberSign):]
	}
	if name == Stdin || strings.HasPrefix(name, "/dev/fd/") {
		return "stdin"
	}
	i = strings.IndexAny(name, "?#")
	if i >= 0 && IsWeb(name) {
		name = name[:i]
	}
	base := strings.Trim(strings.NewReplacer("*", "", "?", "", "[", "", "]", "").Replace(filepath.Base(name)), "-_ ")
	i = strings.IndexByte(base, '.')
	if i > 0 {
		base = base[:i]
	}
	return strings.TrimRight(base, "-_ ")
}

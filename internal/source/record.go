package source

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"unicode/utf8"
)

// ErrNoLines means that EBCDIC text has no line endings.
var ErrNoLines = errors.New("is EBCDIC text without line endings: its records have a fixed length")

// ErrRecordLength means that the records do not have the length that is set.
var ErrRecordLength = errors.New("records have another length")

// recordLines is a reader that ends a line after each record of a fixed length.
type recordLines struct {
	from   io.Reader
	length int64 // of a record, in characters
	at     int64 // characters of the current record
	record int64 // its number
	ended  bool  // a line ending or an end-of-file character was found after it
	in     []byte
	out    []byte // not yet returned by Read
	err    error
}

// lines returns a reader of the same text with a line for each record.
func lines(from io.Reader, length int64) io.Reader {
	return &recordLines{from: from, length: length, record: 1, in: make([]byte, 0, 1<<16)}
}

// Read implements io.Reader.
func (l *recordLines) Read(p []byte) (int, error) {
	for len(l.out) == 0 && l.err == nil {
		l.fill()
	}
	n := copy(p, l.out)
	l.out = l.out[n:]
	if n == 0 {
		return 0, l.err
	}
	return n, nil
}

// fill reads some text. It keeps an incomplete character for the next call.
func (l *recordLines) fill() {
	n, err := l.from.Read(l.in[len(l.in):cap(l.in)])
	l.in, l.err = l.in[:len(l.in)+n], err
	l.out = l.out[:0]
	rest := l.in
	for len(rest) > 0 && (err != nil || utf8.FullRune(rest)) {
		size, wrong := l.take(rest)
		if wrong != nil {
			l.err = wrong
			return
		}
		rest = rest[size:]
	}
	l.in = append(l.in[:0], rest...)
	if errors.Is(err, io.EOF) && l.at%l.length > 0 {
		l.err = fmt.Errorf("%w: the last one, %d, has %d characters of %d", ErrRecordLength, l.record, l.at, l.length)
	}
}

// take takes some characters of a record from the text, and returns their size in bytes. Programs
// may write line endings and end-of-file characters after the last record.
func (l *recordLines) take(text []byte) (size int, err error) {
	if l.at%l.length == 0 && isEnd(text[0]) {
		l.ended = true
		return 1, nil
	}
	if l.at == l.length {
		l.out, l.at, l.record = append(l.out, '\n'), 0, l.record+1
	}
	size = plainBytes(text[:min(int64(len(text)), l.length-l.at)])
	characters := size
	if size == 0 {
		_, size = utf8.DecodeRune(text)
		characters = 1
	}
	if l.ended || text[0] == '\n' || text[0] == '\r' {
		return 0, fmt.Errorf("%w: record %d has a line end at its character %d of %d", ErrRecordLength, l.record, l.at+1, l.length)
	}
	l.out, l.at = append(l.out, text[:size]...), l.at+int64(characters)
	return size, nil
}

// isEnd reports whether a character may stand after the last record.
func isEnd(c byte) bool { return c == '\n' || c == '\r' || c == 0x1a }

// plainBytes returns the number of bytes before the first non-ASCII character or line ending.
func plainBytes(text []byte) int {
	for i, c := range text {
		if c >= utf8.RuneSelf || c == '\n' || c == '\r' {
			return i
		}
	}
	return len(text)
}

// withoutLines reports whether the head of a text is EBCDIC without line endings.
func withoutLines(head []byte, name string) bool {
	const long = 256
	return isEBCDIC(name) && len(head) > long && !bytes.ContainsAny(head, string([]byte{'\r', ebcdicNextLine, ebcdicLineFeed}))
}

// Package delimited reads delimited text: it detects the layout and cuts the
// text into batches of records, on as many goroutines as the caller likes.
//
// The reader guesses where a record ends near the end of every piece, and
// workers cut pieces side by side. A piece learns from the one before it what
// that left uncut; only when the guess was wrong is it cut a second time. So
// the records never depend on the guess, only the speed does.
package delimited

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"sync"

	"ambertray/internal/record"
	"ambertray/internal/source"
)

const (
	// PieceSize is the length of a piece: small enough for its cells to be
	// worked on while they are still in the processor's cache.
	PieceSize = 128 << 10
	// MaxRecord is the length of the longest record.
	MaxRecord = 32 << 20
)

// ErrTooLong is returned for a line longer than MaxRecord.
var ErrTooLong = fmt.Errorf("a line is longer than %d MB", MaxRecord>>20)

// Reader cuts one delimited text. It implements record.Reader.
type Reader struct {
	in     io.Reader
	cutter *cutter
	size   int
	rest   []byte // read, but after the last boundary
	begun  bool   // the first piece was handed out
	last   bool   // and so was the last
	before chan tail
	pool   sync.Pool

	decoded bool           // the source is not UTF-8 by itself
	skipped record.Skipped // rows above the first record
	above   []record.LeftOut
}

// tail is what a piece tells the next one.
type tail struct {
	left   []byte // text that it could not finish
	record int64  // number of its first record
	line   int64
}

// NewReader returns a reader of text that starts at the given line with a
// record of number 1. size is the length of a piece.
func newReader(in io.Reader, c *cutter, size int, line int64) *Reader {
	r := &Reader{in: in, cutter: c, size: size, before: make(chan tail, 1)}
	r.pool.New = func() any {
		return record.New(c.newline, func(b *record.Batch) {
			if cap(b.Data) > 8*size { // one with a cell out of the ordinary
				b.Data = nil
			}
			r.pool.Put(b)
		})
	}
	r.before <- tail{record: 1, line: line}
	return r
}

type piece struct {
	r             *Reader
	batch         *record.Batch
	first, last   bool
	before, after chan tail
}

// Next implements record.Reader.
func (r *Reader) Next() (record.Piece, error) {
	if r.last {
		return nil, io.EOF
	}
	b := r.pool.Get().(*record.Batch)
	data := append(b.Data[:0], r.rest...)
	end, sure := 0, false
	for size := r.size; !sure && !r.last; size *= 2 {
		if size > MaxRecord && end > 0 {
			break // a quote that is never closed
		}
		if size > 2*MaxRecord {
			return nil, ErrTooLong
		}
		var err error
		data, err = fill(data, r.in, size)
		if r.last = errors.Is(err, io.EOF); err != nil && !r.last {
			return nil, err
		}
		end, sure = r.cutter.boundary(data)
	}
	if r.last {
		end = len(data)
	}
	r.rest = append(r.rest[:0], data[end:]...)
	b.Data, b.Raw = pad(data[:end]), end
	p := &piece{r: r, batch: b, first: !r.begun, last: r.last, before: r.before, after: make(chan tail, 1)}
	r.before, r.begun = p.after, true
	return p, nil
}

// Cut implements record.Piece.
func (p *piece) Cut(ctx context.Context) (*record.Batch, error) {
	b, c := p.batch, p.r.cutter
	cut := c.cut(b, p.last)
	var before tail
	select {
	case before = <-p.before:
	case <-ctx.Done():
		return nil, context.Cause(ctx)
	}
	if len(before.left) > 0 {
		data := append(before.left, b.Data[:b.Raw]...)
		b.Data, b.Raw = pad(data), len(data)
		cut = c.cut(b, p.last)
	}
	b.FirstRecord, b.FirstLine = before.record, before.line
	b.CountLines(cut)
	if p.last {
		b.DropLast(c.footer, record.Footer)
	}
	b.CheckText(p.r.decoded)
	if p.first {
		b.Above = p.r.above
		b.Skipped = b.Skipped.Plus(p.r.skipped)
	}
	p.after <- tail{
		left:   slices.Clone(b.Data[cut:b.Raw]),
		record: before.record + int64(b.Len()),
		line:   before.line + b.Lines,
	}
	return b, nil
}

// boundary returns the offset behind the last line end in data that is most
// likely the end of a record: the last one with an even number of quotes
// before it, or just the last one. It is 0 when there is no line end. As many
// lines as the footer has are left for the next piece.
//
// It is not sure where the text ends in a quoted cell that seems to be open:
// that is worth reading on.
func (c *cutter) boundary(data []byte) (end int, sure bool) {
	newline := c.newline
	if newline == 0 {
		newline = '\n'
	}
	for range c.footer {
		data = data[:max(bytes.LastIndexByte(bytes.TrimRight(data, "\r\n"), newline)+1, 0)]
	}
	lastLine := bytes.LastIndexByte(data, newline) + 1
	if c.quote == 0 || lastLine == 0 {
		return lastLine, lastLine > 0
	}
	quotes, end := bytes.Count(data, []byte{c.quote}), len(data)
	for at := lastLine; at > 0; at = bytes.LastIndexByte(data[:end-1], newline) + 1 {
		quotes -= bytes.Count(data[at:end], []byte{c.quote})
		if quotes%2 == 0 {
			return at, true
		}
		end = at
	}
	last := bytes.LastIndexByte(data, c.quote)
	opens := last == 0 || last > 0 && (data[last-1] == c.delimiter || data[last-1] == newline)
	return lastLine, !opens
}

// fill reads until data is size bytes long or the source ends.
func fill(data []byte, in io.Reader, size int) ([]byte, error) {
	n := len(data)
	if n >= size {
		return data, nil
	}
	data = slices.Grow(data, size+record.Pad-n)[:size]
	k, err := source.Fill(in, data[n:])
	return data[:n+k], err
}

// pad appends the zero bytes that the cutter may read past the text.
func pad(data []byte) []byte {
	return append(data, make([]byte, record.Pad)...)
}

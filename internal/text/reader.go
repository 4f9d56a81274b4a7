// Package text reads the records of a text: it hands it out in pieces, which a cutter
// cuts into batches of records, on as many goroutines as the caller likes.
//
// The reader guesses where a record ends near the end of every piece, and
// workers cut pieces side by side. A piece learns from the one before it what
// that left uncut; only when the guess was wrong is it cut a second time. So
// the records never depend on the guess, only the speed does.
package text

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"sync"

	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/source"
)

const (
	// PieceSize is the length of a piece: small enough for its cells to be
	// worked on while they are still in the processor's cache.
	PieceSize = 128 << 10
	// Long lines make pieces longer, up to maxPieceSize: a piece has about pieceLines lines, many
	// more than are held back for the next one.
	pieceLines   = 128
	maxPieceSize = 4 << 20
	// smallEnd is how much text at the end of a source is cut in one go rather
	// than judged by where its quotes stand.
	smallEnd = 4 << 20
	// MaxRecord is the length of the longest record.
	MaxRecord = 32 << 20
)

// ErrTooLong is returned for a line longer than MaxRecord.
var ErrTooLong = fmt.Errorf("a line is longer than %d MB", MaxRecord>>20)

// Cutter finds the records and cells in a text. One cutter serves any number of
// goroutines.
type Cutter interface {
	// Cut finds the records in the first b.Raw bytes of b.Data and returns how many
	// bytes they take. What is left is the beginning of a record that continues in
	// the next piece; if last is set, nothing remains. open says that a quote which
	// is open at the end is never closed.
	Cut(b *record.Batch, last, open bool) int
	// Boundary returns the offset after the last line end in data that is most
	// likely the end of a record, 0 when there is no line end. It is not sure where
	// the text ends in a quoted cell that seems to be open.
	Boundary(data []byte) (end int, sure bool)
	// Newline is what ends a line, 0 where several do.
	Newline() byte
	// Expect says what the records have once their header is known.
	Expect(e Expected)
	// Delimiter is the shortest text between two cells, "" for cells at fixed places.
	Delimiter() string
	// Rules are those for rows that are not records.
	Rules() *frame.Rules
}

// Expected is what is known of records before they are cut.
type Expected struct {
	Width int // how many cells most of them have
	Fill  int // shorter ones get blank cells up to this number; 0 for none
	// FillLast is the number of cells to which a record is filled that lacks just
	// the last one; 0 for none.
	FillLast int
	HeldBack int // how many lines are left for the next piece
	// Abutting says by index which columns begin right after text of the one before in most
	// records. It is nil before the first ones are known.
	Abutting []bool
}

// Reader reads one text. It implements record.Reader.
type Reader struct {
	in     io.Reader
	cutter Cutter
	footer frame.Footer
	size   int
	ahead  []byte // read, and from at on not handed out
	at     int
	begun  bool // the first piece was handed out
	last   bool // and so was the last
	before chan tail
	pool   sync.Pool

	decoded bool           // the source is decoded to UTF-8 while it is read
	skipped record.Skipped // rows above the first record
	above   []record.LeftOut
}

// tail is what a piece hands to the next one.
type tail struct {
	left   []byte // text that it could not finish
	record int64  // number of its first record
	line   int64
	offset int64 // from where the records begin
}

// NewReader returns a reader of text that starts at the given line with a
// record of number 1. size is the length of a piece.
func NewReader(in io.Reader, c Cutter, footer frame.Footer, size int, line int64) *Reader {
	r := &Reader{in: in, cutter: c, footer: footer, size: size, before: make(chan tail, 1)}
	r.pool.New = func() any {
		return record.New(c.Newline(), func(b *record.Batch) {
			if cap(b.Data) > 8*size { // one with a cell out of the ordinary
				b.Data = nil
			}
			r.pool.Put(b)
		})
	}
	r.before <- tail{record: 1, line: line}
	return r
}

// Skip continues with the first record of a share, before anything is read.
func (r *Reader) Skip(s *record.Share) error {
	var err error
	in, ok := r.in.(skipper)
	if ok {
		err = in.Skip(s.Offset)
	} else {
		_, err = io.CopyN(io.Discard, r.in, s.Offset)
	}
	if err != nil {
		return err
	}
	<-r.before
	r.before <- tail{record: s.After + 1, line: s.Line, offset: s.Offset}
	return nil
}

// skipper is a source that need not be read where it is not wanted.
type skipper interface{ Skip(bytes int64) error }

type piece struct {
	r             *Reader
	batch         *record.Batch
	first, last   bool
	open          bool // a quote that is open at its end is never closed
	before, after chan tail
}

// Next implements record.Reader.
func (r *Reader) Next() (record.Piece, error) {
	if r.last {
		return nil, io.EOF
	}
	b := r.pool.Get().(*record.Batch)
	data, open, err := r.text(b.Data[:0])
	if err != nil {
		return nil, err
	}
	b.Data, b.Raw = pad(data), len(data)
	p := &piece{r: r, batch: b, first: !r.begun, last: r.last, open: open, before: r.before, after: make(chan tail, 1)}
	r.before, r.begun = p.after, true
	return p, nil
}

// text appends the text of the next piece to data, which is empty.
func (r *Reader) text(data []byte) (text []byte, open bool, err error) {
	ahead := r.ahead[r.at:]
	if len(ahead) >= r.size { // there is enough of what was read ahead
		data = append(data, ahead[:r.size]...)
		end, sure := r.cutter.Boundary(data)
		if !sure {
			return r.lookAhead(data, end)
		}
		r.at += end
		return data[:end], false, nil
	}
	data, err = fill(append(data, ahead...), r.in, r.size)
	r.last = errors.Is(err, io.EOF)
	if r.last {
		return data, false, nil
	}
	if err != nil {
		return nil, false, err
	}
	end, sure := r.cutter.Boundary(data)
	if !sure {
		r.ahead, r.at = append(r.ahead[:0], data...), 0
		return r.lookAhead(data, end)
	}
	r.ahead, r.at = append(r.ahead[:0], data[end:]...), 0
	return data[:end], false, nil
}

// lookAhead reads on until the record that is open at the end of data, which
// stands at the beginning of what was read ahead, comes to its end. One with a
// quote that is not closed within the length of a record is open for good: the
// piece then ends at short, the last line end in data.
func (r *Reader) lookAhead(data []byte, short int) (text []byte, open bool, err error) {
	ended := false
	for size := 2 * r.size; size <= MaxRecord; size *= 2 {
		rest, err := fill(r.ahead[r.at:], r.in, size)
		r.ahead, r.at = rest, 0
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, false, err
		}
		window := rest[:min(size, len(rest))]
		end, sure := r.cutter.Boundary(window)
		if sure {
			r.at = end
			return append(data[:0], window[:end]...), false, nil
		}
		ended = err != nil && len(rest) <= size
		if ended {
			break
		}
	}
	switch {
	case ended && (short == 0 || len(r.ahead) < smallEnd):
		r.last, data = true, append(data[:0], r.ahead...)
		r.ahead = nil
		return data, false, nil
	case short == 0:
		return nil, false, ErrTooLong
	}
	r.at = short
	return data[:short], true, nil
}

// Cut implements record.Piece.
func (p *piece) Cut(ctx context.Context) (*record.Batch, error) {
	b, c := p.batch, p.r.cutter
	cut := c.Cut(b, p.last, p.open)
	var before tail
	select {
	case before = <-p.before:
	case <-ctx.Done():
		return nil, context.Cause(ctx)
	}
	if len(before.left) > 0 {
		data := append(before.left, b.Data[:b.Raw]...)
		b.Data, b.Raw = pad(data), len(data)
		cut = c.Cut(b, p.last, p.open)
	}
	b.FirstRecord, b.FirstLine, b.Offset = before.record, before.line, before.offset
	b.CountLines(cut)
	if p.last {
		b.DropLast(p.r.footer.Of(b), record.Footer)
	}
	p.after <- tail{ // before what the next piece need not wait for
		left:   slices.Clone(b.Data[cut:b.Raw]),
		record: before.record + int64(b.Len()),
		line:   before.line + b.Lines,
		offset: before.offset + int64(cut),
	}
	b.CheckText(p.r.decoded)
	b.NoteRecords(frame.TotalsAmong(b), record.Total)
	if p.first {
		b.Above = p.r.above
		b.Skipped = b.Skipped.Plus(p.r.skipped)
	}
	return b, nil
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

// HoldBack returns the text without its last lines.
func HoldBack(data []byte, newline byte, lines int) []byte {
	for range lines {
		data = data[:bytes.LastIndexByte(bytes.TrimRight(data, "\r\n"+string(rune(newline))), newline)+1]
	}
	return data
}

// EndOfLine returns the offset of the first line end in data from an offset on, or -1.
// newline 0 means that several signs end lines.
func EndOfLine(data []byte, newline byte, from int) int {
	k := 0
	if newline == 0 {
		k = bytes.IndexAny(data[from:], "\r\n")
	} else {
		k = bytes.IndexByte(data[from:], newline)
	}
	if k < 0 {
		return -1
	}
	return from + k
}

package pass

import (
	"context"
	"errors"
	"fmt"
	"io"
	"sync/atomic"

	"github.com/cespare/xxhash/v2"
	"github.com/dustin/go-humanize"

	"ambertray/internal/convert"
	"ambertray/internal/note"
	"ambertray/internal/record"
)

// Division is a source, divided into shares.
type Division struct {
	Shares  []record.Share // in the order of the source
	Records int64
	Skipped record.Skipped

	odd   record.Occurrences
	below []note.Note // on tables below others
}

// divided is what a batch adds to a division.
type divided struct {
	shares  []record.Share
	skipped record.Skipped
	odd     record.Occurrences
	below   []note.Note
}

// Divide reads the source to its end, and divides its records into shares of size; the
// last one of a part may have fewer. The parts know their content afterwards.
func (p *Pass) Divide(ctx context.Context, size int64, progress func(Progress)) (*Division, error) {
	var works []record.Work[divided]
	for range record.Workers(false) {
		works = append(works, func(b *record.Batch) (divided, error) {
			next := divided{shares: divide(b, size), skipped: b.Skipped}
			next.odd.AddAll(b)
			next.below = p.tablesBelow(b)
			return next, nil
		})
	}
	d := &Division{}
	err := record.Run(ctx, p.in, works, func(next divided) error {
		d.add(next, size)
		d.odd.Join(&next.odd)
		d.below = append(d.below, next.below...)
		if progress != nil {
			progress(Progress{Phase: "divide", Bytes: p.in.Done(), Size: p.in.Size(), Records: d.Records})
		}
		return nil
	})
	return d, err
}

// DivisionNotes returns the notes on a divided source. Each share has counted the values that were
// loaded as NULL or as a default.
func (p *Pass) DivisionNotes(o Options, d *Division, shares []convert.Altered) ([]note.Note, error) {
	conv, err := p.converter(o)
	if err != nil {
		return nil, err
	}
	all := conv.Altered()
	for _, counts := range shares {
		all.Add(counts)
	}
	return p.notesOn(&d.odd, conv.Notes(all), d.below), nil
}

// divide returns what a batch has of each share.
func divide(b *record.Batch, size int64) (shares []record.Share) {
	for r := range b.Len() {
		n := b.Number(r)
		if r == 0 || (n-1)%size == 0 {
			shares = append(shares, record.Share{Part: b.Part, After: n - 1, Offset: b.Offset + int64(b.Start(r)), Line: b.Line(r)})
		}
		s := &shares[len(shares)-1]
		s.Last = n
		s.Mark += xxhash.Sum64(b.Text(r))
	}
	return shares
}

// add adds what the next batch has.
func (d *Division) add(next divided, size int64) {
	d.Skipped = d.Skipped.Plus(next.skipped)
	for _, s := range next.shares {
		d.Records += s.Last - s.After
		last := len(d.Shares) - 1
		if last < 0 || d.Shares[last].Part != s.Part || s.After%size == 0 {
			d.Shares = append(d.Shares, s)
			continue
		}
		d.Shares[last].Last = s.Last
		d.Shares[last].Mark += s.Mark
	}
}

// ErrOtherRecords is returned by a pass over a share whose records are not those that
// the source was divided by.
var ErrOtherRecords = errors.New("are not those that the load began with: the source was changed, or this is a different one")

// only limits a pass to a share.
type only struct {
	record.Share
	past atomic.Bool // its last record was read
	mark atomic.Uint64
}

// Only limits the pass to the records of a share, before anything is read.
func (p *Pass) Only(s record.Share) error {
	p.only = &only{Share: s}
	return p.in.Only(&s)
}

// reader reads no further than the share, if there is one.
func (p *Pass) reader() record.Reader {
	if p.only == nil {
		return p.in
	}
	return onlyReader{p.in, p.only}
}

type onlyReader struct {
	record.Reader
	*only
}

// Next implements record.Reader.
func (r onlyReader) Next() (record.Piece, error) {
	if r.past.Load() {
		return nil, io.EOF
	}
	return r.Reader.Next()
}

// limit lets a work see only the records of the share.
func limit[T any](o *only, work record.Work[T]) record.Work[T] {
	if o == nil {
		return work
	}
	return func(b *record.Batch) (T, error) {
		if b.Part == o.Part && b.FirstRecord > o.Last {
			o.past.Store(true)
		}
		b.Keep(&o.Share)
		for r := range b.Len() {
			o.mark.Add(xxhash.Sum64(b.Text(r)))
		}
		return work(b)
	}
}

// check compares the records that were read with those that the source was divided by.
func (p *Pass) check() error {
	o := p.only
	if o == nil || o.mark.Load() == o.Mark {
		return nil
	}
	return fmt.Errorf("records %s to %s of %s %w", humanize.Comma(o.After+1), humanize.Comma(o.Last), p.in.Parts[o.Part].Title(), ErrOtherRecords)
}

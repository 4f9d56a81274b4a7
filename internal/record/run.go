package record

import (
	"context"
	"errors"
	"io"
	"runtime"
	"sync"
)

// Reader hands out a source piece by piece. It is used by one goroutine at a
// time.
type Reader interface {
	// Next returns the next piece in source order, or io.EOF.
	Next() (Piece, error)
}

// Piece is a part of a source that can be cut on any goroutine.
type Piece interface {
	// Cut returns the records of the piece. It may wait for the piece before
	// it, so pieces must be begun in source order; it ends when ctx does.
	Cut(ctx context.Context) (*Batch, error)
}

// Work does something with a batch and returns a result that does not refer
// to it. Each Work is called by one goroutine at a time and may keep state.
type Work[T any] func(*Batch) (T, error)

// Workers is how many goroutines work on a source: one for each processor, or one less
// to leave it to somebody who waits.
func Workers(spare bool) int {
	n := runtime.GOMAXPROCS(0)
	if spare {
		n = max(n-1, 1)
	}
	return n
}

// Run reads r to its end, cuts it and calls works on every batch, one
// goroutine each, and calls emit with the results in source order. It returns
// the first error, after every goroutine has ended.
func Run[T any](ctx context.Context, r Reader, works []Work[T], emit func(T) error) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	d := dealer[T]{reader: r, order: make(chan chan T, 8*len(works))} // long enough that workers seldom wait for emit
	var all sync.WaitGroup
	for _, work := range works {
		all.Go(func() {
			err := d.work(ctx, work)
			if err != nil {
				cancel(err)
			}
		})
	}
	go func() {
		all.Wait()
		close(d.order)
	}()
	for done := range d.order {
		select {
		case res := <-done:
			if ctx.Err() == nil {
				err := emit(res)
				if err != nil {
					cancel(err)
				}
			}
		case <-ctx.Done():
		}
	}
	return context.Cause(ctx)
}

// dealer hands pieces to the goroutines. Each of them reads its own piece, so
// that the text is in its core's cache when it is cut.
type dealer[T any] struct {
	turn   sync.Mutex // held while a piece is read and takes its place in order
	reader Reader
	ended  bool
	order  chan chan T // one channel a piece; it holds the piece's one result
}

// work cuts pieces and works on them until none are left.
func (d *dealer[T]) work(ctx context.Context, work Work[T]) (err error) {
	defer Recover(&err)
	for {
		piece, done, err := d.next(ctx)
		if piece == nil {
			return err
		}
		res, err := cutAndWork(ctx, piece, work)
		if err != nil {
			return err
		}
		done <- res
	}
}

// next reads a piece; it is nil at the end of the source, and after an error
// or the end of ctx.
func (d *dealer[T]) next(ctx context.Context) (Piece, chan<- T, error) {
	d.turn.Lock()
	defer d.turn.Unlock()
	if d.ended || ctx.Err() != nil {
		return nil, nil, nil
	}
	piece, err := d.reader.Next()
	if err != nil {
		d.ended = true
		if errors.Is(err, io.EOF) {
			err = nil
		}
		return nil, nil, err
	}
	done := make(chan T, 1)
	select {
	case d.order <- done:
		return piece, done, nil
	case <-ctx.Done():
		return nil, nil, nil
	}
}

func cutAndWork[T any](ctx context.Context, piece Piece, work Work[T]) (T, error) {
	var none T
	b, err := piece.Cut(ctx)
	if err != nil {
		return none, err
	}
	defer b.Free()
	return work(b)
}

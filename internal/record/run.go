package record

import (
	"context"
	"errors"
	"io"
	"sync"
)

// Reader hands out a source piece by piece. It is used by one goroutine.
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

// Run reads r to its end, cuts it and calls works on every batch, one
// goroutine each, and calls emit with the results in source order. It returns
// the first error, after every goroutine has ended.
func Run[T any](ctx context.Context, r Reader, works []Work[T], emit func(T) error) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	jobs := make(chan job[T], len(works)) // so that the next piece is read while the workers are busy
	order := make(chan job[T], 2*len(works))

	var all sync.WaitGroup
	all.Go(func() {
		defer close(order)
		defer close(jobs)
		if err := deal(ctx, r, jobs, order); err != nil {
			cancel(err)
		}
	})
	for _, work := range works {
		all.Go(func() {
			for j := range jobs {
				res, err := cutAndWork(ctx, j.piece, work)
				if err != nil {
					cancel(err)
				}
				j.done <- res
			}
		})
	}
	for j := range order {
		select {
		case res := <-j.done:
			if ctx.Err() == nil {
				if err := emit(res); err != nil {
					cancel(err)
				}
			}
		case <-ctx.Done():
		}
	}
	all.Wait()
	return context.Cause(ctx)
}

type job[T any] struct {
	piece Piece
	done  chan T // holds one result, so that a worker never waits on it
}

// deal sends every piece to the workers and, in the same order, to the emitter.
func deal[T any](ctx context.Context, r Reader, jobs, order chan<- job[T]) error {
	for {
		piece, err := r.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		j := job[T]{piece, make(chan T, 1)}
		for _, to := range []chan<- job[T]{order, jobs} {
			select {
			case to <- j:
			case <-ctx.Done():
				return nil
			}
		}
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

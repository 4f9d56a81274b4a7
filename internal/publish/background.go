package publish

import (
	"io"
	"sync/atomic"
)

// Background is a writer that writes in a goroutine of its own, so that rows are read while others are
// packed and summed.
type Background struct {
	chunks chan []byte
	free   chan []byte
	done   chan struct{}
	failed atomic.Pointer[error] // the first error
	ended  bool
}

// NewBackground returns one that writes to w. End must be called.
func NewBackground(w io.Writer) *Background {
	const chunks = 4
	b := &Background{chunks: make(chan []byte, chunks), free: make(chan []byte, chunks), done: make(chan struct{})}
	for range chunks {
		b.free <- nil
	}
	go func() {
		defer close(b.done)
		for chunk := range b.chunks {
			if b.failed.Load() == nil {
				_, err := w.Write(chunk)
				if err != nil {
					b.failed.Store(&err)
				}
			}
			b.free <- chunk
		}
	}()
	return b
}

// Write implements io.Writer. What fails is returned by the next call.
func (b *Background) Write(p []byte) (int, error) {
	err := b.failed.Load()
	if err != nil {
		return 0, *err
	}
	b.chunks <- append((<-b.free)[:0], p...)
	return len(p), nil
}

// End waits until all is written.
func (b *Background) End() error {
	if !b.ended {
		b.ended = true
		close(b.chunks)
		<-b.done
	}
	err := b.failed.Load()
	if err != nil {
		return *err
	}
	return nil
}

package sheet

import (
	"errors"
	"io"
)

// relay is a pipe that holds a few chunks, so that neither side waits for the
// other as long as it is full or empty for a moment only.
type relay struct {
	full, free chan []byte
	closed     chan struct{} // by the reader
	err        error         // of the writer, known when full is closed
	chunk      []byte        // that is being read
	rest       []byte        // of it
}

const relayChunks = 8

var errClosed = errors.New("the reader is closed")

// newRelay lets do write, on a goroutine of its own, what the relay reads.
func newRelay(do func(io.Writer) error) *relay {
	r := &relay{full: make(chan []byte, relayChunks), free: make(chan []byte, relayChunks+2), closed: make(chan struct{})}
	go func() {
		r.err = do(relayWriter{r})
		close(r.full)
	}()
	return r
}

// readAhead reads from a reader on a goroutine of its own.
func readAhead(in io.Reader) *relay {
	return newRelay(func(w io.Writer) error {
		r := w.(relayWriter)
		for {
			c := r.empty()
			n, err := in.Read(c[:cap(c)])
			if n > 0 {
				err := r.send(c[:n])
				if err != nil {
					return err
				}
			}
			if err != nil {
				if errors.Is(err, io.EOF) {
					return nil
				}
				return err
			}
		}
	})
}

type relayWriter struct{ *relay }

// empty returns a chunk to be filled.
func (w relayWriter) empty() []byte {
	select {
	case c := <-w.free:
		return c[:0]
	default:
		return make([]byte, 0, 2*chunk)
	}
}

func (w relayWriter) send(c []byte) error {
	select {
	case w.full <- c:
		return nil
	case <-w.closed:
		return errClosed
	}
}

// Write implements io.Writer.
func (w relayWriter) Write(p []byte) (int, error) {
	err := w.send(append(w.empty(), p...))
	if err != nil {
		return 0, err
	}
	return len(p), nil
}

// Read implements io.Reader.
func (r *relay) Read(p []byte) (int, error) {
	if len(r.rest) == 0 {
		if r.chunk != nil {
			r.free <- r.chunk // which has room for all that there are
			r.chunk = nil
		}
		chunk, ok := <-r.full
		if !ok {
			if r.err != nil {
				return 0, r.err
			}
			return 0, io.EOF
		}
		r.chunk, r.rest = chunk, chunk
	}
	n := copy(p, r.rest)
	r.rest = r.rest[n:]
	return n, nil
}

// Close ends the writer, and returns when it has ended.
func (r *relay) Close() error {
	close(r.closed)
	for range r.full {
	}
	return nil
}

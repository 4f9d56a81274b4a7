package database

import (
	"ambertray/internal/convert"
	"ambertray/internal/record"
)

// Feeder gathers blocks into batches, and has one loaded while it gathers the
// next, so that the server need not wait for us.
type Feeder struct {
	Size int // of a batch, in bytes
	// Load loads a batch, which it may change. It is called from another
	// goroutine, for one batch at a time.
	Load func(*Batch) error

	gathered, loading Batch
	loaded            chan error // of the batch that is being loaded, if any
}

// Add adds a block. It returns the error of a batch before, if there is one.
func (f *Feeder) Add(k *convert.Block) error {
	if f.gathered.Add(k); f.gathered.Size() < f.Size {
		return nil
	}
	return f.next()
}

// next has what is gathered loaded, as soon as the batch before is.
func (f *Feeder) next() error {
	if err := f.Wait(); err != nil {
		return err
	}
	f.gathered, f.loading = f.loading, f.gathered
	f.loaded = make(chan error, 1)
	go func() {
		err := f.load()
		f.loading.Reset()
		f.loaded <- err
	}()
	return nil
}

// load loads a batch. A panic is the error of that batch, so that the load is
// rolled back.
func (f *Feeder) load() (err error) {
	defer record.Recover(&err)
	return f.Load(&f.loading)
}

// Wait waits for the batch that is being loaded.
func (f *Feeder) Wait() error {
	if f.loaded == nil {
		return nil
	}
	err := <-f.loaded
	f.loaded = nil
	return err
}

// End has the rest loaded.
func (f *Feeder) End() error {
	if err := f.next(); err != nil {
		return err
	}
	return f.Wait()
}

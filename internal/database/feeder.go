package database

import (
	"ambertray/internal/convert"
	"ambertray/internal/record"
)

// Feeder gathers blocks into batches, and has some loaded while it gathers the
// next, so that the server need not wait for us.
type Feeder struct {
	size     int
	gathered Batch
	free     chan *lane // those that load nothing now
}

// lane loads one batch after the other.
type lane struct {
	load  func(*Batch) error
	batch Batch
	err   error // of the batch before
}

// NewFeeder returns a feeder of batches of a size in bytes. Each of the lanes loads a
// batch, which it may change; it is called from a goroutine of its own, for one batch at
// a time. With one lane the batches are loaded in their order.
func NewFeeder(size int, lanes ...func(*Batch) error) *Feeder {
	f := &Feeder{size: size, free: make(chan *lane, len(lanes))}
	for _, load := range lanes {
		f.free <- &lane{load: load}
	}
	return f
}

// Add adds a block. It returns the error of a batch before, if there is one.
func (f *Feeder) Add(k *convert.Block) error {
	f.gathered.Add(k)
	if f.gathered.Size() < f.size {
		return nil
	}
	return f.next()
}

// next has what is gathered loaded, as soon as a lane is free.
func (f *Feeder) next() error {
	l := <-f.free
	if l.err != nil {
		f.free <- l
		return f.Wait()
	}
	f.gathered, l.batch = l.batch, f.gathered
	go func() {
		l.err = l.do()
		l.batch.Reset()
		f.free <- l
	}()
	return nil
}

// do loads a batch. A panic is the error of that batch, so that the load is
// rolled back.
func (l *lane) do() (err error) {
	defer record.Recover(&err)
	return l.load(&l.batch)
}

// Wait waits for the batches that are being loaded, and returns the error of one.
func (f *Feeder) Wait() error {
	var err error
	var lanes []*lane
	for range cap(f.free) {
		lanes = append(lanes, <-f.free)
	}
	for _, l := range lanes {
		if err == nil {
			err = l.err
		}
		l.err = nil
		f.free <- l
	}
	return err
}

// End has the rest loaded.
func (f *Feeder) End() error {
	err := f.next()
	if err != nil {
		return err
	}
	return f.Wait()
}

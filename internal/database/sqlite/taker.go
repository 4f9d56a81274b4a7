package sqlite

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
)

// taken is a file that the engine is to take over: its number, and rows that repeat a key.
type taken struct {
	n          int
	duplicates []int64
}

// taker has the engine take files over while the next ones are written: until its end it
// has the connection to itself.
type taker struct {
	files chan taken
	done  chan struct{}
	err   error // when done is closed
}

func newTaker(s *scratch) *taker {
	t := &taker{files: make(chan taken, 1), done: make(chan struct{})}
	go func() {
		defer close(t.done)
		for f := range t.files {
			t.err = s.takeOver(f)
			if t.err != nil {
				return
			}
		}
	}()
	return t
}

// take hands a file over.
func (t *taker) take(f taken) error {
	select {
	case t.files <- f:
		return nil
	case <-t.done:
		return t.err
	}
}

// end waits for the last file.
func (t *taker) end() error {
	close(t.files)
	<-t.done
	return t.err
}

// takeOver has the engine take a file over.
func (s *scratch) takeOver(f taken) error {
	d := dialect.SQLite
	name := fmt.Sprint(scratchName, f.n)
	_, err := s.t.Exec(s.ctx, "ATTACH "+d.Literal(s.t.scratchPath(f.n))+" AS "+name)
	if err != nil {
		return err
	}
	s.x.attached = append(s.x.attached, name)
	take := fmt.Sprintf("INSERT INTO main.%s SELECT * FROM %s.%[1]s", d.Quote(s.tab.Name), name)
	if len(f.duplicates) == 0 {
		_, err := s.t.Exec(s.ctx, take)
		return err
	}
	err = s.refuseDuplicates(f.duplicates)
	if err != nil {
		return err
	}
	take += fmt.Sprintf(" WHERE %s NOT IN (SELECT id FROM temp.ambertray_repeated) ORDER BY %[1]s", s.idName)
	for _, statement := range []string{take, "DROP TABLE temp.ambertray_repeated"} {
		_, err := s.t.Exec(s.ctx, statement)
		if err != nil {
			return err
		}
	}
	return nil
}

// refuseDuplicates refuses rows that repeat a key, and names them for the engine.
func (s *scratch) refuseDuplicates(ids []int64) error {
	_, err := s.t.Exec(s.ctx, "CREATE TEMP TABLE ambertray_repeated (id integer PRIMARY KEY)")
	if err != nil {
		return err
	}
	slices.Sort(ids) // as the records come
	for some := range slices.Chunk(ids, 500) {
		var values []string
		for _, id := range some {
			values = append(values, fmt.Sprintf("(%d)", id))
			s.refused.Add(refusal.Refusal{Where: s.where(id), Columns: s.sink.key, Reason: database.SameKey})
		}
		_, err := s.t.Exec(s.ctx, "INSERT INTO temp.ambertray_repeated VALUES "+strings.Join(values, ", "))
		if err != nil {
			return err
		}
	}
	s.rows -= int64(len(ids))
	return nil
}

// detach lets the other files go, when the transaction has ended.
func (x *tx) detach() (err error) {
	x.t.conn.SetInterrupt(nil)
	for _, name := range x.attached {
		_, detachErr := x.t.Exec(context.Background(), "DETACH "+name)
		err = errors.Join(err, detachErr)
	}
	if x.used {
		err = errors.Join(err, x.t.removeScratch())
	}
	x.attached, x.used = nil, false
	return err
}

// remove removes a file, if it is there.
func remove(path string) error {
	err := os.Remove(path)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

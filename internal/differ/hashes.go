package differ

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
)

// hashes are those of one side, in memory or, once there are many, in files by
// their highest bits.
type hashes struct {
	limit  int
	memory []uint64
	files  *files
}

func (h *hashes) add(dir, name string, hash uint64) error {
	if h.files != nil {
		return h.write(hash)
	}
	h.memory = append(h.memory, hash)
	if len(h.memory) < h.limit {
		return nil
	}
	var err error
	h.files, err = openFiles(dir, name, parts)
	if err != nil {
		return err
	}
	for _, hash := range h.memory {
		err := h.write(hash)
		if err != nil {
			return err
		}
	}
	h.memory = nil
	return nil
}

func (h *hashes) write(hash uint64) error {
	var data [8]byte
	binary.LittleEndian.PutUint64(data[:], hash)
	_, err := h.files.writers[hash%parts].Write(data[:])
	return err
}

// part returns the hashes of one part of a number of parts, in order.
func (h *hashes) part(n, count int) (list []uint64, err error) {
	for _, hash := range h.memory {
		if hash%uint64(count) == uint64(n) {
			list = append(list, hash)
		}
	}
	if h.files != nil {
		list, err = h.read(n)
	}
	slices.Sort(list)
	return list, err
}

// read returns what the file of a part has.
func (h *hashes) read(n int) (list []uint64, err error) {
	r, err := h.files.reader(n)
	if err != nil {
		return nil, err
	}
	var data [8]byte
	for {
		_, err = io.ReadFull(r, data[:])
		if errors.Is(err, io.EOF) {
			return list, nil
		}
		if err != nil {
			return nil, err
		}
		list = append(list, binary.LittleEndian.Uint64(data[:]))
	}
}

func (h *hashes) close() {
	if h.files != nil {
		h.files.close()
	}
}

// unmatched are the hashes of rows that the other side lacks. Beyond a limit they are
// not held: then every row is wanted.
type unmatched struct {
	hashes map[uint64]bool
	rows   int64
	all    bool
}

func (u *unmatched) any() bool { return u.rows > 0 }

// wants reports whether a row is needed: of rows that are alike, all are, because
// the other side may have some of them.
func (u *unmatched) wants(hash uint64) bool { return u.all || u.hashes[hash] }

// unmatched reads the hashes of both sides.
func (f *Finder) unmatched(ctx context.Context, dir string, source, table Side) (*unmatched, error) {
	sides := [2]*hashes{{limit: f.Spill}, {limit: f.Spill}}
	for i, side := range []Side{source, table} {
		name := fmt.Sprintf("hashes%d", i)
		err := side.Hashes(ctx, func(hash uint64) error { return sides[i].add(dir, name, hash) })
		if err != nil {
			return nil, err
		}
	}
	defer sides[0].close()
	defer sides[1].close()
	count := 1
	if sides[0].files != nil || sides[1].files != nil {
		count = parts
	}
	u := &unmatched{hashes: map[uint64]bool{}}
	for n := range count {
		ours, err := sides[0].part(n, count)
		if err != nil {
			return nil, err
		}
		theirs, err := sides[1].part(n, count)
		if err != nil {
			return nil, err
		}
		u.compare(ours, theirs, f.Spill/4)
	}
	return u, nil
}

// compare adds what is not on both sides of two ordered lists.
func (u *unmatched) compare(ours, theirs []uint64, limit int) {
	add := func(hash uint64) {
		u.rows++
		u.all = u.all || u.rows > int64(limit)
		if !u.all {
			u.hashes[hash] = true
		}
	}
	for len(ours) > 0 || len(theirs) > 0 {
		switch {
		case len(theirs) == 0 || len(ours) > 0 && ours[0] < theirs[0]:
			add(ours[0])
			ours = ours[1:]
		case len(ours) == 0 || theirs[0] < ours[0]:
			add(theirs[0])
			theirs = theirs[1:]
		default:
			ours, theirs = ours[1:], theirs[1:]
		}
	}
}

// files are temporary files that are written, and then read.
type files struct {
	list    []*os.File
	writers []*bufio.Writer
}

func openFiles(dir, name string, count int) (*files, error) {
	f := &files{}
	for i := range count {
		file, err := os.Create(filepath.Join(dir, fmt.Sprintf("%s.%d", name, i)))
		if err != nil {
			return nil, errors.Join(err, f.close())
		}
		f.list, f.writers = append(f.list, file), append(f.writers, bufio.NewWriter(file))
	}
	return f, nil
}

// reader returns what was written to one of the files.
func (f *files) reader(n int) (*bufio.Reader, error) {
	err := f.writers[n].Flush()
	if err != nil {
		return nil, err
	}
	_, err = f.list[n].Seek(0, io.SeekStart)
	return bufio.NewReader(f.list[n]), err
}

func (f *files) close() (err error) {
	for _, file := range f.list {
		err = errors.Join(err, file.Close())
	}
	return err
}

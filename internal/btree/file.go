// Package btree writes database files of SQLite, by the format that its makers keep
// stable (sqlite.org/fileformat2.html): a table whose rows come in the order of their row
// ids, and the index of its key. The engine then takes them over at the speed at which it
// copies pages.
package btree

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"os"
)

// pageSize is that of the files that are written. Large pages make flat trees.
const pageSize = 1 << 15

// lockPage is never used: the engine locks the bytes at 2^30.
const lockPage = 1<<30/pageSize + 1

// file is written page after page; the first page, with the header, comes last.
type file struct {
	f    *os.File
	out  *bufio.Writer
	next uint32 // number of the next page
}

func create(path string) (*file, error) {
	f, err := os.Create(path)
	if err != nil {
		return nil, err
	}
	w := &file{f: f, out: bufio.NewWriterSize(f, 1<<20)}
	w.next = 1
	_, err = w.write(make([]byte, pageSize))
	return w, err
}

// write writes a page and returns its number.
func (w *file) write(page []byte) (number uint32, err error) {
	if w.next == lockPage {
		_, err = w.out.Write(make([]byte, pageSize))
		if err != nil {
			return 0, err
		}
		w.next++
	}
	number = w.next
	w.next++
	_, err = w.out.Write(page)
	return number, err
}

// number is the number that the page after n others will have.
func (w *file) number(n uint32) uint32 {
	if w.next <= lockPage && w.next+n >= lockPage {
		return w.next + n + 1
	}
	return w.next + n
}

// The kinds of pages.
const (
	indexInterior = 2
	tableInterior = 5
	indexLeaf     = 10
	tableLeaf     = 13
)

// finish writes the first page: the header, and the schema with the given rows.
func (w *file) finish(schema [][]byte) error {
	page := make([]byte, pageSize)
	copy(page, "SQLite format 3\x00")
	binary.BigEndian.PutUint16(page[16:], pageSize)
	copy(page[18:], []byte{1, 1, 0, 64, 32, 32}) // a rollback journal, no reserved bytes, and constants
	for at, n := range map[int]uint32{24: 1, 28: w.next - 1, 40: 1, 44: 4, 56: 1, 92: 1, 96: 3049000} {
		binary.BigEndian.PutUint32(page[at:], n) // changes, pages, schema, its format, UTF-8, for which change, the version
	}
	const start = 100
	p := page[start:]
	end := pageSize
	for i, record := range schema {
		cell := appendVarint(appendVarint(nil, uint64(len(record))), uint64(i+1))
		cell = append(cell, record...)
		end -= len(cell)
		if end < start+8+2*len(schema) {
			return fmt.Errorf("the definition of the table has more than %d bytes", pageSize)
		}
		copy(page[end:], cell)
		binary.BigEndian.PutUint16(p[8+2*i:], uint16(end))
	}
	p[0] = tableLeaf
	binary.BigEndian.PutUint16(p[3:], uint16(len(schema)))
	binary.BigEndian.PutUint16(p[5:], uint16(end))
	err := w.out.Flush()
	if err != nil {
		return err
	}
	_, err = w.f.WriteAt(page, 0)
	return err
}

package btree

import (
	"bytes"
	"encoding/binary"
	"errors"
	"os"
)

// Kind is what the values of a column of the key are.
type Kind uint8

// Whole numbers, numbers of which some are whole in a column of numeric affinity, and texts.
const (
	Whole Kind = iota
	Number
	Text
)

// Writer writes one table, with the index of its key if that is not the row id.
type Writer struct {
	Definition string // the statement that makes the table
	Name       string
	Key        []Kind // of the columns in the index; nil for none

	file   *file
	rows   *tree
	keys   keys
	record []byte
	path   string
	// Duplicates are the row ids of rows that repeat the key of an earlier one. They are in
	// the table, and not in the index.
	Duplicates []int64
}

// keyMemory is how many bytes of keys are sorted in memory.
const keyMemory = 24 << 20

// Create begins the file at path, and replaces an existing one.
func Create(path string) (*Writer, error) {
	f, err := create(path)
	if err != nil {
		return nil, err
	}
	return &Writer{file: f, rows: newTree(f, false), keys: keys{path: path + "-keys", limit: keyMemory}, path: path}, nil
}

// Row adds a row; ids ascend. key is what Key... have appended of its values, nil without
// an index. The record and the key may be used again.
func (w *Writer) Row(id int64, record *Record, key []byte) error {
	w.record = record.Append(w.record[:0])
	err := w.rows.row(id, w.record)
	if err != nil {
		return err
	}
	if w.Key == nil {
		return nil
	}
	return w.keys.add(binary.BigEndian.AppendUint64(key, uint64(id)))
}

// KeyInt, KeyNumber and KeyText append a value to a key.
func KeyInt(key []byte, n int64) []byte      { return appendIntKey(key, n) }
func KeyNumber(key []byte, f float64) []byte { return appendFloatKey(key, f) }
func KeyText(key, text []byte) []byte        { return appendTextKey(key, text) }

// Close ends the file.
func (w *Writer) Close() error {
	err := w.finish()
	return errors.Join(err, w.keys.close(), w.file.f.Close())
}

// Drop ends and removes the file.
func (w *Writer) Drop() error {
	return errors.Join(w.keys.close(), w.file.f.Close(), os.Remove(w.path))
}

func (w *Writer) finish() error {
	root, err := w.rows.end()
	if err != nil {
		return err
	}
	schema := [][]byte{schemaRow("table", w.Name, w.Name, root, w.Definition)}
	if w.Key != nil {
		root, err = w.index()
		if err != nil {
			return err
		}
		schema = append(schema, schemaRow("index", "sqlite_autoindex_"+w.Name+"_1", w.Name, root, ""))
	}
	return w.file.finish(schema)
}

// schemaRow is a row of the table that describes all others.
func schemaRow(kind, name, tableName string, root uint32, definition string) []byte {
	var r Record
	r.Text([]byte(kind))
	r.Text([]byte(name))
	r.Text([]byte(tableName))
	r.Int(int64(root))
	if definition == "" {
		r.Null()
	} else {
		r.Text([]byte(definition))
	}
	return r.Append(nil)
}

// index builds the index, and notes the rows that repeat a key.
func (w *Writer) index() (root uint32, err error) {
	t := newTree(w.file, true)
	var r Record
	var last, text []byte
	some := false
	err = w.keys.each(func(b []byte) error {
		values, id := b[:len(b)-8], int64(binary.BigEndian.Uint64(b[len(b)-8:]))
		if some && bytes.Equal(values, last) {
			w.Duplicates = append(w.Duplicates, id)
			return nil
		}
		some, last = true, append(last[:0], values...)
		r.Reset()
		for _, kind := range w.Key {
			switch kind {
			case Whole:
				var n int64
				n, values = readIntKey(values)
				r.Int(n)
			case Number:
				var f float64
				f, values = readFloatKey(values)
				r.Number(f)
			case Text:
				text, values = readTextKey(text[:0], values)
				r.Text(text)
			}
		}
		r.Int(id)
		w.record = r.Append(w.record[:0])
		return t.entry(w.record)
	})
	if err != nil {
		return 0, err
	}
	return t.end()
}

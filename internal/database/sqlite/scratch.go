package sqlite

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"slices"

	"ambertray/internal/btree"
	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/platform"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// scratch is the bulk path into a table that the transaction has created: the rows are
// written as the pages of another file, which the engine takes over at the end. That takes
// a fraction of the time that it needs to insert them. Few rows are inserted, and so are
// those that come out of the order of their row ids.
type scratch struct {
	*sink
	x       *tx
	ctx     context.Context
	columns []scratchColumn
	rowID   int    // the column that is the row id, or -1
	idName  string // the name of the row id, which no column has
	key     []int  // the columns of the key without such a column

	waiting []waiting // the first rows, until there are many
	held    int
	w       *btree.Writer // nil until then, and after the engine has taken its rows
	inFile  int           // rows in it
	done    bool          // the engine inserts what follows
	files   int           // that were begun
	made    []string      // the name and the definition of the table
	taker   *taker        // nil until the first file is full
	cancel  context.CancelFunc
	record  btree.Record
	sortKey []byte
	keyAt   []int // where the values of the key stand in a row
	last    int64
	some    bool
	late    []waiting
	places  []placed
}

// scratchColumn is how the engine keeps the values of a column.
type scratchColumn struct {
	real bool // floating point stays what it is
	kind btree.Kind
}

// waiting are rows that the engine will insert.
type waiting struct {
	data    []byte
	ends    []int
	numbers []int64
	part    int
}

// placed says which records rows are that have row ids of their own: ids from id on are
// those from record on.
type placed struct {
	id, record int64
	part       int
}

// bounds are numbers of rows: from how many on pages are written; how many the first file
// has, which the engine takes while the next one is written; and after how many that are
// out of order the engine inserts all that follow.
type bounds struct{ many, first, late int }

var usualBounds = bounds{many: 20_000, first: 250_000, late: 10_000}

const (
	// scratchName begins what statements call the other files.
	scratchName = "ambertray_scratch_"
	// mostFiles is how many of them the engine can have at a time. So every other one is
	// twice as large.
	mostFiles = 8
)

// scratchPath is a file that is written beside the database, while nobody else can write
// to that: an existing one was left by a program that was killed.
func (t *Target) scratchPath(n int) string { return fmt.Sprintf("%s-ambertray-%d", t.path, n) }

// removeScratch removes the files of an earlier load.
func (t *Target) removeScratch() (err error) {
	for n := range mostFiles {
		err = errors.Join(err, remove(t.scratchPath(n)), remove(t.scratchPath(n)+"-keys"))
	}
	return err
}

// newScratch returns the fast path into a table, or nil if the engine has to insert: into one that
// the transaction has not created, with foreign keys or without a name for the row id, or
// in a database that is not in UTF-8.
func (x *tx) newScratch(ctx context.Context, tab *table.Table, s *sink) (*scratch, error) {
	fresh := x.fresh == tab.Name
	x.fresh = ""
	err := x.t.removeScratch()
	if err != nil || !fresh || tab.References() {
		return nil, err
	}
	wide, err := x.t.wide(ctx)
	idName := loadedRowID(tab)
	if err != nil || wide || idName == "" {
		return nil, err
	}
	r := &scratch{sink: s, x: x, rowID: -1, idName: idName}
	r.ctx, r.cancel = context.WithCancel(ctx)
	for i, c := range tab.Loaded() {
		stored := dialect.SQLite.Stored(c.Type)
		column := scratchColumn{real: c.Type.Kind == table.Double, kind: btree.Number}
		switch {
		case stored.Textual():
			column.kind = btree.Text
		case stored.Whole() || stored.Kind == table.Boolean:
			column.kind = btree.Whole
		}
		r.columns = append(r.columns, column)
		if !slices.Contains(tab.Key, c.Name) {
			continue
		}
		if c.Nullable { // NULL repeats nothing
			return nil, nil
		}
		if len(tab.Key) == 1 && dialect.SQLite.TypeName(c.Type) == "integer" {
			r.rowID = i
		}
	}
	if r.rowID < 0 {
		for _, name := range tab.Key {
			r.key = append(r.key, slices.IndexFunc(tab.Loaded(), func(c table.Column) bool { return c.Name == name }))
		}
	}
	if slices.Contains(r.key, -1) {
		return nil, nil
	}
	r.keyAt = make([]int, len(r.key))
	return r, nil
}

// Write implements database.Sink.
func (s *scratch) Write(k *convert.Block) error {
	switch {
	case s.done:
		return s.sink.Write(k)
	case s.w != nil:
		return s.pages(waiting{k.Data, k.Ends, k.Numbers, k.Part})
	}
	s.waiting = append(s.waiting, waiting{slices.Clone(k.Data), slices.Clone(k.Ends), slices.Clone(k.Numbers), k.Part})
	s.held += len(k.Ends)
	if s.held < s.t.bounds.many {
		return nil
	}
	return s.begin()
}

// begin begins the first file, with the rows that have waited.
func (s *scratch) begin() error {
	made, err := s.t.Query(s.ctx, "SELECT name, sql FROM main.sqlite_schema WHERE type = 'table' AND lower(name) = lower("+dialect.SQLite.Literal(s.tab.Name)+")")
	if err != nil {
		return err
	}
	s.made = made[0]
	err = s.open()
	if err != nil {
		return err
	}
	for _, w := range s.waiting {
		write := s.pages
		if s.done { // most rows are out of order
			write = s.insert
		}
		err := write(w)
		if err != nil {
			return err
		}
	}
	s.waiting = nil
	return nil
}

// open begins a file.
func (s *scratch) open() (err error) {
	s.w, err = btree.Create(s.t.scratchPath(s.files))
	if err != nil {
		return s.t.failFile(err)
	}
	s.files, s.inFile, s.x.used = s.files+1, 0, true
	s.w.Name, s.w.Definition = s.made[0], s.made[1]
	for _, i := range s.key {
		s.w.Key = append(s.w.Key, s.columns[i].kind)
	}
	return nil
}

// full reports whether a file has as many rows as it should: that of a table with an
// index has all of them, because the engine takes only a complete one.
func (s *scratch) full() bool {
	return len(s.key) == 0 && s.files < mostFiles && s.inFile >= s.t.bounds.first<<((s.files-1)/2)
}

// insert has the engine insert rows.
func (s *scratch) insert(w waiting) error {
	return s.sink.Write(&convert.Block{Data: w.data, Ends: w.ends, Numbers: w.numbers, Part: w.part})
}

// failFile says that the file beside the database could not be written.
func (t *Target) failFile(err error) error {
	e := &database.Error{Target: t.path, Op: "write pages", Err: err}
	if platform.DiskFull(err) {
		e.Kind = database.ErrFull
	}
	return e
}

// pages writes rows into the file.
func (s *scratch) pages(w waiting) error {
	start := 0
	for i, end := range w.ends {
		row := w.data[start:end]
		start = end
		id := s.last + 1
		key, rowID := s.encode(row)
		if s.rowID >= 0 {
			id = rowID
			if s.some && id <= s.last {
				s.late = append(s.late, waiting{slices.Clone(row), []int{len(row)}, []int64{w.numbers[i]}, w.part})
				if len(s.late) > s.t.bounds.late {
					return s.giveOver(w, i+1, start)
				}
				continue
			}
		} else {
			s.place(id, w.numbers[i], w.part)
		}
		s.last, s.some = id, true
		err := s.w.Row(id, &s.record, key)
		if err != nil {
			return s.t.failFile(err)
		}
		s.rows++
		s.inFile++
		if s.full() {
			err := s.hand()
			if err != nil {
				return err
			}
			err = s.open()
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// hand ends the file and hands it to the engine.
func (s *scratch) hand() error {
	w := s.w
	s.w = nil
	err := w.Close()
	if err != nil {
		return s.t.failFile(err)
	}
	if s.taker == nil {
		s.taker = newTaker(s)
	}
	return s.taker.take(taken{s.files - 1, w.Duplicates})
}

// giveOver has the engine take the pages, and insert what follows in a block: the rows
// from an index on, whose data begins at start.
func (s *scratch) giveOver(w waiting, from, start int) error {
	err := s.transfer()
	if err != nil {
		return err
	}
	rest := waiting{data: w.data[start:], numbers: w.numbers[from:], part: w.part}
	for _, end := range w.ends[from:] {
		rest.ends = append(rest.ends, end-start)
	}
	return s.insert(rest)
}

// place remembers which record a row is.
func (s *scratch) place(id, record int64, part int) {
	n := len(s.places)
	if n > 0 {
		p := s.places[n-1]
		if p.part == part && record-p.record == id-p.id {
			return
		}
	}
	s.places = append(s.places, placed{id, record, part})
}

// where returns the record of a row.
func (s *scratch) where(id int64) refusal.Where {
	i, found := slices.BinarySearchFunc(s.places, id, func(p placed, id int64) int { return int(p.id - id) })
	if !found {
		i--
	}
	p := s.places[i]
	return refusal.Where{Part: p.part, Record: p.record + id - p.id}
}

// encode makes the record of a row, and returns its key or its row id.
func (s *scratch) encode(row []byte) (key []byte, rowID int64) {
	s.record.Reset()
	all, at := row, s.keyAt
	for i := range s.columns {
		for k, c := range s.key {
			if c == i {
				at[k] = len(all) - len(row)
			}
		}
		tag := row[0]
		row = row[1:]
		switch tag {
		case tagNull:
			s.record.Null()
		case tagInt:
			n := int64(binary.LittleEndian.Uint64(row))
			row = row[8:]
			if i == s.rowID {
				rowID = n
				s.record.Null()
			} else {
				s.record.Int(n)
			}
		case tagFloat:
			f := math.Float64frombits(binary.LittleEndian.Uint64(row))
			row = row[8:]
			if s.columns[i].real {
				s.record.Float(f)
			} else {
				s.record.Number(f)
			}
		case tagText:
			n := binary.LittleEndian.Uint32(row)
			s.record.Text(row[4 : 4+n])
			row = row[4+n:]
		}
	}
	s.sortKey = s.sortKey[:0]
	for k, c := range s.key {
		s.sortKey = appendKey(s.sortKey, all[at[k]:], s.columns[c].kind)
	}
	return s.sortKey, rowID
}

// appendKey appends the value that data begins with.
func appendKey(key, data []byte, kind btree.Kind) []byte {
	tag, data := data[0], data[1:]
	switch {
	case tag == tagText:
		n := binary.LittleEndian.Uint32(data)
		return btree.KeyText(key, data[4:4+n])
	case tag == tagFloat:
		return btree.KeyNumber(key, math.Float64frombits(binary.LittleEndian.Uint64(data)))
	case kind == btree.Number:
		return btree.KeyNumber(key, float64(int64(binary.LittleEndian.Uint64(data))))
	}
	return btree.KeyInt(key, int64(binary.LittleEndian.Uint64(data)))
}

// transfer waits until the engine has taken all files over, and has it insert the rows that
// were late.
func (s *scratch) transfer() error {
	err := s.hand()
	s.done = true
	if s.taker != nil {
		endErr := s.taker.end()
		if err == nil {
			err = endErr
		}
	}
	for _, l := range s.late {
		if err == nil {
			err = s.insert(l)
		}
	}
	s.late = nil
	return err
}

// Close implements database.Sink.
func (s *scratch) Close(abort error) (int64, error) {
	err := s.end(abort)
	s.cancel()
	if s.w != nil {
		err = errors.Join(err, s.w.Drop())
		s.w = nil
	}
	if s.taker != nil && !s.done { // it was aborted
		_ = s.taker.end()
	}
	if abort == nil {
		abort = err
	}
	rows, closeErr := s.sink.Close(abort)
	return rows, errors.Join(err, closeErr)
}

// end inserts what has waited, or takes the pages over.
func (s *scratch) end(abort error) error {
	if abort != nil {
		return nil
	}
	if s.w != nil {
		return s.transfer()
	}
	for _, w := range s.waiting {
		err := s.insert(w)
		if err != nil {
			return err
		}
	}
	return nil
}

package sqlite

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"regexp"
	"strings"
	"unsafe"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// Load implements database.Tx.
func (x *tx) Load(ctx context.Context, tab *table.Table) (database.Sink, error) {
	cols := tab.Loaded()
	d := dialect.SQLite
	sql := fmt.Sprintf("INSERT INTO %s (%s) VALUES (?%s)", d.Quote(tab.Name), d.Columns(tab), strings.Repeat(", ?", len(cols)-1))
	stmt, err := x.t.conn.Prepare(sql)
	if err != nil && strings.HasSuffix(err.Error(), "because it is a view") {
		return nil, &database.Error{Target: x.t.path, Op: "load", Kind: database.ErrNotTable, Err: fmt.Errorf("%s is a view", tab.Name)}
	}
	if err != nil {
		return nil, x.t.fail("prepare the load", err)
	}
	s := &sink{t: x.t, stmt: stmt, columns: len(cols), tab: tab, key: tab.Key, added: x.added}
	s.foreign, err = x.t.foreignKeys(ctx, tab)
	if err != nil {
		return nil, err
	}
	fast, err := x.newScratch(ctx, tab, s)
	if fast == nil || err != nil {
		return s, err
	}
	return fast, nil
}

type sink struct {
	t       *Target
	stmt    *sqlite.Stmt
	columns int
	rows    int64
	tab     *table.Table
	key     []string // names of the columns of the key
	refused refusal.List
	added   *added
	foreign []foreignKey
}

// failedOn finds the one column of a constraint that does not hold.
var failedOn = regexp.MustCompile(`^(?:NOT NULL|UNIQUE) constraint failed: [^.,]+\.([^.,]+)$`)

// refuse keeps a row that a constraint does not let in; the statement that
// failed has changed nothing.
func (s *sink) refuse(where refusal.Where, row []byte, err error) error {
	_ = s.stmt.Reset() // it repeats the error
	why := reasonOf(err, s.tab)
	code := sqlite.ErrCode(err)
	switch {
	case code == sqlite.ResultConstraintPrimaryKey, code == sqlite.ResultConstraintRowID:
		why = refusal.Reason{Columns: s.key, Reason: database.SameKey}
	case code == sqlite.ResultConstraintForeignKey:
		key, err := s.orphaned(row)
		if err != nil {
			return s.t.fail("find the foreign key", err)
		}
		if key != nil {
			why = database.MissingRow(s.tab, &key.ForeignKey)
		}
	}
	s.refused.Add(refusal.Refusal{Where: where, Columns: why.Columns, Reason: why.Reason})
	return nil
}

// Refused implements database.Sink.
func (s *sink) Refused() *refusal.List { return &s.refused }

// Reopens implements database.ReopenedSink.
func (s *sink) Reopens() bool { return true }

// Encoder implements database.Sink.
func (s *sink) Encoder() convert.Encoder { return encoder{} }

// Remarks implements database.Sink.
func (s *sink) Remarks() []string { return nil }

// Write implements database.Sink.
func (s *sink) Write(k *convert.Block) error {
	data := k.Data
	for i := range k.Ends {
		row := data
		data = bind(s.stmt, s.columns, row)
		_, err := s.stmt.Step()
		if err != nil {
			if s.t.isRefusal(err) {
				err = s.refuse(refusal.Where{Part: k.Part, Record: k.Numbers[i]}, row, err)
				if err != nil {
					return err
				}
				continue
			}
			return s.t.fail("insert", err)
		}
		err = s.stmt.Reset()
		if err != nil {
			return s.t.fail("insert", err)
		}
		s.rows++
		if s.added != nil {
			s.added.add(s.t.conn.LastInsertRowID())
		}
	}
	return nil
}

// bind sets the parameters of a statement, one for each column, from the next
// record of data and returns the rest.
func bind(stmt *sqlite.Stmt, columns int, data []byte) []byte {
	for i := 1; i <= columns; i++ {
		tag := data[0]
		data = data[1:]
		switch tag {
		case tagNull:
			stmt.BindNull(i)
		case tagInt:
			stmt.BindInt64(i, int64(binary.LittleEndian.Uint64(data)))
			data = data[8:]
		case tagFloat:
			stmt.BindFloat(i, math.Float64frombits(binary.LittleEndian.Uint64(data)))
			data = data[8:]
		case tagText:
			n := binary.LittleEndian.Uint32(data)
			data = data[4:]
			stmt.BindText(i, unsafe.String(unsafe.SliceData(data), n)) // the driver copies it
			data = data[n:]
		case tagBlob:
			n := binary.LittleEndian.Uint32(data)
			stmt.BindBytes(i, data[4:4+n]) // likewise
			data = data[4+n:]
		}
	}
	return data
}

// Close implements database.Sink.
func (s *sink) Close(abort error) (int64, error) {
	for _, k := range s.foreign {
		if k.orphan != nil {
			_ = k.orphan.Finalize()
		}
	}
	err := s.stmt.Finalize()
	if abort != nil {
		err = nil // it repeats the error of the last step
	}
	return s.rows, s.t.fail("end the load", err)
}

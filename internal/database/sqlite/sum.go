package sqlite

import (
	"context"

	"ambertray/internal/dialect"
	"ambertray/internal/proof"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// RowHash implements database.Summer.
func (x *tx) RowHash(_ context.Context, tab *table.Table) (proof.RowHash, error) {
	return proof.NewRowHash(dialect.SQLite.StoredTypes(tab)), nil
}

// Sum implements database.Summer. Rows are hashed while the next ones are read.
func (x *tx) Sum(ctx context.Context, tab *table.Table, _ int64, added bool) (proof.Sum, error) {
	hash, err := x.RowHash(ctx, tab)
	if err != nil {
		return proof.Sum{}, err
	}
	s := newSummer(hash, len(tab.Loaded()))
	if added {
		err = x.readAdded(ctx, tab, s.take)
	} else {
		err = x.t.readAll(ctx, tab, s.take)
	}
	return s.end(), err
}

// rowsAtOnce is how many rows are handed over to be hashed: few enough to stay in
// the cache of a core.
const rowsAtOnce = 64

// summer adds up the hashes of rows in a goroutine of its own.
type summer struct {
	rows [][]value.Value // that are being filled
	used int
	full chan [][]value.Value
	free chan [][]value.Value
	sum  chan proof.Sum
}

func newSummer(hash proof.RowHash, columns int) *summer {
	const sets = 3 // one is filled, one hashed, and one waits
	s := &summer{full: make(chan [][]value.Value, sets), free: make(chan [][]value.Value, sets), sum: make(chan proof.Sum)}
	for range sets {
		rows := make([][]value.Value, rowsAtOnce)
		for i := range rows {
			rows[i] = make([]value.Value, columns)
		}
		s.free <- rows
	}
	s.rows = <-s.free
	go func() {
		var sum proof.Sum
		for rows := range s.full {
			for _, row := range rows {
				sum.Add(hash(row, nil))
			}
			s.free <- rows[:rowsAtOnce]
		}
		s.sum <- sum
	}()
	return s
}

// take takes over the row that a reader has filled, and gives it another one.
func (s *summer) take(r *rowReader) error {
	r.row, s.rows[s.used] = s.rows[s.used], r.row
	s.used++
	if s.used == rowsAtOnce {
		s.full <- s.rows
		s.rows, s.used = <-s.free, 0
	}
	return nil
}

// end returns the sum of all rows that were taken.
func (s *summer) end() proof.Sum {
	s.full <- s.rows[:s.used]
	close(s.full)
	return <-s.sum
}

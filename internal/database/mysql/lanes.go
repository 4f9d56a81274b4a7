package mysql

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"

	"github.com/go-sql-driver/mysql"

	"ambertray/internal/database"
	"ambertray/internal/table"
)

var (
	_ database.Laned     = (*Target)(nil)
	_ database.LanedSink = (*sink)(nil)
)

// usualLanes is how many lanes are of use where the server does not report its processors.
const usualLanes = 4

// Lanes implements database.Laned.
func (t *Target) Lanes(ctx context.Context) (int, error) {
	// MariaDB's thread pool is made for the processors, and is only there to be asked.
	found, err := t.Query(ctx, "SHOW GLOBAL VARIABLES LIKE 'thread_pool_size'")
	if err != nil || len(found) == 0 {
		return usualLanes, err
	}
	return int(database.ParseCount(found[0][1])), nil
}

// lanedSink loads batches over several connections into the staging table. The first is
// the target's own. Which row has a key first is not known of them, so that a row which
// is refused ends the load.
func (x *tx) lanedSink(ctx context.Context, tab *table.Table) (*sink, error) {
	s, err := x.newSink(ctx, tab)
	if err != nil {
		return nil, err
	}
	s.lanes = []*sink{s}
	for len(s.lanes) < x.lanes && err == nil {
		var lane *sink
		lane, err = x.openLane(ctx, tab)
		if err == nil {
			s.lanes = append(s.lanes, lane)
		}
	}
	if err != nil {
		s.laneRemarks = []string{fmt.Sprintf("lanes: %d, as the server took no more connections: %v", len(s.lanes), err)}
	}
	var loads []func(*database.Batch) error
	for _, lane := range s.lanes {
		err := x.t.fail("load", lane.t.exec(ctx, "SET innodb_lock_wait_timeout = 1"))
		if err != nil { // only a key that another lane has is waited for
			s.closeLanes()
			return nil, err
		}
		loads = append(loads, lane.loadInLane)
	}
	s.feeder = database.NewFeeder(batchSize, loads...)
	return s, nil
}

// openLane opens another connection, and on it a sink for the staging table.
func (x *tx) openLane(ctx context.Context, tab *table.Table) (*sink, error) {
	conn, err := x.t.db.Conn(ctx)
	if err != nil {
		return nil, x.t.fail("connect", err)
	}
	t := *x.t
	t.conn = conn
	lane, err := (&tx{t: &t}).newSink(ctx, tab)
	if err != nil {
		return nil, errors.Join(err, conn.Close())
	}
	return lane, nil
}

// loadInLane loads a batch and fails unless every row is loaded.
func (s *sink) loadInLane(b *database.Batch) error {
	err := s.load(b)
	if err == nil && s.refused.Len() > 0 || errors.Is(err, database.ErrLocked) || errors.Is(err, database.ErrConflict) {
		return &database.Error{Target: s.t.name, Op: "load", Kind: database.ErrInOrder}
	}
	return err
}

// Lanes implements database.LanedSink.
func (s *sink) Lanes() int { return max(1, len(s.lanes)) }

// commitLanes commits what the lanes have loaded, and returns how many rows.
func (s *sink) commitLanes() (rows int64, err error) {
	for _, lane := range s.lanes {
		err = errors.Join(err, lane.t.exec(s.ctx, "COMMIT"))
		rows += lane.rows
	}
	return rows, s.t.fail("load", err)
}

// closeLanes ends the connections that are not the target's own, with what they have not
// committed.
func (s *sink) closeLanes() {
	for _, lane := range s.lanes[1:] {
		mysql.DeregisterReaderHandler(lane.reader)
		_, _ = lane.t.conn.ExecContext(context.WithoutCancel(s.ctx), "ROLLBACK") // so that the table can be dropped now; the end of the connection does it too
		_ = lane.t.conn.Raw(func(any) error { return driver.ErrBadConn })        // it shall not be used again
	}
	_ = s.t.exec(context.WithoutCancel(s.ctx), "SET innodb_lock_wait_timeout = DEFAULT") // fails only with its connection, as what follows then does
}

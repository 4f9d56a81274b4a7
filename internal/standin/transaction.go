package standin

import (
	"fmt"
	"strings"
	"sync/atomic"
	"time"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/standin/tds"
)

var lastTransaction atomic.Uint64

// begin begins a transaction, or enters it once more.
func (s *session) begin() {
	s.depthOfTran++
	if s.depthOfTran == 1 {
		s.tran = lastTransaction.Add(1)
		s.conn.Begun(s.tran)
		if s.snapshot { // what is read from now on is of this moment
			_ = s.query("BEGIN DEFERRED", nil)
			_, _ = s.number("SELECT count(*) FROM main.catalog")
			s.writing = true
		}
	}
}

func (s *session) commit() error {
	if s.depthOfTran == 0 {
		return &tds.Error{Number: 3902, Severity: 16, Message: "The COMMIT TRANSACTION request has no corresponding BEGIN TRANSACTION."}
	}
	if s.depthOfTran > 1 {
		s.depthOfTran--
		return nil
	}
	if s.writing {
		err := s.query("COMMIT", nil)
		if err != nil {
			return err
		}
	}
	s.endTran(true)
	return nil
}

func (s *session) endTran(committed bool) {
	s.conn.Ended(s.tran, committed)
	s.depthOfTran, s.tran, s.writing, s.savepoints = 0, 0, false, nil
	s.server.unlockTran(s)
	s.settleDefinitions()
}

// settleDefinitions has all sessions look at definitions again that a transaction has
// changed, now that it has ended.
func (s *session) settleDefinitions() {
	if s.redefined {
		s.redefined = false
		s.server.definitions.Add(1)
	}
}

// rollback rolls the whole transaction back.
func (s *session) rollback() {
	if s.writing {
		s.db.SetInterrupt(nil)
		_ = s.query("ROLLBACK", nil)
		clear(s.filled) // which lie in the same transaction
	}
	s.endTran(false)
}

func (s *session) rollbackTo(name string) error {
	if s.depthOfTran == 0 {
		return &tds.Error{Number: 3903, Severity: 16, Message: "The ROLLBACK TRANSACTION request has no corresponding BEGIN TRANSACTION."}
	}
	if name == "" {
		s.rollback()
		return nil
	}
	for i := len(s.savepoints) - 1; i >= 0; i-- {
		if strings.EqualFold(s.savepoints[i], name) {
			s.savepoints = s.savepoints[:i+1]
			s.redefine()
			clear(s.filled)
			return s.query(fmt.Sprintf("ROLLBACK TO sp%d", i), nil)
		}
	}
	return invalid(3908, "Cannot roll back %s. No transaction or savepoint of that name was found.", name)
}

func (s *session) savepoint(name string) error {
	if s.depthOfTran == 0 {
		return &tds.Error{Number: 628, Severity: 16, Message: "Cannot issue SAVE TRANSACTION when there is no active transaction."}
	}
	err := s.beginWriting()
	if err != nil {
		return err
	}
	s.savepoints = append(s.savepoints, name)
	return s.query(fmt.Sprintf("SAVEPOINT sp%d", len(s.savepoints)-1), nil)
}

// beginWriting waits until no other session writes: the stand-in locks the database,
// where a server would lock rows.
func (s *session) beginWriting() error {
	if s.writing {
		return nil
	}
	until := time.Now().Add(s.lockTimeout)
	for {
		err := s.query("BEGIN IMMEDIATE", nil)
		if err == nil {
			s.writing = true
			return nil
		}
		if sqlite.ErrCode(err).ToPrimary() != sqlite.ResultBusy {
			return err
		}
		if s.lockTimeout >= 0 && time.Now().After(until) {
			return errLockTimeout
		}
		time.Sleep(2 * time.Millisecond)
	}
}

var errVictim = &tds.Error{
	Number: 1205, Severity: 13, State: 51, Aborts: true,
	Message: "Transaction was deadlocked on lock resources with another process and has been chosen as the deadlock victim. Rerun the transaction.",
}

// write runs a statement that writes, as a whole or not at all.
func (s *session) write(do func() error) error {
	if s.server.options.ReadOnly {
		return &tds.Error{Number: 3906, Severity: 16, Message: fmt.Sprintf("Failed to update database \"%s\" because the database is read-only.", s.database)}
	}
	if s.depth == 0 {
		err := s.strike()
		if err != nil {
			return err
		}
	}
	err := s.beginWriting()
	if err != nil {
		return err
	}
	save := fmt.Sprintf("statement%d", s.depth)
	err = s.query("SAVEPOINT "+save, nil)
	if err != nil {
		return err
	}
	err = do()
	if err != nil {
		err = s.translated(err)
		s.db.SetInterrupt(nil)
		_ = s.query("ROLLBACK TO "+save, nil)
		s.redefine()
		clear(s.filled)
	}
	if s.writing { // a trigger may have ended the transaction
		_ = s.query("RELEASE "+save, nil)
	}
	if s.depthOfTran == 0 && s.depth == 0 && s.writing {
		end := "COMMIT"
		if err != nil {
			end = "ROLLBACK"
			clear(s.filled)
		}
		s.writing = false
		ended := s.query(end, nil)
		if err == nil {
			err = ended
		}
		s.settleDefinitions()
	}
	return err
}

// strike lets the fault happen that is due.
func (s *session) strike() error {
	switch s.server.nextFault() {
	case "cut":
		s.cut()
		return tds.ErrCancelled
	case "deadlock":
		return errVictim
	case "full":
		return &tds.Error{Number: 9002, Severity: 17, State: 2, Message: fmt.Sprintf("The transaction log for database '%s' is full due to 'ACTIVE_TRANSACTION'.", s.database)}
	case "slow":
		time.Sleep(50 * time.Millisecond)
	}
	return nil
}

// Package create creates what other sessions may create at the same moment: the tables of
// the ledger, and schemas.
package create

import (
	"context"
	"errors"

	"ambertray/internal/dialect"
)

// Session is a connection to a server.
type Session interface {
	Exec(ctx context.Context, statement string) (int64, error)
	Dialect() *dialect.Dialect
}

// Exists reports whether something exists, also when another session has just committed it.
type Exists func(ctx context.Context) (bool, error)

// attempts is how often Once runs a statement: MySQL ends one of two that create something at the
// same moment as a deadlock, before the other one has created it.
const attempts = 3

// Once runs a statement that creates something, unless it exists; made says that it did not,
// and that no other session was quicker.
func Once(ctx context.Context, s Session, statement string, exists Exists) (made bool, err error) {
	for range attempts {
		found, existsErr := exists(ctx)
		if found || existsErr != nil {
			return false, existsErr
		}
		_, err = s.Exec(ctx, statement)
		if err == nil {
			return true, nil
		}
	}
	return decide(ctx, exists, err)
}

// Savepoint is set by Within before the statement, and is still there after it.
const Savepoint = "creation"

// Within is Once in a transaction, which goes on when another session was quicker: it may
// have committed since this one found that nothing exists. The server must not commit
// definitions by itself.
func Within(ctx context.Context, s Session, statement string, exists Exists) (made bool, err error) {
	found, err := exists(ctx)
	if found || err != nil {
		return false, err
	}
	d := s.Dialect()
	_, err = s.Exec(ctx, d.Savepoint(Savepoint))
	if err != nil {
		return false, err
	}
	_, err = s.Exec(ctx, statement)
	if err == nil {
		return true, nil
	}
	_, backErr := s.Exec(ctx, d.RollbackTo(Savepoint))
	if backErr != nil {
		return false, errors.Join(err, backErr)
	}
	return decide(ctx, exists, err)
}

// decide reports whether a statement has created something; an error does not count if it
// exists now.
func decide(ctx context.Context, exists Exists, err error) (made bool, _ error) {
	if err == nil {
		return true, nil
	}
	found, existsErr := exists(ctx)
	if existsErr == nil && found {
		return false, nil
	}
	return false, err
}

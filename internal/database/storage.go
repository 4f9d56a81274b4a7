package database

import (
	"context"
	"fmt"
	"strings"
)

// Storage is how a database keeps a table, as far as that limits what a load can
// promise. The zero value limits nothing.
type Storage struct {
	Engine         string // that keeps the table
	NoTransactions bool   // what was written stays, also after a rollback
	NoSavepoints   bool   // a transaction is rolled back as a whole or not at all
	// Servers are other servers that hold the rows, if any. They commit one after
	// the other, so that one may have committed when the next fails.
	Servers []string
	// HidesRows says that row-level security may hide rows of the table from the login.
	HidesRows bool
	Unlogged  bool // the server empties the table after a crash
}

// HidesRows reports whether rows of a table may be hidden from the login.
func HidesRows(ctx context.Context, t Target, name string) (bool, error) {
	stored, ok := t.(Stored)
	if !ok {
		return false, nil
	}
	storage, err := stored.Storage(ctx, name)
	return storage.HidesRows, err
}

// StorageFacts says of each table how it is kept, as far as that limits a load.
func StorageFacts(ctx context.Context, t Stored, tables []string) (facts []Fact, err error) {
	for i, name := range tables {
		if i == maxStorageFacts {
			return append(facts, Fact{Name: "more tables", Value: fmt.Sprintf("%d are kept in such ways", len(tables)-i), OK: true}), nil
		}
		storage, err := t.Storage(ctx, name)
		if err != nil {
			return nil, err
		}
		f := storage.fact(name)
		if f.Value != "" {
			facts = append(facts, f)
		}
	}
	return facts, nil
}

const maxStorageFacts = 10

// What follows from how a table is kept.
const (
	ServersRemedy        = "the servers do not commit together: a load that fails while they do is in doubt, until it is verified"
	NoTransactionsRemedy = "the engine has no transactions: a load needs --no-rollback, and leaves its rows in the table if it fails"
)

func (s *Storage) fact(name string) Fact {
	f := Fact{Name: "table " + name, Remedy: ServersRemedy}
	switch {
	case s.NoTransactions:
		f.Value, f.Remedy = "kept by "+s.Engine, NoTransactionsRemedy
	case s.Servers != nil:
		f.Value = "on other servers: " + strings.Join(s.Servers, ", ")
	}
	return f
}

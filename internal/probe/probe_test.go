package probe_test

import (
	"context"
	"errors"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/database/sqlite"
	"ambertray/internal/ledger"
	"ambertray/internal/probe"
	"ambertray/internal/table"
)

// limited is a database in which a login lacks a right.
type limited struct {
	*sqlite.Target
	lacks string // what fails: begin, create, load or index
}

var errRight = &database.Error{Target: "museum", Op: "do it", Kind: database.ErrPermission, Err: errors.New("visitor may not")}

func (l *limited) Grant(right string) string { return "GRANT " + right }

func (l *limited) Begin(ctx context.Context) (database.Tx, error) {
	if l.lacks == "begin" {
		return nil, errRight
	}
	tx, err := l.Target.Begin(ctx)
	return &limitedTx{tx, l.lacks}, err
}

type limitedTx struct {
	database.Tx
	lacks string
}

func (x *limitedTx) Create(ctx context.Context, t *table.Table, how database.Creation) error {
	if x.lacks == "create" {
		return errRight
	}
	return x.Tx.Create(ctx, t, how)
}

func (x *limitedTx) Load(ctx context.Context, t *table.Table) (database.Sink, error) {
	if x.lacks == "load" {
		return nil, errRight
	}
	return x.Tx.Load(ctx, t)
}

func (x *limitedTx) Index(ctx context.Context, t *table.Table) error {
	if x.lacks == "index" {
		return errRight
	}
	return x.Tx.(database.Indexer).Index(ctx, t)
}

// TestRun tries everything, says what the login lacks, and leaves nothing behind.
func TestRun(t *testing.T) {
	ctx := context.Background()
	db, err := sqlite.Open(filepath.Join(t.TempDir(), "museum.db"), true)
	require.NoError(t, err)
	defer db.Close()
	for lacks, fact := range map[string]string{"": "", "begin": "begin a transaction", "create": "create a table", "load": "load rows", "index": "index it"} {
		r, err := probe.Run(ctx, &limited{db, lacks})
		require.NoError(t, err)
		require.Equal(t, lacks == "", r.Able(), lacks)
		last := r.Facts[len(r.Facts)-1]
		if lacks != "" {
			require.Equal(t, fact, last.Name)
			require.Equal(t, "no: visitor may not", last.Value)
			require.Contains(t, last.Remedy, "GRANT")
		} else {
			require.Equal(t, database.Fact{Name: "keep the ledger", Value: "yes", OK: true, Required: true}, last)
		}
		rows, err := db.Query(ctx, "SELECT count(*) FROM sqlite_master")
		require.NoError(t, err)
		require.Equal(t, "0", rows[0][0])
	}
	_, err = db.Exec(ctx, "CREATE TABLE "+ledger.Name+" (other integer)")
	require.NoError(t, err)
	r, err := probe.Run(ctx, db)
	require.NoError(t, err)
	require.False(t, r.Able(), "a table of another program has the ledger's name")
	_, err = probe.Run(ctx, struct{ database.Target }{db})
	var missing *database.MissingError
	require.ErrorAs(t, err, &missing)
}

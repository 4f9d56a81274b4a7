package mysql

import (
	"context"
	"errors"

	"ambertray/internal/create"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/ledger"
)

var (
	_ database.SchemaCreator = (*Target)(nil)
	_ ledger.EmptyDropper    = (*Target)(nil)
)

// CreateSchema implements database.SchemaCreator. The server commits it at once.
func (t *Target) CreateSchema(ctx context.Context, name string) (undo func() error, err error) {
	d := dialect.MySQL
	made, err := create.Once(ctx, t, "CREATE SCHEMA "+d.Quote(name), func(ctx context.Context) (bool, error) {
		found, err := t.Query(ctx, "SELECT 1 FROM information_schema.schemata WHERE schema_name = "+d.Literal(name))
		return len(found) > 0, err
	})
	if !made || err != nil {
		return nil, err
	}
	return func() error { return t.dropEmptySchema(context.Background(), name) }, nil
}

func (t *Target) dropEmptySchema(ctx context.Context, name string) error {
	d := dialect.MySQL
	tables, err := t.Query(ctx, "SELECT count(*) FROM information_schema.tables WHERE table_schema = "+d.Literal(name))
	if err == nil && tables[0][0] == "0" {
		_, err = t.Exec(ctx, "DROP SCHEMA "+d.Quote(name))
	}
	return err
}

// DropEmpty implements ledger.EmptyDropper.
func (t *Target) DropEmpty(ctx context.Context, table string) error {
	name := dialect.MySQL.QuoteTable(table)
	_, err := t.Exec(ctx, "LOCK TABLES "+name+" WRITE")
	if err != nil {
		return err
	}
	rows, err := t.Query(ctx, "SELECT count(*) FROM "+name)
	if err == nil && rows[0][0] == "0" {
		_, err = t.Exec(ctx, "DROP TABLE "+name)
	}
	_, unlock := t.Exec(ctx, "UNLOCK TABLES")
	return errors.Join(err, unlock)
}

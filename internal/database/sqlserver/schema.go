package sqlserver

import (
	"context"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

var _ database.SchemaCreator = (*Target)(nil)

// CreateSchema implements database.SchemaCreator.
func (t *Target) CreateSchema(ctx context.Context, name string) (undo func() error, err error) {
	d := dialect.SQLServer
	found, err := t.Query(ctx, "SELECT name FROM sys.schemas WHERE name = "+d.Literal(name))
	if err != nil || len(found) > 0 {
		return nil, err
	}
	_, err = t.Exec(ctx, "CREATE SCHEMA "+d.Quote(name))
	return nil, err
}

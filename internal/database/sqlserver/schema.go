package sqlserver

import (
	"context"

	"ambertray/internal/create"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

var _ database.SchemaCreator = (*Target)(nil)

// CreateSchema implements database.SchemaCreator.
func (t *Target) CreateSchema(ctx context.Context, name string) (undo func() error, err error) {
	d := dialect.SQLServer
	_, err = create.Within(ctx, t, "CREATE SCHEMA "+d.Quote(name), func(ctx context.Context) (bool, error) {
		found, err := t.Query(ctx, "SELECT name FROM sys.schemas WHERE name = "+d.Literal(name))
		return len(found) > 0, err
	})
	return nil, err
}

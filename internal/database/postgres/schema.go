package postgres

import (
	"context"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

var _ database.SchemaCreator = (*Target)(nil)

// CreateSchema implements database.SchemaCreator.
func (t *Target) CreateSchema(ctx context.Context, name string) (undo func() error, err error) {
	d := dialect.PostgreSQL
	found, err := t.Query(ctx, "SELECT 1 FROM information_schema.schemata WHERE schema_name = "+d.Literal(name))
	if err != nil || len(found) > 0 {
		return nil, err
	}
	_, err = t.Exec(ctx, "CREATE SCHEMA "+d.Quote(name))
	t.newSchema = name
	return nil, err
}

package postgres

import (
	"context"

	"ambertray/internal/create"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

var _ database.SchemaCreator = (*Target)(nil)

// CreateSchema implements database.SchemaCreator.
func (t *Target) CreateSchema(ctx context.Context, name string) (undo func() error, err error) {
	d := dialect.PostgreSQL
	made, err := create.Within(ctx, t, "CREATE SCHEMA "+d.Quote(name), func(ctx context.Context) (bool, error) {
		found, err := t.Query(ctx, "SELECT to_regnamespace("+d.Literal(d.Quote(name))+") IS NOT NULL FROM pg_namespace LIMIT 1")
		return err == nil && found[0][0] == "t", err
	})
	if made {
		t.newSchema = name
	}
	return nil, err
}

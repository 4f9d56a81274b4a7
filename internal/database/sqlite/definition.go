package sqlite

import (
	"context"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

var _ database.Definer = (*Target)(nil)

// Definition implements database.Definer. The engine keeps the statements as they were
// typed.
func (t *Target) Definition(ctx context.Context, name string) ([]string, error) {
	return database.FirstColumn(ctx, t, "SELECT sql FROM sqlite_schema WHERE sql IS NOT NULL AND type IN ('table', 'index') AND lower(tbl_name) = lower("+dialect.SQLite.Literal(name)+") ORDER BY type = 'index', name")
}

// PrimaryKey implements database.Definer.
func (t *Target) PrimaryKey(ctx context.Context, name string) ([]string, error) {
	return database.FirstColumn(ctx, t, "SELECT name FROM pragma_table_info("+dialect.SQLite.Literal(name)+") WHERE pk > 0 ORDER BY pk")
}

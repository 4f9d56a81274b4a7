package sqlite

import (
	"context"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

var _ database.Definer = (*Target)(nil)

// Definition implements database.Definer. The engine keeps the statements as they were
// typed.
func (t *Target) Definition(ctx context.Context, name string) (statements []string, err error) {
	rows, err := t.Query(ctx, "SELECT sql FROM sqlite_schema WHERE sql IS NOT NULL AND type IN ('table', 'index') AND lower(tbl_name) = lower("+dialect.SQLite.Literal(name)+") ORDER BY type = 'index', name")
	for _, row := range rows {
		statements = append(statements, row[0])
	}
	return statements, err
}

package sqlite

import (
	"context"
	"slices"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/target"
)

var _ target.Depended = (*Target)(nil)

// Dependents implements target.Depended. Views find the table again by its name.
func (t *Target) Dependents(ctx context.Context, tab *table.Table) (list []string, err error) {
	rows, err := t.Query(ctx, "SELECT type, name FROM sqlite_schema WHERE type IN ('index', 'trigger') AND sql IS NOT NULL AND lower(tbl_name) = lower("+dialect.SQLite.Literal(tab.Name)+")")
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		if row[0] != "index" || !slices.Contains(dialect.SQLite.IndexNames(tab), row[1]) {
			list = append(list, row[0]+" "+row[1])
		}
	}
	return list, nil
}

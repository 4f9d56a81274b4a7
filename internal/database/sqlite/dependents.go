package sqlite

import (
	"context"
	"fmt"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

var _ database.Depended = (*Target)(nil)

// Dependents implements database.Depended. Views find the table again by its name.
func (t *Target) Dependents(ctx context.Context, tab *table.Table) (list []string, err error) {
	const query = "SELECT name FROM sqlite_schema WHERE sql IS NOT NULL AND lower(tbl_name) = lower(%s) AND type = '%s'"
	d := dialect.SQLite
	return database.ListDependents(ctx, t, []database.Kind{
		{What: "index", Query: fmt.Sprintf(query, d.Literal(tab.Name), "index")},
		{What: "trigger", Query: fmt.Sprintf(query, d.Literal(tab.Name), "trigger")},
	}, d.IndexNames(tab))
}

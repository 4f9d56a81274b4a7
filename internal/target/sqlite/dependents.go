package sqlite

import (
	"context"
	"fmt"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/target"
)

var _ target.Depended = (*Target)(nil)

// Dependents implements target.Depended. Views find the table again by its name.
func (t *Target) Dependents(ctx context.Context, tab *table.Table) (list []string, err error) {
	const query = "SELECT name FROM sqlite_schema WHERE sql IS NOT NULL AND lower(tbl_name) = lower(%s) AND type = '%s'"
	d := dialect.SQLite
	return target.ListDependents(ctx, t, []target.Kind{
		{What: "index", Query: fmt.Sprintf(query, d.Literal(tab.Name), "index")},
		{What: "trigger", Query: fmt.Sprintf(query, d.Literal(tab.Name), "trigger")},
	}, d.IndexNames(tab))
}

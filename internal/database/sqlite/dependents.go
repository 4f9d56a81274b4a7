package sqlite

import (
	"context"
	"fmt"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

var (
	_ database.Depended = (*Target)(nil)
	_ database.Cascader = (*Target)(nil)
)

// Dependents implements database.Depended. Views find the table again by its name.
func (t *Target) Dependents(ctx context.Context, tab *table.Table) (list []string, err error) {
	const query = "SELECT name FROM sqlite_schema WHERE sql IS NOT NULL AND lower(tbl_name) = lower(%s) AND type = '%s'"
	d := dialect.SQLite
	return database.ListDependents(ctx, t, []database.Kind{
		{What: "index", Query: fmt.Sprintf(query, d.Literal(tab.Name), "index")},
		{What: "trigger", Query: fmt.Sprintf(query, d.Literal(tab.Name), "trigger")},
	}, d.OwnNames(tab))
}

// Cascades implements database.Cascader.
func (t *Target) Cascades(ctx context.Context, name string) ([]string, error) {
	of := dialect.SQLite.Literal(name)
	return database.ListDependents(ctx, t, []database.Kind{
		{What: "trigger", Query: "SELECT name FROM sqlite_schema WHERE type = 'trigger' AND lower(tbl_name) = lower(" + of + ")"},
		{What: "foreign key from table", Query: "SELECT DISTINCT s.name FROM sqlite_schema s JOIN pragma_foreign_key_list(s.name) f " +
			"WHERE s.type = 'table' AND lower(f.\"table\") = lower(" + of + ") AND f.on_delete IN ('CASCADE', 'SET NULL', 'SET DEFAULT')"},
	}, nil)
}

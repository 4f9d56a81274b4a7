package mysql

import (
	"context"
	"fmt"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/target"
)

var (
	_ target.Engined  = (*Target)(nil)
	_ target.Depended = (*Target)(nil)
)

// place is the condition that a row of a catalog is about a table.
func place(name string) string {
	schema, bare := split(name)
	d := dialect.MySQL
	return fmt.Sprintf("table_schema = coalesce(nullif(%s, ''), database()) AND table_name = %s", d.Literal(schema), d.Literal(bare))
}

// Engine implements target.Engined.
func (t *Target) Engine(ctx context.Context, name string) (engine string, transactional bool, err error) {
	rows, err := t.Query(ctx, `SELECT coalesce(t.engine, ''), coalesce(e.transactions, 'YES') = 'YES' FROM
		(SELECT engine FROM information_schema.tables WHERE `+place(name)+`) t LEFT JOIN information_schema.engines e ON e.engine = t.engine`)
	if err != nil || len(rows) == 0 {
		return "", true, err
	}
	return rows[0][0], rows[0][1] == "1", nil
}

// Dependents implements target.Depended. Rights are kept by name, and views find
// the table again by its name.
func (t *Target) Dependents(ctx context.Context, tab *table.Table) (list []string, err error) {
	schema, bare := split(tab.Name)
	d := dialect.MySQL
	referred := fmt.Sprintf("referenced_table_schema = coalesce(nullif(%s, ''), database()) AND referenced_table_name = %s", d.Literal(schema), d.Literal(bare))
	return target.ListDependents(ctx, t, []target.Kind{
		{What: "index", Query: "SELECT DISTINCT index_name FROM information_schema.statistics WHERE index_name <> 'PRIMARY' AND " + place(tab.Name)},
		{What: "foreign key", Query: "SELECT constraint_name FROM information_schema.table_constraints WHERE constraint_type = 'FOREIGN KEY' AND " + place(tab.Name)},
		{What: "foreign key from table", Query: "SELECT DISTINCT concat(table_schema, '.', table_name) FROM information_schema.key_column_usage WHERE " + referred},
		{What: "trigger", Query: fmt.Sprintf("SELECT trigger_name FROM information_schema.triggers WHERE event_object_schema = coalesce(nullif(%s, ''), database()) AND event_object_table = %s", d.Literal(schema), d.Literal(bare))},
	}, dialect.MySQL.IndexNames(tab))
}

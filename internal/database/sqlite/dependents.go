package sqlite

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

var (
	_ database.Depended = (*Target)(nil)
	_ database.Cascader = (*Target)(nil)
)

// Dependents implements database.Depended. Views find the table again by its name.
// Dropping a table removes its rows first, and then rows of other tables may be removed too.
func (t *Target) Dependents(ctx context.Context, tab *table.Table) (list []string, err error) {
	const query = "SELECT name FROM sqlite_schema WHERE sql IS NOT NULL AND lower(tbl_name) = lower(%s) AND type = '%s'"
	d := dialect.SQLite
	own := d.OwnNames(tab)
	list, err = database.ListDependents(ctx, t, []database.Kind{
		{What: "index", Query: fmt.Sprintf(query, d.Literal(tab.Name), "index"), Own: own},
		{What: "trigger", Query: fmt.Sprintf(query, d.Literal(tab.Name), "trigger")},
		{What: "unique constraint on", Query: "SELECT (SELECT group_concat(name, ', ') FROM pragma_index_info(l.name)) FROM pragma_index_list(" + d.Literal(tab.Name) + ") l WHERE l.origin = 'u'"},
		{What: "default of", Query: "SELECT name FROM pragma_table_xinfo(" + d.Literal(tab.Name) + ") WHERE dflt_value IS NOT NULL OR hidden IN (2, 3)", Own: database.Defaults(tab)},
		{What: "foreign key of", Query: "SELECT \"from\" FROM pragma_foreign_key_list(" + d.Literal(tab.Name) + ")", Own: database.Referring(tab)},
		{What: "referring rows of table", Query: referring(tab.Name) + notItself},
	})
	if err != nil {
		return nil, err
	}
	definition, err := database.FirstColumn(ctx, t, "SELECT sql FROM sqlite_schema WHERE type = 'table' AND lower(name) = lower("+d.Literal(tab.Name)+")")
	if err != nil {
		return nil, err
	}
	for _, found := range unlisted.FindAllString(strings.Join(definition, " "), -1) {
		clause := "clause " + strings.ToUpper(strings.Join(strings.Fields(found), " "))
		if !slices.Contains(list, clause) {
			list = append(list, clause)
		}
	}
	return list, nil
}

// Cascades implements database.Cascader. A trigger that mentions DELETE may run on it.
func (t *Target) Cascades(ctx context.Context, name string) ([]string, error) {
	of := dialect.SQLite.Literal(name)
	return database.ListDependents(ctx, t, []database.Kind{
		{What: "trigger", Query: "SELECT name FROM sqlite_schema WHERE type = 'trigger' AND sql LIKE '%delete%' AND lower(tbl_name) = lower(" + of + ")"},
		{What: "foreign key from table", Query: referring(name) + notItself + " AND f.on_delete IN ('CASCADE', 'SET NULL', 'SET DEFAULT')"},
	})
}

// referring is the query for the tables that refer to a table, to which conditions on the
// foreign key f of the table s can be appended.
func referring(name string) string {
	return "SELECT DISTINCT s.name FROM sqlite_schema s JOIN pragma_foreign_key_list(s.name) f WHERE s.type = 'table' AND lower(f.\"table\") = lower(" +
		dialect.SQLite.Literal(name) + ")"
}

// notItself is the condition that leaves out a table that refers to itself.
const notItself = " AND lower(s.name) <> lower(f.\"table\")"

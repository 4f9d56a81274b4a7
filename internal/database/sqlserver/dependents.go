package sqlserver

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

// Dependents implements database.Depended.
func (t *Target) Dependents(ctx context.Context, tab *table.Table) ([]string, error) {
	own := dialect.SQLServer.OwnNames(tab)
	kinds := []database.Kind{
		{What: "index", Query: "SELECT name FROM sys.indexes WHERE is_primary_key = 0 AND index_id > 0 AND object_id = %s", Own: own},
		{What: "foreign key", Query: "SELECT name FROM sys.foreign_keys WHERE parent_object_id = %s", Own: own},
		{What: "check", Query: "SELECT name FROM sys.check_constraints WHERE parent_object_id = %s"},
		{What: "foreign key from table", Query: "SELECT DISTINCT o.name FROM sys.foreign_keys f JOIN sys.objects o ON o.object_id = f.parent_object_id WHERE f.parent_object_id <> f.referenced_object_id AND f.referenced_object_id = %s"},
		{What: "trigger", Query: "SELECT name FROM sys.triggers WHERE parent_id = %s"},
		{What: "default of", Query: "SELECT name FROM sys.columns WHERE (default_object_id <> 0 OR is_identity = 1 OR is_computed = 1) AND object_id = %s", Own: database.Defaults(tab)},
		{What: "view or procedure", Query: "SELECT DISTINCT o.name FROM sys.sql_expression_dependencies d JOIN sys.objects o ON o.object_id = d.referencing_id WHERE o.parent_object_id = 0 AND d.referenced_id = %s"},
		{What: "rights of", Query: "SELECT DISTINCT u.name FROM sys.database_permissions p JOIN sys.database_principals u ON u.principal_id = p.grantee_principal_id WHERE p.class = 1 AND p.major_id = %s"},
	}
	for i := range kinds {
		kinds[i].Query = fmt.Sprintf(kinds[i].Query, t.id(tab.Name))
	}
	return database.ListDependents(ctx, t, kinds)
}

// Cascades implements database.Cascader.
func (t *Target) Cascades(ctx context.Context, name string) ([]string, error) {
	id := t.id(name)
	return database.ListDependents(ctx, t, []database.Kind{
		{What: "trigger", Query: "SELECT DISTINCT g.name FROM sys.triggers g JOIN sys.trigger_events e ON e.object_id = g.object_id WHERE e.type_desc = 'DELETE' AND g.parent_id = " + id},
		{What: "foreign key from table", Query: "SELECT DISTINCT o.name FROM sys.foreign_keys f JOIN sys.objects o ON o.object_id = f.parent_object_id WHERE f.delete_referential_action <> 0 AND f.parent_object_id <> f.referenced_object_id AND f.referenced_object_id = " + id},
	})
}

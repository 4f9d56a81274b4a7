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

// UniqueKeys implements database.Definer.
func (t *Target) UniqueKeys(ctx context.Context, name string) ([]database.UniqueKey, error) {
	table := dialect.SQLite.Literal(name)
	rows, err := t.Query(ctx, "SELECT 'PRIMARY KEY', 1, name FROM (SELECT name FROM pragma_table_info("+table+") WHERE pk > 0 ORDER BY pk)"+
		" UNION ALL SELECT * FROM (SELECT l.name, 0, x.name FROM pragma_index_list("+table+`) l JOIN pragma_index_xinfo(l.name) x
			WHERE l."unique" = 1 AND partial = 0 AND origin <> 'pk' AND key = 1
			AND NOT EXISTS (SELECT 1 FROM pragma_index_xinfo(l.name) e WHERE e.key = 1 AND e.name IS NULL) ORDER BY l.name, x.seqno)`)
	return database.ParseUniqueKeys(rows), err
}

// ForeignKeys implements database.Definer. The engine does not report their names.
func (t *Target) ForeignKeys(ctx context.Context, name string) ([]database.ForeignKey, error) {
	table := dialect.SQLite.Literal(name)
	rows, err := t.Query(ctx, `SELECT f.id, f."table", lower(f."table") = lower(`+table+`), f."from", coalesce(f."to", (SELECT name FROM pragma_table_info(f."table") WHERE pk = f.seq + 1))
		FROM pragma_foreign_key_list(`+table+`) f ORDER BY f.id DESC, f.seq`)
	keys := database.ParseForeignKeys(rows)
	for i := range keys {
		keys[i].Name = ""
	}
	return keys, err
}

package mysql

import (
	"context"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

var _ database.Definer = (*Target)(nil)

// Definition implements database.Definer.
func (t *Target) Definition(ctx context.Context, name string) ([]string, error) {
	rows, err := t.Query(ctx, "SHOW CREATE TABLE "+dialect.MySQL.QuoteTable(name))
	if err != nil {
		return nil, err
	}
	return []string{rows[0][1]}, nil
}

// UniqueKeys implements database.Definer.
func (t *Target) UniqueKeys(ctx context.Context, name string) ([]database.UniqueKey, error) {
	rows, err := t.Query(ctx, `SELECT index_name, CASE index_name WHEN 'PRIMARY' THEN 1 ELSE 0 END, column_name FROM information_schema.statistics s
		WHERE non_unique = 0 AND `+place(name)+` AND NOT EXISTS (SELECT 1 FROM information_schema.statistics p
			WHERE p.table_schema = s.table_schema AND p.table_name = s.table_name AND p.index_name = s.index_name AND (p.sub_part IS NOT NULL OR p.column_name IS NULL))
		ORDER BY index_name <> 'PRIMARY', index_name, seq_in_index`)
	return database.ParseUniqueKeys(rows), err
}

// ForeignKeys implements database.Definer.
func (t *Target) ForeignKeys(ctx context.Context, name string) ([]database.ForeignKey, error) {
	rows, err := t.Query(ctx, `SELECT constraint_name, CASE referenced_table_schema WHEN database() THEN referenced_table_name ELSE concat(referenced_table_schema, '.', referenced_table_name) END,
		CASE WHEN referenced_table_schema = table_schema AND referenced_table_name = table_name THEN 1 ELSE 0 END, column_name, referenced_column_name FROM information_schema.key_column_usage WHERE referenced_table_name IS NOT NULL AND `+place(name)+`
		ORDER BY constraint_name, ordinal_position`)
	return database.ParseForeignKeys(rows), err
}

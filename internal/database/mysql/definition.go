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

// PrimaryKey implements database.Definer.
func (t *Target) PrimaryKey(ctx context.Context, name string) ([]string, error) {
	return database.FirstColumn(ctx, t, "SELECT column_name FROM information_schema.statistics WHERE index_name = 'PRIMARY' AND "+place(name)+" ORDER BY seq_in_index")
}

package postgres

import (
	"context"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

var _ database.Stored = (*Target)(nil)

// Storage implements database.Stored: a foreign table, or partitions that are
// foreign tables, lie on other servers.
func (t *Target) Storage(ctx context.Context, name string) (s database.Storage, err error) {
	d := dialect.PostgreSQL
	rows, err := t.Query(ctx, `SELECT DISTINCT w.fdwname, s.srvname
		FROM (SELECT to_regclass(`+d.Literal(d.QuoteTable(name))+`) AS oid) t, LATERAL (SELECT t.oid UNION SELECT relid FROM pg_partition_tree(t.oid)) p
		JOIN pg_foreign_table f ON f.ftrelid = p.oid JOIN pg_foreign_server s ON s.oid = f.ftserver JOIN pg_foreign_data_wrapper w ON w.oid = s.srvfdw
		ORDER BY s.srvname`)
	for _, row := range rows {
		s.Engine, s.Servers = row[0], append(s.Servers, row[1])
	}
	return s, err
}

// storageFacts names the tables that lie on other servers, of schemas that the login may
// use: it cannot ask for others by their names.
func (t *Target) storageFacts(ctx context.Context) ([]database.Fact, error) {
	rows, err := t.Query(ctx, `SELECT DISTINCT c.oid::regclass::text FROM pg_foreign_table
		JOIN pg_class c ON c.oid = coalesce(pg_partition_root(ftrelid), ftrelid) WHERE has_schema_privilege(c.relnamespace, 'USAGE') ORDER BY 1`)
	if err != nil {
		return nil, err
	}
	var names []string
	for _, row := range rows {
		names = append(names, strings.ReplaceAll(row[0], `"`, ""))
	}
	return database.StorageFacts(ctx, t, names)
}

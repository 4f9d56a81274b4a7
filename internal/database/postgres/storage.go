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
	rows, err := t.Query(ctx, `SELECT coalesce(row_security_active(t.oid), false), o.fdwname, o.srvname,
			EXISTS (SELECT FROM pg_class c WHERE c.oid = t.oid AND c.relpersistence = 'u')
		FROM (SELECT to_regclass(`+d.Literal(d.QuoteTable(name))+`) AS oid) t LEFT JOIN LATERAL (SELECT DISTINCT w.fdwname, s.srvname
			FROM (SELECT t.oid UNION SELECT relid FROM pg_partition_tree(t.oid)) p JOIN pg_foreign_table f ON f.ftrelid = p.oid
			JOIN pg_foreign_server s ON s.oid = f.ftserver JOIN pg_foreign_data_wrapper w ON w.oid = s.srvfdw) o ON true
		ORDER BY o.srvname`)
	for _, row := range rows {
		s.HidesRows, s.Unlogged = row[0] == "t", row[3] == "t"
		if row[2] != "" {
			s.Engine, s.Servers = row[1], append(s.Servers, row[2])
		}
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
	facts, err := database.StorageFacts(ctx, t, names)
	if err != nil || len(facts) == 0 {
		return facts, err
	}
	servers, err := t.serverFacts(ctx)
	return append(facts, servers...), err
}

// remoteOptions are the options of a server of postgres_fdw that make it fast, the value that
// it has without one, and the proposed value.
var remoteOptions = []struct{ name, without, proposed string }{
	{"batch_size", "1", "1000"},        // rows of an INSERT
	{"fetch_size", "100", "10000"},     // rows that are read at a time
	{"async_capable", "false", "true"}, // all servers are read at the same time
}

// serverFacts names the options of servers that send and read rows one by one, or few at a
// time. Those of single tables are left alone.
func (t *Target) serverFacts(ctx context.Context) (facts []database.Fact, err error) {
	rows, err := t.Query(ctx, `SELECT s.srvname, coalesce((SELECT string_agg(o, chr(10)) FROM unnest(s.srvoptions) o), '') FROM pg_foreign_server s
		JOIN pg_foreign_data_wrapper w ON w.oid = s.srvfdw WHERE w.fdwname = 'postgres_fdw' ORDER BY 1`)
	for _, row := range rows {
		f := database.Fact{Name: "server " + row[0], OK: true}
		var values, changes []string
		for _, o := range remoteOptions {
			value, set := o.without, "ADD "
			for line := range strings.Lines(row[1] + "\n") {
				name, is, _ := strings.Cut(strings.TrimSpace(line), "=")
				if name == o.name {
					value, set = is, "SET "
				}
			}
			values = append(values, o.name+" "+value)
			if value == o.without {
				changes = append(changes, set+o.name+" '"+o.proposed+"'")
			}
		}
		f.Value = strings.Join(values, ", ")
		if len(changes) > 0 {
			f.OK = false
			f.Remedy = "send and read more rows at a time: ALTER SERVER " + dialect.PostgreSQL.Quote(row[0]) + " OPTIONS (" + strings.Join(changes, ", ") + ")"
		}
		facts = append(facts, f)
	}
	return facts, err
}

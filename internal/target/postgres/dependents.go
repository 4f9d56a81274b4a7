package postgres

import (
	"context"
	"fmt"
	"slices"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/target"
)

var _ target.Depended = (*Target)(nil)

// Dependents implements target.Depended.
func (t *Target) Dependents(ctx context.Context, tab *table.Table) (list []string, err error) {
	d := dialect.PostgreSQL
	of := "to_regclass(" + d.Literal(d.QuoteTable(tab.Name)) + ")"
	for _, c := range []struct{ what, query string }{
		{"index", `SELECT i.relname FROM pg_index x JOIN pg_class i ON i.oid = x.indexrelid WHERE x.indrelid = %s AND NOT x.indisprimary`},
		{"foreign key", `SELECT conname FROM pg_constraint WHERE contype = 'f' AND conrelid = %s`},
		{"check", `SELECT conname FROM pg_constraint WHERE contype = 'c' AND conrelid = %s`},
		{"foreign key from table", `SELECT DISTINCT conrelid::regclass::text FROM pg_constraint WHERE contype = 'f' AND conrelid <> confrelid AND confrelid = %s`},
		{"trigger", `SELECT tgname FROM pg_trigger WHERE NOT tgisinternal AND tgrelid = %s`},
		{"view", `SELECT DISTINCT r.ev_class::regclass::text FROM pg_depend p JOIN pg_rewrite r ON r.oid = p.objid
			WHERE p.classid = 'pg_rewrite'::regclass AND p.refobjid = %s AND r.ev_class <> p.refobjid`},
		{"policy", `SELECT polname FROM pg_policy WHERE polrelid = %s`},
		{"rights of", `SELECT DISTINCT coalesce(r.rolname, 'PUBLIC') FROM pg_class c, aclexplode(c.relacl) a LEFT JOIN pg_roles r ON r.oid = a.grantee
			WHERE c.oid = %s AND a.grantee <> c.relowner`},
	} {
		rows, err := t.Query(ctx, fmt.Sprintf(c.query, of))
		if err != nil {
			return nil, err
		}
		for _, row := range rows {
			if c.what != "index" || !slices.Contains(dialect.PostgreSQL.IndexNames(tab), row[0]) {
				list = append(list, c.what+" "+row[0])
			}
		}
	}
	return list, nil
}

package postgres

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
func (t *Target) Dependents(ctx context.Context, tab *table.Table) (list []string, err error) {
	d := dialect.PostgreSQL
	own := d.OwnNames(tab)
	of := regclass(tab.Name)
	kinds := []database.Kind{
		{What: "index", Query: `SELECT i.relname FROM pg_index x JOIN pg_class i ON i.oid = x.indexrelid WHERE x.indrelid = %s AND NOT x.indisprimary`, Own: own},
		{What: "foreign key", Query: `SELECT conname FROM pg_constraint WHERE contype = 'f' AND conrelid = %s`, Own: own},
		{What: "check", Query: `SELECT conname FROM pg_constraint WHERE contype = 'c' AND conrelid = %s`},
		{What: "foreign key from table", Query: `SELECT DISTINCT conrelid::regclass::text FROM pg_constraint WHERE contype = 'f' AND conrelid <> confrelid AND confrelid = %s`},
		{What: "trigger", Query: `SELECT tgname FROM pg_trigger WHERE NOT tgisinternal AND tgrelid = %s`},
		{What: "view", Query: `SELECT DISTINCT r.ev_class::regclass::text FROM pg_depend p JOIN pg_rewrite r ON r.oid = p.objid
			WHERE p.classid = 'pg_rewrite'::regclass AND p.refobjid = %s AND r.ev_class <> p.refobjid`},
		{What: "default of", Query: `SELECT attname FROM pg_attribute WHERE (atthasdef OR attidentity <> '') AND attnum > 0 AND NOT attisdropped AND attrelid = %s`, Own: database.Defaults(tab)},
		{What: "collation of", Query: "SELECT attname FROM pg_attribute JOIN pg_type y ON y.oid = atttypid WHERE " + ownCollation + " AND attnum > 0 AND NOT attisdropped AND attrelid = %s"},
		{What: "rule", Query: `SELECT rulename FROM pg_rewrite WHERE ev_class = %s AND rulename <> '_RETURN'`},
		{What: "partition or child", Query: `SELECT inhrelid::regclass::text FROM pg_inherits WHERE inhparent = %s`},
		{What: "place in table", Query: `SELECT inhparent::regclass::text FROM pg_inherits WHERE inhrelid = %s`},
		{What: "publication", Query: `SELECT p.pubname FROM pg_publication_rel r JOIN pg_publication p ON p.oid = r.prpubid WHERE r.prrelid = %s`},
		{What: "owner", Query: `SELECT pg_get_userbyid(relowner) FROM pg_class WHERE pg_get_userbyid(relowner) <> current_user AND oid = %s`},
		{What: "policy", Query: `SELECT polname FROM pg_policy WHERE polrelid = %s`},
		{What: "rights of", Query: `SELECT DISTINCT coalesce(r.rolname, 'PUBLIC') FROM pg_class c, aclexplode(c.relacl) a LEFT JOIN pg_roles r ON r.oid = a.grantee
			WHERE c.oid = %s AND a.grantee <> c.relowner`},
	}
	for i := range kinds {
		kinds[i].Query = fmt.Sprintf(kinds[i].Query, of)
	}
	return database.ListDependents(ctx, t, kinds)
}

// Cascades implements database.Cascader: a table is emptied by TRUNCATE or DELETE, which have
// the bits 32 and 8 in the type of a trigger.
func (t *Target) Cascades(ctx context.Context, name string) ([]string, error) {
	of := regclass(name)
	return database.ListDependents(ctx, t, []database.Kind{
		{What: "trigger", Query: "SELECT tgname FROM pg_trigger WHERE NOT tgisinternal AND tgtype & 40 <> 0 AND tgrelid = " + of},
		{What: "rule", Query: "SELECT rulename FROM pg_rewrite WHERE ev_type = '4' AND ev_class = " + of},
		{What: "foreign key from table", Query: "SELECT DISTINCT conrelid::regclass::text FROM pg_constraint WHERE contype = 'f' AND confdeltype IN ('c', 'n', 'd') AND conrelid <> confrelid AND confrelid = " + of},
	})
}

package postgres

import (
	"context"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

var _ database.Definer = (*Target)(nil)

// ownCollation is the condition that a column of pg_attribute has another collation than its type y in
// pg_type, and collationName the name of its collation l in pg_collation.
const (
	ownCollation  = "attcollation <> 0 AND attcollation <> typcollation"
	collationName = "CASE WHEN pg_collation_is_visible(l.oid) THEN '' ELSE quote_ident((SELECT nspname FROM pg_namespace n WHERE n.oid = collnamespace)) || '.' END || quote_ident(collname)"
)

// Definition implements database.Definer. The server writes every part of it itself.
func (t *Target) Definition(ctx context.Context, name string) ([]string, error) {
	d := dialect.PostgreSQL
	of := regclass(name)
	parts, err := t.Query(ctx, `SELECT line FROM (
		SELECT attnum AS place, '' AS name, quote_ident(attname) || ' ' || format_type(atttypid, atttypmod)
			|| CASE WHEN `+ownCollation+` THEN ' COLLATE ' || `+collationName+` ELSE '' END
			|| CASE WHEN attgenerated <> '' THEN ' GENERATED ALWAYS AS (' || pg_get_expr(adbin, adrelid) || ') STORED'
				WHEN attidentity <> '' THEN ' GENERATED ' || CASE attidentity WHEN 'a' THEN 'ALWAYS' ELSE 'BY DEFAULT' END || ' AS IDENTITY'
				WHEN adbin IS NOT NULL THEN ' DEFAULT ' || pg_get_expr(adbin, adrelid) ELSE '' END
			|| CASE WHEN attnotnull THEN ' NOT NULL' ELSE '' END AS line
		FROM pg_attribute JOIN pg_type y ON y.oid = atttypid LEFT JOIN pg_collation l ON l.oid = attcollation LEFT JOIN pg_attrdef ON adrelid = attrelid AND adnum = attnum
		WHERE attrelid = `+of+` AND attnum > 0 AND NOT attisdropped
		UNION ALL
		SELECT 10000 + strpos('pufcx', contype::text), conname, 'CONSTRAINT ' || quote_ident(conname) || ' ' || pg_get_constraintdef(oid)
		FROM pg_constraint WHERE conrelid = `+of+` AND contype IN ('p', 'u', 'f', 'c', 'x')) parts ORDER BY place, name`)
	if err != nil {
		return nil, err
	}
	indexes, err := t.Query(ctx, `SELECT pg_get_indexdef(x.indexrelid) FROM pg_index x JOIN pg_class i ON i.oid = x.indexrelid
		WHERE x.indrelid = `+of+` AND NOT EXISTS (SELECT 1 FROM pg_constraint c WHERE c.conindid = x.indexrelid AND c.conrelid = x.indrelid) ORDER BY i.relname`)
	if err != nil {
		return nil, err
	}
	var lines []string
	for _, row := range parts {
		lines = append(lines, row[0])
	}
	statements := []string{database.CreateStatement(d, name, lines)}
	for _, row := range indexes {
		statements = append(statements, row[0])
	}
	return statements, nil
}

// UniqueKeys implements database.Definer.
func (t *Target) UniqueKeys(ctx context.Context, name string) ([]database.UniqueKey, error) {
	rows, err := t.Query(ctx, `SELECT relname, indisprimary::int, attname FROM pg_index JOIN pg_class i ON i.oid = indexrelid
		CROSS JOIN unnest(indkey::int2[]) WITH ORDINALITY k(n, place) JOIN pg_attribute ON attrelid = indrelid AND attnum = n
		WHERE indrelid = `+regclass(name)+` AND indisunique AND indisvalid AND indpred IS NULL AND indexprs IS NULL AND place <= indnkeyatts
		ORDER BY indisprimary DESC, relname, place`)
	return database.ParseUniqueKeys(rows), err
}

// ForeignKeys implements database.Definer.
func (t *Target) ForeignKeys(ctx context.Context, name string) ([]database.ForeignKey, error) {
	rows, err := t.Query(ctx, `SELECT conname, CASE WHEN pg_table_is_visible(confrelid) THEN '' ELSE nspname || '.' END || relname, (conrelid = confrelid)::int, a.attname, r.attname FROM pg_constraint
		JOIN pg_class t ON t.oid = confrelid JOIN pg_namespace n ON n.oid = relnamespace CROSS JOIN unnest(conkey, confkey) WITH ORDINALITY k(n, m, place)
		JOIN pg_attribute a ON a.attrelid = conrelid AND a.attnum = k.n JOIN pg_attribute r ON r.attrelid = confrelid AND r.attnum = m
		WHERE contype = 'f' AND conrelid = `+regclass(name)+` ORDER BY conname, place`)
	return database.ParseForeignKeys(rows), err
}

// regclass returns the expression for the identifier of a table. It is NULL if the table does not exist.
func regclass(name string) string {
	return "to_regclass(" + dialect.PostgreSQL.Literal(dialect.PostgreSQL.QuoteTable(name)) + ")"
}

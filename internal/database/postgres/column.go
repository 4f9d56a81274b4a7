package postgres

import (
	"context"
	"regexp"
	"strconv"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// Columns implements database.Inspector. A domain is reported as its base type, because the
// server checks its constraints. An enum is reported with its words.
func (t *Target) Columns(ctx context.Context, name string) ([]database.ColumnInfo, error) {
	d := dialect.PostgreSQL
	rows, err := t.Query(ctx, `WITH RECURSIVE `+baseTypes(d.Literal(d.QuoteTable(name)))+`
		SELECT attname, CASE WHEN typtype = 'e' THEN (SELECT 'enum(' || string_agg(chr(39) || replace(enumlabel, chr(39), repeat(chr(39), 2)) || chr(39), ','
				ORDER BY enumsortorder) || ')' FROM pg_enum WHERE enumtypid = base.type)
			WHEN typname = 'citext' THEN typname -- an extension, which may be in any schema
			ELSE format_type(base.type, base.modifier) END, (NOT attnotnull AND base.nullable)::int,
		(atthasdef AND attgenerated = '' OR attidentity <> '')::int, (attgenerated <> '')::int,
		(atttypid <> base.type OR typtype = 'e' OR typname IN ('citext', 'json', 'xml'))::int
		FROM pg_attribute JOIN base ON base.number = attnum JOIN pg_type ON pg_type.oid = base.type AND typtype <> 'd'
		WHERE attrelid = base.of AND attnum > 0 AND NOT attisdropped ORDER BY attnum`)
	list := database.ParseColumns(rows, typeOf)
	for i := range list {
		_, _, own := ownTypeOf(list[i].Native)
		list[i].AnyNumber, list[i].Own = list[i].Native == "numeric", own || rows[i][5] == "1"
	}
	return list, err
}

// baseTypes returns a common table expression with the types of a table's columns. A domain
// is followed to its base type, which may be a domain again.
func baseTypes(name string) string {
	return `base (of, number, type, modifier, nullable) AS (
		SELECT attrelid, attnum, atttypid, atttypmod, true FROM pg_attribute WHERE attrelid = to_regclass(` + name + `)
		UNION ALL SELECT of, number, typbasetype, CASE WHEN typtypmod >= 0 THEN typtypmod ELSE modifier END, nullable AND NOT typnotnull
		FROM base JOIN pg_type ON pg_type.oid = base.type WHERE typtype = 'd')`
}

// domains returns the base types of those columns of a table that have a domain.
func (t *Target) domains(ctx context.Context, name string) (map[string]string, error) {
	d := dialect.PostgreSQL
	return database.Texts(ctx, t, `WITH RECURSIVE `+baseTypes(d.Literal(d.QuoteTable(name)))+`
		SELECT attname, format_type(base.type, base.modifier) FROM pg_attribute JOIN base ON base.of = attrelid AND base.number = attnum
		JOIN pg_type ON pg_type.oid = base.type AND typtype <> 'd' WHERE atttypid <> base.type`)
}

var nativeForm = regexp.MustCompile(`^([a-z ]+?)(?:\((\d+)(?:,(\d+))?\))?( with(?:out)? time zone)?$`)

var nativeKinds = map[string]table.Kind{
	"smallint": table.SmallInt, "integer": table.Integer, "bigint": table.BigInt, "numeric": table.Decimal, "double precision": table.Double, "real": table.Double,
	"boolean": table.Boolean, "date": table.Date, "time without time zone": table.Time, "timestamp without time zone": table.Timestamp,
	"timestamp with time zone": table.TimestampTZ, "character": table.Char, "character varying": table.Varchar, "text": table.Text, "uuid": table.UUID,
	"citext": table.Text, "json": table.Text, // sent as text
}

// typeOf returns the type that values are sent as to a column of a native type.
func typeOf(native string) (*table.Type, *table.Limit, bool) {
	enum, words, ok := database.EnumType(native)
	if ok {
		return enum, words, true
	}
	own, limit, ok := ownTypeOf(native)
	switch {
	case ok:
		return own, limit, true
	case native == limitXML.Native:
		return &table.Type{Kind: table.Text}, limitXML, true
	}
	m := nativeForm.FindStringSubmatch(native)
	if m == nil {
		return nil, nil, false
	}
	kind, ok := nativeKinds[m[1]+m[4]]
	size, _ := strconv.Atoi(m[2])
	scale, _ := strconv.Atoi(m[3])
	t := table.Type{Kind: kind, Size: size, Scale: scale}
	switch {
	case !ok, kind == table.Decimal && size > table.MaxPrecision:
		return nil, nil, false
	case kind == table.Decimal && m[2] == "":
		return nil, nil, true // it holds any number as it is
	case m[1] == "real":
		t.Size = table.Single
	case m[4] != "" && m[2] != "":
		t = table.Type{Kind: kind}.WithFraction(size)
	case kind == table.Varchar && m[2] == "":
		t.Kind = table.Text
	}
	return &t, nil, true
}

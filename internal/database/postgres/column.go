package postgres

import (
	"context"
	"regexp"
	"strconv"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// Columns implements database.Inspector.
func (t *Target) Columns(ctx context.Context, name string) ([]database.ColumnInfo, error) {
	d := dialect.PostgreSQL
	rows, err := t.Query(ctx, `SELECT attname, format_type(atttypid, atttypmod), (NOT attnotnull)::int,
		(atthasdef AND attgenerated = '' OR attidentity <> '')::int, (attgenerated <> '')::int
		FROM pg_attribute WHERE attrelid = to_regclass(`+d.Literal(d.QuoteTable(name))+`) AND attnum > 0 AND NOT attisdropped ORDER BY attnum`)
	list := database.ParseColumns(rows, typeOf)
	for i := range list {
		list[i].AnyNumber = list[i].Native == "numeric"
	}
	return list, err
}

var nativeForm = regexp.MustCompile(`^([a-z ]+?)(?:\((\d+)(?:,(\d+))?\))?( with(?:out)? time zone)?$`)

var nativeKinds = map[string]table.Kind{
	"smallint": table.SmallInt, "integer": table.Integer, "bigint": table.BigInt, "numeric": table.Decimal, "double precision": table.Double, "real": table.Double,
	"boolean": table.Boolean, "date": table.Date, "time without time zone": table.Time, "timestamp without time zone": table.Timestamp,
	"timestamp with time zone": table.TimestampTZ, "character": table.Char, "character varying": table.Varchar, "text": table.Text, "uuid": table.UUID,
}

// typeOf returns the type that values are sent as to a column of a native type.
func typeOf(native string) (*table.Type, *table.Limit, bool) {
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

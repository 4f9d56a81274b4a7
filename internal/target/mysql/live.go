package mysql

import (
	"context"
	"regexp"
	"strconv"
	"strings"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/target"
)

// Columns implements target.Target.
func (t *Target) Columns(ctx context.Context, name string) ([]target.Live, error) {
	schema, bare := split(name)
	d := dialect.MySQL
	rows, err := t.Query(ctx, `SELECT column_name, column_type, is_nullable = 'YES', column_default IS NOT NULL OR extra LIKE '%auto_increment%',
		extra LIKE '%GENERATED%' AND extra NOT LIKE '%DEFAULT_GENERATED%' FROM information_schema.columns
		WHERE table_schema = coalesce(nullif(`+d.Literal(schema)+`, ''), database()) AND table_name = `+d.Literal(bare)+` ORDER BY ordinal_position`)
	return target.Columns(rows, typeOf), err
}

var nativeForm = regexp.MustCompile(`^([a-z]+)(?:\((\d+)(?:,(\d+))?\))?( unsigned)?( zerofill)?$`)

var nativeKinds = map[string]table.Kind{
	"smallint": table.SmallInt, "int": table.Integer, "bigint": table.BigInt, "decimal": table.Decimal, "double": table.Double,
	"date": table.Date, "time": table.Time, "datetime": table.Timestamp, "char": table.Char, "varchar": table.Varchar,
	"tinytext": table.Text, "text": table.Text, "mediumtext": table.Text, "longtext": table.Text,
}

// typeOf returns the type that values are sent as to a column of a native type.
// The server checks the range of those that are narrower.
func typeOf(native string) (*table.Type, bool) {
	if native == "tinyint(1)" {
		return &table.Type{Kind: table.Boolean}, true
	}
	m := nativeForm.FindStringSubmatch(strings.ToLower(native))
	if m == nil {
		return nil, false
	}
	size, _ := strconv.Atoi(m[2])
	scale, _ := strconv.Atoi(m[3])
	switch m[1] {
	case "tinyint":
		return &table.Type{Kind: table.SmallInt}, true
	case "mediumint":
		return &table.Type{Kind: table.Integer}, true
	case "timestamp": // only up to 2038
		return nil, false
	}
	kind, ok := nativeKinds[m[1]]
	t := &table.Type{Kind: kind}
	switch kind {
	case table.Decimal, table.Char, table.Varchar:
		t.Size, t.Scale = size, scale
	case table.SmallInt, table.Integer:
		if m[4] != "" { // twice as large as its kin
			t.Kind++
		}
	case table.BigInt:
		if m[4] != "" {
			*t = table.Type{Kind: table.Decimal, Size: 20}
		}
	case table.Time, table.Timestamp:
		ok = ok && size == 6 // one of less precision rounds
	}
	return t, ok && (kind != table.Decimal || size <= table.MaxPrecision)
}

package mysql

import (
	"context"
	"regexp"
	"strconv"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// Columns implements database.Inspector.
func (t *Target) Columns(ctx context.Context, name string) ([]database.ColumnInfo, error) {
	schema, bare := split(name)
	d := dialect.MySQL
	rows, err := t.Query(ctx, `SELECT column_name, column_type, is_nullable = 'YES', column_default IS NOT NULL OR extra LIKE '%auto_increment%',
		extra LIKE '%GENERATED%' AND extra NOT LIKE '%DEFAULT_GENERATED%' FROM information_schema.columns
		WHERE table_schema = coalesce(nullif(`+d.Literal(schema)+`, ''), database()) AND table_name = `+d.Literal(bare)+` ORDER BY ordinal_position`)
	list := database.ParseColumns(rows, typeOf)
	for i := range list {
		list[i].Binary, list[i].Own = binaryForm.MatchString(list[i].Native), strings.HasPrefix(list[i].Native, "enum(")
	}
	return list, err
}

// binaryForm matches the types whose values are bytes.
var binaryForm = regexp.MustCompile(`^(bit|binary|varbinary|(tiny|medium|long)?blob|geometry|(multi)?(point|linestring|polygon)|geometrycollection|geomcollection|vector)\b`)

var nativeForm = regexp.MustCompile(`^([a-z]+)(?:\((\d+)(?:,(\d+))?\))?( unsigned)?( zerofill)?$`)

// compressed is how MariaDB writes that a column is stored compressed.
var compressed = regexp.MustCompile(` ?/\*M!\d+ COMPRESSED\*/`)

var nativeKinds = map[string]table.Kind{
	"smallint": table.SmallInt, "int": table.Integer, "bigint": table.BigInt, "decimal": table.Decimal,
	"date": table.Date, "time": table.Time, "datetime": table.Timestamp, "char": table.Char, "varchar": table.Varchar,
	"uuid": table.UUID, "tinytext": table.Text, "text": table.Text, "mediumtext": table.Text, "longtext": table.Text,
}

// typeOf returns the type that values are sent as to a column of a native type.
// The server checks the range of those that are narrower.
func typeOf(native string) (*table.Type, *table.Limit, bool) {
	if native == "tinyint(1)" {
		return &table.Type{Kind: table.Boolean}, nil, true
	}
	enum, words, ok := database.EnumType(native)
	if ok {
		return enum, words, true
	}
	native = compressed.ReplaceAllString(native, "")
	m := nativeForm.FindStringSubmatch(strings.ToLower(native))
	if m == nil {
		return nil, nil, false
	}
	size, _ := strconv.Atoi(m[2])
	scale, _ := strconv.Atoi(m[3])
	limit := table.WholeRange(native)
	switch m[1] {
	case "tinyint":
		return &table.Type{Kind: table.SmallInt}, nil, true
	case "mediumint":
		return &table.Type{Kind: table.Integer}, nil, true
	case "float", "double":
		switch {
		case m[2] != "": // it rounds to decimals
			return nil, nil, false
		case m[1] == "float":
			return &table.Type{Kind: table.Double, Size: table.Single}, nil, true
		}
		return &table.Type{Kind: table.Double}, nil, true
	case "year":
		limit.Least, limit.Greatest = 1901, 2155
		return &table.Type{Kind: table.SmallInt}, limit, true
	case "timestamp":
		limit.Least, limit.Greatest = 1_000_000, lastTimestamp
		t := table.Type{Kind: table.Timestamp}.WithFraction(size)
		return &t, limit, true
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
		*t = t.WithFraction(size)
	}
	return t, nil, ok && (kind != table.Decimal || size <= table.MaxPrecision)
}

// lastTimestamp is the last moment of a timestamp, in microseconds since 1970: it
// is held in 32 bits.
const lastTimestamp = (1<<31 - 1) * 1_000_000

package mysql

import (
	"context"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Columns implements database.Inspector.
func (t *Target) Columns(ctx context.Context, name string) ([]database.ColumnInfo, error) {
	schema, bare := split(name)
	d := dialect.MySQL
	// MariaDB has the text NULL as the default of a nullable column without one.
	rows, err := t.Query(ctx, `SELECT column_name, column_type, is_nullable = 'YES', column_default IS NOT NULL AND NOT (is_nullable = 'YES' AND column_default = 'NULL') OR extra LIKE '%auto_increment%',
		extra LIKE '%GENERATED%' AND extra NOT LIKE '%DEFAULT_GENERATED%' FROM information_schema.columns
		WHERE table_schema = coalesce(nullif(`+d.Literal(schema)+`, ''), database()) AND table_name = `+d.Literal(bare)+` ORDER BY ordinal_position`)
	list := database.ParseColumns(rows, typeOf)
	for i := range list {
		if list[i].Native == "tinyint(1)" {
			list[i].Whole = &table.Type{Kind: table.SmallInt}
		}
		list[i].Binary, list[i].Own = !list[i].Known && binaryForm.MatchString(list[i].Native), ownForm.MatchString(list[i].Native)
	}
	return list, err
}

// binaryForm matches the types whose values are bytes.
var binaryForm = regexp.MustCompile(`^(bit|binary|varbinary|(tiny|medium|long)?blob|geometry|(multi)?(point|linestring|polygon)|geometrycollection|geomcollection|vector)\b`)

// ownForm matches the types that have rules of their own.
var ownForm = regexp.MustCompile(`^((enum|set|float|double)\(|json|inet|binary|varbinary|(tiny|medium|long)?blob)`)

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
	special, limit, ok := specialType(native)
	if ok {
		return special, limit, true
	}
	native = compressed.ReplaceAllString(native, "")
	m := nativeForm.FindStringSubmatch(strings.ToLower(native))
	if m == nil {
		return nil, nil, false
	}
	size, _ := strconv.Atoi(m[2])
	scale, _ := strconv.Atoi(m[3])
	limit = table.WholeRange(native)
	switch m[1] {
	case "tinyint":
		return &table.Type{Kind: table.SmallInt}, nil, true
	case "mediumint":
		return &table.Type{Kind: table.Integer}, nil, true
	case "float", "double":
		switch {
		case m[2] != "":
			return roundedFloat(native, m[1] == "float", size, scale)
		case m[1] == "float":
			return &table.Type{Kind: table.Double, Size: table.Single}, nil, true
		}
		return &table.Type{Kind: table.Double}, nil, true
	case "binary": // it fills shorter values with zeros
		return database.BytesOf(native, size, size)
	case "varbinary":
		return database.BytesOf(native, 0, size)
	case "tinyblob", "blob", "mediumblob", "longblob":
		return database.BytesOf(native, 0, longestBlob[m[1]])
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

// roundedFloat returns the type of a float column that the server rounds to a number of decimals. The column accepts
// decimals that it returns unchanged.
func roundedFloat(native string, single bool, size, scale int) (*table.Type, *table.Limit, bool) {
	limit, width := table.WholeRange(native), 64
	if single {
		width = 32
	}
	limit.Number = func(digits int64) string {
		number := value.Value{Int: digits, Scale: scale}
		text := number.AppendDecimal(nil)
		stored, _ := strconv.ParseFloat(string(text), width)
		back := strconv.FormatFloat(stored, 'f', scale, 64)
		if back != string(text) {
			return "would be stored as " + back + " in " + native
		}
		return ""
	}
	return &table.Type{Kind: table.Decimal, Size: min(size, value.MaxDigits), Scale: scale}, limit, scale <= value.MaxDigits
}

// longestBlob is how many bytes a value of each type may have.
var longestBlob = map[string]int{"tinyblob": 1<<8 - 1, "blob": 1<<16 - 1, "mediumblob": 1<<24 - 1, "longblob": 1<<32 - 1}

// specialType returns the types whose names have a meaning of their own: booleans, JSON, addresses,
// sets and enums.
func specialType(native string) (*table.Type, *table.Limit, bool) {
	switch native {
	case "tinyint(1)":
		return &table.Type{Kind: table.Boolean}, nil, true
	case "bit(1)":
		return &table.Type{Kind: table.Boolean, Size: table.Bit}, nil, true
	case "json":
		return &table.Type{Kind: table.Text}, jsonType.Limit(), true
	case "inet4":
		return &table.Type{Kind: table.Text}, database.AddressLimit(native, func(p netip.Prefix) string { return hostText(p, p.Addr().Is4()) }), true
	case "inet6":
		return &table.Type{Kind: table.Text}, database.AddressLimit(native, func(p netip.Prefix) string { return hostText(p, p.Addr().Is6()) }), true
	}
	members, ok := strings.CutPrefix(native, "set(")
	if ok {
		return &table.Type{Kind: table.Text}, setOf(database.QuotedWords(members)), true
	}
	return database.EnumType(native)
}

// hostText returns the text of a single address of the right version, and "" of any other.
func hostText(p netip.Prefix, right bool) string {
	if !right || !p.IsSingleIP() {
		return ""
	}
	return database.AddressText(p.Addr(), 1)
}

// setOf returns the limit of a set. The server returns the members in the order of the set.
func setOf(members []string) *table.Limit {
	return &table.Limit{Native: "set", Text: func(text []byte) ([]byte, string) {
		has := map[string]bool{}
		for _, word := range strings.Split(string(text), ",") {
			switch {
			case !slices.Contains(members, word) && len(text) > 0:
				return nil, "not members of the set"
			case has[word]:
				return nil, "has a member of the set twice"
			}
			has[word] = true
		}
		in := slices.DeleteFunc(slices.Clone(members), func(m string) bool { return !has[m] })
		return []byte(strings.Join(in, ",")), ""
	}}
}

// lastTimestamp is the last moment of a timestamp, in microseconds since 1970: it
// is held in 32 bits.
const lastTimestamp = (1<<31 - 1) * 1_000_000

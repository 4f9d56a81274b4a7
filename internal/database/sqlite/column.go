package sqlite

import (
	"regexp"
	"strconv"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/table"
)

var declaredForm = regexp.MustCompile(`^([a-z]+(?: [a-z]+)*)\s*(?:\(\s*(\d+)\s*(?:,\s*(\d+)\s*)?\))?( with time zone)?$`)

// declaredKinds are the types that a declaration means. The engine has none of
// them but whole numbers of 64 bits, doubles and text.
var declaredKinds = map[string]table.Kind{
	"smallint": table.SmallInt, "tinyint": table.SmallInt, "int": table.BigInt, "integer": table.BigInt, "bigint": table.BigInt, "mediumint": table.Integer,
	"decimal": table.Decimal, "numeric": table.Decimal, "real": table.Double, "double": table.Double, "double precision": table.Double, "float": table.Double,
	"boolean": table.Boolean, "bool": table.Boolean, "date": table.Date, "time": table.Time, "timestamp": table.Timestamp, "datetime": table.Timestamp,
	"timestamp with time zone": table.TimestampTZ, "char": table.Char, "character": table.Char, "nchar": table.Char, "varchar": table.Varchar,
	"nvarchar": table.Varchar, "character varying": table.Varchar, "text": table.Text, "clob": table.Text, "uuid": table.UUID,
}

// maxBlob is how many bytes a value has at most, as the engine is usually built.
const maxBlob = 1_000_000_000

// affinity is how a column converts the values that it stores.
type affinity uint8

const (
	noAffinity affinity = iota // stores values unchanged
	toText                     // stores numbers as text
	toNumber                   // stores texts of numbers as numbers
)

// affinityOf returns the affinity of a column.
func affinityOf(declared string) affinity {
	switch affinityName(declared) {
	case "TEXT":
		return toText
	case "BLOB":
		return noAffinity
	}
	return toNumber
}

// affinityName returns the name of the affinity of a column, which declares another column with the same
// affinity (SQLite, "Datatypes", 3.1).
func affinityName(declared string) string {
	declared = strings.ToLower(declared)
	has := func(part string) bool { return strings.Contains(declared, part) }
	switch {
	case has("int"):
		return "INTEGER"
	case has("char"), has("clob"), has("text"):
		return "TEXT"
	case has("blob"), declared == "":
		return "BLOB"
	case has("real"), has("floa"), has("doub"):
		return "REAL"
	}
	return "NUMERIC"
}

// typeOf returns the type that a column was declared with, nil where that takes
// any value. A column of bytes has a limit.
func typeOf(declared string) (*table.Type, *table.Limit) {
	if strings.Contains(strings.ToLower(declared), "blob") {
		t, limit, _ := database.BytesOf(declared, 0, maxBlob)
		return t, limit
	}
	m := declaredForm.FindStringSubmatch(strings.ToLower(strings.TrimSpace(declared)))
	if m == nil {
		return nil, nil
	}
	kind, ok := declaredKinds[m[1]+m[4]]
	t := table.Type{Kind: kind}
	size, _ := strconv.Atoi(m[2])
	scale, _ := strconv.Atoi(m[3])
	switch {
	case !ok, kind == table.Decimal && (size == 0 || size > table.MaxPrecision || scale > size):
		return nil, nil
	case kind == table.Varchar && size == 0, kind == table.Char && size == 0:
		t.Kind = table.Text
	case kind == table.Decimal, kind == table.Varchar, kind == table.Char:
		t.Size, t.Scale = size, scale
	case t.HasClock() && m[2] != "":
		t = t.WithFraction(size)
	}
	return &t, nil
}

package dialect

import (
	"fmt"

	"ambertray/internal/table"
)

// SQLite is the dialect of SQLite. Its type names only lend a column an
// affinity: dates and times are kept as text in ISO 8601, and so is a decimal
// too wide for a REAL.
var SQLite = &Dialect{
	TablesQuery:      "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' ORDER BY 1",
	inlineReferences: true, valuesInList: true,
	Name: "sqlite", Title: "SQLite", MaxName: 128, MaxColumns: 2000, reserved: words(sqliteWords), open: '"', close: '"',
	scriptHead: []string{"BEGIN"}, scriptTail: []string{"COMMIT"},
	literals: literals{truth: [2]string{"0", "1"}, middle: " ", breaks: breaks{char: "char", concat: " || "}},
	TypeName: func(t table.Type) string {
		switch {
		case t.Kind == table.Decimal && t.Size > exactInReal:
			return fmt.Sprintf("text /* %s */", t)
		case t.Kind == table.UUID:
			return "char(36)"
		case t.Kind == table.TimestampTZ && t.Fraction() < table.Micros: // its grammar has a size at the end only
			return fmt.Sprintf("%s(%d)", t.Kind, t.Fraction())
		}
		return t.String()
	},
	Stored: func(t table.Type) table.Type {
		switch {
		case t.Kind >= table.Date && t.Kind <= table.TimestampTZ, t.Kind == table.UUID, t.Kind == table.Decimal && t.Size > exactInReal:
			return table.Type{Kind: table.Text}
		}
		return t
	},
}

// exactInReal is how many decimal digits survive in an IEEE 754 double.
const exactInReal = 15

func asItIs(t table.Type) table.Type { return t }

// PostgreSQL is the dialect of PostgreSQL.
var PostgreSQL = &Dialect{
	TablesQuery: "SELECT CASE WHEN n.nspname = current_schema() THEN c.relname ELSE n.nspname || '.' || c.relname END FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind IN ('r', 'p') AND n.nspname NOT IN ('pg_catalog', 'information_schema') ORDER BY 1",
	LockRows:    "LOCK TABLE %s IN SHARE ROW EXCLUSIVE MODE",
	Now:         "CAST(floor(extract(epoch FROM clock_timestamp())) AS bigint)", KeepRow: "FOR SHARE",
	Name: "postgresql", Title: "PostgreSQL", MaxName: 63, MaxColumns: 1600, reserved: words(postgresWords), schemas: true, open: '"', close: '"',
	Stored: asItIs, comments: commentOn,
	scriptHead: []string{"SET client_encoding = 'UTF8'", "SET standard_conforming_strings = on", "BEGIN"}, scriptTail: []string{"COMMIT"},
	literals: literals{truth: [2]string{"false", "true"}, typed: true, instant: "TIMESTAMPTZ", middle: " ", breaks: breaks{prefix: "E"}},
	TypeName: func(t table.Type) string {
		switch t.Kind {
		case table.Double:
			return "double precision"
		case table.Decimal:
			return fmt.Sprintf("numeric(%d,%d)", t.Size, t.Scale)
		}
		return t.String()
	},
}

// Oracle is the dialect of Oracle Database before version 23: it has no
// boolean, no time of day, and no text that is empty rather than NULL.
var Oracle = &Dialect{
	Name: "oracle", Title: "Oracle", MaxName: 128, MaxColumns: 1000, reserved: words(oracleWords), schemas: true, open: '"', close: '"', notFirst: "_0123456789",
	comments: commentOn, OneRowPerInsert: true, DDLAutoCommits: true, MaxLine: 2400,
	scriptHead: []string{"SET DEFINE OFF", "SET SQLBLANKLINES ON", "WHENEVER SQLERROR EXIT ROLLBACK"}, scriptTail: []string{"COMMIT"},
	key:      func(t table.Type) bool { return t.Kind != table.Text && (!t.Textual() || t.Size <= 1500) },
	literals: literals{truth: [2]string{"0", "1"}, typed: true, instant: "TIMESTAMP", middle: " ", breaks: breaks{char: "CHR", concat: " || "}},
	Stored: func(t table.Type) table.Type {
		if t.Kind == table.Time || t.Kind == table.UUID {
			return table.Type{Kind: table.Text}
		}
		return t
	},
	TypeName: func(t table.Type) string {
		switch t.Kind {
		case table.SmallInt:
			return "number(5)"
		case table.Integer:
			return "number(10)"
		case table.BigInt:
			return "number(19)"
		case table.Decimal:
			return fmt.Sprintf("number(%d,%d)", t.Size, t.Scale)
		case table.Double:
			return "binary_double"
		case table.Boolean:
			return "number(1)"
		case table.Time:
			return "varchar2(15)"
		case table.Timestamp, table.TimestampTZ:
			return t.Clock()
		case table.UUID:
			return "char(36)"
		case table.Char:
			if t.Size <= 500 {
				return fmt.Sprintf("char(%d char)", t.Size)
			}
		}
		if t.Textual() && t.Kind != table.Text && t.Size <= 1000 { // 4,000 bytes
			return fmt.Sprintf("varchar2(%d char)", t.Size)
		}
		if t.Textual() {
			return "clob"
		}
		return t.String()
	},
}

// ANSI is the SQL of ISO/IEC 9075, for servers that have no dialect here.
var ANSI = &Dialect{
	Name: "ansi", Title: "standard SQL", MaxName: 128, characters: true, reserved: words(ansiWords), schemas: true, open: '"', close: '"', notFirst: "_",
	scriptHead: []string{"START TRANSACTION"}, scriptTail: []string{"COMMIT"},
	literals: literals{truth: [2]string{"FALSE", "TRUE"}, typed: true, instant: "TIMESTAMP", middle: " ", breaks: breaks{unicode: true}},
	Stored: func(t table.Type) table.Type {
		if t.Kind == table.UUID {
			return table.Type{Kind: table.Text}
		}
		return t
	},
	TypeName: func(t table.Type) string {
		switch t.Kind {
		case table.Double:
			return "double precision"
		case table.Time, table.Timestamp, table.TimestampTZ:
			return t.Clock()
		case table.Text:
			return "character large object"
		case table.UUID:
			return "char(36)"
		}
		return t.String()
	},
}

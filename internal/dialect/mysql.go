package dialect

import (
	"fmt"
	"slices"

	"ambertray/internal/table"
)

// MySQL is the dialect of MySQL and MariaDB. Text is utf8mb4 and compared by
// its bytes, for in the servers' usual collations two keys that differ in case
// or accents are one.
var MySQL = &Dialect{
	TablesQuery:       "SELECT table_name FROM information_schema.tables WHERE table_schema = database() ORDER BY 1",
	sharedConstraints: true,
	LockRows:          "SELECT count(*) FROM %s FOR UPDATE",
	Now:               "unix_timestamp(sysdate())", KeepRow: "LOCK IN SHARE MODE",
	Name: "mysql", Title: "MySQL", MaxName: 64, characters: true, MaxColumns: innoDBColumns, reserved: words(mysqlWords), schemas: true, DDLAutoCommits: true, wrapsDefault: true, open: '`', close: '`',
	comments: commentInline, adapt: adaptMySQL,
	scriptHead: []string{"SET NAMES utf8mb4", "SET SESSION sql_mode = 'STRICT_ALL_TABLES'", "SET autocommit = 0"}, scriptTail: []string{"COMMIT"},
	suffix:   " ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin",
	literals: literals{truth: [2]string{"false", "true"}, typed: true, middle: " ", backslash: true},
	key: func(t table.Type) bool {
		return t.Kind != table.Text && (!t.Textual() || t.Size*bytesPerCharacter <= mysqlMaxIndex)
	},
	Stored: func(t table.Type) table.Type {
		switch t.Kind {
		case table.TimestampTZ: // its own TIMESTAMP ends in 2038
			t.Kind = table.Timestamp
		case table.UUID:
			return table.Type{Kind: table.Text}
		}
		return t
	},
	TypeName: func(t table.Type) string {
		switch t.Kind {
		case table.Boolean:
			return "boolean"
		case table.Time:
			return mysqlClock("time", t)
		case table.Timestamp:
			return mysqlClock("datetime", t)
		case table.TimestampTZ:
			return mysqlClock("datetime", t) + " /* UTC */"
		case table.UUID:
			return "char(36)"
		case table.Text:
			return "longtext"
		}
		return t.String()
	},
}

// mysqlClock is a type that has no digits of a second but those that it is given.
func mysqlClock(name string, t table.Type) string {
	if t.Fraction() == 0 {
		return name
	}
	return fmt.Sprintf("%s(%d)", name, t.Fraction())
}

// The limits of a table in MySQL and MariaDB, in bytes but for the columns.
const (
	bytesPerCharacter = 4 // of utf8mb4 at most
	mysqlMaxRow       = 65535
	mysqlMaxIndex     = 3072
	mysqlMaxChar      = 255 // characters
	pointerBytes      = 12  // of a text in its row
	innoDBColumns     = 1017
)

// adaptMySQL makes char longer than the server takes varchar, and the longest
// texts longtext until a row holds them all.
func adaptMySQL(t *table.Table) []table.Column {
	cols := slices.Clone(t.Loaded())
	row := 0
	for i := range cols {
		c := &cols[i]
		if c.Type.Kind == table.Char && c.Type.Size > mysqlMaxChar {
			c.Type.Kind = table.Varchar
		}
		row += rowBytes(c.Type)
	}
	for row > mysqlMaxRow {
		widest := -1
		for i, c := range cols {
			if c.Type.Kind == table.Varchar && !slices.Contains(t.Key, c.Name) && (widest < 0 || c.Type.Size > cols[widest].Type.Size) {
				widest = i
			}
		}
		if widest < 0 {
			break
		}
		row -= rowBytes(cols[widest].Type)
		cols[widest].Type = table.Type{Kind: table.Text}
		row += pointerBytes
	}
	return cols
}

// rowBytes is how much of a row a value takes at most.
func rowBytes(t table.Type) int {
	switch t.Kind {
	case table.Char, table.Varchar:
		return t.Size*bytesPerCharacter + 3
	case table.Text:
		return pointerBytes
	case table.Decimal:
		return t.Size/2 + 2
	case table.UUID:
		return 36 * bytesPerCharacter
	}
	return 9
}

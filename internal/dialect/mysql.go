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
	Name: "mysql", Title: "MySQL", MaxName: 64, characters: true, MaxColumns: innoDBColumns, reserved: words(mysqlWords), schemas: true, DDLAutoCommits: true, bareDefaults: true, open: '`', close: '`',
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
	innoDBRow         = 8126 - 50 // in a page, which holds two rows, less what InnoDB adds
	innoDBPointer     = 41        // of a value of another page in MySQL; 21 in MariaDB
	innoDBInline      = 255       // bytes at most of a text that is always in the page of its row
)

// adaptMySQL makes char longer than the server takes varchar, and the longest
// texts longtext until a row, and a page of InnoDB, holds them all.
func adaptMySQL(t *table.Table) []table.Column {
	cols := slices.Clone(t.Loaded())
	for i := range cols {
		c := &cols[i]
		if c.Type.Kind == table.Char && c.Type.Size > mysqlMaxChar {
			c.Type.Kind = table.Varchar
		}
	}
	shorten(cols, t.Key, mysqlMaxRow, rowBytes)
	shorten(cols, t.Key, innoDBRow, pageBytes)
	return cols
}

// shorten makes the texts that take most bytes longtext, until all columns take no more than most.
// Texts of the key keep their type.
func shorten(cols []table.Column, key []string, most int, bytes func(table.Type) int) {
	sum := 0
	for _, c := range cols {
		sum += bytes(c.Type)
	}
	text := table.Type{Kind: table.Text}
	for sum > most {
		widest := -1
		for i, c := range cols {
			short := c.Type.Kind == table.Varchar || c.Type.Kind == table.Char
			if short && !slices.Contains(key, c.Name) && bytes(c.Type) > bytes(text) && (widest < 0 || bytes(c.Type) > bytes(cols[widest].Type)) {
				widest = i
			}
		}
		if widest < 0 {
			return
		}
		sum += bytes(text) - bytes(cols[widest].Type)
		cols[widest].Type = text
	}
}

// pageBytes is how much of a page of InnoDB a value takes at most. Long texts are in other pages.
func pageBytes(t table.Type) int {
	switch {
	case t.Kind == table.Text, t.Textual() && t.Size*bytesPerCharacter > innoDBInline:
		return innoDBPointer
	case t.Textual():
		return t.Size*bytesPerCharacter + 1
	}
	return rowBytes(t) - 1
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

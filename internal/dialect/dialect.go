// Package dialect knows how a server writes its SQL: names, types, table
// definitions. It speaks to none.
package dialect

import (
	"fmt"
	"strings"

	"ambertray/internal/table"
)

// Dialect is the SQL of one kind of server.
type Dialect struct {
	Name     string
	MaxName  int // bytes of the longest identifier
	TypeName func(table.Type) string
	// Stored returns the type that the server holds values of a type as:
	// text, where it has no such type of its own.
	Stored   func(table.Type) table.Type
	reserved map[string]bool
	schemas  bool // a table's name may have its schema before a point
}

// All lists the dialects.
func All() []*Dialect { return []*Dialect{SQLite, PostgreSQL} }

// ByName returns the dialect with that name.
func ByName(name string) (*Dialect, error) {
	var names []string
	for _, d := range All() {
		if d.Name == name {
			return d, nil
		}
		names = append(names, d.Name)
	}
	return nil, fmt.Errorf("unknown dialect %q; there are %s", name, strings.Join(names, " and "))
}

// SQLite is the dialect of SQLite. Its type names only lend a column an
// affinity: dates and times are kept as text in ISO 8601, and so is a decimal
// too wide for a REAL.
var SQLite = &Dialect{
	Name: "sqlite", MaxName: 128, reserved: words(sqliteWords),
	TypeName: func(t table.Type) string {
		switch {
		case t.Kind == table.Decimal && t.Size > exactInReal:
			return fmt.Sprintf("text /* %s */", t)
		case t.Kind == table.UUID:
			return "char(36)"
		}
		return t.String()
	},
	Stored: func(t table.Type) table.Type {
		switch {
		case t.Kind == table.Date, t.Kind == table.Time, t.Kind == table.Timestamp, t.Kind == table.TimestampTZ, t.Kind == table.UUID,
			t.Kind == table.Decimal && t.Size > exactInReal:
			return table.Type{Kind: table.Text}
		}
		return t
	},
}

// exactInReal is how many decimal digits survive in an IEEE 754 double.
const exactInReal = 15

// PostgreSQL is the dialect of PostgreSQL.
var PostgreSQL = &Dialect{
	Name: "postgresql", MaxName: 63, reserved: words(postgresWords), schemas: true,
	Stored: func(t table.Type) table.Type { return t },
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

// Quote returns the identifier as it is written in SQL: as it is where that is
// safe, otherwise in double quotes.
func (d *Dialect) Quote(name string) string {
	if d.plain(name) {
		return name
	}
	return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
}

func (d *Dialect) plain(name string) bool {
	for i, c := range []byte(name) {
		switch {
		case c >= 'a' && c <= 'z' || c == '_':
		case c >= '0' && c <= '9' && i > 0:
		default:
			return false
		}
	}
	return name != "" && !d.reserved[name]
}

// QuoteTable quotes the name of a table.
func (d *Dialect) QuoteTable(name string) string {
	schema, bare, ok := strings.Cut(name, ".")
	if !ok || !d.schemas {
		return d.Quote(name)
	}
	return d.Quote(schema) + "." + d.Quote(bare)
}

// CreateTable returns the definition of the table, without a semicolon.
func (d *Dialect) CreateTable(t *table.Table) string {
	cols := t.Loaded()
	wide := 0
	for _, c := range cols {
		wide = max(wide, len(d.Quote(c.Name)))
	}
	var lines []string
	for _, c := range cols {
		line := fmt.Sprintf("    %-*s  %s", wide, d.Quote(c.Name), d.TypeName(c.Type))
		if !c.Nullable {
			line += " NOT NULL"
		}
		lines = append(lines, line)
	}
	if len(t.Key) > 0 {
		var key []string
		for _, k := range t.Key {
			key = append(key, d.Quote(k))
		}
		lines = append(lines, "    PRIMARY KEY ("+strings.Join(key, ", ")+")")
	}
	return "CREATE TABLE " + d.QuoteTable(t.Name) + " (\n" + strings.Join(lines, ",\n") + "\n)"
}

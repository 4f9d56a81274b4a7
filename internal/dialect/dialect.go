// Package dialect writes table definitions, identifiers and values in the SQL
// of each server.
package dialect

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/dustin/go-humanize"

	"ambertray/internal/table"
)

// Dialect is the SQL of one kind of server.
type Dialect struct {
	Name  string // as --dialect takes it
	Title string // as people call it
	// MaxName is the length of the longest identifier: in bytes, or in
	// characters for servers that count those.
	MaxName    int
	characters bool
	MaxColumns int // of a table, 0 for any number
	TypeName   func(table.Type) string
	// Stored returns the type that the server holds values of a type as:
	// text, where it has no such type of its own.
	Stored func(table.Type) table.Type
	// Limit returns what a column of a type takes of its values, or nil where it takes
	// all. It is nil for servers of which that holds for every type.
	Limit func(table.Type) *table.Limit
	// inlineReferences says that foreign keys are in the definition of a table, and
	// cannot be added.
	inlineReferences bool
	// sharedConstraints says that no two tables of a database may have a constraint of
	// one name, so that a table and the one that is to take its place cannot name them.
	sharedConstraints bool
	// TablesQuery returns the names of the tables.
	TablesQuery string
	// LockRows is the statement that keeps other sessions from changing the rows of a
	// table, until the transaction ends. It is empty where a transaction has the database
	// to itself.
	LockRows string
	// Now is the clock of the server, in seconds. KeepRow ends a query of a row that other
	// sessions may not change until the transaction ends. They are empty where loads are
	// not shared.
	Now, KeepRow string

	// transact says that savepoints are written as in Transact-SQL.
	transact bool
	// noRowValues says that (a, b) IN is not understood; valuesInList that it takes
	// VALUES before more than one column.
	noRowValues, valuesInList bool

	// DDLAutoCommits says that a table definition ends the transaction.
	DDLAutoCommits bool
	// OneRowPerInsert says that an INSERT takes no more than one row.
	OneRowPerInsert bool
	// MaxLine is how many bytes of a line the server's own client reads, 0 for any number.
	MaxLine int

	scriptHead, scriptTail []string

	open, close byte   // around a quoted identifier
	notFirst    string // what an identifier without quotes may not begin with
	reserved    map[string]bool
	schemas     bool // a table's name may have its schema before a point
	adapt       func(t *table.Table) []table.Column
	suffix      string // after a table definition
	// bareDefaults says that the default of a date is a bare text. That of a long text stands in parentheses.
	bareDefaults bool
	comments     comments
	literals     literals
	key          func(table.Type) bool    // whether a type may be in a key, or nil
	limits       func(*table.Table) error // what of a table is too long, or nil
}

// InlineReferences reports whether a new table has its foreign keys before its rows, so that
// rows which violate them are refused. Otherwise they are added after the rows.
func (d *Dialect) InlineReferences() bool { return d.inlineReferences }

// StoredTypes returns the types that the server holds the values of a table's loaded
// columns as.
func (d *Dialect) StoredTypes(t *table.Table) (types []table.Type) {
	for _, c := range t.Loaded() {
		types = append(types, d.Stored(c.Type))
	}
	return types
}

// All lists the dialects, those of the targets first.
func All() []*Dialect {
	return []*Dialect{SQLite, PostgreSQL, MySQL, SQLServer, Oracle, ANSI}
}

// AllNames lists the names of the dialects.
func AllNames() (names []string) {
	for _, d := range All() {
		names = append(names, d.Name)
	}
	return names
}

// ByName returns the dialect with that name.
func ByName(name string) (*Dialect, error) {
	for _, d := range All() {
		if d.Name == name {
			return d, nil
		}
	}
	return nil, fmt.Errorf("unknown dialect %q; write one of %s", name, strings.Join(AllNames(), ", "))
}

// Quote returns the identifier as it is written in SQL: as it is where that is
// safe, otherwise in quotes.
func (d *Dialect) Quote(name string) string {
	if d.plain(name) {
		return name
	}
	return string(d.open) + strings.ReplaceAll(name, string(d.close), string(d.close)+string(d.close)) + string(d.close)
}

func (d *Dialect) plain(name string) bool {
	for i, c := range []byte(name) {
		switch {
		case i == 0 && strings.IndexByte(d.notFirst, c) >= 0:
			return false
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
	schema, bare := d.split(name)
	if schema == "" {
		return d.Quote(bare)
	}
	return d.Quote(schema) + "." + d.Quote(bare)
}

// Schema returns the schema in the name of a table, or "".
func (d *Dialect) Schema(name string) string {
	schema, _ := d.split(name)
	return schema
}

// split takes the schema off the name of a table, where there are schemas.
func (d *Dialect) split(name string) (schema, bare string) {
	schema, bare, ok := strings.Cut(name, ".")
	if !ok || !d.schemas {
		return "", name
	}
	return schema, bare
}

// List returns names, quoted where that is needed, with commas between.
func (d *Dialect) List(names []string) string {
	var quoted []string
	for _, n := range names {
		quoted = append(quoted, d.Quote(n))
	}
	return strings.Join(quoted, ", ")
}

// Savepoint returns the statement that sets a savepoint.
func (d *Dialect) Savepoint(name string) string {
	if d.transact {
		return "SAVE TRANSACTION " + name
	}
	return "SAVEPOINT " + name
}

// RollbackTo returns the statement that goes back to one.
func (d *Dialect) RollbackTo(name string) string {
	if d.transact {
		return "ROLLBACK TRANSACTION " + name
	}
	return "ROLLBACK TO SAVEPOINT " + name
}

// Release returns the statement that gives one up, or "" where servers have no such.
func (d *Dialect) Release(name string) string {
	if d.transact {
		return ""
	}
	return "RELEASE SAVEPOINT " + name
}

// KeyIn returns the condition that the values of columns are among rows, which are
// constants in parentheses with commas between.
func (d *Dialect) KeyIn(columns []string, rows string) string {
	switch {
	case d.noRowValues:
		var names, same []string
		for i, c := range columns {
			names = append(names, fmt.Sprintf("k%d", i+1))
			same = append(same, fmt.Sprintf("k%d = %s", i+1, d.Quote(c)))
		}
		return fmt.Sprintf("EXISTS (SELECT 1 FROM (VALUES %s) AS k (%s) WHERE %s)", rows, strings.Join(names, ", "), strings.Join(same, " AND "))
	case d.valuesInList && len(columns) > 1:
		rows = "VALUES " + rows
	}
	return "(" + d.List(columns) + ") IN (" + rows + ")"
}

// ScriptHead returns the statements that a script begins with, so that its
// constants are read as they were written and its rows go in together.
func (d *Dialect) ScriptHead() []string { return d.scriptHead }

// ScriptTail returns the statements that it ends with.
func (d *Dialect) ScriptTail() []string { return d.scriptTail }

// ownPrefix begins the names of tables that Amber Tray makes for itself.
const ownPrefix = "ambertray_"

// OwnColumn is the name of a column that temporary tables have in addition to those of the rows.
const OwnColumn = ownPrefix + "row"

// CheckOwner returns an error for a table that is Amber Tray's own, such as the ledger.
func (d *Dialect) CheckOwner(name string) error {
	_, bare := d.split(name)
	if strings.HasPrefix(strings.ToLower(bare), ownPrefix) {
		return fmt.Errorf("table %s: names that begin with %s are reserved for the tables of Amber Tray; choose another name", name, ownPrefix)
	}
	return nil
}

// MayBeKey reports whether a key may have a column of a type.
func (d *Dialect) MayBeKey(t table.Type) bool { return d.key == nil || d.key(t) }

// Check returns an error for a table that the server cannot have, because of names that are
// too long, keys of a type that it cannot index or too many columns, and for Amber Tray's own.
func (d *Dialect) Check(t *table.Table) error {
	err := d.CheckOwner(t.Name)
	if err != nil {
		return err
	}
	_, bare := d.split(t.Name)
	names := []string{bare}
	for _, c := range t.Loaded() {
		names = append(names, c.Name)
		if strings.EqualFold(c.Name, OwnColumn) {
			return fmt.Errorf("column %s: Amber Tray gives this name to a column of its temporary tables; choose another name", c.Name)
		}
		if slices.Contains(t.Key, c.Name) && !d.MayBeKey(c.Type) {
			return fmt.Errorf("%s cannot have a %s column in a key: give %s a shorter type, or take it out of the key", d.Title, c.Type, c.Name)
		}
	}
	for _, n := range names {
		length, unit := len(n), "bytes"
		if d.characters {
			length, unit = utf8.RuneCountInString(n), "characters"
		}
		if length > d.MaxName {
			return fmt.Errorf("the name %q has %d %s; %s takes %d: write a shorter one in the tray", n, length, unit, d.Title, d.MaxName)
		}
	}
	columns := len(t.Loaded())
	if d.MaxColumns > 0 && columns > d.MaxColumns {
		return fmt.Errorf("table %s has %s columns; %s takes %s: leave some out in the tray (leave_out: true), and load those by a second tray into another table",
			t.Name, humanize.Comma(int64(columns)), d.Title, humanize.Comma(int64(d.MaxColumns)))
	}
	if d.limits != nil {
		return d.limits(t)
	}
	return nil
}

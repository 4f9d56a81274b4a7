package sqlite

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

var _ database.Tightener = (*Target)(nil)

// Names of temporary tables: the old table while a new one replaces it, and a table that accepts a
// row only if all rows were copied.
const (
	beforeName   = "ambertray_before"
	completeName = "ambertray_complete"
)

// caster writes the expressions that convert texts. A cast would turn a text that is not a number
// into 0. Without a cast a numeric column converts numbers and keeps any other text. Dates stay text.
var caster = dialect.Caster{
	Dialect: dialect.SQLite, Truth: [2]string{"1", "0"}, Keeps: true,
	Trim: dialect.Trim, TrimAll: func(text string) string { return "TRIM(" + text + ", ' ' || char(9, 10, 11, 12, 13))" },
	To: func(x string, _ table.Type) string { return x },
	Typed: func(x string, t table.Type) string {
		if !dialect.SQLite.Stored(t).Textual() {
			x = "CAST(" + x + " AS numeric)"
		}
		return x
	},
	Matches: func(x, pattern string) string { return x + " GLOB " + dialect.SQLite.Literal(pattern) },
}

// unlistedClauses are the clauses of a definition that a plan never writes, and that no query lists.
const unlistedClauses = `CHECK|COLLATE|AUTOINCREMENT|STRICT|WITHOUT\s+ROWID|ON\s+CONFLICT`

// special finds what a definition has that is not taken over into another, unlisted those clauses.
var (
	special  = regexp.MustCompile(`(?i)\b(` + unlistedClauses + `|GENERATED|DEFERRABLE|VIRTUAL)\b`)
	unlisted = regexp.MustCompile(`(?i)\b(` + unlistedClauses + `)\b`)
)

// constant matches a default that needs no parentheses. The engine lists expressions without them.
var constant = regexp.MustCompile(`^(?:[-+]?[\w.]+|[xX]?'(?:[^']|'')*'|"(?:[^"]|"")*")$`)

// Caster implements database.Tightener.
func (*Target) Caster() *dialect.Caster { return &caster }

// Tighten implements database.Tightener: the engine changes no types, so that a new table
// takes the place of the old one, in one transaction, with its indexes and triggers.
func (t *Target) Tighten(ctx context.Context, name string, columns []database.Tightened, key []string) (*database.Steps, map[string]string, error) {
	d := dialect.SQLite
	rows, err := t.Query(ctx, "SELECT type, sql FROM sqlite_schema WHERE sql IS NOT NULL AND lower(tbl_name) = lower("+d.Literal(name)+") ORDER BY type = 'trigger', type = 'index', name")
	if err != nil {
		return nil, nil, err
	}
	if len(rows) == 0 || rows[0][0] != "table" {
		return nil, nil, &database.Error{Target: t.path, Op: "change " + name, Kind: database.ErrNotTable, Err: errors.New("it is a view, or belongs to the database itself")}
	}
	why := map[string]string{}
	reason, err := t.keeps(ctx, name, rows[0][1])
	if err != nil || reason != "" {
		for i := range columns {
			why[columns[i].Name] = reason
		}
		return &database.Steps{Transaction: true, Table: name}, why, err
	}
	changed := map[string]*database.Tightened{}
	for i := range columns {
		changed[columns[i].Name] = &columns[i]
	}
	lines, names, values, err := t.rebuilt(ctx, name, changed, why, key)
	if err != nil {
		return nil, nil, err
	}
	table, before, complete := d.QuoteTable(name), d.Quote(beforeName), d.Quote(completeName)
	s := &database.Steps{Transaction: true, Table: name, Before: []string{
		"PRAGMA legacy_alter_table = ON", // which leaves the views that name the table
		"ALTER TABLE " + table + " RENAME TO " + before,
		database.CreateStatement(d, name, lines),
		fmt.Sprintf("INSERT INTO %s (%s)\n    SELECT %s\n    FROM %s", table, strings.Join(names, ", "), strings.Join(values, ",\n        "), before),
	}, After: []string{ // a client that continues after an error has no table to drop
		"CREATE TABLE " + complete + " (complete integer CHECK (complete))",
		fmt.Sprintf("-- Everything is rolled back unless all rows were copied.\nINSERT OR ROLLBACK INTO %s\n    SELECT (SELECT count(*) FROM %s) = (SELECT count(*) FROM %s)", complete, table, before),
		"DROP TABLE " + before, "DROP TABLE " + complete,
	}, Release: []string{"PRAGMA legacy_alter_table = OFF"}}
	for _, row := range rows[1:] {
		s.After = append(s.After, row[1])
	}
	return s, why, nil
}

// keeps returns what a rebuild of the table would lose, or what prevents it, or "".
func (t *Target) keeps(ctx context.Context, name, definition string) (why string, err error) {
	found := special.FindString(definition)
	if found != "" {
		return "the definition of the table has " + strings.ToUpper(found) + ", which is not taken over", nil
	}
	computed, err := t.Query(ctx, "SELECT name FROM pragma_table_xinfo("+dialect.SQLite.Literal(name)+") WHERE hidden <> 0")
	if err != nil {
		return "", err
	}
	if len(computed) > 0 {
		return "the column " + computed[0][0] + " is computed, which is not taken over", nil
	}
	tables, err := t.Query(ctx, referring(name))
	if err == nil && len(tables) > 0 {
		why = "the table " + tables[0][0] + " refers to this one"
	}
	return why, err
}

// rebuilt returns the lines of the definition of the new table, its columns, and what
// they are filled with.
func (t *Target) rebuilt(ctx context.Context, name string, changed map[string]*database.Tightened, why map[string]string, key []string) (lines, names, values []string, err error) {
	d := dialect.SQLite
	of := "(" + d.Literal(name) + ")"
	live, err := t.Query(ctx, `SELECT name, type, "notnull", coalesce(dflt_value, ''), pk FROM pragma_table_info`+of+` ORDER BY cid`)
	if err != nil {
		return nil, nil, nil, err
	}
	primary, types := make([]string, len(live)+1), map[string]string{}
	for _, row := range live {
		q, typ, value, notNull := d.Quote(row[0]), row[1], d.Quote(row[0]), row[2] == "1"
		c := changed[row[0]]
		if c != nil {
			expression, reason := value, ""
			switch {
			case c.Rewritten():
				expression, reason = caster.Values(&c.Column, c.Width)
			case c.Retyped && c.Type.Kind == table.Date: // a timestamp, which is kept as text
				expression = caster.Unless(caster.Matches("SUBSTRING("+value+", 11)", "*[^T 0:.]*"), "SUBSTRING("+value+", 1, 10)", &c.Column)
			}
			if reason != "" {
				why[row[0]] = reason
			} else {
				value, notNull = expression, notNull || !c.Nullable
				if c.Retyped {
					typ = d.TypeName(c.Type)
				}
			}
		}
		types[row[0]] = strings.ToLower(typ)
		line := strings.TrimRight(q+" "+typ, " ")
		if notNull {
			line += " NOT NULL"
		}
		switch {
		case row[3] == "":
		case constant.MatchString(row[3]):
			line += " DEFAULT " + row[3]
		default:
			line += " DEFAULT (" + row[3] + ")"
		}
		lines, names, values = append(lines, line), append(names, q), append(values, value)
		if row[4] != "0" {
			primary[database.ParseCount(row[4])] = row[0]
		}
	}
	for _, column := range primary {
		if column != "" {
			key = append(key, column)
		}
	}
	id := rowIDOf(live, key, types)
	if id != "" { // rows keep theirs
		names, values = append([]string{id}, names...), append([]string{id}, values...)
	}
	if len(key) > 0 {
		lines = append(lines, "PRIMARY KEY ("+d.List(key)+")")
	}
	constraints, err := t.constraintsOf(ctx, of)
	return append(lines, constraints...), names, values, err
}

// rowIDOf returns a name of the row id of a table, "" where that is a column of it, or has
// no name of its own.
func rowIDOf(live [][]string, key []string, types map[string]string) string {
	if len(key) == 1 && types[key[0]] == "integer" {
		return ""
	}
	var names []string
	for _, row := range live {
		names = append(names, row[0])
	}
	return freeRowID(names)
}

// constraintsOf returns the unique constraints and the foreign keys of a table.
func (t *Target) constraintsOf(ctx context.Context, of string) (lines []string, err error) {
	d := dialect.SQLite
	unique, err := t.Query(ctx, "SELECT i.seq, c.name FROM pragma_index_list"+of+" i JOIN pragma_index_info(i.name) c WHERE i.origin = 'u' ORDER BY i.seq DESC, c.seqno")
	if err != nil {
		return nil, err
	}
	foreign, err := t.Query(ctx, `SELECT id, "from", "table", coalesce("to", ''), on_delete, on_update FROM pragma_foreign_key_list`+of+" ORDER BY id DESC, seq")
	if err != nil {
		return nil, err
	}
	for _, group := range grouped(unique) {
		var columns []string
		for _, row := range group {
			columns = append(columns, row[1])
		}
		lines = append(lines, "UNIQUE ("+d.List(columns)+")")
	}
	for _, group := range grouped(foreign) {
		var own, other []string
		for _, row := range group {
			own = append(own, row[1])
			if row[3] != "" {
				other = append(other, row[3])
			}
		}
		line := "FOREIGN KEY (" + d.List(own) + ") REFERENCES " + d.Quote(group[0][2])
		if other != nil {
			line += " (" + d.List(other) + ")"
		}
		lines = append(lines, line+" ON DELETE "+group[0][4]+" ON UPDATE "+group[0][5])
	}
	return lines, nil
}

// grouped cuts rows where their first column changes.
func grouped(rows [][]string) (groups [][][]string) {
	for i, row := range rows {
		if i == 0 || row[0] != rows[i-1][0] {
			groups = append(groups, nil)
		}
		groups[len(groups)-1] = append(groups[len(groups)-1], row)
	}
	return groups
}

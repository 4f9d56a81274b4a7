package dialect

import (
	"fmt"
	"strings"

	"ambertray/internal/parse"
	"ambertray/internal/table"
)

// comments is how a server keeps the comments of a table and its columns.
type comments uint8

const (
	commentInSource   comments = iota // not at all: they stand in the definition's text
	commentOn                         // COMMENT ON
	commentInline                     // COMMENT after a column
	commentProperties                 // extended properties
)

// CreateTable returns the definition of the table, without a semicolon.
func (d *Dialect) CreateTable(t *table.Table) string {
	cols := t.Loaded()
	if d.adapt != nil {
		cols = d.adapt(t)
	}
	var types []string
	wide, wideType := 0, 0
	for i, planned := range t.Loaded() {
		types = append(types, d.columnType(planned.Type, cols[i].Type))
		wide = max(wide, len(d.Quote(planned.Name)))
		wideType = max(wideType, len(types[i]))
	}
	var lines, remarks []string
	for i, c := range cols {
		lines = append(lines, strings.TrimRight(fmt.Sprintf("    %-*s  %-*s%s", wide, d.Quote(c.Name), wideType, types[i], d.attributes(c)), " "))
		remarks = append(remarks, c.Comment)
	}
	if len(t.Key) > 0 {
		lines = append(lines, "    "+d.primaryKey(t))
		remarks = append(remarks, "")
	}
	var b strings.Builder
	if d.comments == commentInSource && t.Comment != "" {
		fmt.Fprintf(&b, "-- %s\n", oneLine(t.Comment))
	}
	fmt.Fprintf(&b, "CREATE TABLE %s (\n", d.QuoteTable(t.Name))
	for i, line := range lines {
		b.WriteString(line)
		if i < len(lines)-1 {
			b.WriteString(",")
		}
		if d.comments == commentInSource && remarks[i] != "" {
			b.WriteString("  -- " + oneLine(remarks[i]))
		}
		b.WriteString("\n")
	}
	b.WriteString(")" + d.suffix)
	if d.comments == commentInline && t.Comment != "" {
		b.WriteString(" COMMENT=" + d.Literal(t.Comment))
	}
	return b.String()
}

func (d *Dialect) primaryKey(t *table.Table) string { return "PRIMARY KEY (" + d.List(t.Key) + ")" }

// Columns returns the names of the loaded columns as a list.
func (d *Dialect) Columns(t *table.Table) string {
	var names []string
	for _, c := range t.Loaded() {
		names = append(names, c.Name)
	}
	return d.List(names)
}

// AddKey returns the statement that gives a table its primary key afterwards,
// or "" where it has none.
func (d *Dialect) AddKey(t *table.Table) string {
	if len(t.Key) == 0 {
		return ""
	}
	return "ALTER TABLE " + d.QuoteTable(t.Name) + " ADD " + d.primaryKey(t)
}

// columnType returns the name of a column's type, and in a remark the planned one where the
// table's limits made it another.
func (d *Dialect) columnType(planned, adapted table.Type) string {
	name := d.TypeName(adapted)
	if planned != adapted {
		name += " /* " + planned.String() + " */"
	}
	return name
}

// attributes returns what follows the type of a column.
func (d *Dialect) attributes(c table.Column) (text string) {
	if c.Default != nil {
		text += " DEFAULT " + d.defaultOf(c)
	}
	if !c.Nullable {
		text += " NOT NULL"
	}
	if c.References != nil && d.inlineReferences {
		text += " " + d.references(c.References)
	}
	if d.comments == commentInline && c.Comment != "" {
		text += " COMMENT " + d.Literal(c.Comment)
	}
	return text
}

// oneLine keeps a remark from ending early and going on as SQL.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// Comments returns the statements that give the table and its columns their
// comments, where the server keeps them so.
func (d *Dialect) Comments(t *table.Table) (statements []string) {
	switch d.comments {
	case commentOn:
		if t.Comment != "" {
			statements = append(statements, fmt.Sprintf("COMMENT ON TABLE %s IS %s", d.QuoteTable(t.Name), d.Literal(t.Comment)))
		}
		for _, c := range t.Loaded() {
			if c.Comment != "" {
				statements = append(statements, fmt.Sprintf("COMMENT ON COLUMN %s.%s IS %s", d.QuoteTable(t.Name), d.Quote(c.Name), d.Literal(c.Comment)))
			}
		}
	case commentProperties:
		if t.Comment != "" {
			statements = append(statements, d.property(t, "", t.Comment))
		}
		for _, c := range t.Loaded() {
			if c.Comment != "" {
				statements = append(statements, d.property(t, c.Name, c.Comment))
			}
		}
	}
	return statements
}

// property returns the call that describes a table, or a column of it.
func (d *Dialect) property(t *table.Table, column, comment string) string {
	schema, bare := d.split(t.Name)
	if schema == "" {
		schema = "dbo"
	}
	call := fmt.Sprintf("EXEC sys.sp_addextendedproperty @name = N'MS_Description', @value = %s, @level0type = N'SCHEMA', @level0name = %s, @level1type = N'TABLE', @level1name = %s",
		d.Literal(comment), d.Literal(schema), d.Literal(bare))
	if column != "" {
		call += ", @level2type = N'COLUMN', @level2name = " + d.Literal(column)
	}
	return call
}

// FinishOn is Finish with the indexes, for a table that still has its temporary name.
func (d *Dialect) FinishOn(name string, t *table.Table) []string {
	return append(d.createIndexes(name, t), d.addForeignKeys(name, t)...)
}

func (d *Dialect) createIndexes(name string, t *table.Table) (statements []string) {
	for i, index := range d.IndexNames(t) {
		statements = append(statements, fmt.Sprintf("CREATE INDEX %s ON %s (%s)", d.Quote(index), d.QuoteTable(name), d.List(t.Indexes[i])))
	}
	return statements
}

// addForeignKeys has nothing to do where foreign keys can only be in the definition.
func (d *Dialect) addForeignKeys(name string, t *table.Table) (statements []string) {
	if d.inlineReferences {
		return nil
	}
	names := d.foreignKeyNames(t)
	for _, c := range t.Loaded() {
		if c.References == nil {
			continue
		}
		constraint := ""
		if !d.sharedConstraints {
			constraint = "CONSTRAINT " + d.Quote(names[len(statements)]) + " "
		}
		statements = append(statements, fmt.Sprintf("ALTER TABLE %s ADD %sFOREIGN KEY (%s) %s", d.QuoteTable(name), constraint, d.Quote(c.Name), d.references(c.References)))
	}
	return statements
}

// OwnNames returns the names of the indexes and foreign keys that the plan makes.
func (d *Dialect) OwnNames(t *table.Table) []string {
	return append(d.IndexNames(t), d.foreignKeyNames(t)...)
}

// foreignKeyNames are the columns where the server has to find a name.
func (d *Dialect) foreignKeyNames(t *table.Table) []string {
	_, bare := d.split(t.Name)
	var names []string
	for _, c := range t.Loaded() {
		switch {
		case c.References == nil:
		case d.sharedConstraints:
			names = append(names, c.Name)
		default:
			names = append(names, bare+"_"+c.Name+"_fk")
		}
	}
	return distinctNames(names, min(d.MaxName, PostgreSQL.MaxName))
}

func (d *Dialect) references(r *table.Reference) string {
	return "REFERENCES " + d.QuoteTable(r.Table) + " (" + d.Quote(r.Column) + ")"
}

// IndexNames returns the names of the table's indexes.
func (d *Dialect) IndexNames(t *table.Table) []string {
	_, bare := d.split(t.Name)
	var names []string
	for _, columns := range t.Indexes {
		names = append(names, bare+"_"+strings.Join(columns, "_")+"_ix")
	}
	return distinctNames(names, min(d.MaxName, PostgreSQL.MaxName))
}

// Define returns every statement that makes the table, its comments, its foreign keys
// and, if wanted, its indexes.
func (d *Dialect) Define(t *table.Table, indexes bool) []string {
	return append(d.BeforeRows(t), d.Finish(t, indexes)...)
}

// BeforeRows returns the statements that make the table and its comments.
func (d *Dialect) BeforeRows(t *table.Table) []string {
	return append([]string{d.CreateTable(t)}, d.Comments(t)...)
}

// Finish returns the statements that make the foreign keys and, if wanted, the indexes,
// which is faster once the rows are there.
func (d *Dialect) Finish(t *table.Table, indexes bool) (statements []string) {
	if indexes {
		statements = d.createIndexes(t.Name, t)
	}
	return append(statements, d.addForeignKeys(t.Name, t)...)
}

// defaultOf writes the default of a column as a constant: the value that a load gives a blank
// cell. A plan whose default is not a value of the type is refused when it is read.
func (d *Dialect) defaultOf(c table.Column) string {
	v, err := parse.Default(c)
	stored := d.Stored(c.Type)
	if err != nil {
		return d.Literal(*c.Default)
	}
	write := TextWriter(c.Type, stored)
	if write != nil {
		v.Text = write(&v)
	}
	bare := *d
	bare.literals.typed = d.literals.typed && !d.bareDefaults
	text := string(bare.AppendLiteral(nil, stored, &v))
	if d.bareDefaults && c.Type.Kind == table.Text || stored.Textual() && d.literals.breaks.within(v.Text) {
		text = "(" + text + ")"
	}
	return text
}

// Constant writes a date or a moment in plain notation as a constant, any other value as a text.
func (d *Dialect) Constant(t table.Type, text string) string {
	words := map[table.Kind]string{table.Date: "DATE", table.Time: "TIME", table.Timestamp: "TIMESTAMP", table.TimestampTZ: d.literals.instant}
	word := words[d.Stored(t).Kind]
	if word != "" { // a bare text would be read by the settings of the session
		return string(d.literals.begin(nil, word)) + text + "'"
	}
	return string(d.appendText(nil, []byte(text)))
}

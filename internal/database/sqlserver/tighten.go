package sqlserver

import (
	"context"
	"fmt"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

var _ database.Tightener = (*Target)(nil)

// Caster implements database.Tightener.
func (t *Target) Caster() *dialect.Caster {
	return &dialect.Caster{
		Dialect: t.dialect, Truth: [2]string{"'1'", "'0'"},
		Trim: func(text string) string { return "LTRIM(RTRIM(" + text + "))" }, // SQL Server 2016 has no TRIM
		TrimAll: func(text string) string {
			return "LTRIM(RTRIM(REPLACE(REPLACE(REPLACE(" + text + ", CHAR(9), ' '), CHAR(10), ' '), CHAR(13), ' ')))"
		},
		To:    func(x string, _ table.Type) string { return x }, // the type of the column is changed after
		Typed: func(x string, typ table.Type) string { return "TRY_CAST(" + x + " AS " + t.dialect.TypeName(typ) + ")" },
		Matches: func(x, pattern string) string {
			return x + " LIKE " + t.dialect.Literal(strings.ReplaceAll(pattern, "*", "%"))
		},
	}
}

// Tighten implements database.Tightener: texts are written so that the server reads them
// as we do, and then the type is changed, in one transaction. Columns that an index, a
// key or a check uses are left: the server does not change them.
func (t *Target) Tighten(ctx context.Context, name string, columns []database.Tightened, key []string) (*database.Steps, map[string]string, error) {
	err := database.NotTable(ctx, t, "change "+name, "SELECT CASE type WHEN 'V' THEN 'view' ELSE 'function or procedure' END FROM sys.objects WHERE type <> 'U' AND object_id = "+t.id(name))
	if err != nil {
		return nil, nil, err
	}
	why, err := t.uses(ctx, name)
	if err != nil {
		return nil, nil, err
	}
	collations, err := database.Texts(ctx, t, `SELECT name, collation_name FROM sys.columns
		WHERE collation_name <> CAST(DATABASEPROPERTYEX(DB_NAME(), 'Collation') AS nvarchar(128)) AND object_id = `+t.id(name))
	if err != nil {
		return nil, nil, err
	}
	quoted := t.quoted(name)
	s := &database.Steps{Transaction: true, Table: name, Lock: fmt.Sprintf(t.dialect.LockRows, quoted)}
	var written, retyped []string
	for i := range columns {
		c := &columns[i]
		q := t.dialect.Quote(c.Name)
		if !c.Retyped {
			delete(why, c.Name)
		}
		if why[c.Name] != "" {
			continue
		}
		native := c.Was.Native
		if c.Retyped {
			native = t.nativeOf(c)
		}
		if collations[c.Name] != "" && (!c.Retyped || c.Type.Textual()) { // else the column would get that of the database
			native += " COLLATE " + collations[c.Name]
		}
		if c.Rewritten() {
			values, reason := t.Caster().Values(&c.Column, c.Width)
			if reason != "" {
				why[c.Name] = reason
				continue
			}
			written = append(written, q+" = "+values)
		} else if c.Rounded() {
			caster := t.Caster()
			caster.To = func(x string, typ table.Type) string { return "CAST(" + x + " AS " + t.dialect.TypeName(typ) + ")" }
			written = append(written, q+" = "+caster.Narrower(&c.Column))
		}
		retyped = append(retyped, "ALTER TABLE "+quoted+" ALTER COLUMN "+q+" "+native+c.Null())
	}
	if written != nil {
		s.Before = append(s.Before, "UPDATE "+quoted+" SET "+strings.Join(written, ",\n    "))
	}
	s.Before = append(s.Before, retyped...)
	if len(key) > 0 {
		s.Before = append(s.Before, "ALTER TABLE "+quoted+" ADD PRIMARY KEY ("+t.dialect.List(key)+")")
	}
	for i := range s.Before { // a client that continues after an error changes nothing more
		s.Before[i] = "IF @@TRANCOUNT > 0 " + s.Before[i]
	}
	return s, why, nil
}

// nativeOf writes the new type of a column. A text keeps the characters that it can have.
func (t *Target) nativeOf(c *database.Tightened) string {
	typ := c.Type
	if !typ.Textual() {
		return t.dialect.TypeName(typ)
	}
	typ.Characters = table.ASCII
	if strings.HasPrefix(c.Was.Native, "n") {
		typ.Characters = table.Unicode
	}
	return t.dialect.TypeName(typ)
}

// uses says what uses the columns of a table, so that their types cannot be changed.
func (t *Target) uses(ctx context.Context, name string) (map[string]string, error) {
	id := t.id(name)
	why, err := database.Texts(ctx, t, `SELECT c.name, CONCAT('the index ', i.name, ' uses it') FROM sys.indexes i JOIN sys.index_columns k ON k.object_id = i.object_id AND k.index_id = i.index_id
		JOIN sys.columns c ON c.object_id = k.object_id AND c.column_id = k.column_id WHERE i.object_id = `+id)
	if err != nil {
		return nil, err
	}
	foreign, err := database.Texts(ctx, t, `SELECT c.name, CONCAT('the foreign key ', f.name, ' uses it') FROM sys.foreign_keys f JOIN sys.foreign_key_columns k ON k.constraint_object_id = f.object_id
		JOIN sys.columns c ON c.object_id = k.parent_object_id AND c.column_id = k.parent_column_id WHERE f.parent_object_id = `+id)
	if err != nil {
		return nil, err
	}
	for column, what := range foreign {
		why[column] = what
	}
	expressions, err := t.Query(ctx, "SELECT CONCAT('the check ', name), definition FROM sys.check_constraints WHERE parent_object_id = "+id+
		" UNION ALL SELECT CONCAT('the column ', name), definition FROM sys.computed_columns WHERE object_id = "+id)
	if err != nil {
		return nil, err
	}
	live, err := t.columns(ctx, name)
	for _, row := range expressions {
		for i := range live {
			if strings.Contains(strings.ToLower(row[1]), strings.ToLower(live[i].name)) {
				why[live[i].name] = row[0] + " uses it"
			}
		}
	}
	return why, err
}

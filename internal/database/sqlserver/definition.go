package sqlserver

import (
	"context"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
)

var _ database.Definer = (*Target)(nil)

// Definition implements database.Definer. Foreign keys and indexes are statements of
// their own.
func (t *Target) Definition(ctx context.Context, name string) ([]string, error) {
	d := dialect.SQLServer
	live, err := t.columns(ctx, name)
	if err != nil {
		return nil, err
	}
	defaults, err := database.Texts(ctx, t, "SELECT c.name, d.definition FROM sys.default_constraints d JOIN sys.columns c ON c.object_id = d.parent_object_id AND c.column_id = d.parent_column_id WHERE d.parent_object_id = "+t.id(name))
	if err != nil {
		return nil, err
	}
	var lines []string
	for i := range live {
		lines = append(lines, live[i].line(defaults[live[i].name]))
	}
	checks, err := t.Query(ctx, "SELECT name, definition FROM sys.check_constraints WHERE parent_object_id = "+t.id(name)+" ORDER BY name")
	if err != nil {
		return nil, err
	}
	keys, indexes, err := t.indexes(ctx, name)
	if err != nil {
		return nil, err
	}
	lines = append(lines, keys...)
	for _, row := range checks {
		lines = append(lines, "CONSTRAINT "+d.Quote(row[0])+" CHECK "+row[1])
	}
	foreign, err := t.foreignStatements(ctx, name)
	return append(append([]string{database.CreateStatement(d, t.named(name), lines)}, foreign...), indexes...), err
}

// line is what a definition has of the column.
func (c *liveColumn) line(byDefault string) string {
	text := dialect.SQLServer.Quote(c.name) + " " + c.native
	if c.collation != "" {
		text += " COLLATE " + c.collation
	}
	if c.identity {
		text += " IDENTITY"
	}
	if !c.nullable {
		text += " NOT"
	}
	text += " NULL"
	if byDefault != "" {
		text += " DEFAULT " + byDefault
	}
	return text
}

// indexes returns the constraints of keys, and the statements that make the other indexes.
func (t *Target) indexes(ctx context.Context, name string) (keys, others []string, err error) {
	d := dialect.SQLServer
	rows, err := t.Query(ctx, `SELECT i.name, i.type_desc, i.is_primary_key, i.is_unique_constraint, i.is_unique, coalesce(i.filter_definition, ''), k.is_included_column, c.name
		FROM sys.indexes i JOIN sys.index_columns k ON k.object_id = i.object_id AND k.index_id = i.index_id
		JOIN sys.columns c ON c.object_id = k.object_id AND c.column_id = k.column_id
		WHERE i.index_id > 0 AND i.object_id = `+t.id(name)+` ORDER BY i.is_primary_key DESC, i.name, k.is_included_column, k.key_ordinal`)
	for from := 0; from < len(rows); {
		i, to := rows[from], from
		var columns, included []string
		for ; to < len(rows) && rows[to][0] == i[0]; to++ {
			if rows[to][6] == "1" {
				included = append(included, d.Quote(rows[to][7]))
			} else {
				columns = append(columns, d.Quote(rows[to][7]))
			}
		}
		from = to
		list := " (" + strings.Join(columns, ", ") + ")"
		switch {
		case i[2] == "1":
			keys = append(keys, "CONSTRAINT "+d.Quote(i[0])+" PRIMARY KEY "+i[1]+list)
			continue
		case i[3] == "1":
			keys = append(keys, "CONSTRAINT "+d.Quote(i[0])+" UNIQUE "+i[1]+list)
			continue
		}
		unique := ""
		if i[4] == "1" {
			unique = "UNIQUE "
		}
		statement := "CREATE " + unique + i[1] + " INDEX " + d.Quote(i[0]) + " ON " + t.quoted(name) + list
		if included != nil {
			statement += " INCLUDE (" + strings.Join(included, ", ") + ")"
		}
		if i[5] != "" {
			statement += " WHERE " + i[5]
		}
		others = append(others, statement)
	}
	return keys, others, err
}

// foreignStatements returns the statements that make the foreign keys.
func (t *Target) foreignStatements(ctx context.Context, name string) (statements []string, err error) {
	d := dialect.SQLServer
	rows, err := t.Query(ctx, `SELECT f.name, s.name, r.name, f.delete_referential_action_desc, c.name, rc.name FROM sys.foreign_keys f
		JOIN sys.foreign_key_columns k ON k.constraint_object_id = f.object_id
		JOIN sys.columns c ON c.object_id = k.parent_object_id AND c.column_id = k.parent_column_id
		JOIN sys.columns rc ON rc.object_id = k.referenced_object_id AND rc.column_id = k.referenced_column_id
		JOIN sys.tables r ON r.object_id = k.referenced_object_id JOIN sys.schemas s ON s.schema_id = r.schema_id
		WHERE f.parent_object_id = `+t.id(name)+` ORDER BY f.name, k.constraint_column_id`)
	for from := 0; from < len(rows); {
		f, to := rows[from], from
		var own, other []string
		for ; to < len(rows) && rows[to][0] == f[0]; to++ {
			own, other = append(own, d.Quote(rows[to][4])), append(other, d.Quote(rows[to][5]))
		}
		from = to
		statement := "ALTER TABLE " + t.quoted(name) + " ADD CONSTRAINT " + d.Quote(f[0]) + " FOREIGN KEY (" + strings.Join(own, ", ") + ") REFERENCES " +
			d.QuoteTable(f[1]+"."+f[2]) + " (" + strings.Join(other, ", ") + ")"
		if f[3] != "NO_ACTION" && f[3] != "" {
			statement += " ON DELETE " + strings.ReplaceAll(f[3], "_", " ")
		}
		statements = append(statements, statement)
	}
	return statements, err
}

// UniqueKeys implements database.Definer.
func (t *Target) UniqueKeys(ctx context.Context, name string) ([]database.UniqueKey, error) {
	rows, err := t.Query(ctx, `SELECT i.name, i.is_primary_key, c.name FROM sys.indexes i JOIN sys.index_columns k ON k.object_id = i.object_id AND k.index_id = i.index_id
		JOIN sys.columns c ON c.object_id = k.object_id AND c.column_id = k.column_id
		WHERE i.is_unique = 1 AND i.is_disabled = 0 AND i.has_filter = 0 AND k.is_included_column = 0 AND i.object_id = `+t.id(name)+`
		ORDER BY i.is_primary_key DESC, i.name, k.key_ordinal`)
	return database.ParseUniqueKeys(rows), err
}

// ForeignKeys implements database.Definer.
func (t *Target) ForeignKeys(ctx context.Context, name string) ([]database.ForeignKey, error) {
	rows, err := t.Query(ctx, `SELECT f.name, CASE s.name WHEN 'dbo' THEN r.name ELSE s.name + '.' + r.name END, CASE f.referenced_object_id WHEN f.parent_object_id THEN 1 ELSE 0 END, c.name, rc.name FROM sys.foreign_keys f
		JOIN sys.foreign_key_columns k ON k.constraint_object_id = f.object_id
		JOIN sys.columns c ON c.object_id = k.parent_object_id AND c.column_id = k.parent_column_id
		JOIN sys.columns rc ON rc.object_id = k.referenced_object_id AND rc.column_id = k.referenced_column_id
		JOIN sys.tables r ON r.object_id = k.referenced_object_id JOIN sys.schemas s ON s.schema_id = r.schema_id
		WHERE f.is_disabled = 0 AND f.parent_object_id = `+t.id(name)+` ORDER BY f.name, k.constraint_column_id`)
	return database.ParseForeignKeys(rows), err
}

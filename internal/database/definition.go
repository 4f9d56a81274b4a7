package database

import (
	"context"
	"strings"

	"ambertray/internal/dialect"
)

// Definition returns the statements that make an existing table, or an error where the
// database cannot report.
func Definition(ctx context.Context, t Target, table string) ([]string, error) {
	d, err := Require[Definer](t, t, "describing a table")
	if err != nil {
		return nil, err
	}
	return d.Definition(ctx, table)
}

// UniqueKey is the primary key of a table, a unique constraint, or a unique index of whole columns and
// all rows.
type UniqueKey struct {
	Name    string
	Primary bool
	Columns []string
}

// ForeignKey is a foreign key of a table.
type ForeignKey struct {
	Name    string
	Table   string // the referenced table, with its schema unless that is the default one
	Own     bool   // the table references itself
	Columns []string
	To      []string // the referenced columns
}

// UniqueKeys returns those of a table, the primary key first.
func UniqueKeys(ctx context.Context, t Target, table string) ([]UniqueKey, error) {
	d, err := Require[Definer](t, t, "describing a table")
	if err != nil {
		return nil, err
	}
	return d.UniqueKeys(ctx, table)
}

// ForeignKeys returns those of a table.
func ForeignKeys(ctx context.Context, t Target, table string) ([]ForeignKey, error) {
	d, err := Require[Definer](t, t, "describing a table")
	if err != nil {
		return nil, err
	}
	return d.ForeignKeys(ctx, table)
}

// PrimaryKey returns the columns of the primary key of a table.
func PrimaryKey(ctx context.Context, t Target, table string) ([]string, error) {
	keys, err := UniqueKeys(ctx, t, table)
	if err != nil || len(keys) == 0 || !keys[0].Primary {
		return nil, err
	}
	return keys[0].Columns, nil
}

// ParseUniqueKeys reads unique keys from rows of a name, 1 for the primary key, and a column.
func ParseUniqueKeys(rows [][]string) (list []UniqueKey) {
	for i, row := range rows {
		if i == 0 || row[0] != rows[i-1][0] {
			list = append(list, UniqueKey{Name: row[0], Primary: row[1] == "1"})
		}
		k := &list[len(list)-1]
		k.Columns = append(k.Columns, row[2])
	}
	return list
}

// ParseForeignKeys reads foreign keys from rows of a name, the referenced table, 1 if the table references itself,
// a column and the referenced column.
func ParseForeignKeys(rows [][]string) (list []ForeignKey) {
	for i, row := range rows {
		if i == 0 || row[0] != rows[i-1][0] {
			list = append(list, ForeignKey{Name: row[0], Table: row[1], Own: row[2] == "1"})
		}
		k := &list[len(list)-1]
		k.Columns, k.To = append(k.Columns, row[3]), append(k.To, row[4])
	}
	return list
}

// FirstColumn returns the first column of a query.
func FirstColumn(ctx context.Context, t Target, query string) (list []string, err error) {
	rows, err := t.Query(ctx, query)
	for _, row := range rows {
		list = append(list, row[0])
	}
	return list, err
}

// Texts returns the second column of a query by the first.
func Texts(ctx context.Context, t Target, query string) (map[string]string, error) {
	rows, err := t.Query(ctx, query)
	texts := map[string]string{}
	for _, row := range rows {
		texts[row[0]] = row[1]
	}
	return texts, err
}

// CreateStatement writes the statement that makes a table of columns and constraints, one
// a line.
func CreateStatement(d *dialect.Dialect, table string, lines []string) string {
	return "CREATE TABLE " + d.QuoteTable(table) + " (\n    " + strings.Join(lines, ",\n    ") + "\n)"
}

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

// PrimaryKey returns the columns of the primary key of a table.
func PrimaryKey(ctx context.Context, t Target, table string) ([]string, error) {
	d, err := Require[Definer](t, t, "describing a table")
	if err != nil {
		return nil, err
	}
	return d.PrimaryKey(ctx, table)
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

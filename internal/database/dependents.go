package database

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/table"
)

// Kind is a kind of what depends on a table, and the query that lists the names. Own are
// those that the plan makes itself.
type Kind struct {
	What, Query string
	Own         []string
}

// Defaults returns the names of the columns to which a plan gives a default.
func Defaults(t *table.Table) (names []string) {
	for _, c := range t.Loaded() {
		if c.Default != nil {
			names = append(names, c.Name)
		}
	}
	return names
}

// Referring returns the names of the columns for which a plan makes a foreign key.
func Referring(t *table.Table) (names []string) {
	for _, c := range t.Loaded() {
		if c.References != nil {
			names = append(names, c.Name)
		}
	}
	return names
}

// ListDependents returns what depends on a table, each as its kind and name. What the plan
// makes itself is left out. One query lists all kinds, and the names of
// each are sorted.
func ListDependents(ctx context.Context, t Target, kinds []Kind) (list []string, err error) {
	var queries []string
	for i, k := range kinds {
		queries = append(queries, fmt.Sprintf("SELECT %d AS kind, d.* FROM (%s) d", i, k.Query))
	}
	rows, err := t.Query(ctx, strings.Join(queries, "\nUNION ALL "))
	if err != nil {
		return nil, err
	}
	names := make([][]string, len(kinds))
	for _, row := range rows {
		i, err := strconv.Atoi(row[0])
		if err != nil {
			return nil, err
		}
		if !slices.Contains(kinds[i].Own, row[1]) {
			names[i] = append(names[i], row[1])
		}
	}
	for i, k := range kinds {
		for _, name := range slices.Sorted(slices.Values(names[i])) {
			list = append(list, k.What+" "+name)
		}
	}
	return list, nil
}

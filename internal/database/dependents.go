package database

import (
	"context"
	"slices"

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
// makes itself is left out.
func ListDependents(ctx context.Context, t Target, kinds []Kind) (list []string, err error) {
	for _, k := range kinds {
		rows, err := t.Query(ctx, k.Query)
		if err != nil {
			return nil, err
		}
		for _, row := range rows {
			if !slices.Contains(k.Own, row[0]) {
				list = append(list, k.What+" "+row[0])
			}
		}
	}
	return list, nil
}

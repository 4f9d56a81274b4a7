package database

import (
	"context"
	"slices"
)

// Kind is a kind of what hangs on a table, and the query that lists the names.
type Kind struct{ What, Query string }

// ListDependents returns what hangs on a table, each as its kind and name. The
// indexes and foreign keys that a plan makes itself are left out.
func ListDependents(ctx context.Context, t Target, kinds []Kind, own []string) (list []string, err error) {
	for _, k := range kinds {
		rows, err := t.Query(ctx, k.Query)
		if err != nil {
			return nil, err
		}
		for _, row := range rows {
			if k.What != "index" && k.What != "foreign key" || !slices.Contains(own, row[0]) {
				list = append(list, k.What+" "+row[0])
			}
		}
	}
	return list, nil
}

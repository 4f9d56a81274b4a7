package database

import (
	"context"
	"slices"
)

// Kind is a kind of what depends on a table, and the query that lists the names.
type Kind struct{ What, Query string }

// ofPlans are kinds of what a plan can make itself.
var ofPlans = []string{"index", "foreign key", "foreign key of", "default of"}

// ListDependents returns what depends on a table, each as its kind and name. What the plan
// makes itself is left out.
func ListDependents(ctx context.Context, t Target, kinds []Kind, own []string) (list []string, err error) {
	for _, k := range kinds {
		rows, err := t.Query(ctx, k.Query)
		if err != nil {
			return nil, err
		}
		for _, row := range rows {
			if !slices.Contains(ofPlans, k.What) || !slices.Contains(own, row[0]) {
				list = append(list, k.What+" "+row[0])
			}
		}
	}
	return list, nil
}

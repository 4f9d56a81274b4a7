package postgres

import (
	"context"

	"ambertray/internal/table"
)

// CanonicalJSON lets tests compare it with the server.
var CanonicalJSON = canonicalJSON

// Encoder lets tests check the wire format.
var Encoder = encoder{}

// Publish gives a staging table the name and the comment of an existing table.
func Publish(ctx context.Context, t *Target, staged string, tab *table.Table) error {
	x := &tx{t: t, staging: &stage{name: staged, table: tab, replaces: true}}
	err := x.publish(ctx)
	if err != nil {
		return err
	}
	return x.tx.Commit(ctx)
}

package load

import (
	"context"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/differ"
	"ambertray/internal/proof"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// rowHash returns the hash of rows as a database of a dialect stores them.
func rowHash(t *table.Table, d *dialect.Dialect) proof.RowHash {
	return proof.NewRowHash(d.StoredTypes(t))
}

// sumRows sums the rows that read hands on.
func sumRows(ctx context.Context, hash proof.RowHash, read func(context.Context, database.EachRow) error) (s proof.Sum, err error) {
	if hash == nil {
		return s, read(ctx, func([]value.Value) error { s.Rows++; return nil })
	}
	return s, read(ctx, func(row []value.Value) error { s.Add(hash(row, nil)); return nil })
}

// cellWriters write the values of a table's columns for people.
func cellWriters(t *table.Table, d *dialect.Dialect) (writers []differ.CellWriter) {
	for _, typ := range d.StoredTypes(t) {
		writers = append(writers, differ.NewCellWriter(typ))
	}
	return writers
}

// allRows reads all rows of a table.
func allRows(from database.Target, t *table.Table) func(context.Context, database.EachRow) error {
	return func(ctx context.Context, each database.EachRow) error { return from.Rows(ctx, t, each) }
}

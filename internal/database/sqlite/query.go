package sqlite

import (
	"context"
	"errors"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

var errSameName = errors.New("two of its columns have the same name; give each a name of its own with AS")

// Describe implements database.Querier. What a column of a query has is only known of
// each value.
func (t *Target) Describe(ctx context.Context, query string) (list []database.ColumnInfo, err error) {
	t.conn.SetInterrupt(ctx.Done())
	stmt, _, err := t.conn.PrepareTransient(query)
	if err != nil {
		return nil, t.fail("prepare the query", err)
	}
	defer stmt.Finalize()
	for i := range stmt.ColumnCount() {
		if stmt.ColumnName(i) == "" { // the driver keeps one of each name
			return nil, t.fail("prepare the query", errSameName)
		}
		list = append(list, database.ColumnInfo{Name: stmt.ColumnName(i), Nullable: true})
	}
	return list, nil
}

// QueryRows implements database.Querier.
func (t *Target) QueryRows(ctx context.Context, query string, tab *table.Table, each database.EachRow) error {
	t.conn.SetInterrupt(ctx.Done())
	r := &rowReader{t: t, table: "the query"}
	wide, err := t.wide(ctx)
	if err != nil {
		return err
	}
	for _, c := range tab.Loaded() {
		r.readers = append(r.readers, orBytes(readerOf(dialect.SQLite.Stored(c.Type), wide, true)))
	}
	err = r.prepare(query)
	if err != nil {
		return err
	}
	defer r.stmt.Finalize()
	return r.each(func(r *rowReader) error { return each(r.row) })
}

// orBytes returns a reader that gives bytes as text, and otherwise does what read does.
func orBytes(read reader) reader {
	return func(stmt *sqlite.Stmt, i int, v *value.Value) {
		if stmt.ColumnType(i) != sqlite.TypeBlob {
			read(stmt, i, v)
			return
		}
		v.Null = false
		readBytes(stmt, i, sqlite.TypeBlob, v)
	}
}

package sqlserver

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Rows implements database.Target.
func (t *Target) Rows(ctx context.Context, tab *table.Table, each database.EachRow) error {
	return t.rows(ctx, tab, t.quoted(tab.Name)+" t", each)
}

// rows reads the loaded columns of table t from what stands after FROM.
func (t *Target) rows(ctx context.Context, tab *table.Table, from string, each database.EachRow) error {
	var terms []string
	for _, c := range tab.Loaded() {
		terms = append(terms, "t."+dialect.SQLServer.Quote(c.Name))
	}
	if len(terms) == 0 {
		terms = []string{"1"}
	}
	return t.eachRow(ctx, tab.Name, "SELECT "+strings.Join(terms, ", ")+" FROM "+from, tab, each)
}

// eachRow reads what a query returns, as values of the columns of a table.
func (t *Target) eachRow(ctx context.Context, what, query string, tab *table.Table, each database.EachRow) error {
	types := dialect.SQLServer.StoredTypes(tab)
	err := t.read(ctx, query, func(a *answer) error {
		row := &rowReader{types: types}
		return row.each(a, func() error { return each(row.values[:len(types)]) })
	})
	return t.fail("read "+what, err)
}

// rowReader reads rows into values, of types where these are stated.
type rowReader struct {
	types   []table.Type
	readers []reader
	values  []value.Value
}

// prepare makes ready for the columns of an answer.
func (r *rowReader) prepare(columns []wireColumn) error {
	if len(columns) < len(r.types) {
		return fmt.Errorf("the server sends %d columns instead of %d", len(columns), len(r.types))
	}
	r.readers, r.values = nil, make([]value.Value, len(columns))
	for i := range columns {
		var t *table.Type
		if i < len(r.types) {
			t = &r.types[i]
		}
		r.readers = append(r.readers, readerOf(&columns[i], t))
	}
	return nil
}

// each reads all rows of an answer.
func (r *rowReader) each(a *answer, do func() error) error {
	for {
		nulls, err := a.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if r.readers == nil {
			err := r.prepare(a.columns)
			if err != nil {
				return err
			}
		}
		for i, read := range r.readers {
			if nulls != nil && nulls[i/8]>>(i%8)&1 == 1 {
				r.values[i].Null, r.values[i].Untyped = true, false
				continue
			}
			err := read(a, &r.values[i])
			if err != nil {
				return err
			}
		}
		err = do()
		if err != nil {
			return err
		}
	}
}

// Count implements database.Target.
func (t *Target) Count(ctx context.Context, name string) (int64, error) {
	rows, err := t.Query(ctx, "SELECT count_big(*) FROM "+t.quoted(name))
	if err != nil {
		return 0, err
	}
	return database.ParseCount(rows[0][0]), nil
}

// Snapshot implements database.Snapshotter, where the database allows it.
func (t *Target) Snapshot(ctx context.Context) (func() error, error) {
	allowed, err := t.Query(ctx, "SELECT snapshot_isolation_state FROM sys.databases WHERE name = DB_NAME()")
	if err != nil {
		return nil, err
	}
	begin := "BEGIN TRANSACTION"
	if len(allowed) == 1 && allowed[0][0] == "1" {
		begin = "SET TRANSACTION ISOLATION LEVEL SNAPSHOT; " + begin
	}
	_, err = t.Exec(ctx, begin)
	if err != nil {
		return nil, err
	}
	return func() error {
		_, err := t.Exec(context.WithoutCancel(ctx), "IF @@TRANCOUNT > 0 ROLLBACK TRANSACTION; SET TRANSACTION ISOLATION LEVEL READ COMMITTED")
		return err
	}, nil
}

package sqlserver

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// added finds the rows that a transaction adds to an existing table: by their primary
// key, which a temporary table holds, or by a number that the server gave them after all
// that were there.
type added struct {
	x       *tx
	table   string
	from    string // of the query that reads them
	key     []int  // the columns of the key among the loaded ones; nil where rows are numbered
	columns []wireColumn
	insert  string
	keys    []byte // of rows, as the bulk load has them, that the temporary table lacks
}

// keysName is the name of the temporary table of keys.
const keysName = "#ambertray_keys"

// Mark implements database.Adder. Where the rows cannot be distinguished, other sessions
// are kept out of the table, so that all that comes is ours.
func (x *tx) Mark(ctx context.Context, tab *table.Table) (bool, error) {
	x.added, x.marked = nil, true
	rows, err := x.t.Query(ctx, `SELECT c.name, c.is_identity FROM sys.indexes i JOIN sys.index_columns k ON k.object_id = i.object_id AND k.index_id = i.index_id
		JOIN sys.columns c ON c.object_id = k.object_id AND c.column_id = k.column_id
		WHERE i.is_primary_key = 1 AND i.object_id = `+x.t.id(tab.Name)+" ORDER BY k.key_ordinal")
	if err != nil {
		return false, err
	}
	var key []int
	for _, row := range rows {
		at := slices.IndexFunc(tab.Loaded(), func(c table.Column) bool { return strings.EqualFold(c.Name, row[0]) })
		if at < 0 && len(rows) == 1 && row[1] == "1" {
			return true, x.markNumbered(ctx, tab, row[0])
		}
		if at < 0 {
			key = nil
			break
		}
		key = append(key, at)
	}
	if key == nil {
		_, err := x.t.Query(ctx, "SELECT TOP (1) 1 FROM "+x.t.quoted(tab.Name)+" WITH (TABLOCKX, HOLDLOCK)")
		return false, err
	}
	return true, x.markKeyed(ctx, tab, key)
}

// markNumbered notes the greatest number that the server has given.
func (x *tx) markNumbered(ctx context.Context, tab *table.Table, column string) error {
	q, name := dialect.SQLServer.Quote(column), x.t.quoted(tab.Name)
	last, err := x.t.Query(ctx, "SELECT coalesce(max("+q+"), 0) FROM "+name+" WITH (TABLOCKX, HOLDLOCK)")
	if err != nil {
		return err
	}
	x.added = &added{x: x, from: name + " t WHERE t." + q + " > " + last[0][0]}
	return nil
}

// markKeyed makes the temporary table for the keys.
func (x *tx) markKeyed(ctx context.Context, tab *table.Table, key []int) error {
	d := dialect.SQLServer
	keys := &table.Table{Name: tab.Name}
	var on []string
	for _, at := range key {
		c := tab.Loaded()[at]
		keys.Columns = append(keys.Columns, c)
		on = append(on, "k."+d.Quote(c.Name)+" = t."+d.Quote(c.Name))
	}
	err := x.stage(ctx, keys, keysName)
	if err != nil {
		return err
	}
	keys.Name = keysName
	columns, err := x.t.describe(ctx, keys)
	if err != nil {
		return err
	}
	x.added = &added{
		x: x, table: tab.Name, key: key, columns: columns, insert: insertBulk(d.Quote(keysName), columns, true),
		from: d.Quote(keysName) + " k JOIN " + x.t.quoted(tab.Name) + " t ON " + strings.Join(on, " AND "),
	}
	return nil
}

// Added implements database.Adder.
func (x *tx) Added(ctx context.Context, tab *table.Table, _ int64, each database.EachRow) error {
	a := x.added
	err := a.flush(ctx)
	if err != nil {
		return err
	}
	return x.t.rows(ctx, tab, a.from, each)
}

// note keeps the keys of a batch that was loaded, but for the rows of it that were
// refused.
func (a *added) note(ctx context.Context, b *database.Batch, s *sink) error {
	if a.key == nil {
		return nil
	}
	starts := make([]int, len(s.columns)+1)
	for i := range b.Len() {
		if s.left[b.Record(i)] {
			continue
		}
		row := b.Rows(i, i+1)
		at := 1
		for n := range s.columns {
			starts[n] = at
			if at >= len(row) {
				return fmt.Errorf("row %d is cut off", i)
			}
			at += sizeOf(&s.columns[n], row[at:])
		}
		starts[len(s.columns)] = at
		a.keys = append(a.keys, tokenRow)
		for n, column := range a.key {
			if fixed[s.columns[column].code] > 0 && fixed[a.columns[n].code] == 0 { // whose column may be NULL there
				a.keys = append(a.keys, byte(starts[column+1]-starts[column]))
			}
			a.keys = append(a.keys, row[starts[column]:starts[column+1]]...)
		}
	}
	if len(a.keys) < batchSize {
		return nil
	}
	return a.flush(ctx)
}

// flush loads the keys that were kept into the temporary table.
func (a *added) flush(ctx context.Context) error {
	if len(a.keys) == 0 {
		return nil
	}
	_, err := a.x.t.bulk(ctx, a.insert, a.columns, a.keys)
	a.keys = a.keys[:0]
	return a.x.t.fail("load keys", err)
}

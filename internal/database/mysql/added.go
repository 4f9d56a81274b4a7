package mysql

import (
	"bytes"
	"context"
	"errors"
	"io"
	"slices"
	"strings"

	"github.com/go-sql-driver/mysql"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// added finds the rows that a transaction adds to an existing table. InnoDB does not
// show which these are: they are found by their primary key, which a temporary table
// holds, or by a number that the server gave them after all that were there.
type added struct {
	x         *tx
	from      string // of the query that reads them
	key       []int  // the columns of the key among the loaded ones; nil where rows are numbered
	keys      []byte // of rows, as the bulk load writes them, that the temporary table lacks
	reader    string // the driver's name of their reader
	statement string // that loads them
}

// keysName is the name of the temporary table of keys.
const keysName = "ambertray_keys"

// Mark implements database.Adder. It is the first read of the transaction, so that
// no row that another session commits later is seen.
func (x *tx) Mark(ctx context.Context, tab *table.Table) (bool, error) {
	x.added = nil
	storage, err := x.t.Storage(ctx, tab.Name)
	if err != nil || storage.NoTransactions || storage.NoSavepoints || x.t.noBulk {
		return false, err
	}
	rows, err := x.t.Query(ctx, `SELECT column_name, extra LIKE '%auto_increment%', @@local_infile FROM information_schema.statistics
		JOIN information_schema.columns USING (table_schema, table_name, column_name)
		WHERE index_name = 'PRIMARY' AND `+place(tab.Name)+" ORDER BY seq_in_index")
	if err != nil || len(rows) == 0 {
		return false, err
	}
	var key []int
	for _, row := range rows {
		at := slices.IndexFunc(tab.Loaded(), func(c table.Column) bool { return strings.EqualFold(c.Name, row[0]) })
		if at < 0 {
			return x.markNumbered(ctx, tab, rows)
		}
		key = append(key, at)
	}
	if rows[0][2] != "1" {
		return false, nil
	}
	return x.markKeyed(ctx, tab, key)
}

// markNumbered notes the greatest number that the server has given.
func (x *tx) markNumbered(ctx context.Context, tab *table.Table, key [][]string) (bool, error) {
	if len(key) > 1 || key[0][1] != "1" {
		return false, nil
	}
	column, name := dialect.MySQL.Quote(key[0][0]), dialect.MySQL.QuoteTable(tab.Name)
	last, err := x.t.Query(ctx, "SELECT coalesce(max("+column+"), 0) FROM "+name)
	if err != nil {
		return false, err
	}
	x.added = &added{x: x, from: name + " " + rowAlias + " WHERE " + column + " > " + last[0][0]}
	return true, nil
}

// markKeyed makes the temporary table for the keys. A login that may not is no
// reason to fail.
func (x *tx) markKeyed(ctx context.Context, tab *table.Table, key []int) (bool, error) {
	d := dialect.MySQL
	var columns, on []string
	var loaded []table.Column
	for _, at := range key {
		c := tab.Loaded()[at]
		column := d.Quote(c.Name)
		loaded, columns, on = append(loaded, c), append(columns, column), append(on, "k."+column+" = "+rowAlias+"."+column)
	}
	list, name := strings.Join(columns, ", "), d.QuoteTable(tab.Name)
	for _, statement := range []string{"DROP TEMPORARY TABLE IF EXISTS " + keysName, stageOf(name, keysName, list)} {
		err := x.t.fail("make a table of keys", x.t.exec(ctx, statement))
		if errors.Is(err, database.ErrPermission) {
			return false, nil
		}
		if err != nil {
			return false, err
		}
	}
	reader := newReader()
	x.added = &added{
		x: x, key: key, reader: reader, from: keysName + " k STRAIGHT_JOIN " + name + " " + rowAlias + " ON " + strings.Join(on, " AND "),
		statement: bulkInto(reader, keysName, loaded, nil),
	}
	return true, nil
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
func (a *added) note(ctx context.Context, b *database.Batch, refused []refusal.Where) error {
	without := map[refusal.Where]bool{}
	for _, w := range refused {
		without[w] = true
	}
	var fields [][]byte
	for i := range b.Len() {
		if without[b.Record(i)] {
			continue
		}
		fields = fieldsOf(fields[:0], bytes.TrimSuffix(b.Rows(i, i+1), []byte{'\n'}))
		for n, at := range a.key {
			if n > 0 {
				a.keys = append(a.keys, '\t')
			}
			a.keys = append(a.keys, fields[at]...)
		}
		a.keys = append(a.keys, '\n')
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
	mysql.RegisterReaderHandler(a.reader, func() io.Reader { return bytes.NewReader(a.keys) })
	defer mysql.DeregisterReaderHandler(a.reader)
	err := a.x.t.exec(ctx, a.statement)
	a.keys = a.keys[:0]
	return a.x.t.fail("load keys", err)
}

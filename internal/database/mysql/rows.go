package mysql

import (
	"context"
	"database/sql/driver"
	"errors"
	"io"
	"strconv"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Rows implements database.Target.
func (t *Target) Rows(ctx context.Context, tab *table.Table, each database.EachRow) error {
	return t.rows(ctx, tab, dialect.MySQL.QuoteTable(t.current(tab.Name))+" "+rowAlias, each)
}

// rowAlias is the name of the table in a query of its rows. No table has it, so that both can be locked.
const rowAlias = "ambertray_row"

// rows reads the loaded columns of table t from what stands after FROM. It goes by
// the driver itself, because the standard library copies every value.
func (t *Target) rows(ctx context.Context, tab *table.Table, from string, each database.EachRow) error {
	var terms []string
	for _, c := range tab.Loaded() {
		terms = append(terms, rowAlias+"."+dialect.MySQL.Quote(c.Name))
	}
	if terms == nil {
		terms = []string{"1"}
	}
	return t.read(ctx, tab.Name, "SELECT "+strings.Join(terms, ", ")+" FROM "+from, tab, each)
}

// read sends a query and reads its rows, as values of the columns of a table.
func (t *Target) read(ctx context.Context, what, query string, tab *table.Table, each database.EachRow) error {
	var readers []reader
	send := sendText
	for _, c := range tab.Loaded() {
		if c.Type.Kind == table.Double { // the text of a float has six digits
			send = sendPrepared
		}
		readers = append(readers, readerOf(dialect.MySQL.Stored(c.Type)))
	}
	err := t.conn.Raw(func(conn any) error {
		rows, err := send(ctx, conn, query)
		if err != nil {
			return err
		}
		err = eachOf(rows, readers, each)
		closeErr := rows.Close()
		if err == nil {
			err = closeErr
		}
		return err
	})
	return t.fail("read "+what, err)
}

// sendText has the rows sent as text, which is faster.
func sendText(ctx context.Context, conn any, query string) (driver.Rows, error) {
	return conn.(driver.QueryerContext).QueryContext(ctx, query, nil)
}

// sendPrepared has the rows sent in the binary protocol, which has all digits of a float.
func sendPrepared(ctx context.Context, conn any, query string) (driver.Rows, error) {
	statement, err := conn.(driver.ConnPrepareContext).PrepareContext(ctx, query)
	if err != nil {
		return nil, err
	}
	rows, err := statement.(driver.StmtQueryContext).QueryContext(ctx, nil)
	if err != nil {
		return nil, errors.Join(err, statement.Close())
	}
	return preparedRows{rows, statement}, nil
}

// preparedRows are the rows of a statement, which is closed with them.
type preparedRows struct {
	driver.Rows
	statement driver.Stmt
}

func (p preparedRows) Close() error { return errors.Join(p.Rows.Close(), p.statement.Close()) }

func eachOf(rows driver.Rows, readers []reader, each database.EachRow) error {
	raw, row := make([]driver.Value, max(len(readers), 1)), make([]value.Value, len(readers))
	for {
		err := rows.Next(raw)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		for i, read := range readers {
			v := &row[i]
			v.Null, v.Untyped = raw[i] == nil, false
			if !v.Null {
				read(raw[i], v)
			}
		}
		err = each(row)
		if err != nil {
			return err
		}
	}
}

// reader sets v to a value as the driver gives it.
type reader func(raw driver.Value, v *value.Value)

func readerOf(t table.Type) reader {
	if t == (table.Type{Kind: table.Boolean, Size: table.Bit}) {
		return readBit
	}
	switch t.Kind {
	case table.SmallInt, table.Integer, table.BigInt, table.Boolean:
		return readInt
	case table.Double:
		return readFloat
	case table.Decimal:
		return func(raw driver.Value, v *value.Value) { v.ReadDecimal(decimalText(raw, t.Scale), t.Scale) }
	case table.Date:
		return func(raw driver.Value, v *value.Value) { v.ReadDate(textOf(raw)) }
	case table.Time:
		return func(raw driver.Value, v *value.Value) { v.ReadClock(textOf(raw)) }
	case table.Timestamp:
		return func(raw driver.Value, v *value.Value) { v.ReadTimestamp(textOf(raw)) }
	}
	if t.IsBytes() {
		return func(raw driver.Value, v *value.Value) { v.Text = value.AppendBytes(nil, textOf(raw)) }
	}
	return func(raw driver.Value, v *value.Value) { v.Text = textOf(raw) }
}

func readInt(raw driver.Value, v *value.Value) {
	n, ok := raw.(int64)
	v.Int, v.Wide = n, false
	if !ok {
		v.ReadInt(textOf(raw))
	}
}

func readBit(raw driver.Value, v *value.Value) {
	text := textOf(raw)
	if len(text) != 1 || text[0] > 1 {
		v.SetUntyped(text)
		return
	}
	v.Int, v.Wide = int64(text[0]), false
}

func readFloat(raw driver.Value, v *value.Value) {
	switch x := raw.(type) {
	case float64:
		v.Float = x
	case float32:
		v.Float = float64(x)
	default:
		v.ReadFloat(textOf(raw))
	}
}

// decimalText returns a decimal, which the server may store as a float, with all of its digits.
func decimalText(raw driver.Value, scale int) []byte {
	switch x := raw.(type) {
	case float32:
		return strconv.AppendFloat(nil, float64(x), 'f', scale, 64)
	case float64:
		return strconv.AppendFloat(nil, x, 'f', scale, 64)
	}
	return textOf(raw)
}

// textOf returns what the driver has made of a value as text.
func textOf(raw driver.Value) []byte {
	switch x := raw.(type) {
	case []byte:
		return x
	case string:
		return []byte(x)
	case int64:
		return strconv.AppendInt(nil, x, 10)
	case uint64:
		return strconv.AppendUint(nil, x, 10)
	case float32:
		return strconv.AppendFloat(nil, float64(x), 'g', -1, 32)
	case float64:
		return strconv.AppendFloat(nil, x, 'g', -1, 64)
	}
	return nil
}

// Count implements database.Target.
func (t *Target) Count(ctx context.Context, table string) (rows int64, err error) {
	err = t.conn.QueryRowContext(ctx, "SELECT count(*) FROM "+dialect.MySQL.QuoteTable(t.current(table))).Scan(&rows)
	return rows, t.fail("count the rows of "+table, err)
}

// Snapshot implements database.Snapshotter.
func (t *Target) Snapshot(ctx context.Context) (func() error, error) {
	return database.SnapshotBy(ctx, t, "START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY")
}

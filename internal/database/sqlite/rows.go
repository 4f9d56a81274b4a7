package sqlite

import (
	"context"
	"math"
	"slices"
	"strconv"
	"strings"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// Rows implements database.Target.
func (t *Target) Rows(ctx context.Context, tab *table.Table, each database.EachRow) error {
	return t.readAll(ctx, tab, func(r *rowReader) error { return each(r.row) })
}

func (t *Target) readAll(ctx context.Context, tab *table.Table, each func(*rowReader) error) error {
	exists, err := t.Exists(ctx, tab.Name)
	if err != nil {
		return err
	}
	if !exists {
		return &database.Error{Target: t.path, Op: "read " + tab.Name, Kind: database.ErrNoTable}
	}
	rows, err := t.prepareRows(ctx, tab, "1")
	if err != nil {
		return err
	}
	defer rows.stmt.Finalize()
	return rows.each(each)
}

// rowReader reads what a query returns.
type rowReader struct {
	t       *Target
	table   string
	stmt    *sqlite.Stmt
	readers []reader
	row     []value.Value
}

// prepareRows prepares the reading of a table, or of the rows that a condition holds
// for.
func (t *Target) prepareRows(ctx context.Context, tab *table.Table, condition string) (*rowReader, error) {
	t.conn.SetInterrupt(ctx.Done())
	r := &rowReader{t: t, table: tab.Name}
	wide, err := t.wide(ctx)
	if err != nil {
		return nil, err
	}
	live, err := t.Columns(ctx, tab.Name)
	if err != nil {
		return nil, err
	}
	onlyTexts := map[string]bool{} // columns without doubles
	for _, l := range live {
		onlyTexts[strings.ToLower(l.Name)] = affinityOf(l.Native) == toText
	}
	var names []string
	for _, c := range tab.Loaded() {
		names = append(names, dialect.SQLite.Quote(c.Name))
		r.readers = append(r.readers, readerOf(dialect.SQLite.Stored(c.Type), wide, !onlyTexts[strings.ToLower(c.Name)]))
	}
	if names == nil {
		names = []string{"1"}
	}
	const wideRow = 64
	if len(names) > wideRow {
		condition += headFirst(names[len(names)-1])
	}
	return r, r.prepare("SELECT " + strings.Join(names, ", ") + " FROM " + dialect.SQLite.Quote(tab.Name) + " WHERE " + condition)
}

// headFirst is a condition that is always true. It makes the engine read the whole head of a row
// first. Otherwise a head that is longer than a page is read again for every column.
func headFirst(lastColumn string) string { return " AND typeof(" + lastColumn + ") <> ''" }

func (r *rowReader) prepare(query string) (err error) {
	r.stmt, _, err = r.t.conn.PrepareTransient(query)
	r.row = make([]value.Value, len(r.readers))
	return r.t.fail("read "+r.table, err)
}

// each calls each after it has read a row. Each may put another row in its place.
func (r *rowReader) each(each func(*rowReader) error) error {
	for {
		more, err := r.stmt.Step()
		if err != nil {
			return r.t.fail("read "+r.table, err)
		}
		if !more {
			return nil
		}
		for i, read := range r.readers {
			read(r.stmt, i, &r.row[i])
		}
		err = each(r)
		if err != nil {
			return err
		}
	}
}

// reader sets v to the value in column i of the current row. The engine lets any
// column take any value: what is not of the column's type is untyped.
type reader func(stmt *sqlite.Stmt, i int, v *value.Value)

// readerOf returns the reader of a column. wide is set if the database stores texts in UTF-16, and
// floats if a column of texts may have doubles.
func readerOf(t table.Type, wide, floats bool) reader {
	switch {
	case t.IsBytes():
		return ofKind(readBytes)
	case t.Textual() && wide:
		return readWide
	case t.Textual() && floats:
		return orFloat(readText)
	case t.Textual():
		return readText
	case t.Kind == table.Double:
		return ofKind(readFloat)
	case t.Kind == table.Decimal:
		return ofKind(decimalReader(t.Scale))
	}
	return ofKind(readInt)
}

// ofKind reads NULL, and other values by what kind of value the engine has.
func ofKind(read func(*sqlite.Stmt, int, sqlite.ColumnType, *value.Value)) reader {
	return func(stmt *sqlite.Stmt, i int, v *value.Value) {
		kind := stmt.ColumnType(i)
		v.Null = kind == sqlite.TypeNull
		if !v.Null {
			read(stmt, i, kind, v)
		}
	}
}

func readInt(stmt *sqlite.Stmt, i int, kind sqlite.ColumnType, v *value.Value) {
	if kind != sqlite.TypeInteger {
		readUntyped(stmt, i, v)
		return
	}
	v.Int, v.Untyped = stmt.ColumnInt64(i), false
}

func readFloat(stmt *sqlite.Stmt, i int, kind sqlite.ColumnType, v *value.Value) {
	f := stmt.ColumnFloat(i)
	whole := kind == sqlite.TypeInteger && f < 1<<63 && int64(f) == stmt.ColumnInt64(i) // as columns of numbers hold them
	if kind != sqlite.TypeFloat && !whole {
		readUntyped(stmt, i, v)
		return
	}
	v.Float, v.Untyped = f, false
}

func decimalReader(scale int) func(*sqlite.Stmt, int, sqlite.ColumnType, *value.Value) {
	unit := math.Pow10(scale)
	return func(stmt *sqlite.Stmt, i int, kind sqlite.ColumnType, v *value.Value) {
		if kind != sqlite.TypeFloat && kind != sqlite.TypeInteger {
			readUntyped(stmt, i, v)
			return
		}
		f := stmt.ColumnFloat(i)
		v.Int, v.Scale, v.Wide, v.Untyped = int64(math.Round(f*unit)), scale, false, false
		if float64(v.Int)/unit != f {
			readUntyped(stmt, i, v)
		}
	}
}

func readBytes(stmt *sqlite.Stmt, i int, kind sqlite.ColumnType, v *value.Value) {
	if kind != sqlite.TypeBlob {
		readUntyped(stmt, i, v)
		return
	}
	blob := make([]byte, stmt.ColumnLen(i))
	stmt.ColumnBytes(i, blob)
	v.Text, v.Untyped = value.AppendBytes(nil, blob), false
}

// readText asks whether a value is NULL only where it has no text.
func readText(stmt *sqlite.Stmt, i int, v *value.Value) {
	n := stmt.ColumnBytes(i, v.Text[:cap(v.Text)])
	v.Null = n == 0 && stmt.ColumnType(i) == sqlite.TypeNull
	if n == cap(v.Text) { // it may be longer
		v.Text = slices.Grow(v.Text[:0], stmt.ColumnLen(i)+1)
		n = stmt.ColumnBytes(i, v.Text[:cap(v.Text)])
	}
	v.Text = v.Text[:n]
}

// wide reports whether the database keeps texts in UTF-16.
func (t *Target) wide(ctx context.Context) (bool, error) {
	found, err := t.Query(ctx, "PRAGMA encoding")
	return err == nil && found[0][0] != "UTF-8", err
}

// readWide is readText of a text that the engine has to translate.
func readWide(stmt *sqlite.Stmt, i int, v *value.Value) {
	v.Null = stmt.ColumnType(i) == sqlite.TypeNull
	v.Text = append(v.Text[:0], textOf(stmt, i)...)
}

// orFloat returns a reader that reads doubles as textOf does.
func orFloat(read reader) reader {
	return func(stmt *sqlite.Stmt, i int, v *value.Value) {
		if stmt.ColumnType(i) != sqlite.TypeFloat {
			read(stmt, i, v)
			return
		}
		v.Null, v.Text = false, append(v.Text[:0], textOf(stmt, i)...)
	}
}

func readUntyped(stmt *sqlite.Stmt, i int, v *value.Value) { v.SetUntyped([]byte(textOf(stmt, i))) }

// textOf returns a value as text. The engine would write a double with 15 digits only.
func textOf(stmt *sqlite.Stmt, i int) string {
	if stmt.ColumnType(i) != sqlite.TypeFloat || math.IsInf(stmt.ColumnFloat(i), 0) {
		return stmt.ColumnText(i)
	}
	f := stmt.ColumnFloat(i)
	text := strconv.FormatFloat(f, 'f', -1, 64)
	switch {
	case math.Abs(f) >= 1e15, f != 0 && math.Abs(f) < 1e-4:
		return strconv.FormatFloat(f, 'e', -1, 64)
	case !strings.Contains(text, "."):
		return text + ".0"
	}
	return text
}

// Count implements database.Target.
func (t *Target) Count(ctx context.Context, table string) (int64, error) {
	counted, err := t.Query(ctx, "SELECT count(*) FROM "+dialect.SQLite.Quote(table))
	if err != nil {
		return 0, err
	}
	return strconv.ParseInt(counted[0][0], 10, 64)
}

// Snapshot implements database.Snapshotter.
func (t *Target) Snapshot(ctx context.Context) (func() error, error) {
	return database.SnapshotBy(ctx, t, "BEGIN")
}

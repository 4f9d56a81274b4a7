package sqlite

import (
	"fmt"
	"slices"
	"strings"

	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// foreignKey finds the rows that a foreign key does not let in: SQLite reports
// only that one of the foreign keys of a table failed.
type foreignKey struct {
	refers  string   // the table that it refers to
	columns []string // of the table that is loaded
	to      []string // the columns that they refer to
	orphan  *sqlite.Stmt
}

// foreignKeys returns the foreign keys of a table whose columns are all loaded.
func foreignKeys(conn *sqlite.Conn, tab *table.Table) ([]foreignKey, error) {
	var keys []foreignKey
	last := int64(-1)
	err := sqlitex.Execute(conn, `SELECT f.id, f."table", f."from",
		coalesce(f."to", (SELECT name FROM pragma_table_info(f."table") WHERE pk = f.seq + 1))
		FROM pragma_foreign_key_list(?) f ORDER BY f.id DESC, f.seq`, &sqlitex.ExecOptions{
		Args: []any{tab.Name},
		ResultFunc: func(row *sqlite.Stmt) error {
			id := row.ColumnInt64(0)
			if id != last {
				keys, last = append(keys, foreignKey{refers: row.ColumnText(1)}), id
			}
			k := &keys[len(keys)-1]
			k.columns, k.to = append(k.columns, row.ColumnText(2)), append(k.to, row.ColumnText(3))
			return nil
		},
	})
	if err != nil {
		return nil, err
	}
	keys = slices.DeleteFunc(keys, func(k foreignKey) bool { return !loads(tab, k.columns) })
	for i := range keys {
		keys[i].orphan, err = conn.Prepare(keys[i].statement(tab))
		if err != nil {
			return nil, err
		}
	}
	return keys, nil
}

// statement selects the bound row if nothing is what it refers to. A row may
// refer to itself.
func (k *foreignKey) statement(tab *table.Table) string {
	q := dialect.SQLite.Quote
	var filled, same, itself []string
	for i, from := range k.columns {
		filled = append(filled, "bound."+q(from)+" IS NOT NULL")
		same = append(same, "referred."+q(k.to[i])+" = bound."+q(from))
		itself = append(itself, "bound."+q(k.to[i])+" = bound."+q(from))
	}
	where := strings.Join(filled, " AND ")
	if strings.EqualFold(k.refers, tab.Name) && loads(tab, k.to) {
		where += " AND NOT (" + strings.Join(itself, " AND ") + ")"
	}
	return fmt.Sprintf("WITH bound (%s) AS (VALUES (?%s)) SELECT 1 FROM bound WHERE %s AND NOT EXISTS (SELECT 1 FROM %s referred WHERE %s)",
		dialect.SQLite.Columns(tab), strings.Repeat(", ?", len(tab.Loaded())-1), where, q(k.refers), strings.Join(same, " AND "))
}

// loads reports whether all of some columns are loaded.
func loads(tab *table.Table, names []string) bool {
	loaded := tab.Loaded()
	for _, name := range names {
		if !slices.ContainsFunc(loaded, func(c table.Column) bool { return strings.EqualFold(c.Name, name) }) {
			return false
		}
	}
	return true
}

// orphaned returns the foreign key that does not let in a row, nil if that cannot
// be found.
func (s *sink) orphaned(row []byte) (*foreignKey, error) {
	if !s.foreignRead {
		keys, err := foreignKeys(s.t.conn, s.tab)
		if err != nil {
			return nil, err
		}
		s.foreign, s.foreignRead = keys, true
	}
	for i := range s.foreign {
		k := &s.foreign[i]
		bind(k.orphan, s.columns, row)
		found, err := k.orphan.Step()
		if err != nil {
			return nil, err
		}
		err = k.orphan.Reset()
		if err != nil {
			return nil, err
		}
		if found {
			return k, nil
		}
	}
	return nil, nil
}

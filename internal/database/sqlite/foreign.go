package sqlite

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// foreignKey finds the rows that a foreign key does not let in: SQLite reports
// only that one of the foreign keys of a table failed.
type foreignKey struct {
	database.ForeignKey
	orphan *sqlite.Stmt // nil until one fails
}

// foreignKeys returns the foreign keys of a table whose columns are all loaded.
func (t *Target) foreignKeys(ctx context.Context, tab *table.Table) (keys []foreignKey, err error) {
	known, err := t.ForeignKeys(ctx, tab.Name)
	for _, k := range known {
		if loads(tab, k.Columns) {
			keys = append(keys, foreignKey{ForeignKey: k})
		}
	}
	return keys, err
}

// orphans selects the bound row if nothing is what it refers to by a foreign key. A row may
// refer to itself.
func orphans(k *database.ForeignKey, tab *table.Table) string {
	q := dialect.SQLite.Quote
	var filled, same, itself []string
	for i, from := range k.Columns {
		filled = append(filled, "bound."+q(from)+" IS NOT NULL")
		same = append(same, "referred."+q(k.To[i])+" = bound."+q(from))
		itself = append(itself, "bound."+q(k.To[i])+" = bound."+q(from))
	}
	where := strings.Join(filled, " AND ")
	if k.Own && loads(tab, k.To) {
		where += " AND NOT (" + strings.Join(itself, " AND ") + ")"
	}
	return fmt.Sprintf("WITH bound (%s) AS (VALUES (?%s)) SELECT 1 FROM bound WHERE %s AND NOT EXISTS (SELECT 1 FROM %s referred WHERE %s)",
		dialect.SQLite.Columns(tab), strings.Repeat(", ?", len(tab.Loaded())-1), where, q(k.Table), strings.Join(same, " AND "))
}

// orphanConstraints returns the constraints of the foreign keys to other tables, and the one to the table itself, or nil.
func (t *Target) orphanConstraints(ctx context.Context, tab *table.Table) (list []database.Constraint, own *database.ForeignKey, err error) {
	keys, err := t.foreignKeys(ctx, tab)
	for i := range keys {
		k := &keys[i].ForeignKey
		if k.Own {
			own = k
		} else {
			list = append(list, database.Orphans(dialect.SQLite, tab, k, dialect.SQLite.Quote(k.Table)))
		}
	}
	return list, own, err
}

func (k *foreignKey) prepare(conn *sqlite.Conn, tab *table.Table) (err error) {
	if k.orphan == nil {
		k.orphan, err = conn.Prepare(orphans(&k.ForeignKey, tab))
	}
	return err
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
	for i := range s.foreign {
		k := &s.foreign[i]
		err := k.prepare(s.t.conn, s.tab)
		if err != nil {
			return nil, err
		}
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

package sqlite

import (
	"context"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// Mark implements database.Adder. Nobody else writes meanwhile. In a table with row
// ids, and nothing that changes other rows when one is inserted, the rows that are
// added are those with greater row ids than there were, and those whose row ids the
// sink has seen.
func (x *tx) Mark(ctx context.Context, tab *table.Table) (bool, error) {
	x.added = nil
	found, err := x.t.Query(ctx, `SELECT s.sql FROM sqlite_schema s JOIN pragma_table_list(s.name) l ON l.schema = 'main'
		WHERE s.type = 'table' AND l.type = 'table' AND NOT l.wr AND lower(s.name) = lower(`+dialect.SQLite.Literal(tab.Name)+`)
		AND NOT EXISTS (SELECT 1 FROM sqlite_schema t WHERE t.type = 'trigger' AND lower(t.tbl_name) = lower(s.name))`)
	if err != nil || len(found) == 0 || replaces.MatchString(found[0][0]) {
		return false, err
	}
	columns, err := x.t.Columns(ctx, tab.Name)
	if err != nil {
		return false, err
	}
	var names []string
	for _, c := range columns {
		names = append(names, c.Name)
	}
	name := freeRowID(names)
	if name == "" {
		return false, nil
	}
	last, err := x.t.Query(ctx, fmt.Sprintf("SELECT coalesce(max(%s), %d) FROM %s", name, math.MinInt64, dialect.SQLite.Quote(tab.Name)))
	if err != nil {
		return false, err
	}
	x.added = &added{rowID: name}
	x.added.last, err = strconv.ParseInt(last[0][0], 10, 64)
	return err == nil, err
}

// replaces finds that a new row may take the place of another one.
var replaces = regexp.MustCompile(`(?i)on\s+conflict`)

// freeRowID returns a name of the row id that no column has taken.
func freeRowID(columns []string) string {
	for _, name := range []string{"rowid", "oid", "_rowid_"} {
		if !slices.ContainsFunc(columns, func(c string) bool { return strings.EqualFold(c, name) }) {
			return name
		}
	}
	return ""
}

// Added implements database.Adder.
func (x *tx) Added(ctx context.Context, tab *table.Table, _ int64, each database.EachRow) error {
	return x.readAdded(ctx, tab, func(r *rowReader) error { return each(r.row) })
}

func (x *tx) readAdded(ctx context.Context, tab *table.Table, each func(*rowReader) error) error {
	rows, err := x.t.prepareRows(ctx, tab, x.added.rowID+" BETWEEN ? AND ?")
	if err != nil {
		return err
	}
	defer rows.stmt.Finalize()
	for _, run := range append(x.added.runs, run{x.added.last + 1, math.MaxInt64}) {
		rows.stmt.BindInt64(1, run.from)
		rows.stmt.BindInt64(2, run.to)
		err := rows.each(each)
		if err != nil {
			return err
		}
		err = rows.stmt.Reset()
		if err != nil {
			return x.t.fail("read "+tab.Name, err)
		}
	}
	return nil
}

// loadedRowID is freeRowID of a table with the columns of a plan.
func loadedRowID(tab *table.Table) string {
	var names []string
	for _, c := range tab.Loaded() {
		names = append(names, c.Name)
	}
	return freeRowID(names)
}

// added are the row ids of the rows that a transaction has added.
type added struct {
	rowID string // the name by which statements refer to it
	last  int64  // the greatest that was there
	runs  []run  // those below it, together where they follow each other
}

type run struct{ from, to int64 }

func (a *added) add(id int64) {
	n := len(a.runs)
	switch {
	case id > a.last:
	case n > 0 && a.runs[n-1].to+1 == id:
		a.runs[n-1].to = id
	default:
		a.runs = append(a.runs, run{id, id})
	}
}

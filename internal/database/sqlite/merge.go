package sqlite

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// errNoRowID says that no name is left for the numbers of rows.
var errNoRowID = errors.New("columns have all names of the row id: rowid, oid and _rowid_; rename one of them")

// errTruth is returned for a key with a column whose name a subquery would lose.
var errTruth = errors.New("a column of the key is called true or false, which the engine renames in queries; rename it")

func isTruth(name string) bool {
	return strings.EqualFold(name, "true") || strings.EqualFold(name, "false")
}

// Stage implements database.StagingTx. The engine numbers its rows itself.
func (x *tx) Stage(ctx context.Context, tab *table.Table, name string) error {
	d := dialect.SQLite
	if loadedRowID(tab) == "" {
		return x.t.fail("merge into "+tab.Name, errNoRowID)
	}
	if slices.ContainsFunc(tab.Key, isTruth) {
		return x.t.fail("merge into "+tab.Name, errTruth)
	}
	_, err := x.t.Exec(ctx, "DROP TABLE IF EXISTS temp."+d.Quote(name))
	if err != nil { // one that an earlier load has left
		return err
	}
	live, err := x.t.Columns(ctx, tab.Name)
	if err != nil {
		return err
	}
	declared := map[string]string{}
	for _, l := range live {
		declared[strings.ToLower(l.Name)] = l.Native
	}
	var columns []string // CREATE TABLE AS SELECT would rename a column called true or false
	for _, c := range tab.Loaded() {
		columns = append(columns, d.Quote(c.Name)+" "+affinityName(declared[strings.ToLower(c.Name)]))
	}
	_, err = x.t.Exec(ctx, fmt.Sprintf("CREATE TEMPORARY TABLE %s (%s)", d.Quote(name), strings.Join(columns, ", ")))
	return err
}

// Merge implements database.StagingTx.
func (x *tx) Merge(ctx context.Context, tab *table.Table, stage, before string, at *database.Numbers) (database.Merged, *refusal.List, error) {
	d, row := dialect.SQLite, loadedRowID(tab)
	constraints, own, err := x.t.orphanConstraints(ctx, tab)
	if err != nil {
		return database.Merged{}, nil, err
	}
	unique, err := x.t.uniqueConstraints(ctx, tab)
	if err != nil {
		return database.Merged{}, nil, err
	}
	columns := d.Columns(tab)
	m := database.Merger{
		DB: x.t, Row: row, HiddenRow: true, Join: "JOIN", Constraints: append(constraints, unique...),
		// The first SELECT of a UNION decides the collations of its columns.
		Keyed: func(stage string) string {
			return fmt.Sprintf("(SELECT %s, 0 AS %s FROM %s WHERE 0 UNION ALL SELECT %s, %s FROM %s)", columns, row, d.QuoteTable(tab.Name), columns, row, stage)
		},
		Update: func(table, stage, set, where string) string {
			return fmt.Sprintf("UPDATE %s AS t SET %s FROM %s AS s WHERE %s", table, set, stage, where)
		},
		Differ: func(column string, c table.Column) string {
			if dialect.SQLite.Stored(c.Type).Textual() {
				return fmt.Sprintf("t.%[1]s IS DISTINCT FROM s.%[1]s COLLATE BINARY", column)
			}
			return fmt.Sprintf("t.%[1]s IS DISTINCT FROM s.%[1]s", column)
		},
		Refusal: func(err error) (refusal.Reason, bool) {
			why := reasonOf(err, tab)
			if sqlite.ErrCode(err) == sqlite.ResultConstraintForeignKey && own != nil { // the others were tried before
				why = database.MissingRow(tab, own)
			}
			return why, x.t.isRefusal(err)
		},
	}
	return m.Merge(ctx, tab, stage, before, at)
}

// uniqueConstraints returns the unique keys of a table whose columns are loaded, except the primary key.
func (t *Target) uniqueConstraints(ctx context.Context, tab *table.Table) (list []database.Constraint, err error) {
	keys, err := t.UniqueKeys(ctx, tab.Name)
	for _, k := range keys {
		if k.Primary || !tab.HasColumns(k.Columns) {
			continue
		}
		why := refusal.Reason{Columns: database.AtFault(tab, k.Columns), Reason: "UNIQUE constraint failed: " + tab.Name + "." + strings.Join(k.Columns, ", "+tab.Name+".")}
		list = append(list, database.Constraint{Unique: k.Columns, Reason: why})
	}
	return list, err
}

// saidBy returns what a constraint says, without what the driver puts before.
func saidBy(err error) string {
	text := err.Error()
	before := strings.LastIndex(text[:max(0, strings.LastIndex(text, "constraint failed"))], ": ")
	if before >= 0 {
		text = text[before+len(": "):]
	}
	return text
}

// reasonOf returns why a constraint does not let in a row.
func reasonOf(err error, tab *table.Table) refusal.Reason {
	r := refusal.Reason{Reason: saidBy(err)}
	at := failedOn.FindStringSubmatch(r.Reason)
	if at != nil {
		r.Columns = database.AtFault(tab, at[1:])
	}
	return r
}

package mysql

import (
	"context"
	"errors"
	"fmt"

	"github.com/go-sql-driver/mysql"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// stageOf returns the statement that makes a temporary table like another one,
// whose rows it numbers, in one step: altering a table would commit. Some servers require a primary key.
func stageOf(table, name, columns string) string {
	return fmt.Sprintf("CREATE TEMPORARY TABLE %s (%s bigint AUTO_INCREMENT PRIMARY KEY) ENGINE = InnoDB AS SELECT %s FROM %s LIMIT 0", name, database.RowOfStage, columns, table)
}

// Stage implements database.StagingTx. One that an earlier load over this connection has
// left is dropped. A transaction that has read a table without savepoints is ended,
// because it has no savepoints either.
func (x *tx) Stage(ctx context.Context, tab *table.Table, name string) error {
	storage, err := x.t.Storage(ctx, tab.Name)
	if err != nil {
		return err
	}
	d := dialect.MySQL
	steps := []string{"DROP TEMPORARY TABLE IF EXISTS " + d.Quote(name), stageOf(d.QuoteTable(tab.Name), d.Quote(name), d.Columns(tab))}
	if storage.NoSavepoints {
		steps = append(steps, "COMMIT", "START TRANSACTION")
	}
	for _, statement := range steps {
		_, err := x.t.Exec(ctx, statement)
		if err != nil {
			return err
		}
	}
	return nil
}

// Merge implements database.StagingTx. The server would take texts for equal that its
// collation does not distinguish.
func (x *tx) Merge(ctx context.Context, tab *table.Table, stage, before string, at *database.Numbers) (database.Merged, *refusal.List, error) {
	err := x.renumber(ctx, dialect.MySQL.Quote(stage))
	if err != nil {
		return database.Merged{}, nil, err
	}
	storage, err := x.t.Storage(ctx, tab.Name)
	if err != nil {
		return database.Merged{}, nil, err
	}
	err = x.joinInBatches(ctx, &storage)
	if err != nil {
		return database.Merged{}, nil, err
	}
	hint, err := x.hint(ctx, tab)
	if err != nil {
		return database.Merged{}, nil, err
	}
	var constraints []database.Constraint
	if !storage.NoSavepoints { // they are tried between savepoints
		constraints, err = x.constraints(ctx, tab)
	}
	if err != nil {
		return database.Merged{}, nil, err
	}
	m := database.Merger{
		DB: x.t, Row: database.RowOfStage, Join: "STRAIGHT_JOIN", Hint: hint, SetPrefix: "t.", Whole: storage.NoSavepoints, Constraints: constraints,
		Update: func(table, stage, set, where string) string {
			if storage.Servers != nil { // an update reads the rows of other servers one by one: only those that differ
				stage = fmt.Sprintf("(SELECT s.* FROM %s s STRAIGHT_JOIN %s t%s WHERE %s)", stage, table, hint, where)
			}
			return fmt.Sprintf("UPDATE %s s STRAIGHT_JOIN %s t%s SET %s WHERE %s", stage, table, hint, set, where)
		},
		Differ: func(column string, c table.Column) string {
			if dialect.MySQL.Stored(c.Type).Textual() {
				return fmt.Sprintf("NOT (CAST(t.%[1]s AS BINARY) <=> CAST(s.%[1]s AS BINARY))", column)
			}
			return fmt.Sprintf("NOT (t.%[1]s <=> s.%[1]s)", column)
		},
		Refusal: func(err error) (refusal.Reason, bool) {
			return refusalOf(err, tab)
		},
	}
	return m.Merge(ctx, tab, stage, before, at)
}

// constraints returns the foreign keys of a table to other tables and its unique keys, as far as their columns are
// loaded, except the primary key.
func (x *tx) constraints(ctx context.Context, tab *table.Table) (list []database.Constraint, err error) {
	foreign, err := x.t.ForeignKeys(ctx, tab.Name)
	for _, k := range foreign {
		if !k.Own && tab.HasColumns(k.Columns) {
			list = append(list, database.Orphans(dialect.MySQL, tab, &k, dialect.MySQL.QuoteTable(k.Table)))
		}
	}
	if err != nil {
		return nil, err
	}
	keys, err := x.t.UniqueKeys(ctx, tab.Name)
	for _, k := range keys {
		if !k.Primary && tab.HasColumns(k.Columns) {
			list = append(list, database.Constraint{Unique: k.Columns, Reason: refusal.Reason{Reason: inUnique + k.Name}})
		}
	}
	return list, err
}

// hint has a merge use the index of the key, whatever the server believes how many rows the
// table has: it learns late of rows that were just loaded, above all of other servers.
func (x *tx) hint(ctx context.Context, tab *table.Table) (string, error) {
	keys, err := x.t.UniqueKeys(ctx, tab.Name)
	for _, k := range keys {
		if database.SameColumns(k.Columns, tab.Key) {
			return useIndex(k.Name), nil
		}
	}
	return "", err
}

func useIndex(name string) string { return " FORCE INDEX (" + dialect.MySQL.Quote(name) + ")" }

// refusalOf returns why the server does not take a row, if an error is that.
func refusalOf(err error, tab *table.Table) (why refusal.Reason, ok bool) {
	var refused *mysql.MySQLError
	if !errors.As(err, &refused) || conditions[refused.Number] != nil {
		return refusal.Reason{}, false
	}
	return reasonOf(refused, tab), true
}

// renumber closes the gaps that the server leaves in its count from one bulk load
// to the next.
func (x *tx) renumber(ctx context.Context, stage string) error {
	rows, err := x.t.Query(ctx, "SELECT count(*) = coalesce(max("+database.RowOfStage+"), 0) FROM "+stage)
	if err != nil || rows[0][0] == "1" {
		return err
	}
	_, err = x.t.Exec(ctx, "SET @ambertray_row = 0")
	if err != nil {
		return err
	}
	_, err = x.t.Exec(ctx, fmt.Sprintf("UPDATE %s SET %[2]s = (@ambertray_row := @ambertray_row + 1) ORDER BY %[2]s", stage, database.RowOfStage))
	return err
}

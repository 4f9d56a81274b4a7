package sqlserver

import (
	"context"
	"errors"
	"fmt"

	mssql "github.com/microsoft/go-mssqldb"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// Merge implements database.StagingTx. The server would take texts for equal that its
// collation does not distinguish.
func (x *tx) Merge(ctx context.Context, tab *table.Table, stage, before string, at *database.Numbers) (database.Merged, *refusal.List, error) {
	end, err := x.ownIdentity(ctx, tab)
	if err != nil {
		return database.Merged{}, nil, err
	}
	keys, err := x.t.ForeignKeys(ctx, tab.Name)
	if err != nil {
		return database.Merged{}, nil, err
	}
	foreign := columnsByKey(tab, keys)
	if before != "" {
		before = x.t.named(before)
	}
	m := database.Merger{
		DB: x.t, Row: database.RowOfStage, Join: "JOIN", Constraints: x.t.orphans(tab, keys),
		IndexRows: "CREATE INDEX ambertray_rows ON " + dialect.SQLServer.Quote(x.t.named(stage)) + " (" + database.RowOfStage + ")",
		Update: func(table, stage, set, where string) string {
			return fmt.Sprintf("UPDATE t SET %s FROM %s AS t, %s AS s WHERE %s", set, table, stage, where)
		},
		Differ: func(column string, c table.Column) string {
			own, other := "t."+column, "s."+column
			if dialect.SQLServer.Stored(c.Type).Textual() {
				own, other = "CAST("+own+" AS varbinary(max))", "CAST("+other+" AS varbinary(max))"
			}
			return fmt.Sprintf("EXISTS (SELECT %s EXCEPT SELECT %s)", own, other)
		},
		Refusal: func(err error) (refusal.Reason, bool) {
			var e mssql.Error
			if !errors.As(err, &e) || !refused(err) {
				return refusal.Reason{}, false
			}
			return reasonOf(e, tab, func(key string) []string { return foreign[key] }), true
		},
	}
	done, refusedRows, err := m.Merge(ctx, tab, x.t.named(stage), before, at)
	if err != nil {
		return done, nil, err
	}
	return done, refusedRows, end()
}

package postgres

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// Stage implements database.StagingTx. Columns with a domain get its base type, because the
// stage must accept the rows that the domain rejects.
func (x *tx) Stage(ctx context.Context, tab *table.Table, name string) error {
	d := dialect.PostgreSQL
	err := x.checkSequences(ctx, tab)
	if err != nil {
		return err
	}
	domains, err := x.t.domains(ctx, tab.Name)
	if err != nil {
		return err
	}
	var terms []string
	for _, c := range tab.Loaded() {
		term := d.Quote(c.Name)
		base, ok := domains[c.Name]
		if ok {
			term += "::" + base + " AS " + term
		}
		terms = append(terms, term)
	}
	return x.t.fail("make a temporary table", x.exec(ctx, []string{
		"DROP TABLE IF EXISTS pg_temp." + d.Quote(name),
		fmt.Sprintf("CREATE TEMPORARY TABLE %s ON COMMIT DROP AS SELECT %s FROM %s WITH NO DATA", d.Quote(name), strings.Join(terms, ", "), d.QuoteTable(tab.Name)),
		fmt.Sprintf("ALTER TABLE %s ADD %s bigint GENERATED ALWAYS AS IDENTITY", d.Quote(name), database.RowOfStage),
	}))
}

// Merge implements database.StagingTx.
func (x *tx) Merge(ctx context.Context, tab *table.Table, stage, before string, at *database.Numbers) (database.Merged, *refusal.List, error) {
	_, err := x.t.Exec(ctx, "ANALYZE "+dialect.PostgreSQL.Quote(stage))
	if err != nil { // or it is taken for an empty one
		return database.Merged{}, nil, err
	}
	err = x.checkAtOnce(ctx, tab)
	if err != nil {
		return database.Merged{}, nil, err
	}
	constraints, err := x.constraints(ctx, tab)
	if err != nil {
		return database.Merged{}, nil, err
	}
	m := database.Merger{
		DB: x.t, Constraints: constraints, Row: database.RowOfStage, Join: "JOIN", Overriding: " OVERRIDING SYSTEM VALUE",
		IndexRows: "CREATE INDEX ON " + dialect.PostgreSQL.Quote(stage) + " (" + database.RowOfStage + ")",
		Update: func(table, stage, set, where string) string {
			return fmt.Sprintf("UPDATE %s AS t SET %s FROM %s AS s WHERE %s", table, set, stage, where)
		},
		Differ: func(column string, c table.Column) string {
			as := ""
			if dialect.PostgreSQL.Stored(c.Type).Textual() { // it may be json, which has no equality, or have a collation that ignores case
				as = `::text COLLATE "C"`
			}
			return fmt.Sprintf("t.%[1]s%[2]s IS DISTINCT FROM s.%[1]s%[2]s", column, as)
		},
		Refusal: func(err error) (refusal.Reason, bool) {
			var pg *pgconn.PgError
			if errors.As(err, &pg) && refused(err) {
				return reasonOf(pg, tab), true
			}
			return refusal.Reason{}, false
		},
	}
	done, refused, err := m.Merge(ctx, tab, stage, before, at)
	if err != nil {
		return done, nil, err
	}
	x.filled = tab
	return done, refused, nil
}

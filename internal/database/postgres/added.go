package postgres

import (
	"context"
	"fmt"
	"strconv"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// Mark implements database.Adder. In an ordinary table without triggers and rules,
// the rows that are added are those with the id of the transaction or, from its
// savepoints, a later one.
func (x *tx) Mark(ctx context.Context, tab *table.Table) (bool, error) {
	const query = `SELECT coalesce(pg_relation_size(oid) / current_setting('block_size')::int, 0) FROM pg_class
		WHERE oid = to_regclass(%s) AND relkind = 'r' AND relpersistence <> 't' AND NOT relhassubclass AND NOT relhasrules
		AND NOT EXISTS (SELECT 1 FROM pg_trigger WHERE tgrelid = pg_class.oid AND NOT tgisinternal)`
	found, err := x.t.Query(ctx, fmt.Sprintf(query, dialect.PostgreSQL.Literal(dialect.PostgreSQL.QuoteTable(tab.Name))))
	if err != nil || len(found) == 0 {
		return false, err
	}
	x.blocks, err = strconv.ParseInt(found[0][0], 10, 64)
	return err == nil, err
}

// Added implements database.Adder.
func (x *tx) Added(ctx context.Context, tab *table.Table, rows int64, each database.EachRow) error {
	condition, err := x.addedCondition(ctx, tab, rows)
	if err != nil {
		return err
	}
	return x.t.rows(ctx, tab, dialect.PostgreSQL.QuoteTable(tab.Name)+condition, each)
}

// addedCondition holds for the rows that were added. They are at the end of the
// table, unless it has room before: then all of it is searched.
func (x *tx) addedCondition(ctx context.Context, tab *table.Table, rows int64) (string, error) {
	id, err := x.t.Query(ctx, "SELECT txid_current() % 4294967296")
	if err != nil {
		return "", err
	}
	// The transaction sees nothing that began to be written after it.
	ours := " WHERE age(xmin) <= age('" + id[0][0] + "'::xid)"
	atEnd := fmt.Sprintf("%s AND ctid >= '(%d,0)'::tid", ours, max(x.blocks-1, 0))
	name := dialect.PostgreSQL.QuoteTable(tab.Name)
	counts, err := x.t.Query(ctx, fmt.Sprintf("SELECT (SELECT count(*) FROM %s%s), pg_stat_get_xact_tuples_inserted(to_regclass(%s))",
		name, atEnd, dialect.PostgreSQL.Literal(name)))
	if err != nil {
		return "", err
	}
	want := fmt.Sprint(rows)
	if counts[0][0] == want && counts[0][1] == want {
		return atEnd, nil
	}
	return ours, nil
}

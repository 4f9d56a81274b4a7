package postgres

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// constraintViolations is the class of errors of constraints that do not hold.
const constraintViolations = "23"

// removeViolations removes the rows of the batch that violate a constraint: in one
// go for each constraint, over a temporary table, because there may be many, and each row that
// is tried by itself is a transaction of its own to the server.
func (a *adder) removeViolations() error {
	err := a.x.Stage(a.ctx, a.tab, batchName)
	if err != nil {
		return err
	}
	err = a.within(0, a.batch.Len(), func(from, to int) error {
		_, err := a.x.t.conn.PgConn().CopyFrom(a.ctx, wire(a.batch.Rows(from, to)), copyInto(batchName, a.tab)+")")
		return err
	})
	if refused(err) { // a value is invalid, which is found by copying fewer rows
		return a.x.t.fail("drop the temporary table", a.x.exec(a.ctx, []string{"DROP TABLE " + batchName}))
	}
	if err != nil {
		return a.x.t.fail("copy", err)
	}
	constraints, err := a.x.constraints(a.ctx, a.tab)
	if err != nil {
		return err
	}
	why := map[int]*refusal.Reason{}
	for _, c := range constraints {
		err := a.takeRows(why, &c)
		if err != nil {
			return err
		}
	}
	a.batch.RefuseFor(why, &a.refused)
	return a.x.t.fail("drop the temporary table", a.x.exec(a.ctx, []string{"DROP TABLE " + batchName}))
}

// takeRows takes the rows that break a constraint out of the temporary table, so
// that a row which would repeat one of them does not. A condition that the server
// does not take, because it is on columns that are not loaded, finds none.
func (a *adder) takeRows(why map[int]*refusal.Reason, c *database.Constraint) error {
	const op = "look for rows that violate a constraint"
	d := dialect.PostgreSQL
	err := a.x.exec(a.ctx, []string{"SAVEPOINT violations"})
	if err != nil {
		return a.x.t.fail(op, err)
	}
	found, err := queryRows(a.ctx, a.x.tx, "DELETE FROM "+batchName+" s WHERE "+c.Condition(d, database.RowOfStage, batchName, d.QuoteTable(a.tab.Name))+" RETURNING s."+database.RowOfStage)
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return a.x.t.fail(op, a.x.exec(a.ctx, []string{"ROLLBACK TO SAVEPOINT violations"}))
	}
	if err != nil {
		return a.x.t.fail(op, err)
	}
	for _, row := range found {
		why[row] = &c.Reason
	}
	return a.x.t.fail(op, a.x.exec(a.ctx, []string{"RELEASE SAVEPOINT violations"}))
}

func queryRows(ctx context.Context, tx pgx.Tx, query string) ([]int, error) {
	rows, err := tx.Query(ctx, query)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int])
}

// constraints returns those of a table that can be checked for many rows at once:
// checks and foreign keys to other tables, and then unique columns, which only rows
// that are loaded can repeat. The key of the plan is the first of these.
func (x *tx) constraints(ctx context.Context, tab *table.Table) (list []database.Constraint, err error) {
	const op = "query the constraints"
	rows, err := x.tx.Query(ctx, `SELECT contype::text, conname, coalesce(pg_get_expr(conbin, conrelid), ''), coalesce(nullif(confrelid, 0)::regclass::text, ''),
		ARRAY(SELECT attname::text FROM unnest(conkey) WITH ORDINALITY k(n, i) JOIN pg_attribute ON attrelid = conrelid AND attnum = n ORDER BY i),
		ARRAY(SELECT attname::text FROM unnest(confkey) WITH ORDINALITY k(n, i) JOIN pg_attribute ON attrelid = confrelid AND attnum = n ORDER BY i)
		FROM pg_constraint WHERE conrelid = to_regclass($1) AND contype IN ('c', 'f', 'u') AND conrelid <> confrelid ORDER BY contype = 'u', conname`,
		dialect.PostgreSQL.QuoteTable(tab.Name))
	if err != nil {
		return nil, x.t.fail(op, err)
	}
	defer rows.Close()
	var unique []database.Constraint
	if len(tab.Key) > 0 {
		unique = append(unique, database.Constraint{Unique: tab.Key, Reason: refusal.Reason{Columns: tab.Key, Reason: database.SameKey}})
	}
	for rows.Next() {
		var kind, name, expression, referred string
		var columns, keys []string
		err := rows.Scan(&kind, &name, &expression, &referred, &columns, &keys)
		if err != nil {
			return nil, x.t.fail(op, err)
		}
		c := database.Constraint{Reason: refusal.Reason{Columns: database.AtFault(tab, columns)}}
		switch kind {
		case "c":
			_, bare, _ := strings.Cut("."+tab.Name, ".")
			c.Violated, c.Reason.Reason = "NOT ("+expression+")", fmt.Sprintf("new row for relation %q violates check constraint %q", bare, name)
		case "f":
			c.Violated, c.Reason.Reason = orphaned(columns, referred, keys), fmt.Sprintf("not in table %s (foreign key %s)", referred, name)
		default:
			c.Unique, c.Reason.Reason = columns, fmt.Sprintf("duplicate key value violates unique constraint %q", name)
			unique = append(unique, c)
			continue
		}
		list = append(list, c)
	}
	return append(list, unique...), x.t.fail(op, rows.Err())
}

// checkAtOnce has the server check each row for the constraints of a table that it would
// check at the end of the transaction, when no single row could be refused. Rows may refer
// to later rows of the table itself.
func (x *tx) checkAtOnce(ctx context.Context, tab *table.Table) error {
	const op = "query the deferred constraints"
	rows, err := x.tx.Query(ctx, `SELECT DISTINCT format('%I.%I', nspname, conname) FROM pg_constraint JOIN pg_namespace n ON n.oid = connamespace
		WHERE conrelid = to_regclass($1) AND condeferred AND (contype IN ('p', 'u', 'x') OR contype = 'f' AND confrelid <> conrelid)`,
		dialect.PostgreSQL.QuoteTable(tab.Name))
	if err != nil {
		return x.t.fail(op, err)
	}
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil || len(names) == 0 {
		return x.t.fail(op, err)
	}
	return x.t.fail("check constraints at once", x.exec(ctx, []string{"SET CONSTRAINTS " + strings.Join(names, ", ") + " IMMEDIATE"}))
}

// orphaned is the condition that a foreign key of a row is in no row of the table
// that it refers to.
func orphaned(columns []string, referred string, keys []string) string {
	d := dialect.PostgreSQL
	var terms, same []string
	for i, column := range columns {
		terms = append(terms, "s."+d.Quote(column)+" IS NOT NULL")
		same = append(same, "r."+d.Quote(keys[i])+" = s."+d.Quote(column))
	}
	terms = append(terms, "NOT EXISTS (SELECT 1 FROM "+referred+" r WHERE "+strings.Join(same, " AND ")+")")
	return strings.Join(terms, " AND ")
}

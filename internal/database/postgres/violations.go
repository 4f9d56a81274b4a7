package postgres

import (
	"context"
	"errors"
	"fmt"
	"slices"
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
	own, err := a.ownReferences()
	if err != nil {
		return err
	}
	constraints = append(knownFirst(constraints, dialect.PostgreSQL.QuoteTable(a.tab.Name)), own...)
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

// knownFirst puts the rows whose unique keys exist in the table before those that repeat a key of the batch, because
// a row of the batch with the same key may be one of the first.
func knownFirst(constraints []database.Constraint, table string) (list []database.Constraint) {
	var unique []database.Constraint
	for _, c := range constraints {
		if c.Unique == nil {
			list = append(list, c)
			continue
		}
		same := database.SameIn(dialect.PostgreSQL, c.Unique)
		list = append(list, database.Constraint{Reason: c.Reason, Violated: "EXISTS (SELECT 1 FROM " + table + " t WHERE " + same + ")"})
		unique = append(unique, c)
	}
	return append(list, unique...)
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
		return a.x.t.fail(op, a.x.exec(a.ctx, []string{"ROLLBACK TO SAVEPOINT violations", "RELEASE SAVEPOINT violations"}))
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
	rows, err := x.tx.Query(ctx, `SELECT contype = 'f', conname, coalesce(pg_get_expr(conbin, conrelid), ''), coalesce(nullif(confrelid, 0)::regclass::text, ''),
		ARRAY(SELECT attname::text FROM unnest(conkey) WITH ORDINALITY k(n, i) JOIN pg_attribute ON attrelid = conrelid AND attnum = n ORDER BY i),
		ARRAY(SELECT attname::text FROM unnest(confkey) WITH ORDINALITY k(n, i) JOIN pg_attribute ON attrelid = confrelid AND attnum = n ORDER BY i)
		FROM pg_constraint WHERE conrelid = to_regclass($1) AND contype IN ('c', 'f') AND conrelid <> confrelid ORDER BY conname`,
		dialect.PostgreSQL.QuoteTable(tab.Name))
	if err != nil {
		return nil, x.t.fail(op, err)
	}
	defer rows.Close()
	for rows.Next() {
		var foreign bool
		var name, expression, referred string
		var columns, keys []string
		err := rows.Scan(&foreign, &name, &expression, &referred, &columns, &keys)
		if err != nil {
			return nil, x.t.fail(op, err)
		}
		if foreign {
			list = append(list, database.Orphans(dialect.PostgreSQL, tab, &database.ForeignKey{Name: name, Table: referred, Columns: columns, To: keys}, referred))
			continue
		}
		_, bare, _ := strings.Cut("."+tab.Name, ".")
		list = append(list, database.Constraint{
			Reason:   refusal.Reason{Columns: database.AtFault(tab, columns), Reason: fmt.Sprintf("new row for relation %q violates check constraint %q", bare, name)},
			Violated: "NOT (" + expression + ")",
		})
	}
	err = rows.Err()
	if err != nil {
		return nil, x.t.fail(op, err)
	}
	unique, err := x.unique(ctx, tab)
	return append(list, unique...), err
}

// unique returns the unique keys of a table, that of the plan first.
func (x *tx) unique(ctx context.Context, tab *table.Table) (list []database.Constraint, err error) {
	if len(tab.Key) > 0 {
		list = append(list, database.Constraint{Unique: tab.Key, Reason: refusal.Reason{Columns: tab.Key, Reason: database.SameKey}})
	}
	keys, err := x.t.UniqueKeys(ctx, tab.Name)
	for _, k := range keys {
		if !slices.Equal(k.Columns, tab.Key) {
			reason := refusal.Reason{Columns: database.AtFault(tab, k.Columns), Reason: fmt.Sprintf("duplicate key value violates unique constraint %q", k.Name)}
			list = append(list, database.Constraint{Unique: k.Columns, Reason: reason})
		}
	}
	return list, err
}

// ownReferences returns the foreign keys by which the table references itself. Rows of the batch may reference each
// other, but not a refused row.
func (a *adder) ownReferences() (list []database.Constraint, err error) {
	keys, err := a.x.t.ForeignKeys(a.ctx, a.tab.Name)
	if err != nil {
		return nil, err
	}
	d := dialect.PostgreSQL
	for _, k := range keys {
		if !k.Own || !a.tab.HasColumns(k.Columns) {
			continue
		}
		err = a.x.exec(a.ctx, []string{"CREATE INDEX ON " + batchName + " (" + d.List(k.Columns) + ")", "ANALYZE " + batchName})
		if err != nil {
			return nil, a.x.t.fail("index the temporary table", err)
		}
		list = append(list, database.Constraint{
			Reason:   database.MissingRow(a.tab, &k),
			Violated: fmt.Sprintf("s.%s IN (%s)", database.RowOfStage, orphanedWithin(&k, d.QuoteTable(a.tab.Name))),
		})
	}
	return list, nil
}

// orphanedWithin selects the rows of the batch that reference a row missing in both the table and the batch, and the
// rows that reference these, directly or through others.
func orphanedWithin(k *database.ForeignKey, table string) string {
	d := dialect.PostgreSQL
	var keys, filled, same, child []string
	for i, column := range k.Columns {
		own, to := d.Quote(column), d.Quote(k.To[i])
		keys, filled = append(keys, "c."+to), append(filled, "c."+own+" IS NOT NULL")
		same, child = append(same, "r."+to+" = c."+own), append(child, "o."+to+" = c."+own)
	}
	equal, row := strings.Join(same, " AND "), "c."+database.RowOfStage
	return fmt.Sprintf(`WITH RECURSIVE o AS (
		SELECT %[1]s, %[2]s FROM %[3]s c WHERE %[4]s AND NOT EXISTS (SELECT 1 FROM %[5]s r WHERE %[6]s) AND NOT EXISTS (SELECT 1 FROM %[3]s r WHERE %[6]s)
		UNION SELECT %[1]s, %[2]s FROM o JOIN %[3]s c ON %[7]s WHERE NOT EXISTS (SELECT 1 FROM %[5]s r WHERE %[6]s)) SELECT %[8]s FROM o`,
		row, strings.Join(keys, ", "), batchName, strings.Join(filled, " AND "), table, equal, strings.Join(child, " AND "), database.RowOfStage)
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

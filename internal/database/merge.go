package database

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// Merged is what became of the rows that were merged into a table.
type Merged struct {
	Inserted  int64 `json:"inserted"`
	Updated   int64 `json:"updated"`
	Unchanged int64 `json:"unchanged"`
	// Agree is how many of them the table has afterwards, every column the same; also of those that were merged before.
	Agree int64 `json:"-"`
	// Duplicates are rows that were removed because a row with the same key was merged before.
	Duplicates *refusal.List `json:"-"`
}

// Rows returns the number of rows.
func (m Merged) Rows() int64 { return m.Inserted + m.Updated + m.Unchanged }

// RowOfStage is the name of the column of a stage that numbers its rows from 1
// on, in the order in which they were sent.
const RowOfStage = dialect.OwnColumn

// Merger merges a stage into a table. Its fields are what differs from one
// database to the other.
type Merger struct {
	DB interface {
		Dialect() *dialect.Dialect
		Exec(ctx context.Context, statement string) (rows int64, err error)
		Query(ctx context.Context, query string) ([][]string, error)
		UniqueKeys(ctx context.Context, table string) ([]UniqueKey, error)
	}
	Row string // how the number of a row of the stage is written
	// HiddenRow is true if * leaves the number of a row out.
	HiddenRow bool
	// Join joins the stage, which has no index, with the table. Hint, after the name of
	// the table, has its index used, however few rows it seems to have.
	Join, Hint string
	// Update is the statement that sets columns where a condition holds, of the
	// table called t and the stage called s.
	Update func(table, stage, set, where string) string
	// Differ is the condition that the values of a column are not the same, even if its
	// collation finds them equal.
	Differ     func(column string, c table.Column) string
	SetPrefix  string // of the columns that an Update sets
	Overriding string // of an INSERT that gives values to identity columns
	// Keyed is what rows of a stage are taken from where their keys are compared with each other,
	// by the collations of the table; nil for the stage itself.
	Keyed func(stage string) string
	// IndexRows is the statement that indexes the rows of the stage by their numbers. It is run when the first row is
	// refused. "" means that they are already indexed.
	IndexRows string
	Whole     bool // the table has no savepoints, so that a refused row ends the merge
	// Constraints are those that can be checked for many rows at once. The others
	// are found by halving.
	Constraints []Constraint
	// Refusal returns why the server does not take a row, if an error is that.
	Refusal func(err error) (why refusal.Reason, ok bool)
}

// Merge updates the rows of a table whose key the stage has, where they differ,
// and inserts those that are new. Rows of the stage that the server does not
// take, or whose key an earlier row of it has, are removed from it. Before is a stage with rows that
// have been merged already, or "". It gets those of this one. Rows whose key it has are removed and
// returned as duplicates, not as refused.
func (m *Merger) Merge(ctx context.Context, t *table.Table, stage, before string, at *Numbers) (done Merged, refused *refusal.List, err error) {
	x := &merging{Merger: m, ctx: ctx, t: t, table: m.DB.Dialect().QuoteTable(t.Name), stage: m.DB.Dialect().Quote(stage)}
	if before != "" {
		x.before = m.DB.Dialect().Quote(before)
	}
	x.refuser = Refuser{DB: m.DB, Stage: x.stage, Row: m.Row, At: at}
	x.write()
	if x.before != "" {
		done.Duplicates, err = x.removeMergedKeys()
	}
	if err == nil {
		err = x.removeDuplicateKeys()
	}
	if err != nil {
		return done, nil, err
	}
	err = x.checkKey()
	if err != nil {
		return done, nil, err
	}
	err = x.checkConstraints(func(c *Constraint) bool { return c.Violated != "" }, x.stage)
	if err != nil {
		return done, nil, err
	}
	if x.differ != "" {
		done.Updated, err = x.apply(x.update, 1, at.rows)
		if err != nil {
			return done, nil, err
		}
	}
	// Rows that are inserted may repeat the unique columns of others.
	all := "s.*"
	if x.HiddenRow {
		all += ", s." + x.Row + " AS " + x.Row
	}
	inserted := fmt.Sprintf("(SELECT %s FROM %s s WHERE NOT EXISTS (SELECT 1 FROM %s t WHERE %s))", all, x.stage, x.table, x.same)
	err = x.checkConstraints(func(c *Constraint) bool { return c.Violated == "" }, inserted)
	if err != nil {
		return done, nil, err
	}
	done.Inserted, err = x.apply(x.insert, 1, at.rows)
	if err != nil {
		return done, nil, err
	}
	rows := at.rows - int64(x.refuser.Refused.Len())
	if done.Duplicates != nil {
		rows -= int64(done.Duplicates.Len())
	}
	done.Unchanged = rows - done.Updated - done.Inserted
	done.Agree, err = x.countAgreeing()
	return done, &x.refuser.Refused, err
}

// countAgreeing counts the rows of the stage that the table has, every column the same, and also those that were merged
// before, to which it adds them.
func (x *merging) countAgreeing() (int64, error) {
	merged := x.stage
	if x.before != "" {
		merged = x.before
		err := x.exec(fmt.Sprintf("INSERT INTO %s (%s) SELECT %s FROM %s s", x.before, x.columns, x.values, x.stage))
		if err != nil {
			return 0, err
		}
	}
	same := x.same
	if x.anyDiffer != "" {
		same += " AND NOT (" + x.anyDiffer + ")"
	}
	return x.count(merged + " s " + x.Join + " " + x.table + " t" + x.Hint + " ON " + same)
}

// merging is the state of a Merge.
type merging struct {
	*Merger
	ctx          context.Context
	t            *table.Table
	table, stage string // quoted
	before       string // likewise, or ""
	same         string // the condition that keys are the same
	differ       string // that columns which are set are not, or ""
	set          string
	keysDiffer   string // that columns of the key are not, although its collations find them equal, or ""
	anyDiffer    string // that a column is not, also one of the key, or ""
	setAny       string
	columns      string
	values       string // the columns of the stage
	refuser      Refuser
	indexed      bool // the rows of the stage
}

// write writes the pieces of the statements.
func (x *merging) write() {
	d := x.DB.Dialect()
	var keysDiffer, setKeys, differ, set, values []string
	isKey := map[string]bool{}
	for _, k := range x.t.Key {
		isKey[k] = true
	}
	for _, c := range x.t.Loaded() {
		name := d.Quote(c.Name)
		values = append(values, "s."+name)
		switch {
		case !isKey[c.Name]:
			differ, set = append(differ, x.Differ(name, c)), append(set, x.SetPrefix+name+" = s."+name)
		case d.Stored(c.Type).Textual():
			keysDiffer, setKeys = append(keysDiffer, x.Differ(name, c)), append(setKeys, x.SetPrefix+name+" = s."+name)
		}
	}
	x.same, x.columns, x.values = SameIn(d, x.t.Key), d.Columns(x.t), strings.Join(values, ", ")
	x.differ, x.set = strings.Join(differ, " OR "), strings.Join(set, ", ")
	x.anyDiffer, x.setAny = strings.Join(append(keysDiffer, differ...), " OR "), strings.Join(append(setKeys, set...), ", ")
	x.keysDiffer = strings.Join(keysDiffer, " OR ")
}

// SameIn is the condition that a row of a table, called t, and one of a stage, called s, have
// the same values in some columns, and no NULL.
func SameIn(d *dialect.Dialect, columns []string) string {
	var same []string
	for _, c := range columns {
		same = append(same, "t."+d.Quote(c)+" = s."+d.Quote(c))
	}
	return strings.Join(same, " AND ")
}

// Repeated is the query for the rows of a stage whose key an earlier row of it
// has, or a row of the table, unless that is "": their numbers in order. row is
// how the number of a row is written; stage and table are quoted.
func Repeated(d *dialect.Dialect, key []string, row, stage, table string) string {
	var keys []string
	for _, k := range key {
		keys = append(keys, "s."+d.Quote(k))
	}
	repeated := fmt.Sprintf("row_number() OVER (PARTITION BY %s ORDER BY s.%s) > 1", strings.Join(keys, ", "), row)
	if table != "" {
		repeated += fmt.Sprintf(" OR EXISTS (SELECT 1 FROM %s t WHERE %s)", table, SameIn(d, key))
	}
	return fmt.Sprintf("SELECT n FROM (SELECT s.%s AS n, CASE WHEN %s THEN 1 ELSE 0 END AS twice FROM %s s) q WHERE twice = 1 ORDER BY n", row, repeated, stage)
}

// removeDuplicateKeys removes the rows of the stage whose key an earlier one has.
func (x *merging) removeDuplicateKeys() error {
	from := x.keyed(x.stage)
	if len(x.t.Key) == 1 { // counting takes half the time or less
		found, err := x.DB.Query(x.ctx, fmt.Sprintf("SELECT count(*), count(DISTINCT s.%s) FROM %s s", x.DB.Dialect().Quote(x.t.Key[0]), from))
		if err != nil || found[0][0] == found[0][1] {
			return err
		}
	}
	return x.refuser.RefuseAll(x.ctx, Repeated(x.DB.Dialect(), x.t.Key, x.Row, from, ""), refusal.Reason{Columns: x.t.Key, Reason: SameKey})
}

// keyed is what rows of a stage are taken from where keys are compared.
func (x *merging) keyed(stage string) string {
	if x.Keyed == nil {
		return stage
	}
	return x.Keyed(stage)
}

// removeMergedKeys removes the rows of the stage with the key of a row that was merged before. The stages have no index
// on the key, so the rows of both are sorted and numbered.
func (x *merging) removeMergedKeys() (*refusal.List, error) {
	keys := x.DB.Dialect().List(x.t.Key)
	query := fmt.Sprintf(`SELECT n FROM (SELECT n, late, row_number() OVER (PARTITION BY %[1]s ORDER BY late, n) AS nth,
			row_number() OVER (PARTITION BY %[1]s, late ORDER BY n) AS nth_late FROM (
		SELECT %[1]s, 0 AS late, %[2]s AS n FROM %[3]s b UNION ALL SELECT %[1]s, 1 AS late, %[2]s AS n FROM %[4]s s) q) w
		WHERE late = 1 AND nth > nth_late ORDER BY n`, keys, x.Row, x.keyed(x.before), x.keyed(x.stage))
	refuser := Refuser{DB: x.DB, Stage: x.stage, Row: x.Row, At: x.refuser.At}
	err := refuser.RefuseAll(x.ctx, query, refusal.Reason{Columns: x.t.Key, Reason: SameKey})
	return &refuser.Refused, err
}

// checkConstraints removes the rows of the stage that violate some constraints.
// from is where rows are taken from that may repeat unique columns. A condition
// that the server does not take, because it is on columns that are not loaded,
// finds none.
func (x *merging) checkConstraints(some func(*Constraint) bool, from string) error {
	d := x.DB.Dialect()
	for i := range x.Constraints {
		c := &x.Constraints[i]
		if !some(c) || slices.Equal(c.Unique, x.t.Key) && c.Unique != nil {
			continue
		}
		query := Repeated(d, c.Unique, x.Row, Filled(d, c.Unique, from), x.table)
		if c.Violated != "" {
			query = fmt.Sprintf("SELECT s.%s FROM %s s WHERE %s ORDER BY 1", x.Row, x.stage, c.Violated)
		}
		err := x.exec(d.Savepoint("check_constraint"))
		if err != nil {
			return err
		}
		err = x.refuser.RefuseAll(x.ctx, query, c.Reason)
		if err != nil {
			err = x.rollBackTo("check_constraint")
		} else {
			err = x.exec(d.Release("check_constraint"))
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// checkKey makes sure that no row of the stage means several of the table. If a key is written
// in another way there, such as in another letter case, keys are set like other columns.
func (x *merging) checkKey() error {
	unique, err := x.uniqueKey()
	rows := "count(DISTINCT n)"
	switch {
	case err != nil || unique && x.keysDiffer == "":
		return err
	case unique:
		rows = "count(*)"
	}
	found, err := x.DB.Query(x.ctx, fmt.Sprintf("SELECT count(*), %s, coalesce(sum(differ), 0) FROM (SELECT s.%s AS n, CASE WHEN %s THEN 1 ELSE 0 END AS differ FROM %s s %s %s t%s ON %s) q",
		rows, x.Row, cmp.Or(x.keysDiffer, "1 = 0"), x.stage, x.Join, x.table, x.Hint, x.same))
	if err != nil {
		return err
	}
	if found[0][0] != found[0][1] {
		return &KeyError{x.t.Name, x.t.Key}
	}
	if found[0][2] != "0" {
		x.differ, x.set = x.anyDiffer, x.setAny
	}
	return nil
}

// uniqueKey reports whether the key is the primary key of the table. A unique index may have another
// collation than its columns.
func (x *merging) uniqueKey() (bool, error) {
	keys, err := x.DB.UniqueKeys(x.ctx, x.t.Name)
	return slices.ContainsFunc(keys, func(k UniqueKey) bool { return k.Primary && SameColumns(k.Columns, x.t.Key) }), err
}

// SameColumns reports whether two lists without repetition name the same columns, in any order.
func SameColumns(a, b []string) bool {
	return len(a) == len(b) && !slices.ContainsFunc(a, func(c string) bool { return !slices.Contains(b, c) })
}

// KeyError says that a key means more than one row of a table.
type KeyError struct {
	Table string
	Key   []string
}

func (e *KeyError) Error() string {
	return fmt.Sprintf("table %s has several rows with the same %s: they cannot be the key of a merge", e.Table, strings.Join(e.Key, ", "))
}

func (x *merging) count(from string) (int64, error) {
	rows, err := x.DB.Query(x.ctx, "SELECT count(*) FROM "+from)
	if err != nil {
		return 0, err
	}
	return strconv.ParseInt(rows[0][0], 10, 64)
}

func (x *merging) update(from, to int64) string {
	return x.Update(x.table, x.stage, x.set, fmt.Sprintf("%s AND (%s) AND s.%s BETWEEN %d AND %d", x.same, x.differ, x.Row, from, to))
}

func (x *merging) insert(from, to int64) string {
	return fmt.Sprintf("INSERT INTO %s (%s)%s SELECT %s FROM %s s LEFT JOIN %s t%s ON %s WHERE s.%s BETWEEN %d AND %d AND t.%s IS NULL",
		x.table, x.columns, x.Overriding, x.values, x.stage, x.table, x.Hint, x.same, x.Row, from, to, x.DB.Dialect().Quote(x.t.Key[0]))
}

// apply runs a statement for some rows of the stage, and finds by halving which
// of them the server refuses.
func (x *merging) apply(statement func(from, to int64) string, from, to int64) (rows int64, err error) {
	if from > to {
		return 0, nil
	}
	if x.Whole {
		return x.DB.Exec(x.ctx, statement(from, to))
	}
	d := x.DB.Dialect()
	err = x.exec(d.Savepoint("merge_rows"))
	if err != nil {
		return 0, err
	}
	rows, err = x.DB.Exec(x.ctx, statement(from, to))
	if err == nil {
		return rows, x.exec(d.Release("merge_rows"))
	}
	why, ok := x.Refusal(err)
	if !ok {
		return 0, err
	}
	err = x.rollBackTo("merge_rows")
	if err == nil && !x.indexed {
		x.indexed = true
		err = x.exec(x.IndexRows)
	}
	if err != nil {
		return 0, err
	}
	if from == to {
		return 0, x.refuser.Refuse(x.ctx, []int64{from}, why)
	}
	middle := (from + to) / 2
	first, err := x.apply(statement, from, middle)
	if err != nil {
		return 0, err
	}
	second, err := x.apply(statement, middle+1, to)
	return first + second, err
}

// rollBackTo rolls back to a savepoint and releases it. Otherwise the next savepoint would be nested in it, and servers
// allow only some thousands of nested ones.
func (x *merging) rollBackTo(savepoint string) error {
	err := x.exec(x.DB.Dialect().RollbackTo(savepoint))
	if err != nil {
		return err
	}
	return x.exec(x.DB.Dialect().Release(savepoint))
}

// exec runs a statement; "" is nothing to do.
func (x *merging) exec(statement string) error {
	if statement == "" {
		return nil
	}
	_, err := x.DB.Exec(x.ctx, statement)
	return err
}

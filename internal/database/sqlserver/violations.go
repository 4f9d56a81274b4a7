package sqlserver

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// batchName is the name of the temporary table of a batch.
const batchName = "#ambertray_batch"

// sift removes the rows of the batch that break a constraint: in one go for each
// constraint, over a temporary table, because there may be many.
func (s *sink) sift() error {
	t := s.x.t
	err := s.x.stage(s.ctx, s.tab, batchName)
	if err != nil {
		return err
	}
	d := dialect.SQLServer
	staged := &table.Table{Name: batchName, Columns: s.tab.Columns}
	columns, err := t.describe(s.ctx, staged)
	if err != nil {
		return err
	}
	rows, err := restated(s.columns, columns, s.batch)
	if err != nil {
		return err
	}
	_, err = t.bulk(s.ctx, insertBulk(d.Quote(batchName), columns, true), columns, rows)
	if err != nil {
		return err
	}
	constraints, err := s.x.constraints(s.ctx, s.tab, batchName)
	if err != nil {
		return err
	}
	why := map[int]*refusal.Reason{}
	for _, c := range constraints {
		query := fmt.Sprintf("DELETE s OUTPUT deleted.%s FROM %s AS s WHERE %s", database.RowOfStage, d.Quote(batchName), c.Condition(d, database.RowOfStage, d.Quote(batchName), t.quoted(s.tab.Name)))
		found, err := t.Query(s.ctx, query)
		if numbered(err, []int32{invalidColumn}) { // it is on columns that are not loaded
			continue
		}
		if err != nil {
			return err
		}
		for _, row := range found {
			n, err := strconv.Atoi(row[0])
			if err != nil {
				return err
			}
			why[n] = &c.Reason
		}
	}
	s.batch.RefuseFor(why, &s.refused)
	return s.x.exec(s.ctx, "DROP TABLE "+d.Quote(batchName))
}

const invalidColumn = 207

// constraints returns those of a table that can be checked for many rows at once:
// what may not be NULL, checks and foreign keys to other tables, and then unique columns,
// which only rows that are loaded can repeat. The key of the plan is the first of these.
// stage is the temporary table that has the rows.
func (x *tx) constraints(ctx context.Context, tab *table.Table, stage string) (list []database.Constraint, err error) {
	d := dialect.SQLServer
	live, err := x.t.columns(ctx, tab.Name)
	if err != nil {
		return nil, err
	}
	for _, c := range live {
		if tab.Column(c.name) != nil && !c.nullable {
			list = append(list, database.Constraint{Violated: "s." + d.Quote(c.name) + " IS NULL", Reason: refusal.Reason{Columns: []string{c.name}, Reason: "no value, but the column is NOT NULL"}})
		}
	}
	checks, err := x.t.Query(ctx, "SELECT name, definition FROM sys.check_constraints WHERE is_disabled = 0 AND parent_object_id = "+x.t.id(tab.Name)+" ORDER BY name")
	if err != nil {
		return nil, err
	}
	for _, row := range checks {
		list = append(list, database.Constraint{Violated: "NOT (" + row[1] + ")", Reason: refusal.Reason{Columns: mentioned(tab, row[1]), Reason: "violates the check constraint " + row[0]}})
	}
	keys, err := x.t.ForeignKeys(ctx, tab.Name)
	if err != nil {
		return nil, err
	}
	unique, err := x.uniqueIndexes(ctx, tab, live, stage)
	return append(append(list, x.t.orphans(tab, keys)...), unique...), err
}

// mentioned returns the loaded columns that the text of a check names.
func mentioned(tab *table.Table, text string) (columns []string) {
	for _, c := range tab.Loaded() {
		if strings.Contains(strings.ToLower(text), "["+strings.ToLower(c.Name)+"]") || slices.Contains(strings.FieldsFunc(strings.ToLower(text), notOfName), strings.ToLower(c.Name)) {
			columns = append(columns, c.Name)
		}
	}
	return columns
}

func notOfName(r rune) bool {
	return r != '_' && (r < 'a' || r > 'z') && (r < '0' || r > '9') && r < 0x80
}

// orphans returns the constraints of the foreign keys to other tables.
func (t *Target) orphans(tab *table.Table, keys []database.ForeignKey) (list []database.Constraint) {
	for _, k := range keys {
		if !k.Own {
			list = append(list, database.Orphans(dialect.SQLServer, tab, &k, t.quoted(k.Table)))
		}
	}
	return list
}

// uniqueIndexes returns the conditions of the unique indexes whose columns are all
// loaded. NULL is a value in them, which only one row may have.
func (x *tx) uniqueIndexes(ctx context.Context, tab *table.Table, live []liveColumn, stage string) (list []database.Constraint, err error) {
	keys, err := x.t.UniqueKeys(ctx, tab.Name)
	for _, k := range keys {
		if !tab.HasColumns(k.Columns) {
			continue
		}
		reason := refusal.Reason{Columns: k.Columns, Reason: "duplicate in unique index " + k.Name}
		if slices.Equal(k.Columns, tab.Key) {
			reason.Reason = database.SameKey
		}
		list = append(list, database.Constraint{Violated: repeats(x.t.quoted(tab.Name), stage, k.Columns, live), Reason: reason})
	}
	return list, err
}

// repeats is the condition that a row of the temporary table repeats one of a table, or
// an earlier one.
func repeats(name, stage string, columns []string, live []liveColumn) string {
	d := dialect.SQLServer
	var same, parts []string
	for _, column := range columns {
		q := d.Quote(column)
		equal := fmt.Sprintf("t.%s = s.%[1]s", q)
		if slices.ContainsFunc(live, func(c liveColumn) bool { return c.name == column && c.nullable }) {
			equal = fmt.Sprintf("(%s OR t.%s IS NULL AND s.%[2]s IS NULL)", equal, q)
		}
		same, parts = append(same, equal), append(parts, "b."+q)
	}
	row := d.Quote(database.RowOfStage)
	return fmt.Sprintf("EXISTS (SELECT 1 FROM %s t WHERE %s) OR s.%s IN (SELECT q.n FROM (SELECT b.%[3]s AS n, row_number() OVER (PARTITION BY %[4]s ORDER BY b.%[3]s) AS nth FROM %[5]s b) q WHERE q.nth > 1)",
		name, strings.Join(same, " AND "), row, strings.Join(parts, ", "), d.Quote(stage))
}

// restated returns the rows of a batch as another table takes them, whose columns may
// be NULL where those of the first may not: then a value has its length before it.
func restated(from, to []wireColumn, b *database.Batch) ([]byte, error) {
	plain := true
	for i := range from {
		plain = plain && from[i].code == to[i].code
	}
	rows := b.Rows(0, b.Len())
	if plain {
		return rows, nil
	}
	var out []byte
	for len(rows) > 0 {
		out, rows = append(out, rows[0]), rows[1:]
		for i := range from {
			n := sizeOf(&from[i], rows)
			if n > len(rows) {
				return nil, fmt.Errorf("a row that is cut off in column %s", from[i].name)
			}
			if fixed[from[i].code] > 0 && fixed[to[i].code] == 0 {
				out = append(out, byte(n))
			}
			out, rows = append(out, rows[:n]...), rows[n:]
		}
	}
	return out, nil
}

package load

import (
	"context"
	"fmt"

	"github.com/dustin/go-humanize"

	"ambertray/internal/database"
	"ambertray/internal/pass"
	"ambertray/internal/proof"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// chooseHash chooses the hash by which rows are proved, none where they are only
// counted: that of the server, if it has one, as then they need not be read back.
func (j *job) chooseHash(ctx context.Context) (err error) {
	if j.Verify == RowsOnly {
		return nil
	}
	summer, ok := j.tx.(database.Summer)
	if ok {
		j.hash, err = summer.RowHash(ctx, j.table)
	}
	j.summer = nil
	if ok && j.hash != nil {
		j.summer = summer
	} else {
		j.hash = rowHash(j.table, j.to.Dialect())
	}
	return err
}

// mark notes which rows an existing table has, so that those that the load adds can
// be distinguished. Where the database cannot do that, all rows are summed now.
func (j *job) mark(ctx context.Context) error {
	err := j.chooseHash(ctx)
	if err != nil {
		return err
	}
	distinguished := false
	j.adder = nil
	adder, ok := j.tx.(database.Adder)
	if ok {
		distinguished, err = adder.Mark(ctx, j.table)
		if distinguished {
			j.adder = adder
		}
	}
	if distinguished || err != nil {
		return err
	}
	j.before, err = j.sumTable(ctx, j.table)
	j.receipt.Counts.TableBefore = &j.before.Rows
	return err
}

// sumTable sums all rows of a table.
func (j *job) sumTable(ctx context.Context, t *table.Table) (proof.Sum, error) {
	switch {
	case j.hash == nil:
		rows, err := j.to.Count(ctx, t.Name)
		return proof.Sum{Rows: rows}, err
	case j.summer != nil:
		return j.summer.Sum(ctx, t, 0, false)
	}
	return sumRows(ctx, j.hash, j.watched(j.receipt.Counts.Loaded, allRows(j.to, t)))
}

// rowsOf reads the rows that the table has of the load; rows is how many they should
// be.
func (j *job) rowsOf(t *table.Table, rows int64) func(context.Context, database.EachRow) error {
	if j.adder == nil {
		return allRows(j.to, t)
	}
	return func(ctx context.Context, each database.EachRow) error { return j.adder.Added(ctx, t, rows, each) }
}

// loadedSum sums the rows that the table has of the load.
func (j *job) loadedSum(ctx context.Context, rows int64) (proof.Sum, error) {
	t := j.table
	switch {
	case j.adder == nil:
		all, err := j.sumTable(ctx, t)
		j.receipt.Counts.TableAfter = &all.Rows
		return all.Minus(j.before), err
	case j.summer != nil:
		return j.summer.Sum(ctx, t, rows, true)
	case j.hash == nil:
		t = &table.Table{Name: t.Name}
	}
	return sumRows(ctx, j.hash, j.watched(rows, j.rowsOf(t, rows)))
}

// expected is the sum of the rows of a pass that are to be in the table.
func expected(out *pass.Outcome) proof.Sum { return proof.Sum{Rows: out.Loaded, Hash: out.Proof.Hash} }

// proveRows compares the rows of the load with those that the table has of it.
// Within, unless nil, says which records of the source are meant.
func (j *job) proveRows(ctx context.Context, want proof.Sum, within func(refusal.Where) bool) ([]Difference, error) {
	got, err := j.loadedSum(ctx, want.Rows)
	if err != nil || got == want {
		return nil, err
	}
	err = j.findDifferences(ctx, j.rowsOf(j.table, want.Rows), within, j.before.Rows == 0)
	if err == nil && j.hash != nil && j.receipt.RowsDiffer == nil && got.Rows < want.Rows {
		j.receipt.Remarks = append(j.receipt.Remarks, fmt.Sprintf("every row of the source is in the table, but the load removed existing rows (%d), "+
			"as a trigger or a constraint such as ON CONFLICT REPLACE does", want.Rows-got.Rows))
	}
	return compareSums(want, got), err
}

// compareSums says how two sums differ.
func compareSums(want, got proof.Sum) []Difference {
	if want.Rows == got.Rows {
		return []Difference{{Figure: "sum of row hashes", Source: fmt.Sprintf("%016x", want.Hash), Table: fmt.Sprintf("%016x", got.Hash)}}
	}
	return []Difference{{Figure: "rows", Source: fmt.Sprint(want.Rows), Table: fmt.Sprint(got.Rows)}}
}

// rowsText is a number of rows for people.
func rowsText(n int64) string {
	if n == 1 {
		return "1 row"
	}
	return humanize.Comma(n) + " rows"
}

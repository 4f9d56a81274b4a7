// Package databasetest holds every target to the contract of package database: one
// suite, run against each database.
package databasetest

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/figures"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// types is one column of every type, with values that are hard to keep.
var types = []struct {
	typ    string
	values [4]string
}{
	{"smallint", [4]string{"-32768", "32767", "0", ""}},
	{"integer", [4]string{"-2147483648", "2147483647", "0", "7"}},
	{"bigint", [4]string{"-9223372036854775808", "9223372036854775807", "9223372036854775806", ""}},
	{"decimal(7,2)", [4]string{"-99999.99", "0.01", "1.3", "10000"}},
	{"decimal(15,6)", [4]string{"123456789.123456", "-0.000001", "0", "999999999.999999"}},
	{"decimal(38,10)", [4]string{"1234567890123456789012345678.0123456789", "-0.0000000001", "0.5", ""}},
	{"decimal(20,20)", [4]string{"0.00000000000000000001", "-0.5", "0", "0.1234"}},
	{"double", [4]string{"1e300", "-2.5e-7", "0.1", ""}},
	{"boolean", [4]string{"true", "no", "Y", ""}},
	{"date", [4]string{"0001-01-01", "9999-12-31", "1969-12-31", ""}},
	{"time", [4]string{"00:00", "23:59:59.999999", "12:30:00.5", ""}},
	{"timestamp", [4]string{"0001-01-01 00:00:00", "9999-12-31 23:59:59.999999", "1969-12-31 23:59:59.5", ""}},
	{"timestamp with time zone", [4]string{"0001-01-02 00:00:00Z", "9999-12-31 23:59:59.999999+00:00", "1969-12-31 23:59:59.5-05:30", ""}},
	{"time(0)", [4]string{"00:00", "23:59:59", "12:30:00.000000", ""}},
	{"timestamp(3)", [4]string{"0001-01-01 00:00:00", "9999-12-31 23:59:59.999", "1969-12-31 23:59:59.5", ""}},
	{"timestamp(1) with time zone", [4]string{"0001-01-02 00:00:00Z", "9999-12-31 23:59:59.9+00:00", "1969-12-31 23:59:59.5-05:30", ""}},
	{"char(6)", [4]string{"00123", "ab", "é漢字😀x", ""}},
	{"varchar(8)", [4]string{" lead", "tab\tin", "quote\"\"d", "12345678"}},
	{"text", [4]string{"line\nbreak", "back\\slash", "ünïcödé", "\\N"}},
	{"uuid", [4]string{"123E4567-e89b-12d3-a456-426614174000", "", "", "00000000-0000-0000-0000-000000000000"}},
}

// Run runs the suite; open opens a connection to one empty database.
func Run(t *testing.T, open func() database.Target) {
	t.Run("two first loads at once make one ledger and one schema", func(t *testing.T) { firstAtOnce(t, open) })
	for _, c := range []struct {
		rule string
		test func(t *testing.T, to database.Target)
	}{
		{"values of every type come back as they went in", everyTypeReturns},
		{"columns that have changed are read as they are", alteredColumns},
		{"every fault of the rows is found and named", everyFaultIsFound},
		{"a rollback leaves nothing, also after an error", rollbackLeavesNothing},
		{"a table that exists is refused", existingTableIsRefused},
		{"rows that are refused become rejects", refusedRowsAreRejects},
		{"a load that is interrupted ends", interruptedLoadEnds},
		{"every file is loaded once", everyPartOnce},
		{"an existing table is added to, emptied or rebuilt", existingTable},
		{"every type is added to", everyTypeIsAdded},
		{"rows that a constraint refuses are rejects", constraintsRefuse},
		{"columns are fitted by position", byPosition},
		{"a dry run tries the keys and the foreign keys", triesConstraints},
		{"rows may refer to later rows of their own table", refersToLaterRows},
		{"rows may repeat keys of rows that are refused", repeatsRefusedRows},
		{"a schema is made on request", makesSchema},
		{"the same content is loaded once", onlyOnce},
		{"a source of which nothing was loaded is loaded by another plan", nothingLoaded},
		{"rows are merged by their key", mergeByKey},
		{"the widest table is loaded and added to", widestTable},
		{"a draft for a table has a key that the table can have", matchedKey},
		{"rejects that were corrected are loaded once", mendOnce},
		{"the definition of a table makes it again", definitionMakesTable},
		{"a table of wide texts is tightened, and keeps its values", tightens},
		{"tabs and returns around texts are taken off, and blank texts need a column that takes NULL", tightensSpaces},
		{"words for true and false keep their meaning when they are tightened", tightensWords},
		{"a table is left as it is on any doubt", doubts},
		{"tables and columns have any names", anyName},
		{"the tables of Amber Tray are not loaded into", ownTables},
		{"nothing else is lost when a table is emptied or rebuilt", losses},
	} {
		t.Run(c.rule, func(t *testing.T) {
			to := open()
			defer to.Close()
			c.test(t, to)
		})
	}
	t.Run("a load in parts continues where it was interrupted", func(t *testing.T) { goesOn(t, open) })
	t.Run("of two loads of the same content at once one is refused", func(t *testing.T) { twoAtOnce(t, open) })
	t.Run("a connection that is lost during verification leaves nothing", func(t *testing.T) { lostInProof(t, open) })
	t.Run("a table that is loaded in lanes is whole, or not there", func(t *testing.T) { inLanes(t, open) })
	t.Run("one load at a time has a table", func(t *testing.T) { oneAtATime(t, open) })
}

func everyTypeReturns(t *testing.T, to database.Target) {
	tr := everyType(t)
	out, rows := fill(t, to, tr, true)
	require.Empty(t, out.Rejects.Groups())
	require.Equal(t, int64(4), rows)
	n, got := figuresOf(t, to, &tr.Table)
	require.Equal(t, int64(4), n)
	for i, c := range tr.Table.Columns {
		require.Equal(t, out.Totals.Figures()[i], got[i], c.Type.String())
	}
}

func rollbackLeavesNothing(t *testing.T, to database.Target) {
	ctx := context.Background()
	tr := everyType(t)
	tr.Table.Name = "undone"
	fill(t, to, tr, false)
	exists, err := to.Exists(ctx, "undone")
	require.NoError(t, err)
	require.False(t, exists)
	require.ErrorIs(t, to.Rows(ctx, &tr.Table, nil), database.ErrNoTable)
}

func existingTableIsRefused(t *testing.T, to database.Target) {
	ctx := context.Background()
	tr := everyType(t)
	tr.Table.Name = `odd "name"; drop`
	fill(t, to, tr, true)
	tx, err := to.Begin(ctx)
	require.NoError(t, err)
	require.ErrorIs(t, tx.Create(ctx, &tr.Table, database.Creation{}), database.ErrExists)
	require.NoError(t, tx.Rollback())
}

func allow(t *testing.T, text string) table.Allowance {
	a, err := table.ParseAllowance(text)
	require.NoError(t, err)
	return a
}

func refusedRowsAreRejects(t *testing.T, to database.Target) {
	ctx := context.Background()
	tr := NewTray(t, "keyed", "a\n1\nx\n2\n1\n2\n3\n", table.Column{From: "a", Name: "a", Type: table.Type{Kind: table.Integer}})
	tr.Table.Key = []string{"a"}
	tx, err := to.Begin(ctx)
	require.NoError(t, err)
	require.NoError(t, tx.Create(ctx, &tr.Table, database.Creation{}))
	_, rows, err := send(t, to, tx, tr)
	require.NoError(t, err)
	require.Equal(t, int64(3), rows)
	require.NoError(t, tx.Rollback())

	// The good rows go in, and verification holds for them alone.
	from := &source.Opener{}
	receipt, err := load.Run(ctx, tr, from, to, load.Options{})
	require.NoError(t, err)
	require.True(t, receipt.Verified)
	require.Equal(t, load.Counts{Read: 6, Loaded: 3, Rejected: 3}, counts(receipt))
	requireRows(t, to, receipt.Table, 3)
	require.Len(t, receipt.Rejects.ByReason, 2)
	require.Equal(t, reject.Group{Column: "a", Reason: database.SameKey, Count: 2, Example: "1", Line: 5}, receipt.Rejects.ByReason[0])
	text, err := os.ReadFile(*receipt.Rejects.File)
	require.NoError(t, err)
	require.Equal(t, 3, strings.Count(string(text), "source.csv"))
	require.Contains(t, string(text), database.SameKey+"; first on line 2,1,")
	require.Contains(t, string(text), database.SameKey+"; first on line 4,2,")

	tr.Table.Name, tr.Table.Allow = "keyed_twice", allow(t, "40%")
	_, err = load.Run(ctx, tr, from, to, load.Options{})
	var many *load.TooManyError
	require.ErrorAs(t, err, &many)
	require.Equal(t, int64(3), many.Rejected)
	require.FileExists(t, many.File)
	exists, err := to.Exists(ctx, tr.Table.Name)
	require.NoError(t, err)
	require.False(t, exists)
	tr.Table.Allow = allow(t, "3")
	_, err = load.Run(ctx, tr, from, to, load.Options{})
	require.NoError(t, err)
}

// existingTable loads into an existing table, in every way that there is.
func existingTable(t *testing.T, to database.Target) {
	ctx := context.Background()
	word := table.Type{Kind: table.Varchar, Size: 5}
	name := table.Column{From: "name", Name: "name", Type: word, Nullable: true}
	plan := func(text string, cols ...table.Column) *tray.Tray { return stock(t, text, cols...) }
	run := func(tr *tray.Tray, existing table.Existing) (*load.Receipt, error) {
		tr.Table.Existing = existing
		return load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
	}
	r, err := run(plan("no,name\n1,ant\n2,\n3,bee\n", no, name), table.Append) // no table yet
	require.NoError(t, err)
	require.Equal(t, load.Created, r.Outcome)
	require.Equal(t, load.Counts{Read: 3, Loaded: 3}, counts(r))
	requireRows(t, to, r.Table, 3)

	// In another order, as other types, with an existing key and one that
	// is new, and an empty column.
	wide := table.Column{From: "name", Name: "NAME", Type: table.Type{Kind: table.Text}, Nullable: true}
	r, err = run(plan("name,no\naphid,7\n,3\nwasp,-4\n,9\n", wide, table.Column{From: "no", Name: "no", Type: table.Type{Kind: table.Integer}}), table.Append)
	require.NoError(t, err)
	require.True(t, r.Verified)
	require.Equal(t, load.Counts{Read: 4, Loaded: 3, Rejected: 1}, counts(r))
	requireRows(t, to, r.Table, 6)
	require.Equal(t, database.SameKey, r.Rejects.ByReason[0].Reason)

	_, err = run(plan("no,colour\n5,red\n", no, table.Column{From: "colour", Name: "colour", Type: word}), table.Append)
	var unfit *load.MismatchError
	require.ErrorAs(t, err, &unfit)
	require.ErrorContains(t, err, "colour: the table has no such column")
	_, err = run(plan("no,name\n5,red\n", no), table.Append)
	require.Error(t, err, "a heading that the plan does not know")
	only := plan("no,name\n5,red\n", table.Column{From: "no", Name: "remark", Type: word}, table.Column{From: "name", Name: "name", Type: word})
	only.Table.Key = nil
	_, err = run(only, table.Append)
	require.ErrorContains(t, err, "remark: the table has no such column")
	require.ErrorContains(t, err, "no: is NOT NULL without a default")

	check, err := load.DryRun(ctx, plan("no,name\n5,red\n", no, name), &source.Opener{}, to, load.CheckOptions{})
	require.NoError(t, err)
	require.False(t, check.Possible(), "existing is refuse")

	r, err = run(plan("no,name\n1,fly\n", no, name), table.Empty)
	require.NoError(t, err)
	require.Equal(t, load.Counts{Read: 1, Loaded: 1}, counts(r))
	requireRows(t, to, r.Table, 1)
	days := plan("no,day\n1,2026-01-01\n2,\n", no, day)
	days.Table.Existing = table.Rebuild
	r, err = load.Run(ctx, days, &source.Opener{}, to, load.Options{AcceptLoss: true})
	require.NoError(t, err)
	require.Equal(t, load.Rebuilt, r.Outcome)
	require.Equal(t, int64(2), *r.Counts.TableAfter)
	live, err := database.Columns(ctx, to, "stock")
	require.NoError(t, err)
	require.Equal(t, "day", live[1].Name)
	failureLeavesTable(t, to)
}

// stock returns a tray of one table with the key no.
func stock(t *testing.T, text string, cols ...table.Column) *tray.Tray {
	tr := NewTray(t, "stock", text, cols...)
	tr.Table.Key = []string{"no"}
	return tr
}

var (
	no  = table.Column{From: "no", Name: "no", Type: table.Type{Kind: table.BigInt}}
	day = table.Column{From: "day", Name: "day", Type: table.Type{Kind: table.Date}, Nullable: true}
)

// failureLeavesTable leaves a table of two rows unchanged, also before the first checkpoint.
func failureLeavesTable(t *testing.T, to database.Target) {
	ctx := context.Background()
	bad := stock(t, "no,day\n1,x\n2,y\n", no, day)
	bad.Table.Allow = allow(t, "0")
	for _, existing := range []table.Existing{table.Append, table.Empty, table.Rebuild} {
		for _, every := range []int64{0, 100} {
			bad.Table.Existing = existing
			_, err := load.Run(ctx, bad, &source.Opener{}, to, load.Options{Every: every})
			var many *load.TooManyError
			require.ErrorAs(t, err, &many)
			requireRows(t, to, "stock", 2)
		}
	}
}

// everyTypeIsAdded adds the values of every type to a table that has them.
func everyTypeIsAdded(t *testing.T, to database.Target) {
	tr := everyType(t)
	tr.Table.Name, tr.Table.Existing = "added", table.Append
	for i := range int64(3) {
		r, err := load.Run(context.Background(), tr, &source.Opener{}, to, load.Options{Again: true})
		require.NoError(t, err)
		require.Empty(t, r.Differences)
		requireRows(t, to, "added", 4*i+4)
	}
}

func interruptedLoadEnds(t *testing.T, to database.Target) {
	ctx := context.Background()
	tr := everyType(t)
	tr.Table.Name = "interrupted"
	tx, err := to.Begin(ctx)
	require.NoError(t, err)
	require.NoError(t, tx.Create(ctx, &tr.Table, database.Creation{}))
	sink, err := tx.Load(ctx, &tr.Table)
	require.NoError(t, err)
	_, err = sink.Close(context.Canceled)
	require.NoError(t, err)
	require.NoError(t, tx.Rollback())
	exists, err := to.Exists(ctx, "interrupted")
	require.NoError(t, err)
	require.False(t, exists)
}

// everyType returns a tray with a column of each type.
func everyType(t *testing.T) *tray.Tray {
	t.Helper()
	var cols []table.Column
	rows := make([][]string, 4)
	var head []string
	for i, c := range types {
		typ, err := table.ParseType(c.typ)
		require.NoError(t, err)
		if typ.Textual() {
			typ.Characters = table.Unicode
		}
		name := fmt.Sprintf("c%d", i)
		head = append(head, name)
		cols = append(cols, table.Column{From: name, Name: name, Type: typ, Nullable: true})
		for r, v := range c.values {
			rows[r] = append(rows[r], `"`+v+`"`)
		}
	}
	text := strings.Join(head, ",") + "\n"
	for _, r := range rows {
		text += strings.Join(r, ",") + "\n"
	}
	return NewTray(t, "every_type", text, cols...)
}

// NewTray returns a tray over a file that holds the text, in a folder of its own.
func NewTray(t *testing.T, name, text string, cols ...table.Column) *tray.Tray {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "source.csv"), []byte(text), 0o600))
	tr := &tray.Tray{Dir: filepath.Join(dir, "source.tray"), Files: []string{"source.csv"}, Table: table.Table{Name: name, Columns: cols}}
	tr.Layout.Delimiter, tr.Layout.Quote, tr.Layout.HeaderLine = ",", `"`, 1
	return tr
}

func fill(t *testing.T, to database.Target, tr *tray.Tray, commit bool) (*pass.Outcome, int64) {
	t.Helper()
	ctx := context.Background()
	tx, err := to.Begin(ctx)
	require.NoError(t, err)
	require.NoError(t, tx.Create(ctx, &tr.Table, database.Creation{}))
	out, rows, err := send(t, to, tx, tr)
	require.NoError(t, err)
	if commit {
		require.NoError(t, tx.Commit(ctx, nil))
	}
	require.NoError(t, tx.Rollback())
	return out, rows
}

func send(t *testing.T, to database.Target, tx database.Tx, tr *tray.Tray) (*pass.Outcome, int64, error) {
	t.Helper()
	sink, err := tx.Load(context.Background(), &tr.Table)
	require.NoError(t, err)
	p, err := pass.Open(context.Background(), tr, &source.Opener{})
	require.NoError(t, err)
	defer p.Close()
	out, err := p.Run(context.Background(), pass.Options{
		Dialect: to.Dialect(), Encoder: sink.Encoder(),
		Block: func(k *convert.Block) error { return sink.Write(k) },
	})
	rows, closeErr := sink.Close(err)
	if err == nil {
		err = closeErr
	}
	return out, rows, err
}

// counts are the counts of a receipt, but for those of the table, which are only
// known where all of it was examined.
func counts(r *load.Receipt) load.Counts {
	c := r.Counts
	c.TableBefore, c.TableAfter = nil, nil
	return c
}

func requireRows(t require.TestingT, to database.Target, table string, want int64) {
	rows, err := to.Count(context.Background(), table)
	require.NoError(t, err)
	require.Equal(t, want, rows)
}

// figuresOf reads a table and adds up its columns.
func figuresOf(t *testing.T, to database.Target, tab *table.Table) (rows int64, list []table.Figures) {
	totals := figures.NewTotals(to.Dialect().StoredTypes(tab))
	require.NoError(t, to.Rows(context.Background(), tab, func(row []value.Value) error {
		rows++
		totals.Row(row)
		return nil
	}))
	return rows, totals.Figures()
}

package load_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/database/sqlite"
	"ambertray/internal/databasetest"
	"ambertray/internal/differ"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// desk is a database and what the tests load into it: a table called find with a
// number, which is the key, and a name of at most five characters.
type desk struct {
	*testing.T
	db *sqlite.Target
}

func newDesk(t *testing.T) *desk {
	db, err := sqlite.Open(filepath.Join(t.TempDir(), "museum.db"), true)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return &desk{t, db}
}

// plan returns a tray of records such as "1,ant 2,bee".
func (d *desk) plan(existing table.Existing, records string) *tray.Tray {
	tr := databasetest.NewTray(d.T, "find", "no,name\n"+strings.ReplaceAll(records, " ", "\n")+"\n",
		table.Column{From: "no", Name: "no", Type: table.Type{Kind: table.BigInt}},
		table.Column{From: "name", Name: "name", Type: table.Type{Kind: table.Varchar, Size: 5}, Nullable: true})
	tr.Table.Key, tr.Table.Existing = []string{"no"}, existing
	return tr
}

func (d *desk) load(tr *tray.Tray, o load.Options) (*load.Receipt, error) {
	return load.Run(context.Background(), tr, &source.Opener{}, d.db, o)
}

// loads loads records, which has to succeed.
func (d *desk) loads(existing table.Existing, records string) *load.Receipt {
	d.Helper()
	r, err := d.load(d.plan(existing, records), load.Options{})
	require.NoError(d, err)
	require.True(d, r.Verified)
	return r
}

// rows returns the table's rows, such as "1 ant, 2 bee".
func (d *desk) rows() string {
	d.Helper()
	rows, err := d.db.Query(context.Background(), "SELECT no, coalesce(name, '-') FROM find ORDER BY no")
	require.NoError(d, err)
	var list []string
	for _, row := range rows {
		list = append(list, strings.Join(row, " "))
	}
	return strings.Join(list, ", ")
}

func (d *desk) exec(statement string) {
	d.Helper()
	_, err := d.db.Exec(context.Background(), statement)
	require.NoError(d, err)
}

// TestWhole creates, appends, empties and rebuilds in one transaction.
func TestWhole(t *testing.T) {
	d := newDesk(t)
	for _, c := range []struct {
		existing table.Existing
		records  string
		outcome  load.Outcome
		counts   load.Counts
		rows     string
	}{
		{table.Refuse, "1,ant 2,bee 2,cat 3,grasshopper", load.Created, load.Counts{Read: 4, Loaded: 2, Rejected: 2}, "1 ant, 2 bee"},
		{table.Append, "2,dog 4,", load.Appended, load.Counts{Read: 2, Loaded: 1, Rejected: 1}, "1 ant, 2 bee, 4 -"},
		{table.Empty, "4,eel x,fly", load.Emptied, load.Counts{Read: 2, Loaded: 1, Rejected: 1}, "4 eel"},
		{table.Rebuild, "5,gnu", load.Rebuilt, load.Counts{Read: 1, Loaded: 1}, "5 gnu"},
	} {
		r := d.loads(c.existing, c.records)
		require.Equal(t, c.outcome, r.Outcome)
		require.Equal(t, c.counts, counts(r))
		require.Equal(t, c.rows, d.rows())
		require.Equal(t, c.counts.Rejected > 0, r.Rejects.File != nil)
	}
	_, err := d.load(d.plan(table.Refuse, "9,owl"), load.Options{})
	require.ErrorIs(t, err, database.ErrExists)
	tr := d.plan(table.Append, "6,x y,z")
	tr.Table.Allow, err = table.ParseAllowance("0")
	require.NoError(t, err)
	_, err = d.load(tr, load.Options{})
	var many *load.TooManyError
	require.ErrorAs(t, err, &many)
	require.FileExists(t, many.File, "the rejects are there to be examined")
	require.Equal(t, "5 gnu", d.rows())
	tr = d.plan(table.Append, "7,owl")
	tr.Table.Columns[1].Name = "colour"
	_, err = d.load(tr, load.Options{})
	var mismatch *load.MismatchError
	require.ErrorAs(t, err, &mismatch)
	require.NoDirExists(t, tr.LoadDir("0001"), "a load that did nothing leaves no folder")
}

// TestDependents names what a rebuilt table would lose, and loses it on request.
func TestDependents(t *testing.T) {
	d := newDesk(t)
	d.loads(table.Refuse, "1,ant")
	d.exec("CREATE INDEX find_name ON find (name)")
	_, err := d.load(d.plan(table.Rebuild, "2,bee"), load.Options{})
	var loss *load.LossError
	require.ErrorAs(t, err, &loss)
	require.Equal(t, []string{"index find_name"}, loss.What)
	tr := d.plan(table.Rebuild, "2,bee")
	tr.Table.Indexes = [][]string{{"name"}}
	r, err := d.load(tr, load.Options{AcceptLoss: true})
	require.NoError(t, err)
	require.Contains(t, r.Remarks[0], "index find_name")
	require.Equal(t, "2 bee", d.rows())
	tr = d.plan(table.Rebuild, "3,cat")
	tr.Table.Columns[1].Name = "title"
	_, err = d.load(tr, load.Options{AcceptLoss: true})
	require.NoError(t, err)
	tr.Table.Columns[1].Name = "name"
	r, err = d.load(tr, load.Options{Again: true})
	require.NoError(t, err, "an earlier load of the tray has filled the column title")
	require.Empty(t, r.Remarks)
}

// TestAlreadyLoaded refuses content that the table has, by the file.
func TestAlreadyLoaded(t *testing.T) {
	d := newDesk(t)
	d.loads(table.Append, "1,ant")
	var again *load.AgainError
	_, err := d.load(d.plan(table.Append, "1,ant"), load.Options{})
	require.ErrorAs(t, err, &again)
	tr := d.plan(table.Append, "1,ant")
	require.NoError(t, os.WriteFile(filepath.Join(filepath.Dir(tr.Dir), "more.csv"), []byte("no,name\n2,bee\n"), 0o600))
	tr.Files = append(tr.Files, "more.csv")
	_, err = d.load(tr, load.Options{})
	require.ErrorContains(t, err, "1 of 2 files and sheets were already loaded into find: ")
	r, err := d.load(tr, load.Options{OnlyNew: true})
	require.NoError(t, err)
	require.Len(t, r.LeftOut, 1)
	require.Equal(t, "1 ant, 2 bee", d.rows())
	r = d.loads(table.Append, "3,cat") // the name of the file was loaded before
	require.Contains(t, r.Notes[len(r.Notes)-1].What, "loaded with other content")
	r, err = d.load(d.plan(table.Append, "3,cat"), load.Options{Again: true})
	require.NoError(t, err)
	require.Equal(t, int64(1), r.Counts.Rejected)
	r, err = d.load(d.plan(table.Append, "3,cat"), load.Options{NoLedger: true, Verify: load.RowsOnly})
	require.NoError(t, err)
	require.False(t, r.InLedger)
}

// interrupting returns options of a load that is cancelled once some records were
// read.
func interrupting(every int64) (context.Context, load.Options) {
	ctx, cancel := context.WithCancel(context.Background())
	return ctx, load.Options{Every: every, Progress: func(p pass.Progress) {
		if p.Records > 100_000 {
			cancel()
		}
	}}
}

// TestCheckpoints resumes a load where it was interrupted.
func TestCheckpoints(t *testing.T) {
	d := newDesk(t)
	var records strings.Builder
	for range 120_000 {
		records.WriteString("7,ant ")
	}
	_, err := d.load(d.plan(table.Merge, "1,ant"), load.Options{Every: 2})
	require.ErrorIs(t, err, load.ErrMergeOnce)
	_, err = d.load(d.plan(table.Append, "1,ant"), load.Options{Every: 2, NoLedger: true})
	require.ErrorIs(t, err, load.ErrNeedsLedger)

	r, err := d.load(d.plan(table.Refuse, "1,ant 2,bee 3,cat x,dog 5,eel 5,fly"), load.Options{Every: 2})
	require.NoError(t, err)
	require.Equal(t, load.Counts{Read: 6, Loaded: 4, Rejected: 2}, counts(r))
	require.Nil(t, r.Counts.TableAfter, "the rows of the table at the first checkpoint are not those at the end")

	d.exec("CREATE TABLE other (no bigint, name text)")
	d.exec("CREATE TRIGGER again AFTER INSERT ON other WHEN new.no = 1 BEGIN INSERT INTO other VALUES (2, 'x'); END")
	tr := d.plan(table.Append, strings.TrimSpace(records.String()))
	tr.Table.Name, tr.Table.Key = "other", nil
	ctx, o := interrupting(1000)
	_, err = load.Run(ctx, tr, &source.Opener{}, d.db, o)
	var partial *load.PartialError
	require.ErrorAs(t, err, &partial)
	require.Positive(t, partial.Entry.Loaded)
	other := d.plan(table.Append, strings.TrimSpace(records.String()))
	other.Table.Name, other.Table.Key = "other", nil
	_, err = d.load(other, load.Options{})
	var otherTray *load.OtherTrayError
	require.ErrorAs(t, err, &otherTray)
	d.exec("INSERT INTO other VALUES (3, 'x')")
	r, err = d.load(tr, load.Options{}) // which resumes without being asked to
	require.NoError(t, err)
	require.Equal(t, partial.Entry.Loaded, r.ResumedFrom)
	require.Equal(t, load.Counts{Read: 120_000, Loaded: 120_000}, counts(r))
	require.Empty(t, r.Remarks, "what others wrote before is not among it")
	tr = d.plan(table.Append, "1,ant 4,bee")
	tr.Table.Name, tr.Table.Key = "other", nil
	r, err = d.load(tr, load.Options{Every: 1})
	require.NoError(t, err)
	require.Contains(t, r.Remarks[len(r.Remarks)-1], "1 row more than expected")

	tr = d.plan(table.Append, "11,a 12,b x,c y,d 13,e 14,f")
	tr.Table.Allow, err = table.ParseAllowance("1")
	require.NoError(t, err)
	_, err = d.load(tr, load.Options{Every: 1})
	require.Error(t, err)
	require.Equal(t, "1 ant, 2 bee, 3 cat, 5 eel", d.rows())
}

// TestMerged updates, inserts and leaves unchanged, by the key.
func TestMerged(t *testing.T) {
	d := newDesk(t)
	require.Equal(t, load.Created, d.loads(table.Merge, "1,ant 2,bee").Outcome)
	r := d.loads(table.Merge, "1,ant 2,cat 3,dog 3,eel 4,grasshopper")
	require.Equal(t, database.Merged{Inserted: 1, Updated: 1, Unchanged: 1, Agree: 3}, *r.Merged)
	require.Equal(t, load.Counts{Read: 5, Loaded: 3, Rejected: 2}, counts(r))
	require.Equal(t, "1 ant, 2 cat, 3 dog", d.rows())
	tr := d.plan(table.Merge, "1,x")
	tr.Table.Key = nil
	_, err := d.load(tr, load.Options{})
	require.ErrorIs(t, err, load.ErrNoKey)
	tr = d.plan(table.Merge, "5,owl")
	_, err = d.load(tr, load.Options{})
	require.NoError(t, err)
	v, err := load.Verify(context.Background(), tr, &source.Opener{}, d.db, load.VerifyOptions{})
	require.NoError(t, err)
	require.True(t, v.Verified)
	require.Equal(t, v.Rows-1, v.Elsewhere)
}

// TestEncodingNoted names the encoding of a file that is not in that of its plan.
func TestEncodingNoted(t *testing.T) {
	d := newDesk(t)
	tr := d.plan(table.Refuse, "1,Gl\xfcck 2,K\xf6nig 3,M\xe4dle 4,ant")
	tr.Layout.Encoding = "utf-8"
	r, err := d.load(tr, load.Options{})
	require.NoError(t, err)
	require.Equal(t, load.Counts{Read: 4, Loaded: 1, Rejected: 3}, counts(r))
	require.Contains(t, r.Notes[0].What, "looks like windows-1252, and the plan says utf-8: --encoding windows-1252 reads it")
}

// stored is a database whose tables are stored in another way; fail, unless nil, is
// the error of the next commit without an entry in the ledger.
type stored struct {
	*sqlite.Target
	storage database.Storage
	fail    error
}

func (s *stored) Storage(context.Context, string) (database.Storage, error) { return s.storage, nil }

func (s *stored) Begin(ctx context.Context) (database.Tx, error) {
	tx, err := s.Target.Begin(ctx)
	return &storedTx{tx, s}, err
}

type storedTx struct {
	database.Tx
	of *stored
}

func (x *storedTx) Commit(ctx context.Context, entry *ledger.Entry) error {
	if entry == nil && x.of.fail != nil {
		return x.of.fail
	}
	return x.Tx.Commit(ctx, entry)
}

// TestStorage says what a table cannot promise before it is loaded.
func TestStorage(t *testing.T) {
	d, ctx := newDesk(t), context.Background()
	d.loads(table.Refuse, "1,ant")
	to := &stored{Target: d.db, storage: database.Storage{Engine: "Slate", NoTransactions: true}}
	_, err := load.Run(ctx, d.plan(table.Append, "2,bee"), &source.Opener{}, to, load.Options{})
	var engine *load.EngineError
	require.ErrorAs(t, err, &engine)
	r, err := load.Run(ctx, d.plan(table.Append, "2,bee"), &source.Opener{}, to, load.Options{NoRollback: true})
	require.NoError(t, err)
	require.Contains(t, r.Remarks[0], "Slate, which has no transactions")

	to = &stored{Target: d.db, storage: database.Storage{Engine: "Slate", Servers: []string{"north", "south"}}}
	_, err = load.Run(ctx, d.plan(table.Append, "3,cat"), &source.Opener{}, to, load.Options{Every: 1})
	require.ErrorIs(t, err, load.ErrOneCommit)
	r, err = load.Run(ctx, d.plan(table.Append, "3,cat"), &source.Opener{}, to, load.Options{})
	require.NoError(t, err)
	require.Contains(t, r.Remarks[0], "north, south")
	require.Equal(t, "1 ant, 2 bee, 3 cat", d.rows())
	to.fail = errors.New("south is gone")
	tr := d.plan(table.Append, "4,dog x,eel")
	_, err = load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
	var inDoubt *load.DoubtError
	require.ErrorAs(t, err, &inDoubt)
	require.ErrorContains(t, err, "south is gone; the table is on several servers")
	require.FileExists(t, filepath.Join(tr.LoadDir("0001"), "rejects.csv"))
	to.fail = nil
	_, err = load.Run(ctx, d.plan(table.Append, "4,dog x,eel"), &source.Opener{}, to, load.Options{})
	require.ErrorContains(t, err, "was interrupted, and the table is on several servers")
	entries, err := ledger.Read(ctx, d.db, "")
	require.NoError(t, err)
	require.Equal(t, ledger.InDoubt, entries[len(entries)-1].State)
	check, err := load.DryRun(ctx, d.plan(table.Append, "5,x"), &source.Opener{}, to, load.CheckOptions{})
	require.NoError(t, err)
	require.Contains(t, check.Storage[0], "on other servers: north, south")
}

// TestVerify compares with the source, and names what differs.
func TestVerify(t *testing.T) {
	d, ctx := newDesk(t), context.Background()
	tr := d.plan(table.Refuse, "1,ant 2,bee x,cat")
	check, err := load.DryRun(ctx, tr, &source.Opener{}, d.db, load.CheckOptions{})
	require.NoError(t, err)
	require.True(t, check.Possible())
	require.Equal(t, int64(1), check.Rejected())
	require.Equal(t, load.Verdict{Name: "no", Type: "bigint", Verdict: "rejects", Why: "1 record: not a whole number"}, check.Columns[0])
	_, err = load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{})
	require.ErrorIs(t, err, database.ErrNoTable)
	d.exec("CREATE TABLE find (no integer)")
	_, err = load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{})
	require.ErrorContains(t, err, "name: the table has no such column")
	d.exec("DROP TABLE find")
	_, err = d.load(tr, load.Options{})
	require.NoError(t, err)
	d.exec("UPDATE find SET name = 'wasp' WHERE no = 2")
	v, err := load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{})
	require.NoError(t, err)
	require.False(t, v.Verified)
	require.Equal(t, "'bee' 'wasp'", v.RowsDiffer.First[0].InSource+" "+v.RowsDiffer.First[0].InTable)
	check, err = load.DryRun(ctx, tr, &source.Opener{}, d.db, load.CheckOptions{})
	require.NoError(t, err)
	require.False(t, check.Possible(), "the table exists")
}

// TestParts counts the rows of each file in the table, and by position.
func TestParts(t *testing.T) {
	d, ctx := newDesk(t), context.Background()
	tr := d.plan(table.Refuse, "1,ant 2,bee")
	require.NoError(t, os.WriteFile(filepath.Join(filepath.Dir(tr.Dir), "more.csv"), []byte("no,name\n3,cat\n"), 0o600))
	tr.Files = append(tr.Files, "more.csv")
	tr.Table.Columns = append(tr.Table.Columns, table.Column{Name: "file", Value: "{file}", Type: table.Type{Kind: table.Text}, Nullable: true})
	_, err := d.load(tr, load.Options{})
	require.NoError(t, err)
	v, err := load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{})
	require.NoError(t, err)
	require.True(t, v.Verified)
	require.Equal(t, int64(1), *v.Parts[1].Rows)
	d.exec("UPDATE find SET file = 'more.csv' WHERE no = 1")
	v, err = load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{})
	require.NoError(t, err)
	require.Contains(t, v.Differences, load.Difference{Figure: "rows of " + v.Parts[0].Title(), Source: "2", Table: "1"})

	d.exec("CREATE TABLE placed (number bigint, called text)")
	tr = d.plan(table.Append, "1,ant")
	tr.Table.Name, tr.Table.Key, tr.Table.ByPosition = "placed", nil, true
	_, err = d.load(tr, load.Options{})
	require.NoError(t, err)
	v, err = load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{})
	require.NoError(t, err)
	require.True(t, v.Verified)
}

// lying is a database whose table lacks a letter of what is added to it.
type lying struct{ *sqlite.Target }

func (l lying) Begin(ctx context.Context) (database.Tx, error) {
	tx, err := l.Target.Begin(ctx)
	return lyingTx{tx, tx.(database.Adder)}, err
}

type lyingTx struct {
	database.Tx
	database.Adder
}

func (l lyingTx) Added(ctx context.Context, t *table.Table, rows int64, each database.EachRow) error {
	return l.Adder.Added(ctx, t, rows, func(row []value.Value) error {
		row[1].Text = row[1].Text[:2]
		return each(row)
	})
}

// TestDiffersAfterCheckpoint says how many rows stay although verification failed.
func TestDiffersAfterCheckpoint(t *testing.T) {
	d := newDesk(t)
	r, err := load.Run(context.Background(), d.plan(table.Refuse, "1,ant 2,bee 3,cat"), &source.Opener{}, lying{d.db}, load.Options{Every: 2})
	require.ErrorIs(t, err, load.ErrDiffers)
	require.ErrorIs(t, err, load.ErrCommitted)
	require.Equal(t, int64(2), r.Committed)
	require.Equal(t, []differ.Difference{{Kind: differ.Changed, Key: "3", Source: r.RowsDiffer.First[0].Source, Line: 4, Column: "name", InSource: "'cat'", InTable: "'ca'"}},
		r.RowsDiffer.First, "only of what was not committed")
	require.Equal(t, "1 ant, 2 bee", d.rows())
}

// TestErrors says what failed, where and why.
func TestErrors(t *testing.T) {
	entry := ledger.Entry{ID: "20260101-120000-abcd", Source: "a.csv", Tray: "a.tray", Loaded: 5, Place: ledger.Place{Record: 7}}
	allow, err := table.ParseAllowance("1%")
	require.NoError(t, err)
	for want, err := range map[string]error{
		"interrupted; 5 rows are committed, up to record 7, as load 20260101-120000-abcd":                               &load.PartialError{Err: errors.New("interrupted"), Entry: entry},
		"load 20260101-120000-abcd of a.csv was begun from a.tray and interrupted after 5 rows":                         &load.OtherTrayError{Entry: entry},
		"3 of 9 records are rejected, and the plan allows 1%; they are kept in r.csv":                                   &load.TooManyError{Rejected: 3, Records: 9, Allow: allow, File: "r.csv"},
		"rebuild table loan: these would be lost: " + strings.Repeat("column a, ", 19) + "column a and 5 more":          &load.LossError{Existing: table.Rebuild, Table: "loan", What: slices.Repeat([]string{"column a"}, 25)},
		"the plan does not fit table loan:\n  a: no such column":                                                        &load.MismatchError{Table: "loan", Columns: []load.Verdict{{Name: "a", Why: "no such column"}}},
		"rebuild table loan: these would be lost: view v, index i":                                                      &load.LossError{Table: "loan", What: []string{"view v", "index i"}},
		"empty table loan: other tables may change too: trigger t":                                                      &load.LossError{Existing: table.Empty, Table: "loan", What: []string{"trigger t"}},
		"table loan is stored by Slate, which has no transactions: a load that fails would leave rows in it":            &load.EngineError{Table: "loan", Engine: "Slate"},
		"the content of a.csv was already loaded into loan: 5 rows on 0001-01-01 00:00:00 UTC, as load x":               &load.AgainError{Table: "loan", Of: 1, Parts: []load.LoadedPart{{Source: "a.csv", Load: "x", Entry: entry}}},
		"south is gone; the table is on several servers: whether all, some or none of them have committed is not known": &load.DoubtError{Err: errors.New("south is gone")},
	} {
		require.EqualError(t, err, want)
	}
	var depth load.Depth
	require.NoError(t, depth.Set("counts"))
	require.Equal(t, "counts", depth.String())
	require.ErrorContains(t, depth.Set("some"), "write rows or counts")
}

// TestMatchTable fits a draft to a table by the names of its columns, with the types of
// the table, whatever the draft has taken its values for.
func TestMatchTable(t *testing.T) {
	d, ctx := newDesk(t), context.Background()
	d.exec("CREATE TABLE visit (No integer, day date, fee decimal(7,2), name varchar(9))")
	text := func(name string) table.Column {
		return table.Column{From: name, Name: strings.ToLower(name), Type: table.Type{Kind: table.Text}}
	}
	tr := d.plan(table.Refuse, "1,ant")
	tr.Table = table.Table{Name: "visit", Key: []string{"no"}, Columns: []table.Column{text("NO"), text("Day"), text("Fee"), text("Remark"), {From: "x", LeaveOut: true}}}
	without, err := load.MatchNames(ctx, tr, d.db)
	require.NoError(t, err)
	require.Equal(t, []string{"Remark"}, without)
	var got []string
	for _, c := range tr.Table.Loaded() {
		got = append(got, c.From+" "+c.Name+" "+c.Type.String()+c.Thousands)
	}
	require.Equal(t, []string{"NO No bigint,", "Day day date", "Fee fee decimal(7,2),"}, got)
	require.Equal(t, []string{"No"}, tr.Table.Key)
	tr.Table.Key = []string{"remark"}
	_, err = load.MatchNames(ctx, tr, d.db)
	require.NoError(t, err)
	require.Nil(t, tr.Table.Key, "a key that the table does not have whole")
	tr.Table.Name = "nothing"
	_, err = load.MatchNames(ctx, tr, d.db)
	require.ErrorIs(t, err, database.ErrNoTable)
}

// TestShownRows shows the first rows of a load and of a verification as the table has
// them, also where it lacks one.
func TestShownRows(t *testing.T) {
	d, ctx := newDesk(t), context.Background()
	tr := d.plan(table.Refuse, "1,ant x,bee 3,cat 4,dog")
	r, err := d.load(tr, load.Options{Rows: 2})
	require.NoError(t, err)
	require.Len(t, r.Rows, 2)
	require.Equal(t, []any{int64(2), "1,ant", []string{"1", "'ant'"}}, []any{r.Rows[0].Line, r.Rows[0].Text, r.Rows[0].InTable})
	require.Equal(t, []any{int64(4), "3,cat", []string{"3", "'cat'"}}, []any{r.Rows[1].Line, r.Rows[1].Text, r.Rows[1].InTable})
	tr.Table.Existing = table.Empty
	r, err = d.load(tr, load.Options{Rows: 2, Every: 1, Again: true})
	require.NoError(t, err)
	require.Equal(t, []string{"1", "'ant'"}, r.Rows[0].InTable, "which an earlier transaction committed")
	d.exec("DELETE FROM find WHERE no = 1")
	v, err := load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{Rows: 9, Figures: true})
	require.NoError(t, err)
	require.Len(t, v.FirstRows, 3)
	require.Nil(t, v.FirstRows[0].InTable)
	require.Equal(t, "7", v.Columns[0].Table.Sum)
	require.Equal(t, "8", v.Columns[0].Source.Sum)
}

// TestElsewhere counts the rows of other loads, which are differences only if they are
// asked for, and more copies of rows than the source has.
func TestElsewhere(t *testing.T) {
	d, ctx := newDesk(t), context.Background()
	d.exec("CREATE TABLE find (no bigint, name varchar(5))")
	first := d.plan(table.Append, "1,ant 2,bee")
	first.Table.Key = nil
	_, err := d.load(first, load.Options{})
	require.NoError(t, err)
	second := d.plan(table.Append, "3,cat")
	second.Table.Key = nil
	second.Dir = filepath.Join(filepath.Dir(second.Dir), "second.tray")
	_, err = d.load(second, load.Options{})
	require.NoError(t, err)
	for _, tr := range []*tray.Tray{first, second} {
		v, err := load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{})
		require.NoError(t, err)
		require.True(t, v.Verified)
		require.Equal(t, v.Rows-v.Convertible, v.Elsewhere)
	}
	d.exec("INSERT INTO find VALUES (1, 'ant')")
	v, err := load.Verify(ctx, first, &source.Opener{}, d.db, load.VerifyOptions{})
	require.NoError(t, err)
	require.Equal(t, []any{true, int64(1), int64(1)}, []any{v.Verified, v.Elsewhere, v.Copies})
	v, err = load.Verify(ctx, first, &source.Opener{}, d.db, load.VerifyOptions{Whole: true})
	require.NoError(t, err)
	require.False(t, v.Verified)
	require.Equal(t, int64(2), v.RowsDiffer.Extra)
}

// counts are the counts of a receipt, but for those of the table.
func counts(r *load.Receipt) load.Counts {
	c := r.Counts
	c.TableBefore, c.TableAfter = nil, nil
	return c
}

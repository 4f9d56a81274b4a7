package load_test

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// TestMendedCodes notes codes of different lengths. If all loaded codes have one length, it
// refuses those that lost leading zeros in the file of rejects.
func TestMendedCodes(t *testing.T) {
	for loaded, want := range map[string]int64{"001,ant 002,bee": 1, "001,ant 2,bee": 0} {
		d := newDesk(t)
		tr := d.plan(table.Refuse, loaded+" 003,")
		tr.Table.Columns[0].Type = table.Type{Kind: table.Char, Size: 3}
		tr.Table.Columns[1].Nullable = false
		r, err := d.load(tr, load.Options{})
		require.NoError(t, err)
		text, err := os.ReadFile(*r.Rejects.File)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(*r.Rejects.File, []byte(strings.Replace(string(text), "003,,", "3,cat,", 1)), 0o600))
		m, err := load.Mend(context.Background(), tr, "0001", &source.Opener{}, d.db, load.Options{})
		require.NoError(t, err)
		require.Equal(t, want, m.Counts.Rejected, loaded)
		require.Equal(t, want == 0, slices.ContainsFunc(r.Notes, func(n note.Note) bool { return strings.Contains(n.What, "pad_zeros: 3 restores them") }), loaded)
	}
}

// TestFilledSpacer rejects a record with a value in a column that is left out because it was
// blank, into new rows and existing ones, and loads it where the column is just left out.
func TestFilledSpacer(t *testing.T) {
	d := newDesk(t)
	for i, existing := range []table.Existing{table.Refuse, table.Append} {
		tr := d.plan(existing, "")
		require.NoError(t, os.WriteFile(filepath.Join(filepath.Dir(tr.Dir), tr.Files[0]), []byte(strings.ReplaceAll(",no,name\n ,@1,ant\nX,@2,bee\nX,@y,eel\n", "@", string(rune('1'+i)))), 0o600))
		tr.Table.Columns = append(tr.Table.Columns, table.Column{From: "column_1", LeaveOut: true, Blank: true})
		r, err := d.load(tr, load.Options{})
		require.NoError(t, err)
		require.True(t, r.Verified)
		require.Equal(t, load.Counts{Read: 3, Loaded: 1, Rejected: 2}, counts(r))
		text, err := os.ReadFile(*r.Rejects.File)
		require.NoError(t, err)
		require.Contains(t, string(text), `column_1,X,"has a value, but the plan leaves this column out as blank`)
		require.Contains(t, string(text), `; no ""`+string(rune('1'+i))+`y"": not a whole number"`)
	}
	require.Equal(t, "11 ant, 21 ant", d.rows())
}

// TestMended loads corrected rejects once, and keeps those that still fail.
func TestMended(t *testing.T) {
	d, ctx := newDesk(t), context.Background()
	tr := d.plan(table.Refuse, "1,ant x,bee y,cat z,dog")
	_, err := load.Mend(ctx, tr, "0001", &source.Opener{}, d.db, load.Options{})
	require.ErrorIs(t, err, load.ErrNoRejects)
	r, err := d.load(tr, load.Options{})
	require.NoError(t, err)
	correct := func(old, text string) {
		content, err := os.ReadFile(*r.Rejects.File)
		require.NoError(t, err)
		require.Contains(t, string(content), old)
		require.NoError(t, os.WriteFile(*r.Rejects.File, []byte(strings.Replace(string(content), old, text, 1)), 0o600))
	}
	mend := func(o load.Options) (*load.Receipt, error) {
		return load.Mend(ctx, tr, "0001", &source.Opener{}, d.db, o)
	}
	correct("x,bee,", "2,bee,")
	var beside error
	m, err := mend(load.Options{Progress: func(pass.Progress) { _, beside = mend(load.Options{}) }})
	require.NoError(t, err)
	require.ErrorIs(t, beside, load.ErrMending)
	require.Equal(t, load.Counts{Read: 3, Loaded: 1, Rejected: 2}, counts(m))
	v, err := load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{})
	require.NoError(t, err)
	require.True(t, v.Verified)
	require.Equal(t, int64(1), v.Mended)

	correct("y,cat,", "3,cat,")
	draft := *r.Rejects.File + ".mending"
	require.NoError(t, os.WriteFile(draft, []byte("half"), 0o600))
	_, err = mend(load.Options{NoLedger: true})
	require.ErrorIs(t, err, load.ErrHalfMended)
	_, err = mend(load.Options{})
	require.NoError(t, err, "the ledger knows that the draft was not committed")
	require.Equal(t, "1 ant, 2 bee, 3 cat", d.rows())
	correct("z,dog,", "3,dog,")
	m, err = mend(load.Options{})
	require.NoError(t, err)
	require.Equal(t, int64(1), m.Counts.Rejected, "a key that the table has")
	require.NoError(t, os.WriteFile(*r.Rejects.File, []byte(strings.Join(reject.Header([]string{"no", "name"}), ",")+"\n"), 0o600))
	m, err = mend(load.Options{})
	require.NoError(t, err)
	require.Contains(t, m.Notes[0].What, "no longer in the file, and were not loaded: 1 of 1")
	d.exec("DROP TABLE find")
	_, err = mend(load.Options{})
	require.ErrorIs(t, err, database.ErrNoTable)
	last, err := load.ReadMend(tr.LoadDir("0001"))
	require.NoError(t, err)
	require.Equal(t, m.Counts, last.Counts)
}

// merges merges records into the rows of an earlier load. mend replaces texts in its rejects and mends them.
func (d *desk) merges(records string) (tr *tray.Tray, mend func(corrections ...string) *load.Receipt) {
	d.loads(table.Merge, "1,ant 2,bee")
	tr = d.plan(table.Merge, records)
	r, err := d.load(tr, load.Options{})
	require.NoError(d, err)
	return tr, func(corrections ...string) *load.Receipt {
		content, err := os.ReadFile(*r.Rejects.File)
		require.NoError(d, err)
		text := strings.NewReplacer(corrections...).Replace(string(content))
		require.NoError(d, os.WriteFile(*r.Rejects.File, []byte(text), 0o600))
		m, err := load.Mend(context.Background(), tr, "0001", &source.Opener{}, d.db, load.Options{})
		require.NoError(d, err)
		return m
	}
}

// TestMendedMerge keeps a duplicate key that was not corrected: the merge of a mend would replace the row
// that the load has given.
func TestMendedMerge(t *testing.T) {
	d := newDesk(t)
	_, mend := d.merges("1,cat 3,dog 3,eel 4,grasshopper")
	m := mend("4,grasshopper", "2,gnat")
	require.Equal(t, load.Counts{Read: 2, Loaded: 1, Rejected: 1}, counts(m))
	require.Equal(t, []string{"no", "duplicate key", "3"}, []string{m.Rejects.ByReason[0].Column, m.Rejects.ByReason[0].Reason, m.Rejects.ByReason[0].Example})
	require.Equal(t, "1 cat, 2 gnat, 3 dog", d.rows())
	require.Equal(t, load.Counts{Read: 1, Loaded: 1}, counts(mend("3,eel", "5,eel")))
	require.Equal(t, "1 cat, 2 gnat, 3 dog, 5 eel", d.rows())
}

// TestMendedRivals keeps corrected records with the key of another record of the same load, or of a record
// that was mended before. If the source has changed since the load, a note says that rows may be replaced.
func TestMendedRivals(t *testing.T) {
	d := newDesk(t)
	tr, mend := d.merges("1,cat 3,dog x,eel y,fly z,gnat")
	m := mend("x,eel", "3,eel", "y,fly", "2,fly")
	require.Equal(t, load.Counts{Read: 3, Loaded: 1, Rejected: 2}, counts(m))
	require.Equal(t, "1 cat, 2 fly, 3 dog", d.rows(), "2 is of the load before")
	m = mend("z,gnat", "2,gnat", "3,eel", "4,eel")
	require.Equal(t, load.Counts{Read: 2, Loaded: 1, Rejected: 1}, counts(m))
	require.Equal(t, "1 cat, 2 fly, 3 dog, 4 eel", d.rows())
	require.NoError(t, os.WriteFile(filepath.Join(filepath.Dir(tr.Dir), tr.Files[0]), []byte("no,name\n9,ant\n"), 0o600))
	m = mend("2,gnat", "1,gnat")
	require.Contains(t, m.Notes[0].What, "may replace the row of another one")
	require.Equal(t, "1 gnat, 2 fly, 3 dog, 4 eel", d.rows())
}

package databasetest

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// losses refuses to empty or rebuild a table where more than its rows would be lost, and
// does so on request.
func losses(t *testing.T, to database.Target) {
	ctx := context.Background()
	execAll(t, to, "CREATE TABLE lent (no integer NOT NULL PRIMARY KEY, name varchar(9) DEFAULT 'ant', remarks varchar(9))", "INSERT INTO lent VALUES (1, 'ant', 'ours'), (2, 'bee', 'ours')", "CREATE INDEX name ON lent (name)",
		"CREATE TABLE lent_fee (lent_no integer, FOREIGN KEY (lent_no) REFERENCES lent (no) ON DELETE CASCADE)", "INSERT INTO lent_fee VALUES (2)")
	refused := func(existing table.Existing, change func(*tray.Tray)) []string {
		tr := lentTray(t, existing)
		change(tr)
		_, err := load.Run(ctx, tr, &source.Opener{}, to, load.Options{})
		var loss *load.LossError
		require.ErrorAs(t, err, &loss)
		requireRows(t, to, "lent", 2)
		requireRows(t, to, "lent_fee", 1)
		return loss.What
	}
	as := func(*tray.Tray) {}
	require.Contains(t, refused(table.Empty, as)[0], "foreign key from table ")
	what := refused(table.Rebuild, as)
	require.Len(t, what, 4)
	require.Subset(t, what, []string{"index name", "default of name", "column remarks"})
	require.Contains(t, refused(table.Rebuild, func(tr *tray.Tray) { tr.Table.Key = nil }), "primary key no")
	check, err := load.DryRun(ctx, lentTray(t, table.Rebuild), &source.Opener{}, to, load.CheckOptions{})
	require.NoError(t, err)
	require.Contains(t, check.Notes[0].What, "column remarks; a load is refused unless it has --accept-loss")
	ant := "ant"
	what = refused(table.Rebuild, func(tr *tray.Tray) { tr.Table.Columns[1].Default = &ant })
	require.Len(t, what, 3, "the plan makes the default again")
	require.Contains(t, what, "index name", "and not the index of that name")

	r, err := load.Run(ctx, lentTray(t, table.Empty), &source.Opener{}, to, load.Options{AcceptLoss: true})
	require.NoError(t, err)
	require.Contains(t, r.Remarks[0], "other tables may have changed when the table was emptied: foreign key from table ")
	requireRows(t, to, "lent", 1)
	requireRows(t, to, "lent_fee", 0)
	execAll(t, to, "DROP TABLE lent_fee", "DROP TABLE lent")
}

func lentTray(t *testing.T, existing table.Existing) *tray.Tray {
	tr := NewTray(t, "lent", "no,name\n1,cat\n", table.Column{From: "no", Name: "no", Type: table.Type{Kind: table.Integer}},
		table.Column{From: "name", Name: "name", Type: table.Type{Kind: table.Varchar, Size: 9}, Nullable: true})
	tr.Table.Key, tr.Table.Existing = []string{"no"}, existing
	return tr
}

// Loses wants what would be lost or changed with the table lent, which the statements make,
// when it is emptied or rebuilt.
func Loses(t *testing.T, to database.Target, existing table.Existing, want []string, statements ...string) {
	t.Helper()
	execAll(t, to, statements...)
	_, err := load.Run(context.Background(), lentTray(t, existing), &source.Opener{}, to, load.Options{})
	if want == nil {
		require.NoError(t, err)
		return
	}
	var loss *load.LossError
	require.ErrorAs(t, err, &loss)
	require.Equal(t, want, loss.What)
}

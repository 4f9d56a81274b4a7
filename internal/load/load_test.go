package load_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/target"
	"ambertray/internal/target/sqlite"
)

// forgetful is a database that lost a value on the way.
type forgetful struct{ target.Target }

func (f forgetful) Figures(ctx context.Context, t *table.Table) (int64, []table.Figures, error) {
	rows, figures, err := f.Target.Figures(ctx, t)
	if err == nil {
		figures[1].Nulls++
		figures[1].Sum = "0"
	}
	return rows, figures, err
}

// TestDifference rolls back and names both figures when the table is not what
// the source says.
func TestDifference(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, "loans.csv")
	require.NoError(t, os.WriteFile(file, []byte("No,Name\n1,ant\n2,bee\n"), 0o600))
	s, err := survey.Run(context.Background(), &source.Opener{}, []string{file}, survey.Options{})
	require.NoError(t, err)
	db, err := sqlite.Open(filepath.Join(dir, "museum.db"), true)
	require.NoError(t, err)
	defer db.Close()
	tr := s.Draft(filepath.Join(dir, "loans.tray"))
	receipt, err := load.Run(context.Background(), tr, &source.Opener{}, forgetful{db}, nil)
	require.ErrorIs(t, err, load.ErrDiffers)
	require.False(t, receipt.Verified)
	require.Equal(t, []load.Difference{
		{Column: "name", Figure: "nulls", Source: "0", Table: "1"},
		{Column: "name", Figure: "sum", Source: "6", Table: "0"},
	}, receipt.Differences)
	kept, err := load.ReadReceipt(filepath.Join(tr.Dir, "loads", "0001"))
	require.NoError(t, err)
	require.Equal(t, receipt.Differences, kept.Differences)
	exists, err := db.Exists(context.Background(), "loans")
	require.NoError(t, err)
	require.False(t, exists)

	receipt, err = load.Run(context.Background(), tr, &source.Opener{}, db, nil)
	require.NoError(t, err)
	require.True(t, receipt.Verified)
	require.Equal(t, "0002", receipt.Load)
}

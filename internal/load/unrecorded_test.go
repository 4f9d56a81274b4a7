package load_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// TestUnrecorded commits when a file of the tray cannot be written afterwards. The result is
// returned with the error, and the next command completes what is missing.
func TestUnrecorded(t *testing.T) {
	ctx, d := context.Background(), newDesk(t)
	tr := d.plan(table.Refuse, "1,ant x,bee 3,cat")
	obstacle := ""
	db := dying{d.db, func(real func() error) error {
		obstacle := filepath.Join(tr.LoadDir("0001"), obstacle)
		os.Remove(obstacle)
		return errors.Join(real(), os.MkdirAll(filepath.Join(obstacle, "x"), 0o777))
	}}
	blocked := func(name string, do func() error) *load.UnrecordedError {
		obstacle = name
		var unrecorded *load.UnrecordedError
		require.ErrorAs(t, do(), &unrecorded)
		require.NoError(t, os.RemoveAll(filepath.Join(tr.LoadDir("0001"), name)))
		return unrecorded
	}
	mend := func() (*load.Receipt, error) {
		return load.Mend(ctx, tr, "0001", &source.Opener{}, db, load.Options{})
	}

	var r *load.Receipt
	e := blocked("receipt.json", func() (err error) {
		r, err = load.Run(ctx, tr, &source.Opener{}, db, load.Options{})
		return err
	})
	require.Equal(t, int64(1), e.Rejected)
	require.True(t, r.Verified)
	v, err := load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{})
	require.NoError(t, err)
	require.True(t, v.Verified)
	r, err = load.ReadReceipt(tr.LoadDir("0001"))
	require.NoError(t, err)

	rejects, err := os.ReadFile(*r.Rejects.File)
	require.NoError(t, err)
	corrected := []byte(strings.Replace(string(rejects), "x,bee,", "2,bee,", 1))
	require.NoError(t, os.WriteFile(*r.Rejects.File, corrected, 0o600))
	e = blocked("rejects.csv", func() error { _, err := mend(); return err })
	require.True(t, e.Unfinished)
	require.NoError(t, os.WriteFile(*r.Rejects.File, corrected, 0o600))
	e = blocked("mended.json", func() error { _, err := mend(); return err })
	require.False(t, e.Unfinished)
	require.Equal(t, "1 ant, 2 bee, 3 cat", d.rows())

	entry, err := ledger.Find(ctx, d.db, r.ID)
	require.NoError(t, err)
	blocked("mended.json", func() error {
		undone, err := load.Undo(ctx, tr, entry, &source.Opener{}, db, func(pass.Progress) {})
		require.Equal(t, int64(3), undone.Removed)
		return err
	})
	require.Empty(t, d.rows())
}

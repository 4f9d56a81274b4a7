package load_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/database/sqlite"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// dying is a database of which each commit ends in another way.
type dying struct {
	*sqlite.Target
	commit func(real func() error) error
}

func (d dying) Begin(ctx context.Context) (database.Tx, error) {
	tx, err := d.Target.Begin(ctx)
	return dyingTx{tx, d.commit}, err
}

type dyingTx struct {
	database.Tx
	commit func(real func() error) error
}

func (t dyingTx) Commit(ctx context.Context, entry *ledger.Entry) error {
	return t.commit(func() error { return t.Tx.Commit(ctx, entry) })
}

// TestPending kills loads around their commit: what they leave says afterwards what became of
// them, so that no record counts as missing that was rejected.
func TestPending(t *testing.T) {
	ctx, lost := context.Background(), errors.New("the connection was lost")
	for name, c := range map[string]struct {
		commits bool
		end     error // what the program hears of it
	}{
		"before the commit":              {false, lost},
		"in the commit":                  {true, lost},
		"after the commit":               {true, nil},
		"between the commit and its end": {false, nil},
	} {
		t.Run(name, func(t *testing.T) {
			d := newDesk(t)
			tr := d.plan(table.Refuse, "1,ant x,bee 3,cat 3,dog")
			folder, left := filepath.Join(tr.Dir, "loads", "0001"), filepath.Join(t.TempDir(), "left")
			db := dying{d.db, func(real func() error) error {
				err := error(nil)
				if c.commits {
					err = real()
				}
				require.NoError(t, os.CopyFS(left, os.DirFS(folder)))
				return errors.Join(err, c.end)
			}}
			_, err := load.Run(ctx, tr, &source.Opener{}, db, load.Options{})
			require.Equal(t, c.end != nil, err != nil)
			require.NoError(t, os.RemoveAll(folder))
			require.NoError(t, os.CopyFS(folder, os.DirFS(left))) // as if it was killed there
			require.NoFileExists(t, filepath.Join(folder, "receipt.json"))
			require.FileExists(t, filepath.Join(folder, "receipt.pending.json"))
			if !c.commits {
				require.NoError(t, load.ResolvePending(ctx, tr, d.db))
				require.NoFileExists(t, filepath.Join(folder, "receipt.json"))
				r, err := d.load(tr, load.Options{})
				require.NoError(t, err)
				require.Equal(t, "0002", r.Load)
				return
			}
			v, err := load.Verify(ctx, tr, &source.Opener{}, d.db, load.VerifyOptions{})
			require.NoError(t, err)
			require.True(t, v.Verified, "the repeated key is known to be rejected")
			r, err := load.ReadReceipt(folder)
			require.NoError(t, err)
			require.Equal(t, [4]int64{4, 2, 2, 0}, [4]int64{r.Counts.Read, r.Counts.Loaded, r.Counts.Rejected, r.Counts.Skipped})
			require.True(t, r.Verified && r.InLedger)
			require.NoFileExists(t, filepath.Join(folder, "receipt.pending.json"))
			_, err = d.load(tr, load.Options{})
			var again *load.AgainError
			require.ErrorAs(t, err, &again)
		})
	}
}

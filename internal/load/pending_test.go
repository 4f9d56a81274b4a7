package load_test

import (
	"context"
	"encoding/json"
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

// TestPendingOfOthers resolves what loaders that share a load leave when another one has completed
// it: a folder beside that of the other one is removed. On another machine, where a folder has the
// same name by chance, it has the only receipt.
func TestPendingOfOthers(t *testing.T) {
	for name, c := range map[string]struct {
		winner   string // the file with the receipt of the loader that completed the load, or ""
		receipts []string
	}{
		"beside it":                    {"receipt.json", []string{"0001"}},
		"beside it, before its end":    {"receipt.pending.json", []string{"0001"}},
		"on another machine":           {"", []string{"0002"}},
		"beside the folder of a share": {"share.json", []string{"0002"}},
	} {
		t.Run(name, func(t *testing.T) {
			d := newDesk(t)
			tr := d.plan(table.Refuse, "1,ant x,bee 3,cat 3,dog")
			r, err := d.load(tr, load.Options{})
			require.NoError(t, err)
			first, second := filepath.Join(tr.Dir, "loads", "0001"), filepath.Join(tr.Dir, "loads", "0002")
			require.NoError(t, os.CopyFS(second, os.DirFS(first)))
			r.Load = "0002"
			text, err := json.Marshal(r)
			require.NoError(t, err)
			require.NoError(t, os.Remove(filepath.Join(second, "receipt.json")))
			require.NoError(t, os.WriteFile(filepath.Join(second, "receipt.pending.json"), text, 0o666))
			if c.winner == "" {
				require.NoError(t, os.RemoveAll(first))
			} else {
				require.NoError(t, os.Rename(filepath.Join(first, "receipt.json"), filepath.Join(first, c.winner)))
			}
			require.NoError(t, load.ResolvePending(context.Background(), tr, d.db))
			found, err := filepath.Glob(filepath.Join(tr.Dir, "loads", "*", "receipt.json"))
			require.NoError(t, err)
			var receipts []string
			for _, path := range found {
				receipts = append(receipts, filepath.Base(filepath.Dir(path)))
			}
			require.Equal(t, c.receipts, receipts)
			if c.winner == "receipt.json" || c.winner == "receipt.pending.json" {
				require.NoDirExists(t, second)
			}
		})
	}
}

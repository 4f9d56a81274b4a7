package sqlite_test

import (
	"context"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ambertray/internal/target"
	"ambertray/internal/target/sqlite"
	"ambertray/internal/target/targettest"
)

func TestContract(t *testing.T) {
	path := filepath.Join(t.TempDir(), "museum.db")
	targettest.Run(t, func() target.Target {
		to, err := sqlite.Open(path, true)
		require.NoError(t, err)
		return to
	})
}

// TestNewFile loads into a file that another program makes at the same time, and
// removes because its own load fails.
func TestNewFile(t *testing.T) {
	ctx := context.Background()
	for range 200 {
		path := filepath.Join(t.TempDir(), "new.db")
		var both sync.WaitGroup
		both.Go(func() {
			to, err := sqlite.Open(path, true)
			if assert.NoError(t, err) {
				assert.NoError(t, to.Close())
			}
		})
		both.Go(func() {
			to, err := sqlite.Open(path, true)
			if !assert.NoError(t, err) {
				return
			}
			tx, err := to.Begin(ctx)
			if assert.NoError(t, err) {
				_, err = to.Exec(ctx, "CREATE TABLE loan (no INTEGER)")
				assert.NoError(t, err)
				assert.NoError(t, tx.Commit(ctx, nil))
			}
			assert.NoError(t, to.Close())
		})
		both.Wait()
		to, err := sqlite.Open(path, false)
		require.NoError(t, err)
		there, err := to.Exists(ctx, "loan")
		require.NoError(t, err)
		require.True(t, there)
		require.NoError(t, to.Close())
	}
}

func TestOpen(t *testing.T) {
	path := filepath.Join(t.TempDir(), "new.db")
	_, err := sqlite.Open(path, false)
	require.ErrorIs(t, err, os.ErrNotExist)
	to, err := sqlite.Open(path, true)
	require.NoError(t, err)
	require.NoError(t, to.Close())
	require.NoFileExists(t, path, "a file into which nothing was loaded is not left behind")

	require.NoError(t, os.WriteFile(path, []byte("this is a text, and not a database at all"), 0o600))
	to, err = sqlite.Open(path, false)
	if err == nil {
		_, err = to.Exists(context.Background(), "loan")
	}
	require.ErrorIs(t, err, target.ErrNoDatabase)
}

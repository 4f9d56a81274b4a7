package sqlite_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

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

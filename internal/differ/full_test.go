//go:build linux

package differ_test

import (
	"context"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/differ"
)

// TestFullDisk compares more rows than the temporary files have room for, and leaves
// none of them. It does so in a process of its own, as the limit holds for all files.
func TestFullDisk(t *testing.T) {
	const inner = "AMBERTRAY_TEST_FULL_DISK"
	if os.Getenv(inner) == "" {
		c := exec.Command(os.Args[0], "-test.run", "^TestFullDisk$")
		c.Env = append(os.Environ(), inner+"=1")
		out, err := c.CombinedOutput()
		require.NoError(t, err, string(out))
		return
	}
	temp := t.TempDir()
	t.Setenv("TMPDIR", temp)
	signal.Ignore(syscall.SIGXFSZ)
	var source side
	for i := range 40_000 {
		source = append(source, row(i, 1, i+2))
	}
	for _, most := range []uint64{0, 1 << 10, 8 << 10} { // of one file: for hashes, then for rows
		require.NoError(t, syscall.Setrlimit(syscall.RLIMIT_FSIZE, &syscall.Rlimit{Cur: most, Max: 1 << 20}))
		f := &differ.Finder{Columns: []string{"no", "mass"}, Spill: 100, Each: func(differ.Difference) error { return nil }}
		_, err := f.Find(context.Background(), source, side{})
		require.ErrorIs(t, err, syscall.EFBIG)
		left, err := filepath.Glob(filepath.Join(temp, "*"))
		require.NoError(t, err)
		require.Empty(t, left)
	}
}

package publish_test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ambertray/internal/publish"
)

// contents returns the files of a folder and their texts.
func contents(t *testing.T, dir string) map[string]string {
	list, err := os.ReadDir(dir)
	require.NoError(t, err)
	files := map[string]string{}
	for _, f := range list {
		text, err := os.ReadFile(filepath.Join(dir, f.Name()))
		require.NoError(t, err)
		files[f.Name()] = string(text)
	}
	return files
}

// TestWrite leaves the old file, and nothing beside it, whatever fails.
func TestWrite(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "plan.yaml")
	require.NoError(t, publish.File(path, []byte("old")))
	broken := errors.New("the disk is full")
	for _, long := range []int{0, 10, 100_000} { // some of it is written before it fails
		err := publish.Write(path, func(w io.Writer) error {
			_, err := io.WriteString(w, strings.Repeat("x", long))
			return errors.Join(err, broken)
		})
		require.ErrorIs(t, err, broken)
		require.Equal(t, map[string]string{"plan.yaml": "old"}, contents(t, dir))
	}
	require.Panics(t, func() { _ = publish.Write(path, func(io.Writer) error { panic("a fault of ours") }) })
	require.Equal(t, "old", contents(t, dir)["plan.yaml"])

	require.NoError(t, os.Mkdir(filepath.Join(dir, "folder"), 0o700))
	require.Error(t, publish.File(filepath.Join(dir, "folder"), []byte("new")), "a folder is not replaced")
	require.NoFileExists(t, fmt.Sprintf("%s.%d.new", filepath.Join(dir, "folder"), os.Getpid()))
	require.Error(t, publish.File(filepath.Join(dir, "none", "plan.yaml"), nil))

	museum := filepath.Join(dir, "museum.db")
	require.NoError(t, os.WriteFile(museum, []byte("SQLite format 3\x00 and pages"), 0o600))
	require.ErrorIs(t, publish.File(museum, []byte("new")), publish.ErrDatabase)
	kept, err := os.ReadFile(museum)
	require.NoError(t, err)
	require.Equal(t, "SQLite format 3\x00 and pages", string(kept))
	require.NoFileExists(t, fmt.Sprintf("%s.%d.new", museum, os.Getpid()))
}

// TestReaders sees the file whole at every moment while it is replaced again and again.
func TestReaders(t *testing.T) {
	path := filepath.Join(t.TempDir(), "state.json")
	texts := [2]string{strings.Repeat("a", 200_000), strings.Repeat("b", 3)}
	require.NoError(t, publish.File(path, []byte(texts[0])))
	done := make(chan struct{})
	var all sync.WaitGroup
	for range 2 {
		all.Go(func() {
			for {
				select {
				case <-done:
					return
				default:
				}
				text, err := os.ReadFile(path)
				if !assert.NoError(t, err) || !assert.Contains(t, texts, string(text)) {
					return
				}
			}
		})
	}
	for i := range 60 {
		require.NoError(t, publish.File(path, []byte(texts[i%2])))
	}
	close(done)
	all.Wait()
}

// failing takes a number of bytes, and fails then.
type failing struct {
	bytes.Buffer
	room int
}

var errFull = errors.New("no space left")

func (f *failing) Write(p []byte) (int, error) {
	if f.Len()+len(p) > f.room {
		return 0, errFull
	}
	return f.Buffer.Write(p)
}

// TestBackground writes in order, takes copies, and says what failed: no later than at the end,
// and without waiting for ever.
func TestBackground(t *testing.T) {
	var out failing
	out.room = 1 << 30
	b := publish.NewBackground(&out)
	var want bytes.Buffer
	own := make([]byte, 0, 100)
	for i := range 1000 {
		own = fmt.Appendf(own[:0], "%d,", i) // used again at once
		want.Write(own)
		n, err := b.Write(own)
		require.NoError(t, err)
		require.Equal(t, len(own), n)
	}
	require.NoError(t, b.End())
	require.NoError(t, b.End(), "a second time it does nothing")
	require.Equal(t, want.String(), out.String())

	full := failing{room: 500}
	b = publish.NewBackground(&full)
	for range 1000 {
		_, err := b.Write([]byte("0123456789"))
		if err != nil {
			require.ErrorIs(t, err, errFull)
			break
		}
	}
	require.ErrorIs(t, b.End(), errFull)
	require.Equal(t, 500, full.Len(), "nothing is written after what failed")
}

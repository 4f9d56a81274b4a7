// Package publish puts files in place whole: a reader sees the old content or
// the new one, never a part, and a crash leaves no half of it.
package publish

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"ambertray/internal/platform"
)

// File writes text to path in one step.
func File(path string, text []byte) error {
	return Write(path, func(w io.Writer) error { _, err := w.Write(text); return err })
}

// Write writes to path in one step what a function writes.
func Write(path string, text func(io.Writer) error) (err error) {
	draft := fmt.Sprintf("%s.%d.new", path, os.Getpid()) // another program may write the same file
	f, err := os.OpenFile(draft, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o666)
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			os.Remove(draft)
		}
	}()
	w := bufio.NewWriter(f)
	if err = text(w); err == nil {
		err = w.Flush()
	}
	if err == nil {
		err = f.Sync()
	}
	if closeErr := f.Close(); err == nil {
		err = closeErr
	}
	if err != nil {
		return err
	}
	return Replace(draft, path)
}

// Replace gives a file that was written in full, and synced, the name of the one
// whose place it takes.
func Replace(draft, path string) error {
	if err := os.Rename(draft, path); err != nil {
		return err
	}
	return platform.SyncDir(filepath.Dir(path))
}

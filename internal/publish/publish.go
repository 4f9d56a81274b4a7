// Package publish puts files in place whole: a reader sees the old content or
// the new one, never a part, and a crash leaves no half of it.
package publish

import (
	"bufio"
	"errors"
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
	err = text(w)
	if err == nil {
		err = w.Flush()
	}
	if err == nil {
		err = f.Sync()
	}
	closeErr := f.Close()
	if err == nil {
		err = closeErr
	}
	if err != nil {
		return err
	}
	return Replace(draft, path)
}

// ErrDatabase is returned instead of replacing a database by another file.
var ErrDatabase = errors.New("the file is a database")

// Replace gives a file that was written in full, and synced, the name of the one
// whose place it takes, unless that is an SQLite database.
func Replace(draft, path string) error {
	if isDatabase(path) {
		return fmt.Errorf("replace %s: %w", path, ErrDatabase)
	}
	err := os.Rename(draft, path)
	if err != nil {
		return err
	}
	return platform.SyncDir(filepath.Dir(path))
}

// isDatabase reports whether a file begins as the file format of SQLite says.
func isDatabase(path string) bool {
	f, err := os.Open(path)
	if err != nil {
		return false
	}
	defer f.Close()
	const magic = "SQLite format 3\x00"
	head := make([]byte, len(magic))
	_, err = io.ReadFull(f, head)
	return err == nil && string(head) == magic
}

// Package publish puts files in place whole: a reader sees the old content or
// the new one, never a part, and a crash leaves no half of it.
package publish

import (
	"os"
	"path/filepath"
)

// File writes text to path in one step.
func File(path string, text []byte) (err error) {
	draft := path + ".new"
	f, err := os.OpenFile(draft, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o666)
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			os.Remove(draft)
		}
	}()
	_, err = f.Write(text)
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
	return syncDir(filepath.Dir(path))
}

// syncDir makes the new name itself safe from a crash.
func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

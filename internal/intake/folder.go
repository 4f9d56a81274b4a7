package intake

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"ambertray/internal/note"
	"ambertray/internal/source"
)

// Listing is the files that names stand for.
type Listing struct {
	Files []string
	LeftOut
}

// LeftOut are the files of folders that are not taken: those that are still being written, and empty
// ones.
type LeftOut struct {
	Growing []string `json:"growing"`
	Empty   []string `json:"empty"`
}

// NothingLeftOut returns one without files, whose lists are empty in JSON too.
func NothingLeftOut() LeftOut { return LeftOut{Growing: []string{}, Empty: []string{}} }

// Notes returns a note on each file.
func (l *LeftOut) Notes() (list []note.Note) {
	for _, f := range l.Growing {
		list = append(list, note.Of(f, 0, "still being written, and left out"))
	}
	for _, f := range l.Empty {
		list = append(list, note.Of(f, 0, "empty, and left out"))
	}
	return list
}

// ErrNothingNew is returned for a folder without a file that can be taken.
var ErrNothingNew = errors.New("no file to load")

// settled is how long a file of a folder must have kept its size and time.
const settled = 2 * time.Second

// List replaces patterns (*, ?, [) by the files that they match, and folders by the
// files in them, in the order of their names. A file of that very name is taken as it
// is.
func List(names []string) (*Listing, error) {
	l := &Listing{LeftOut: NothingLeftOut()}
	for _, n := range names {
		info, err := os.Stat(n)
		switch {
		case err == nil && info.IsDir() && source.IsLocal(n):
			err := l.addFolder(n)
			if err != nil {
				return nil, err
			}
			continue
		case err == nil || !source.IsLocal(n) || !strings.ContainsAny(n, "*?["):
			l.Files = append(l.Files, n)
			continue
		}
		found, err := filepath.Glob(n)
		if err != nil {
			return nil, fmt.Errorf("pattern %s: %w", n, err)
		}
		if found == nil {
			return nil, fmt.Errorf("pattern %s: no file matches", n)
		}
		l.Files = append(l.Files, found...)
	}
	return l, nil
}

// Expand is List where files that are left out are of no interest.
func Expand(names []string) ([]string, error) {
	l, err := List(names)
	if err != nil {
		return nil, err
	}
	return l.Files, nil
}

// addFolder adds the files of a folder that nobody is writing, in the order of their
// names. If one was changed just now, it waits to see whether it changes again.
func (l *Listing) addFolder(folder string) error {
	files, err := filesOf(folder)
	if err != nil {
		return err
	}
	now := files
	if slices.ContainsFunc(files, func(f fs.FileInfo) bool { return time.Since(f.ModTime()) < settled }) {
		time.Sleep(settled)
		now, err = filesOf(folder)
		if err != nil {
			return err
		}
	}
	taken := 0
	for _, f := range now {
		path := filepath.Join(folder, f.Name())
		still := slices.ContainsFunc(files, func(was fs.FileInfo) bool {
			return was.Name() == f.Name() && was.Size() == f.Size() && was.ModTime().Equal(f.ModTime())
		})
		if !still {
			l.Growing = append(l.Growing, path)
			continue
		}
		if f.Size() == 0 {
			l.Empty = append(l.Empty, path)
			continue
		}
		l.Files = append(l.Files, path)
		taken++
	}
	switch {
	case taken == 0 && len(l.Empty) > 0:
		return fmt.Errorf("folder %s: %w; empty: %s", folder, ErrNothingNew, note.Names(l.Empty))
	case taken == 0:
		return fmt.Errorf("folder %s: %w", folder, ErrNothingNew)
	}
	return nil
}

// others are the endings of files that are no sources: of databases, of what programs
// have not finished writing, and of what is written beside a load.
var others = []string{".db", ".sqlite", "-journal", "-wal", "-shm", ".tmp", ".part", ".partial", ".crdownload", ".new", ".rejects.csv", ".differences.csv"}

// filesOf returns the files of a folder that may be sources, in the order of their
// names.
func filesOf(folder string) (files []fs.FileInfo, err error) {
	entries, err := os.ReadDir(folder)
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		other := slices.ContainsFunc(others, func(ending string) bool { return strings.HasSuffix(e.Name(), ending) })
		if other || strings.HasPrefix(e.Name(), ".") || strings.HasPrefix(e.Name(), "~$") {
			continue
		}
		path := filepath.Join(folder, e.Name())
		info, err := os.Stat(path)
		if errors.Is(err, fs.ErrNotExist) {
			_, gone := os.Lstat(path)
			if gone != nil { // it was taken away meanwhile
				continue
			}
			return nil, &fs.PathError{Op: "open", Path: path, Err: fs.ErrNotExist} // a link
		}
		if err != nil {
			return nil, err
		}
		if info.Mode().IsRegular() {
			files = append(files, info)
		}
	}
	return files, nil
}

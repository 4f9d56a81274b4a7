// Package tray reads and writes the plan of a load: the file tray.yaml in a
// folder NAME.tray, which also holds a folder for each load that ran from it.
package tray

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"ambertray/internal/source"
	"ambertray/internal/table"
)

// Version is the version of the tray file that this program writes.
const Version = 1

// Suffix is the ending of the names of trays.
const Suffix = ".tray"

const (
	planFile = "tray.yaml"
	loadsDir = "loads"
)

// Tray is one plan.
type Tray struct {
	Dir    string // the folder NAME.tray
	Files  []string
	Layout source.Layout
	Table  table.Table
	// NameParts is the form of the files' names, such as
	// "loans-{year}-{month}.csv", whose parts computed columns may refer to.
	NameParts string

	// Notes are written as comments after what they explain: the evidence
	// after a column's type, by the name of the column, and remarks under
	// the names "source" and "key". They are not read back.
	Notes map[string][]string
	// Tighter maps the headings of a draft to their columns with the tighter type that most of
	// their values have. It is not written to the tray.
	Tighter map[string]table.Column
	// Untyped has the headings of a draft without a value, so that nothing says what type they have.
	Untyped map[string]bool

	// plain is the draft before anything was decided for it, and decided are the keys of its table
	// that were. Both are empty for a plan that is read.
	plain   *Tray
	decided []string
	// drafted and text are the draft and the plan as a person has changed it, before
	// either is written.
	drafted, text []byte
}

// Is reports whether path names a tray rather than a source.
func Is(path string) bool {
	return strings.HasSuffix(strings.TrimRight(path, string(filepath.Separator)), Suffix) || filepath.Base(path) == planFile
}

// DirFor returns the folder of the tray for a source: in the current folder,
// called after the source.
func DirFor(path string) string { return source.BaseName(path) + Suffix }

// Exists reports whether there is a tray in the folder.
func Exists(dir string) bool {
	_, err := os.Stat(filepath.Join(dir, planFile))
	return err == nil
}

// Paths returns the paths of the files of the source. In the tray they are
// relative to the folder that holds the tray.
func (t *Tray) Paths() []string {
	var paths []string
	for _, f := range t.Files {
		paths = append(paths, t.PathOf(f))
	}
	return paths
}

// PathOf returns the path of a file that the tray names.
func (t *Tray) PathOf(file string) string {
	if source.IsLocal(file) && !filepath.IsAbs(file) {
		return filepath.Join(filepath.Dir(t.Dir), file)
	}
	return file
}

// RelativePath returns how a tray in dir names the file at path: with slashes, so that a
// tray can go from one system to another.
func RelativePath(dir, path string) string {
	if !source.IsLocal(path) {
		return path
	}
	if filepath.IsAbs(path) {
		return filepath.ToSlash(path)
	}
	rel, err := filepath.Rel(filepath.Dir(dir), path)
	if err != nil { // one of them is absolute
		rel = Absolute(path)
	}
	return filepath.ToSlash(rel)
}

// LoadDir returns the folder of a load.
func (t *Tray) LoadDir(id string) string { return filepath.Join(t.Dir, loadsDir, id) }

// NewLoad makes the folder of the next load and returns its id and path.
func (t *Tray) NewLoad() (id, dir string, err error) {
	loads := filepath.Join(t.Dir, loadsDir)
	err = os.MkdirAll(loads, 0o777)
	if err != nil {
		return "", "", err
	}
	for {
		id = t.NextLoad()
		dir = filepath.Join(loads, id)
		err := os.Mkdir(dir, 0o777)
		if !errors.Is(err, os.ErrExist) { // another load may have been quicker
			return id, dir, err
		}
	}
}

// NextLoad returns the id that the next load will have.
func (t *Tray) NextLoad() string {
	last, _, _ := t.LastLoad()
	n, _ := strconv.Atoi(last)
	return fmt.Sprintf("%04d", n+1)
}

// LastLoad returns the id and folder of the latest load, or os.ErrNotExist.
func (t *Tray) LastLoad() (id, dir string, err error) {
	ids, err := t.Loads()
	if err != nil {
		return "", "", err
	}
	if len(ids) == 0 {
		return "", "", os.ErrNotExist
	}
	id = ids[len(ids)-1]
	return id, t.LoadDir(id), nil
}

// Loads returns the ids of the loads, the first first.
func (t *Tray) Loads() (ids []string, err error) {
	entries, err := os.ReadDir(filepath.Join(t.Dir, loadsDir)) // in the order of their names
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	for _, e := range entries {
		if e.IsDir() {
			ids = append(ids, e.Name())
		}
	}
	return ids, err
}

// Use replaces the tray's own files by those at paths, for one load.
func (t *Tray) Use(paths []string) {
	t.Files = nil
	for _, path := range paths {
		t.Files = append(t.Files, RelativePath(t.Dir, path))
	}
}

// IsFor reports whether the tray is one of these files.
func (t *Tray) IsFor(paths []string) bool {
	own := t.Paths()
	if len(own) != len(paths) {
		return false
	}
	for i := range paths {
		if Absolute(paths[i]) != Absolute(own[i]) {
			return false
		}
	}
	return true
}

// Absolute returns the absolute path of a local file.
func Absolute(path string) string {
	abs, err := filepath.Abs(path)
	if err == nil && source.IsLocal(path) {
		return abs
	}
	return path
}

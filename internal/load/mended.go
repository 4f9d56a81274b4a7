package load

import (
	"context"
	"encoding/csv"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/publish"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
	"ambertray/internal/source"
)

// mended loads the rejects of an earlier load that were corrected, in the way of
// that load: whole or merged. What it leaves in the folder of that load is written
// as drafts, under other names, before the commit, and published after it.
type mended struct {
	way // whole or merged
	*job
	opener  *source.Opener // of the source of that load
	of      *Receipt       // of the load whose rejects they are
	failing *mendRejects
	drafted bool // the drafts are complete, and the commit may have succeeded
}

func (m *mended) commit(ctx context.Context) error {
	err := m.draft(ctx)
	if err != nil {
		return err
	}
	return m.commitWith(ctx, m.loadedEntry())
}

func (m *mended) abort(err error) error {
	if !m.drafted {
		m.drop()
	}
	return err
}

// mendRejects are the records that still fail.
type mendRejects struct {
	reject.Writer
	failed refusal.List
}

func (r *mendRejects) Write(rejects ...reject.Reject) error {
	for _, x := range rejects {
		r.failed.Add(refusal.Refusal{Where: refusal.Where{Record: x.Record}})
	}
	return r.Writer.Write(rejects...)
}

func (r *mendRejects) File() string                         { return r.Path }
func (r *mendRejects) KeepRefused(list *refusal.List) error { return nil } // the file has them

func (r *mendRejects) Restart() {
	*r = mendRejects{Writer: reject.Writer{Path: r.Path, Headings: r.Headings, Sources: r.Sources, Again: true}}
}

// drafts are the files that a mend changes, in the order in which they are
// published: by the last of them the ledger identifies the mend.
var drafts = []string{reject.MendedName, reject.FileName}

const draftSuffix = ".mending"

// draft writes the drafts. One has the records that still fail, which only lacks
// its header if none is left; the other ends with those that do not fail.
func (m *mended) draft(ctx context.Context) error {
	if m.failing.failed.Len() == 0 {
		err := errors.Join(m.failing.Open(), m.failing.Close())
		if err != nil {
			return err
		}
	}
	p, err := m.open(ctx)
	if err != nil {
		return err
	}
	defer p.Close()
	path := filepath.Join(m.dir, reject.MendedName)
	text, err := os.ReadFile(path)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	f, err := os.Create(path + draftSuffix)
	if err != nil {
		return err
	}
	defer f.Close()
	w := csv.NewWriter(f)
	if len(text) == 0 {
		err = w.Write(reject.Mark(reject.Header(m.failing.Headings)))
	} else {
		_, err = f.Write(text)
	}
	if err != nil {
		return err
	}
	failed := m.failing.failed.Cursor(refusal.Where{})
	err = p.Cells(ctx, func(number int64, cells []string) error {
		if failed.At(refusal.Where{Record: number}) != nil {
			return nil
		}
		return w.Write(reject.Mark(cells))
	})
	w.Flush()
	err = errors.Join(err, w.Error(), f.Sync())
	m.drafted = err == nil
	return err
}

// duplicates lists the rejects of duplicate keys that were not changed.
func (m *mended) duplicates(ctx context.Context) (*refusal.List, error) {
	p, err := m.open(ctx)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	list := &refusal.List{}
	return list, p.Cells(ctx, func(number int64, cells []string) error {
		if len(cells) < reject.FirstCell || !strings.HasPrefix(cells[reject.ReasonCell], database.SameKey) {
			return nil
		}
		names := strings.Split(cells[reject.ColumnCell], ", ")
		if m.cellsOf(names, cells) == cells[reject.ValueCell] {
			list.Add(refusal.Refusal{Where: refusal.Where{Record: number}, Columns: names, Reason: database.SameKey})
		}
		return nil
	})
}

// cellsOf returns the cells of columns in a record of the file of rejects, as its value is written.
func (m *mended) cellsOf(names, cells []string) string {
	var of []string
	for _, c := range m.plan.Columns {
		at := slices.IndexFunc(m.of.Headings, c.ReadsFrom)
		if slices.Contains(names, c.Name) && at >= 0 && reject.FirstCell+at < len(cells) {
			of = append(of, cells[reject.FirstCell+at])
		}
	}
	return strings.Join(of, ", ")
}

// draftsLeft reports whether the folder of a load has files of an interrupted mend.
func draftsLeft(dir string) bool {
	_, err := os.Stat(filepath.Join(dir, reject.FileName+draftSuffix))
	return err == nil
}

// drop removes the drafts.
func (m *mended) drop() {
	for _, name := range drafts {
		os.Remove(filepath.Join(m.dir, name+draftSuffix))
	}
}

// publish gives the drafts their names. One that is not there was published before.
func (m *mended) publish() error {
	for _, name := range drafts {
		path := filepath.Join(m.dir, name)
		err := publish.Replace(path+draftSuffix, path)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

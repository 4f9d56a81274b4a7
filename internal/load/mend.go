package load

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/pass"
	"ambertray/internal/publish"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

var (
	// ErrNoRejects is returned when there is nothing to mend.
	ErrNoRejects = errors.New("it has no rejects")
	// ErrHalfMended is returned when an interrupted mend has left files behind,
	// and no ledger says whether it was committed.
	ErrHalfMended = errors.New("a mend of it was interrupted, and without a ledger it is not known whether its rows are in the table")
)

// mend is the state of a load of rejects. What it leaves in the folder of the
// load, the records that still fail and those that are loaded now, is written
// under other names before the commit and gets its own after it.
type mend struct {
	dir      string
	headings []string
	failed   convert.Refusals // the records in the file that still fail
	begun    bool             // the files are this mend's own
	drafted  bool             // they are written in full, and the commit may have come through
}

// drafts are the files that a mend changes, in the order in which they get their
// names: the last of them is what the ledger knows the mend by.
var drafts = []string{reject.MendedName, reject.FileName}

const draftSuffix = ".mending"

// Mend loads the records in the rejects of a load that were corrected since, by
// the same plan into the same table. What still fails stays in the file.
func Mend(ctx context.Context, t *tray.Tray, id string, from *source.Opener, to database.Target, o Options) (*Receipt, error) {
	dir := t.LoadDir(id)
	first, err := ReadReceipt(dir)
	if errors.Is(err, fs.ErrNotExist) || err == nil && first.Rejects.File == nil {
		return nil, fmt.Errorf("load %s of %s: %w", id, t.Dir, ErrNoRejects)
	}
	if err != nil {
		return nil, err
	}
	plan := first.plan(t)
	plan.Allow = table.Allowance{}
	if plan.Existing != table.Merge {
		plan.Existing = table.Append
	}
	path := filepath.Join(dir, reject.FileName)
	l := &loading{
		Options: o, plan: plan, table: plan, to: to, dir: dir,
		open: func(ctx context.Context) (*pass.Pass, error) {
			return pass.OpenKept(ctx, t, from, path, first.Headings)
		},
		rejects: reject.Writer{Path: path + draftSuffix, Headings: first.Headings, Sources: []string{path}, Again: true},
		receipt: newReceipt(t, plan, to, first.Headings, o),
		mend:    &mend{dir: dir, headings: first.Headings},
	}
	l.receipt.Load, l.receipt.Mended = id, true
	if err := l.runMend(ctx); err != nil {
		if l.mend.begun && !l.mend.drafted {
			l.mend.drop()
		}
		return nil, err
	}
	if err := l.mend.publish(); err != nil {
		return nil, fmt.Errorf("the records are loaded, but %s could not be written; mend again to finish it: %w", path, err)
	}
	l.receipt.Rejects.File = &path
	return l.receipt, l.receipt.write(dir, mendReceipt)
}

// mendReceipt is the name of the receipt of the last mend of a load.
const mendReceipt = "mended.json"

// ReadMend reads the receipt of the last mend of a load, if there was one.
func ReadMend(dir string) (*Receipt, error) { return readReceipt(dir, mendReceipt) }

// runMend is run for a load of rejects.
func (l *loading) runMend(ctx context.Context) error {
	if exists, err := l.to.Exists(ctx, l.table.Name); err != nil {
		return err
	} else if !exists {
		return &database.Error{Target: l.to.Name(), Op: "mend into " + l.table.Name, Kind: database.ErrNoTable}
	}
	var err error
	if l.identity, err = l.to.Identity(ctx, l.table.Name); err != nil {
		return err
	}
	unlock, err := l.to.Lock(ctx, l.identity)
	if err != nil {
		return err
	}
	defer unlock()
	if l.pass, err = l.open(ctx); err != nil {
		return err
	}
	defer func() { l.pass.Close() }()
	finished, err := l.finishMend(ctx)
	if err != nil {
		return err
	}
	if finished { // what is left is in a new file
		l.pass.Close()
		if l.pass, err = l.open(ctx); err != nil {
			return err
		}
	}
	l.mend.begun = true
	return l.fill(ctx)
}

// finishMend ends a mend that was interrupted: when it was committed, which the
// ledger knows, its files get their names, and otherwise they are dropped.
func (l *loading) finishMend(ctx context.Context) (finished bool, err error) {
	left := l.mend.left()
	if l.NoLedger {
		if left {
			return false, fmt.Errorf("%s: %w", l.mend.dir, ErrHalfMended)
		}
		return false, nil
	}
	entries, err := ledger.Read(ctx, l.to, l.identity)
	if err != nil {
		return false, err
	}
	content, err := l.content(ctx)
	if err != nil {
		return false, err
	}
	for _, e := range entries {
		switch {
		case e.State != ledger.Loaded || e.Content != content:
		case left:
			return true, l.mend.publish()
		case !l.Again:
			return false, &AgainError{Table: l.receipt.Table, Of: 1, Parts: []LoadedPart{{Source: e.Source, Load: e.ID, Entry: e}}}
		}
	}
	l.mend.drop()
	return false, nil
}

// left reports whether there are files of an interrupted mend.
func (m *mend) left() bool {
	_, err := os.Stat(filepath.Join(m.dir, reject.FileName+draftSuffix))
	return err == nil
}

func (m *mend) drop() {
	for _, name := range drafts {
		os.Remove(filepath.Join(m.dir, name+draftSuffix))
	}
}

// publish gives the files their names. One that has it already is done.
func (m *mend) publish() error {
	for _, name := range drafts {
		path := filepath.Join(m.dir, name)
		if err := publish.Replace(path+draftSuffix, path); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

// note remembers which records still fail.
func (m *mend) note(rejects []convert.Reject) {
	for _, r := range rejects {
		m.failed.Add(convert.Refusal{Where: convert.Where{Record: r.Record}})
	}
}

// draft writes the files anew: into the one the records that still fail, which
// was done but for its header if there are none, to the end of the other those
// that do not.
func (m *mend) draft(ctx context.Context, l *loading) error {
	if m.failed.Len() == 0 {
		if err := errors.Join(l.rejects.Open(), l.rejects.Close()); err != nil {
			return err
		}
	}
	p, err := l.open(ctx)
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
		err = w.Write(reject.Mark(reject.Header(m.headings)))
	} else {
		_, err = f.Write(text)
	}
	if err != nil {
		return err
	}
	failed := m.failed.Cursor(convert.Where{})
	err = p.Cells(ctx, func(number int64, cells []string) error {
		if failed.At(convert.Where{Record: number}) != nil {
			return nil
		}
		return w.Write(reject.Mark(cells))
	})
	w.Flush()
	err = errors.Join(err, w.Error(), f.Sync())
	m.drafted = err == nil
	return err
}

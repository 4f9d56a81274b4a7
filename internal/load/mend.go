package load

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/dustin/go-humanize"
	"github.com/gofrs/flock"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

var (
	// ErrNoRejects is returned when there is nothing to mend.
	ErrNoRejects = errors.New("no rejects")
	// ErrMending is returned while another program mends the same load.
	ErrMending = errors.New("another program is mending these rejects")
	// ErrHalfMended is returned when an interrupted mend has left files behind,
	// and no ledger says whether it was committed.
	ErrHalfMended = errors.New("a mend was interrupted, and without a ledger it is not known whether its rows are in the table")
)

// MendError is returned for rejects of a load whose rows the table does not have.
type MendError struct {
	Load, Tray string
	State      ledger.State // "" if the ledger does not have the load
}

func (e *MendError) Error() string {
	why := map[ledger.State]string{ledger.Undone: "it was undone", ledger.Replaced: "its rows were replaced by a later load", "": "the ledger of the target does not have it"}
	return fmt.Sprintf("load %s of %s cannot be mended: %s", e.Load, e.Tray, why[e.State])
}

// Mend loads the rejects of a load that were corrected since, by the same plan into
// the same table. What still fails stays in the file. If the table differs from the records
// that it loads, the receipt says how, and the error is ErrDiffers. After the commit the error is
// an UnrecordedError.
func Mend(ctx context.Context, t *tray.Tray, id string, from *source.Opener, to database.Target, o Options) (*Receipt, error) {
	err := ResolvePending(ctx, t, to)
	if err != nil {
		return nil, err
	}
	dir := t.LoadDir(id)
	first, err := ReadReceipt(dir)
	if errors.Is(err, fs.ErrNotExist) || err == nil && first.Rejects.File == nil {
		return nil, fmt.Errorf("load %s of %s: %w", id, t.Dir, ErrNoRejects)
	}
	if err != nil {
		return nil, err
	}
	unlock, err := lockMend(dir)
	if err != nil {
		return nil, fmt.Errorf("load %s of %s: %w", id, t.Dir, err)
	}
	defer unlock()
	t = first.loaded(t)
	plan := first.plan(t)
	plan.Allow = table.Allowance{}
	plan.Columns = first.keepZeros(plan.Columns)
	if plan.Existing != table.Merge {
		plan.Existing = table.Append
	}
	path := filepath.Join(dir, reject.FileName)
	failing := &mendRejects{Writer: reject.Writer{Path: path + draftSuffix, Headings: first.Headings, Sources: []string{path}, Again: true}}
	j := &job{
		Options: o, tray: t, plan: plan, table: plan, to: to, dir: dir, rejects: failing,
		open: func(ctx context.Context) (*pass.Pass, error) {
			return pass.OpenKept(ctx, t, from, path, first.Headings)
		},
		receipt: newReceipt(t, plan, to, first.Headings, o),
	}
	j.receipt.Load, j.receipt.Mended, j.loadID = id, true, first.ID
	m := &mended{job: j, opener: from, of: first, failing: failing}
	kept := first.RejectsHere()
	last, err := ReadMend(dir)
	if err == nil {
		kept = last.Counts.Rejected
	}
	os.Remove(filepath.Join(dir, differencesFile)) // of a mend before
	err = m.load(ctx)
	if errors.Is(err, ErrDiffers) {
		return j.receipt, err
	}
	if err != nil {
		return nil, err
	}
	missing := kept - j.receipt.Counts.Read
	if missing > 0 {
		j.receipt.addNote(note.About(fmt.Sprintf("rejected records that are no longer in the file, and were not loaded: %s of %s", humanize.Comma(missing), humanize.Comma(kept))))
	}
	err = m.publish()
	if err != nil {
		return nil, &UnrecordedError{Done: "the records are loaded, but " + path + " could not be written", Unfinished: true, Err: err}
	}
	j.receipt.Rejects.File = &path
	return j.receipt, j.receipt.write(dir, mendReceipt)
}

// lockMend keeps other mends off the files of a load, whatever their targets: the
// lock of the table excludes only those into the same one. The operating system
// releases it when the program ends, so the file that bears it stays.
func lockMend(dir string) (unlock func() error, err error) {
	l := flock.New(filepath.Join(dir, "mending.lock"))
	locked, err := l.TryLock()
	if err != nil {
		return nil, err
	}
	if !locked {
		return nil, ErrMending
	}
	return l.Unlock, nil
}

// mendReceipt is the name of the receipt of the last mend of a load.
const mendReceipt = "mended.json"

// ReadMend reads the receipt of the last mend of a load, if there was one.
func ReadMend(dir string) (*Receipt, error) { return readReceipt(dir, mendReceipt) }

// load loads the rejects under the lock of the table.
func (m *mended) load(ctx context.Context) error {
	exists, err := m.to.Exists(ctx, m.table.Name)
	if err != nil {
		return err
	}
	if !exists {
		return &database.Error{Target: m.to.Name(), Op: "mend into " + m.table.Name, Kind: database.ErrNoTable}
	}
	unlock, err := m.lock(ctx)
	if err != nil {
		return err
	}
	defer unlock()
	m.pass, err = m.open(ctx)
	if err != nil {
		return err
	}
	defer func() { m.pass.Close() }()
	err = m.checkLoad(ctx)
	if err != nil {
		return err
	}
	finished, err := m.finishInterrupted(ctx)
	if err != nil {
		return err
	}
	if finished { // what is left is in a new file
		m.pass.Close()
		m.pass, err = m.open(ctx)
		if err != nil {
			return err
		}
	}
	_, err = m.run(ctx, func(context.Context) (way, error) {
		m.way = &whole{m.job}
		if m.plan.Existing == table.Merge {
			m.way = &merged{job: m.job}
			m.withheld, err = m.replacing(ctx)
		}
		return m, err
	})
	if err != nil {
		return m.abort(err)
	}
	return nil
}

// checkLoad makes sure that the table has the rows of the load that the rejects are of.
func (m *mended) checkLoad(ctx context.Context) error {
	if m.NoLedger || !m.of.InLedger {
		return nil
	}
	entries, err := ledger.Read(ctx, m.to, m.identity)
	if err != nil {
		return err
	}
	e := ledger.ByID(entries, m.of.ID)
	switch {
	case e == nil:
		return &MendError{m.of.Load, m.tray.Dir, ""}
	case e.State == ledger.Undone, e.State == ledger.Replaced:
		return &MendError{m.of.Load, m.tray.Dir, e.State}
	}
	return nil
}

// finishInterrupted ends a mend that was interrupted. When it was committed, which
// the ledger knows, its drafts are published, and otherwise they are removed.
func (m *mended) finishInterrupted(ctx context.Context) (finished bool, err error) {
	left := draftsLeft(m.dir)
	if m.NoLedger {
		if left {
			return false, fmt.Errorf("%s: %w", m.dir, ErrHalfMended)
		}
		return false, nil
	}
	entries, err := ledger.Read(ctx, m.to, m.identity)
	if err != nil {
		return false, err
	}
	content, err := m.content(ctx)
	if err != nil {
		return false, err
	}
	for _, e := range entries {
		switch {
		case e.State != ledger.Loaded || e.Content != content:
		case left:
			return true, m.publish()
		case !m.Again:
			return false, &AgainError{Table: m.receipt.Table, Of: 1, Parts: []LoadedPart{{Source: e.Source, Load: e.ID, Entry: e}}}
		}
	}
	m.drop()
	return false, nil
}

package load

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/tray"
)

// pendingFile is the name of the receipt of a load that is about to commit. If the program is
// killed before it writes the final receipt, this file stays, and ResolvePending asks the ledger.
const pendingFile = "receipt.pending.json"

// writePending writes the receipt that is valid if the load commits. A mend has its own drafts.
// Without a ledger it cannot be known later whether the load committed.
func (j *job) writePending() error {
	if j.NoLedger || j.receipt.Mended {
		return nil
	}
	r := *j.receipt
	r.Verified, r.InLedger = true, true
	text, err := r.marshal()
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(j.dir, pendingFile), text, 0o666) // not synced, because it only protects against a killed program
}

// writeReceipt writes the receipt of a load that has ended.
func (j *job) writeReceipt() error {
	err := j.receipt.write(j.dir, receiptFile)
	if err == nil {
		os.Remove(filepath.Join(j.dir, pendingFile)) // otherwise ResolvePending removes it
	}
	return err
}

// ResolvePending turns the pending receipts of a tray into receipts if the ledger says that their
// loads committed. It removes the folder of a loader that shared a load which another loader with
// a folder here completed. Several programs may do this at the same time.
func ResolvePending(ctx context.Context, t *tray.Tray, to database.Target) error {
	ids, err := t.Loads()
	if err != nil {
		return err
	}
	for _, id := range ids {
		err := resolvePending(ctx, t, id, to)
		if err != nil {
			return err
		}
	}
	return nil
}

func resolvePending(ctx context.Context, t *tray.Tray, load string, to database.Target) error {
	dir := t.LoadDir(load)
	pending := filepath.Join(dir, pendingFile)
	r, err := readReceipt(dir, pendingFile)
	if err != nil || r.Target != to.Name() { // a truncated receipt was written before the commit
		return nil
	}
	_, err = os.Stat(filepath.Join(dir, receiptFile))
	if err == nil {
		os.Remove(pending)
		return nil
	}
	entry, err := ledger.Find(ctx, to, r.ID)
	if errors.Is(err, ledger.ErrUnknown) || err == nil && entry.State != ledger.Loaded {
		return nil
	}
	if err == nil && completedBeside(t, r, &entry) {
		return os.RemoveAll(dir)
	}
	if err == nil {
		err = os.Rename(pending, filepath.Join(dir, receiptFile))
	}
	if errors.Is(err, fs.ErrNotExist) { // another program was quicker
		return nil
	}
	return err
}

// completedBeside reports whether another loader, whose folder is in the same tray on this machine,
// has completed a shared load. It has written its receipt, perhaps a pending one.
func completedBeside(t *tray.Tray, own *Receipt, ended *ledger.Entry) bool {
	if ended.Load == own.Load || ended.Tray != own.Tray {
		return false
	}
	for _, name := range []string{pendingFile, receiptFile} { // in the order in which they exist
		r, err := readReceipt(t.LoadDir(ended.Load), name)
		if err == nil && r.ID == ended.ID {
			return true
		}
	}
	return false
}

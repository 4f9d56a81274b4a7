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

// pendingFile is the receipt of a load that is about to commit. A program that is killed before it
// knows that it has committed leaves it, and Settle asks the ledger.
const pendingFile = "receipt.pending.json"

// keepPending writes the receipt as it is once the load has committed. A mend has drafts of its
// own, and without a ledger nobody could say later whether it was committed.
func (j *job) keepPending() error {
	if j.NoLedger || j.receipt.Mended {
		return nil
	}
	r := *j.receipt
	r.Verified, r.InLedger = true, true
	text, err := r.marshal()
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(j.dir, pendingFile), text, 0o666) // not synced: it is for a program that is killed
}

// writeReceipt writes the receipt of a load that has ended.
func (j *job) writeReceipt() error {
	err := j.receipt.write(j.dir, receiptFile)
	if err == nil {
		os.Remove(filepath.Join(j.dir, pendingFile)) // otherwise Settle does
	}
	return err
}

// Settle gives the loads of a tray that have committed, and were killed before they wrote their
// receipt, the one that they have left. Other programs may do the same at the same time.
func Settle(ctx context.Context, t *tray.Tray, to database.Target) error {
	ids, err := t.Loads()
	if err != nil {
		return err
	}
	for _, id := range ids {
		err := settle(ctx, t.LoadDir(id), to)
		if err != nil {
			return err
		}
	}
	return nil
}

func settle(ctx context.Context, dir string, to database.Target) error {
	pending := filepath.Join(dir, pendingFile)
	r, err := readReceipt(dir, pendingFile)
	if err != nil || r.Target != to.Name() { // one that is cut off was not committed
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
	if err == nil {
		err = os.Rename(pending, filepath.Join(dir, receiptFile))
	}
	if errors.Is(err, fs.ErrNotExist) { // another program was quicker
		return nil
	}
	return err
}

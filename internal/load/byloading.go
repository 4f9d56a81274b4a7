package load

import (
	"context"
	"errors"
	"fmt"
	"os"

	"ambertray/internal/database"
	"ambertray/internal/differ"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/tray"
)

// ByLoading is what a load has shown that was rolled back.
type ByLoading struct {
	Seconds     float64          `json:"seconds"` // in which the rows were sent
	Merged      *database.Merged `json:"merge"`   // null unless rows were merged
	Differences []Difference     `json:"differences"`
	RowsDiffer  *differ.Result   `json:"rows_differ"` // null unless rows differ
}

// ErrNoRollback is returned where a dry run cannot load rows, because the engine of the table rolls nothing back.
var ErrNoRollback = errors.New("the engine of the table has no transactions, so rows that are loaded would stay")

// loadAndRollBack loads a source, without those parts of it that were found in the table, and rolls everything
// back. It returns what the receipt would be.
func loadAndRollBack(ctx context.Context, t *tray.Tray, from *source.Opener, to database.Target, found []LoadedPart, o Options) (*Receipt, error) {
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	o.RollBack, o.NoLedger, o.Lanes = true, true, 1
	j := newJob(p, from, to, o)
	err = j.leaveOut(found)
	if err != nil {
		return nil, err
	}
	unlock, err := j.lock(ctx)
	if err != nil {
		return nil, err
	}
	defer unlock()
	w, err := j.run(ctx, j.begin)
	var engine *EngineError
	switch {
	case errors.Is(err, errRolledBack), errors.Is(err, ErrDiffers):
		if j.receipt.RowsDiffer != nil {
			j.receipt.RowsDiffer.File = nil // it is gone with the folder of the load
		}
		return j.receipt, os.RemoveAll(j.dir)
	case errors.As(err, &engine):
		err = fmt.Errorf("%w: %s", ErrNoRollback, engine.Engine)
	}
	if w != nil {
		err = w.abort(err)
	}
	return nil, err
}

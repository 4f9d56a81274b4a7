package load

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"os"

	"github.com/cespare/xxhash/v2"

	"ambertray/internal/database"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// RunShared loads as many shares as it gets, and returns the receipt of the whole load
// when all are proved, whoever has loaded them.
func RunShared(ctx context.Context, t *tray.Tray, from *source.Opener, to database.Target, o Options) (*Receipt, error) {
	signer, err := checkSharing(t, to, o)
	if err != nil {
		return nil, err
	}
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	size := o.Every
	if size == 0 {
		size = shareRecords
	}
	s := &shared{job: newJob(p, from, to, o), from: from, loader: newLoader()}
	other, err := o.Sharing.Connect(ctx)
	if err != nil {
		return nil, err
	}
	s.side = &side{Target: other}
	defer other.Close()
	if err := signer.SignAs(ctx, signature(s.loader)); err != nil {
		return nil, err
	}
	err = s.phase(phaseLoad, func() error {
		err := s.divide(ctx, size)
		if err == nil {
			err = s.join(ctx)
		}
		if err == nil {
			err = s.loadShares(ctx)
		}
		return err
	})
	if err != nil {
		return nil, s.failed(ctx, err)
	}
	return s.finish(ctx)
}

// failed says what stays after an error, once the load is in the ledger.
func (s *shared) failed(ctx context.Context, err error) error {
	if s.entry.ID == "" {
		return err
	}
	e := &ShareError{Err: err, Load: s.entry.ID, Of: s.entry.Shares}
	shares, _ := s.shares(context.WithoutCancel(ctx)) // none, where the server is gone
	for _, share := range shares {
		if share.Proof != nil {
			e.Proved++
		}
	}
	return e
}

// divide reads the whole source, and divides it.
func (s *shared) divide(ctx context.Context, size int64) (err error) {
	if s.division, err = s.pass.Divide(ctx, size, s.Progress); err != nil {
		return err
	}
	s.mark, err = planMark(s.tray)
	return err
}

func checkSharing(t *tray.Tray, to database.Target, o Options) (database.Sharer, error) {
	signer, ok := to.(database.Sharer)
	switch {
	case !ok:
		return nil, ErrShareTarget
	case o.NoLedger:
		return nil, ErrNeedsLedger
	case t.Table.Existing != table.Refuse && t.Table.Existing != table.Append:
		return nil, ErrShareNew
	}
	return signer, to.Dialect().Check(&t.Table)
}

// newLoader returns a name for this loader that no other one has.
func newLoader() string {
	host, _ := os.Hostname()
	var salt [3]byte
	_, _ = rand.Read(salt[:])
	return fmt.Sprintf("%.30s/%d/%x", host, os.Getpid(), salt)
}

// planMark identifies what a plan makes of its records.
func planMark(t *tray.Tray) (string, error) {
	plan := t.Table
	plan.Existing, plan.Allow = table.Refuse, table.Allowance{}
	text, err := json.Marshal([]any{plan, t.Layout})
	return fmt.Sprintf("%016x", xxhash.Sum64(text)), err
}

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

// RunShared loads shares until every share of the load is proved, by this loader or by
// others, and returns the receipt of the whole load.
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
	err = ResolvePending(ctx, t, to)
	if err != nil {
		return nil, err
	}
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
	err = signer.SignAs(ctx, signature(s.loader))
	if err != nil {
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

// failed adds to an error which shares stay, once the load is in the ledger.
func (s *shared) failed(ctx context.Context, err error) error {
	if s.entry.ID == "" {
		return err
	}
	e := &ShareError{Err: err, Load: s.entry.ID, Of: s.entry.Shares}
	shares, _ := s.shares(context.WithoutCancel(ctx)) // empty if the server is gone
	for _, share := range shares {
		if share.Proof != nil {
			e.Proved++
		}
	}
	return e
}

// divide reads the whole source and divides it into shares.
func (s *shared) divide(ctx context.Context, size int64) (err error) {
	s.division, err = s.pass.Divide(ctx, size, s.Progress)
	if err != nil {
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
		return nil, fmt.Errorf("--existing %s: %w", t.Table.Existing, ErrShareExisting)
	}
	return signer, to.Dialect().Check(&t.Table)
}

// newLoader returns a unique name for this loader.
func newLoader() string {
	host, _ := os.Hostname()
	var salt [3]byte
	_, _ = rand.Read(salt[:])
	return fmt.Sprintf("%.30s/%d/%x", host, os.Getpid(), salt)
}

// planMark identifies how a plan converts its records.
func planMark(t *tray.Tray) (string, error) {
	plan := t.Table
	plan.Existing, plan.Allow = table.Refuse, table.Allowance{}
	text, err := json.Marshal([]any{plan, t.Layout})
	return fmt.Sprintf("%016x", xxhash.Sum64(text)), err
}

package load

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"time"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/pass"
	"ambertray/internal/publish"
	"ambertray/internal/table"
)

// maxConflicts is how many transactions of a loader in a row the server may roll back for others.
const maxConflicts = 10

// loadShares takes shares and loads them until all are proved. Loaders whose shares have the same
// keys may wait for each other, until the server rolls one of them back: that one tries again.
func (s *shared) loadShares(ctx context.Context) error {
	conflicts := 0
	for {
		share, err := s.take(ctx)
		if share == nil || err != nil {
			return err
		}
		err = s.loadShare(ctx, share)
		switch {
		case err == nil:
			conflicts = 0
		case errors.Is(err, database.ErrConflict) && conflicts < maxConflicts:
			conflicts++
		default:
			return err
		}
	}
}

// waitForOthers is how long a loader waits before it looks for a free share again.
const waitForOthers = 250 * time.Millisecond

// take leases the next share, and waits while other loaders have all of them. It returns
// nil when all are proved.
func (s *shared) take(ctx context.Context) (*ledger.Share, error) {
	for {
		shares, err := s.shares(ctx)
		if err != nil {
			return nil, err
		}
		free, waits, err := s.takeOneOf(ctx, shares)
		if free != nil || err != nil || !waits {
			return free, err
		}
		s.enter("wait for other loaders")
		select {
		case <-ctx.Done():
			return nil, context.Cause(ctx)
		case <-time.After(waitForOthers):
		}
	}
}

// takeOneOf leases a free share. Waits reports that other loaders have unproved shares.
func (s *shared) takeOneOf(ctx context.Context, shares []ledger.Share) (taken *ledger.Share, waits bool, err error) {
	s.side.Lock()
	defer s.side.Unlock()
	now, err := ledger.Clock(ctx, s.side)
	if err != nil {
		return nil, false, err
	}
	for i := range shares {
		share := &shares[i]
		if share.Proof != nil {
			continue
		}
		waits = true
		if share.Until >= now {
			continue
		}
		if share.Until > 0 { // expired: the transaction of its loader would block this one
			err := s.side.Target.(database.Sharer).EndSessions(ctx, signature(share.Loader))
			if err != nil {
				return nil, false, err
			}
		}
		err := ledger.Take(ctx, s.side, s.entry.ID, share, s.loader, s.leaseSeconds())
		if err == nil {
			return share, true, nil
		}
		if !errors.Is(err, ledger.ErrTaken) {
			return nil, false, err
		}
	}
	return nil, waits, nil
}

func (s *shared) leaseSeconds() int { return max(1, int(s.Sharing.Lease/time.Second)) }

// loadShare loads a share under its lease. If another loader was quicker, it returns nil.
func (s *shared) loadShare(ctx context.Context, share *ledger.Share) error {
	leased, cancel := context.WithCancelCause(ctx)
	end := s.renew(leased, share.Number, cancel)
	err := s.tryShare(leased, share)
	cancel(nil)
	end()
	if err == nil {
		s.ours.Own++
		return nil
	}
	shares, lookErr := s.shares(context.WithoutCancel(ctx))
	switch {
	case lookErr != nil:
		return errors.Join(err, lookErr)
	case shares[share.Number-1].Proof != nil:
		return nil
	case shares[share.Number-1].Loader != s.loader: // which may have ended this session
		return fmt.Errorf("share %d: %w", share.Number, ErrLeaseLost)
	}
	_ = s.renewFor(ctx, share.Number, 0) // if this fails, it expires
	return err
}

// renew renews a lease while its share is being loaded, and cancels the load when the
// lease is lost. End waits for the renewals to stop.
func (s *shared) renew(ctx context.Context, number int, cancel context.CancelCauseFunc) (end func()) {
	done := make(chan struct{})
	go func() {
		defer close(done)
		for {
			select {
			case <-ctx.Done():
				return
			case <-time.After(s.Sharing.Lease / 3):
			}
			err := s.renewFor(ctx, number, s.leaseSeconds())
			if errors.Is(err, ledger.ErrTaken) {
				cancel(ErrLeaseLost)
			} // after other errors the lease may expire, and the loader that takes it ends this session
		}
	}()
	return func() { <-done }
}

// renewFor extends the lease of a share by some seconds, or gives it back with 0.
func (s *shared) renewFor(ctx context.Context, number, seconds int) error {
	s.side.Lock()
	defer s.side.Unlock()
	return ledger.Renew(context.WithoutCancel(ctx), s.side, s.entry.ID, number, s.loader, seconds)
}

// tryShare loads a share in a transaction of its own.
func (s *shared) tryShare(ctx context.Context, share *ledger.Share) error {
	open := func(ctx context.Context) (*pass.Pass, error) {
		p, err := pass.Open(ctx, s.tray, s.from)
		if err != nil {
			return nil, err
		}
		return p, p.Only(share.Share)
	}
	p, err := open(ctx)
	if err != nil {
		return err
	}
	defer p.Close()
	plan := *s.tray
	plan.Table.Existing, plan.Table.Allow = table.Append, table.Allowance{}
	j := newJob(p, s.from, s.to, s.Options)
	j.tray, j.plan, j.table, j.open, j.identity, j.Every, j.Rows = &plan, &plan.Table, &plan.Table, open, s.identity, 0, 0
	w := &oneShare{whole: whole{j}, of: s, number: share.Number}
	_, err = j.transact(ctx, func(context.Context) (way, error) {
		err := j.assignID(nil)
		j.loadID = s.entry.ID
		return w, err
	})
	if err != nil {
		return w.abort(err)
	}
	if j.receipt.Counts.Rejected > 0 { // they are gathered at the end of the load
		return nil
	}
	return os.RemoveAll(j.dir)
}

// shareFile is the name of the file, in the folder of a share, with its rejects by their
// reasons.
const shareFile = "share.json"

// keepReasons writes why records of a share were rejected.
func (j *job) keepReasons() error {
	if j.receipt.Counts.Rejected == 0 {
		return nil
	}
	text, err := json.Marshal(j.receipt.Rejects.ByReason)
	if err != nil {
		return err
	}
	return publish.File(filepath.Join(j.dir, shareFile), append(text, '\n'))
}

// oneShare loads one share in one transaction, and writes its proof to the ledger.
type oneShare struct {
	whole
	of     *shared
	number int
}

func (w *oneShare) prepare(ctx context.Context) error {
	err := w.openExisting(ctx, true)
	if err != nil {
		return err
	}
	w.receipt.Outcome = Appended
	err = w.mark(ctx)
	if err != nil {
		return err
	}
	return w.openSink(ctx, w.table.Name)
}

func (w *oneShare) commit(ctx context.Context) error {
	r, s := w.receipt, w.of
	err := s.checkAllowance(ctx, r.Counts.Rejected, w.rejects.File())
	if err != nil {
		return err
	}
	err = w.keepReasons()
	if err != nil {
		return err
	}
	return w.commitWith(ctx, &ledger.Entry{ID: s.entry.ID, Proof: &ledger.Proof{
		Share: w.number, Loader: s.loader, Tray: s.receipt.Tray, Load: r.Load, Loaded: r.Counts.Loaded, Rejected: r.Counts.Rejected, Altered: w.altered, At: time.Now(),
	}})
}

// checkAllowance counts the rejects of this share and of all that are proved.
func (s *shared) checkAllowance(ctx context.Context, rejected int64, file string) error {
	shares, err := s.shares(ctx)
	if err != nil {
		return err
	}
	_, all := sumProofs(shares)
	all += rejected
	if s.job.plan.Allow.Exceeded(all, math.MaxInt64) { // a percentage is known only at the end
		return &TooManyError{Rejected: all, Records: s.division.Records, Allow: s.job.plan.Allow, File: file}
	}
	return nil
}

func sumProofs(shares []ledger.Share) (loaded, rejected int64) {
	for _, s := range shares {
		if s.Proof != nil {
			loaded += s.Proof.Loaded
			rejected += s.Proof.Rejected
		}
	}
	return loaded, rejected
}

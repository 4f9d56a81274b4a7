package load

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/pass"
	"ambertray/internal/source"
)

// shared is one loader of a shared load.
type shared struct {
	*job
	from     *source.Opener
	division *pass.Division
	mark     string       // of the plan
	entry    ledger.Entry // of the load, the same for all loaders
	loader   string
	side     *side
	ours     Shared
}

// side is another connection to the target, for leases. Two goroutines use it.
type side struct {
	sync.Mutex
	database.Target
}

// shares returns the shares of the load.
func (s *shared) shares(ctx context.Context) ([]ledger.Share, error) {
	s.side.Lock()
	defer s.side.Unlock()
	shares, err := ledger.Shares(ctx, s.side, s.entry.ID)
	if err == nil && len(shares) == 0 {
		err = fmt.Errorf("load %s: %w", s.entry.ID, ledger.ErrMoved)
	}
	return shares, err
}

// join finds the load in the ledger, or begins it there.
func (s *shared) join(ctx context.Context) error {
	unlock, err := s.lock(ctx)
	if err != nil {
		return err
	}
	defer unlock()
	_, err = ledger.Make(ctx, s.to)
	if err != nil {
		return err
	}
	err = ledger.MakeShares(ctx, s.to)
	if err != nil {
		return err
	}
	s.tx, err = s.to.Begin(ctx)
	if err != nil {
		return err
	}
	err = s.findOrBegin(ctx)
	back := s.tx.Rollback() // which does nothing after a commit
	if err == nil {
		return back
	}
	if s.entry.ID != "" && s.to.Dialect().DDLAutoCommits {
		_, _ = ledger.ForgetUnfinished(context.WithoutCancel(ctx), s.to, s.entry.ID)
		s.entry = ledger.Entry{}
	}
	if s.undoSchema != nil {
		err = errors.Join(err, s.undoSchema())
	}
	return errors.Join(err, back)
}

func (s *shared) findOrBegin(ctx context.Context) error {
	found, err := s.checkAlreadyLoaded(ctx)
	if err != nil {
		return err
	}
	if found == nil {
		return s.begin(ctx)
	}
	shares, err := ledger.Shares(ctx, s.to, found.ID)
	if err != nil {
		return err
	}
	if len(shares) != found.Shares || shares[0].Plan != s.mark {
		return fmt.Errorf("load %s: %w", found.ID, ErrOtherPlan)
	}
	s.entry, s.receipt.ID, s.receipt.Outcome = *found, found.ID, Appended
	return nil
}

// begin writes the load with its shares to the ledger, and creates the table.
func (s *shared) begin(ctx context.Context) error {
	err := s.forgetTableless(ctx)
	if err != nil {
		return err
	}
	content, err := s.content(ctx)
	if err != nil {
		return err
	}
	entry := s.newEntry(content)
	entry.Shares = len(s.division.Shares)
	err = ledger.CheckNames(ctx, s.to, &entry)
	if err != nil {
		return err
	}
	err = ledger.Divide(ctx, s.to, entry.ID, s.mark, s.division.Shares)
	if err != nil {
		return err
	}
	inCommit := &entry
	if s.to.Dialect().DDLAutoCommits { // the table is committed by itself, and must not exist without its entry
		err := ledger.Write(ctx, s.to, &entry)
		if err != nil {
			return err
		}
		inCommit, s.entry = nil, entry
	}
	err = s.openTable(ctx, true)
	if err != nil {
		return err
	}
	if s.receipt.Outcome.newTable() && (len(s.table.Indexes) > 0 || s.table.References()) {
		err := s.index(ctx)
		if err != nil {
			return err
		}
	}
	err = s.tx.Commit(context.WithoutCancel(ctx), inCommit)
	if err != nil {
		return err
	}
	s.entry = entry
	return nil
}

// forgetTableless removes from the ledger the loads of loaders that died before they
// created the table.
func (s *shared) forgetTableless(ctx context.Context) error {
	exists, err := s.to.Exists(ctx, s.table.Name)
	if err != nil || exists {
		return err
	}
	entries, err := ledger.Read(ctx, s.to, s.identity)
	for _, e := range entries {
		if err == nil && e.State == ledger.Partial && e.Shares > 0 {
			_, err = ledger.ForgetUnfinished(ctx, s.to, e.ID)
		}
	}
	return err
}

// loaderHost is the machine of a loader.
func loaderHost(loader string) string {
	host, _, _ := strings.Cut(loader, "/")
	return host
}

// signature is the name of the sessions of a loader.
func signature(loader string) string { return "ambertray " + loader }

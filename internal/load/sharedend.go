package load

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/dustin/go-humanize"

	"ambertray/internal/convert"
	"ambertray/internal/ledger"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/publish"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
)

// finish writes to the ledger that all shares are proved, unless another loader has, and
// returns the receipt of the whole load.
func (s *shared) finish(ctx context.Context) (*Receipt, error) {
	shares, err := ledger.Shares(ctx, s.to, s.entry.ID)
	if err != nil {
		return nil, err
	}
	err = s.count(shares)
	if err != nil {
		return nil, err
	}
	r := s.receipt
	allow := s.job.plan.Allow
	if allow.Exceeded(r.Counts.Rejected, s.division.Records) {
		return nil, s.failed(ctx, &TooManyError{Rejected: r.Counts.Rejected, Records: s.division.Records, Allow: allow, File: s.tray.Dir})
	}
	c := r.Counts
	if c.Read != c.Loaded+c.Rejected+c.Skipped {
		return nil, s.failed(ctx, fmt.Errorf("%w: %s read, and %s loaded, %s rejected, %s skipped", ErrDiffers,
			rowsText(c.Read), humanize.Comma(c.Loaded), humanize.Comma(c.Rejected), humanize.Comma(c.Skipped)))
	}
	err = s.assignID(nil)
	if err != nil {
		return nil, err
	}
	err = s.gather(shares)
	if err != nil {
		return nil, err
	}
	err = s.writePending()
	if err != nil {
		return nil, err
	}
	var ended *ledger.Entry
	err = s.phase(PhaseCommit, func() (err error) {
		ended, err = s.complete(ctx)
		return err
	})
	if err != nil {
		return nil, err
	}
	r.Verified, r.InLedger = true, true
	if completedBeside(s.tray, r, ended) {
		return r, r.unrecorded(errors.Join(s.useFolder(ended.Load), ResolvePending(ctx, s.tray, s.to)))
	}
	err = s.phase(PhaseStatistics, func() error { s.analyze(ctx); return nil })
	s.appendNext()
	return r, errors.Join(err, s.writeReceipt())
}

// useFolder removes the folder of this loader and uses that of another one.
func (s *shared) useFolder(load string) error {
	err := os.RemoveAll(s.dir)
	s.receipt.Load, s.dir = load, s.tray.LoadDir(load)
	if s.receipt.Rejects.File != nil {
		s.receipt.Rejects.File = new(filepath.Join(s.dir, reject.FileName))
	}
	return err
}

// count fills in the counts of the receipt, over the shares of all loaders.
func (s *shared) count(shares []ledger.Share) error {
	r := s.receipt
	r.ID = s.entry.ID
	for i, p := range s.pass.Parts() {
		r.Source = append(r.Source, Part{Source: p.Name, Sheet: p.SheetName(), Index: i, Bytes: p.Bytes, SHA256: p.SHA256, Content: p.Content, textBytes: p.TextBytes})
	}
	at := map[string]int{}
	var altered []convert.Altered
	s.ours.Shares = len(shares)
	for _, share := range shares {
		p, part := share.Proof, &r.Source[share.Part]
		part.Read += share.Last - share.After
		part.Loaded += p.Loaded
		part.Rejected += p.Rejected
		altered = append(altered, p.Altered)
		i, known := at[p.Loader]
		if !known {
			i = len(s.ours.Loaders)
			at[p.Loader] = i
			s.ours.Loaders = append(s.ours.Loaders, LoaderWork{Loader: p.Loader})
		}
		w := &s.ours.Loaders[i]
		w.Shares, w.Loaded, w.Rejected = w.Shares+1, w.Loaded+p.Loaded, w.Rejected+p.Rejected
	}
	r.Shared = &s.ours
	loading := &r.Phases[0]
	loading.RowsPerSecond = perSecond(s.ownRows(shares), loading.Seconds)
	r.Skipped = s.division.Skipped
	r.Counts.Read, r.Counts.Skipped = s.division.Records+s.division.Skipped.Total(), s.division.Skipped.Total()
	r.Counts.Loaded, r.Counts.Rejected = sumProofs(shares)
	notes, err := s.pass.DivisionNotes(pass.Options{Dialect: s.to.Dialect(), Table: s.table, Load: s.entry.ID}, s.division, altered)
	r.Notes = note.Recount(r.Notes, notes)
	return err
}

// ownRows returns how many rows this loader has loaded.
func (s *shared) ownRows(shares []ledger.Share) (rows int64) {
	for _, share := range shares {
		if share.Proof.Loader == s.loader {
			rows += share.Proof.Loaded
		}
	}
	return rows
}

// complete marks the load as loaded, and returns its entry. All loaders that are running at
// the end try, and one of them succeeds.
func (s *shared) complete(ctx context.Context) (*ledger.Entry, error) {
	var err error
	s.tx, err = s.to.Begin(ctx)
	if err != nil {
		return nil, err
	}
	entry := s.entry
	entry.Tray = s.receipt.Tray // where the receipt is
	s.job.complete(&entry)
	err = ledger.Complete(ctx, s.to, &entry)
	if err == nil {
		return &entry, s.tx.Commit(context.WithoutCancel(ctx), nil)
	}
	err = errors.Join(err, s.tx.Rollback())
	found, lookErr := ledger.Find(ctx, s.to, s.entry.ID)
	if lookErr == nil && found.State == ledger.Loaded {
		return &found, nil
	}
	return nil, errors.Join(err, lookErr)
}

// gather copies the rejects of all shares that were loaded on this machine to the folder
// of the load, and names the places of the others.
func (s *shared) gather(shares []ledger.Share) error {
	list := &refusal.List{}
	var reasons reject.Summary
	rejects := false
	err := publish.Write(s.rejects.File(), func(w io.Writer) error {
		for _, share := range shares {
			p := share.Proof
			if p.Rejected == 0 {
				continue
			}
			dir := s.tray.LoadDir(p.Load)
			if !s.isHere(p) {
				s.receipt.Remarks = append(s.receipt.Remarks, fmt.Sprintf("rejects of share %d: %s, kept by loader %s in %s", share.Number, rowsText(p.Rejected), p.Loader, filepath.Join(p.Tray, "loads", p.Load)))
				continue
			}
			refused, err := readRefused(dir)
			if err != nil {
				return err
			}
			list.Append(refused)
			err = addReasons(&reasons, filepath.Join(dir, shareFile))
			if err != nil {
				return err
			}
			err = copyRejects(w, filepath.Join(dir, reject.FileName), rejects)
			if err != nil {
				return err
			}
			rejects = true
		}
		return nil
	})
	if err != nil || !rejects {
		return errors.Join(err, os.Remove(s.rejects.File()))
	}
	s.receipt.Rejects = Rejects{new(s.rejects.File()), reasons.Groups()}
	list.Sort()
	return s.rejects.KeepRefused(list)
}

// isHere reports whether the folder of a share is on this machine.
func (s *shared) isHere(p *ledger.Proof) bool {
	_, err := os.Stat(filepath.Join(s.tray.LoadDir(p.Load), shareFile))
	return err == nil && p.Tray == s.receipt.Tray && loaderHost(p.Loader) == loaderHost(s.loader)
}

// addReasons adds the rejects of a share by their reasons.
func addReasons(to *reject.Summary, path string) error {
	text, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	var groups []reject.Group
	err = json.Unmarshal(text, &groups)
	if err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	for _, g := range groups {
		to.AddGroup(g)
	}
	return nil
}

// copyRejects copies a file of rejects, without its header if that is written already.
func copyRejects(to io.Writer, path string, headed bool) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	if headed {
		header := csv.NewReader(f)
		_, err := header.Read()
		if err != nil {
			return err
		}
		_, err = f.Seek(header.InputOffset(), io.SeekStart)
		if err != nil {
			return err
		}
	}
	_, err = io.Copy(to, f)
	return err
}

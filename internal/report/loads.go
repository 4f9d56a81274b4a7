package report

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"

	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/note"
	"ambertray/internal/tray"
)

// addLoads reads the receipts of a tray. A folder without one is of a load that failed.
func (r *Report) addLoads(t *tray.Tray) error {
	ids, err := t.Loads()
	if err != nil {
		return err
	}
	for _, id := range ids {
		for _, read := range []func(dir string) (*load.Receipt, error){load.ReadReceipt, load.ReadMend} {
			receipt, err := read(t.LoadDir(id))
			if errors.Is(err, fs.ErrNotExist) {
				continue
			}
			if err != nil {
				return err
			}
			r.Loads = append(r.Loads, receipt)
		}
	}
	return nil
}

// State returns what became of the rows of a load or a mend: what its receipt or the ledger of the
// target says, "" if that is not known.
func (r *Report) State(of *load.Receipt) ledger.State {
	if of.Undone {
		return ledger.Undone
	}
	at := slices.IndexFunc(r.Ledger, func(e ledger.Entry) bool { return e.ID == of.ID })
	if at < 0 {
		return ""
	}
	return r.Ledger[at].State
}

// Last returns the last load that was not undone, nil without any. Mends do not count.
func (r *Report) Last() *load.Receipt {
	for _, l := range slices.Backward(r.Loads) {
		if !l.Mended && r.State(l) != ledger.Undone {
			return l
		}
	}
	return nil
}

// mendOf returns the last mend of a load, nil without any.
func (r *Report) mendOf(of *load.Receipt) *load.Receipt {
	at := slices.IndexFunc(r.Loads, func(l *load.Receipt) bool { return l.Mended && l.Load == of.Load })
	if at < 0 {
		return nil
	}
	return r.Loads[at]
}

// countLoad takes the counts of the last load, if that read what the source has today.
func (r *Report) countLoad() {
	last := r.Last()
	if last == nil || !last.Verified || r.Changed() != "" || len(last.LeftOut) > 0 {
		return
	}
	c := last.Counts
	r.IsLoad, r.Read, r.Loaded, r.Rejected, r.Skipped, r.Rejects = true, c.Read, c.Loaded, c.Rejected, c.Skipped, last.Rejects.ByReason
	r.Parts = nil
	for i := range last.Source {
		p := &last.Source[i]
		r.Parts = append(r.Parts, Part{p.Title(), p.Read, p.Loaded, p.Rejected, p.Read - p.Loaded - p.Rejected})
	}
}

// Verdict says in a few words what is known of the rows: of the last load, if there is
// one.
func (r *Report) Verdict() string {
	last := r.Last()
	switch {
	case last == nil && len(r.Loads) > 0:
		return "the last load was undone; " + r.wouldLoad()
	case last == nil:
		return "not loaded yet; " + r.wouldLoad()
	case !r.Good():
		return "the last load differed from its source, and was rolled back"
	case r.State(last) == ledger.Replaced:
		return "the rows of the last load were replaced by a later load"
	}
	what := note.Count(last.Counts.Loaded, "row", "rows") + " loaded" + r.rejected(last)
	if last.Verify == load.RowsOnly {
		return what + "; rows counted, not proved"
	}
	return what + "; every row proved"
}

func (r *Report) wouldLoad() string {
	if r.Rejected == 0 {
		return "the plan takes every record"
	}
	return fmt.Sprintf("the plan takes %s of %s", count(r.Loaded), note.Count(r.Records, "record", "records"))
}

// rejected says what a load rejected, and how much of it is left to mend.
func (r *Report) rejected(of *load.Receipt) string {
	if of.Counts.Rejected == 0 {
		return ""
	}
	what := ", " + note.Count(of.Counts.Rejected, "record", "records") + " rejected"
	mend := r.mendOf(of)
	switch {
	case mend == nil:
		return what
	case mend.Counts.Rejected == 0:
		return what + ", none left to mend"
	}
	return what + ", " + count(mend.Counts.Rejected) + " left to mend"
}

// Good reports whether the last load has not differed from its source.
func (r *Report) Good() bool { return r.Last() == nil || r.Last().Verified }

// Changed says how the source differs in its number of rows from what the last load of
// these parts read, or "".
func (r *Report) Changed() string {
	last := r.Last()
	if last == nil || last.Counts.Read == r.Read || len(last.LeftOut) > 0 || last.ResumedFrom > 0 {
		return ""
	}
	return fmt.Sprintf("the source now has %s; the last load read %s", note.Count(r.Read, "row", "rows"), count(last.Counts.Read))
}

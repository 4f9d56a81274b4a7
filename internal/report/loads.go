package report

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"

	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/note"
	"ambertray/internal/reject"
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
	state, _ := of.StateIn(r.Ledger)
	return state
}

// findLoads finds the last loads of the parts of the source that were not undone. Mends do not count,
// and neither do loads that the ledger of the target does not have, because they are in another target.
func (r *Report) findLoads(t *tray.Tray) {
	if r.lacksTable() {
		return
	}
	keys := load.KeysOf(r.parts)
	r.was = make([]*load.Part, len(keys))
	for _, l := range slices.Backward(r.Loads) {
		state, known := l.StateIn(r.Ledger)
		if l.Mended || !known {
			continue
		}
		given, gives := l.Given(t), false
		for i, key := range keys {
			if given[key] == nil || r.was[i] != nil {
				continue
			}
			gives = true
			if state != ledger.Undone {
				r.was[i] = given[key]
			}
		}
		switch {
		case !gives:
		case state == ledger.Undone:
			r.undone = true
		default:
			r.of = append(r.of, l)
		}
	}
	slices.Reverse(r.of)
}

// mendOf returns the last mend of a load, nil without any.
func (r *Report) mendOf(of *load.Receipt) *load.Receipt {
	at := slices.IndexFunc(r.Loads, func(l *load.Receipt) bool { return l.Mended && l.Load == of.Load })
	if at < 0 {
		return nil
	}
	return r.Loads[at]
}

// given counts the parts that the loads have given.
func (r *Report) given() (n int) {
	for _, p := range r.was {
		if p != nil {
			n++
		}
	}
	return n
}

// whole reports whether the loads have given all parts, and no others.
func (r *Report) whole() bool {
	of := 0
	for _, l := range r.of {
		of += len(l.Source)
	}
	return r.given() == len(r.parts) && of == len(r.parts)
}

// countLoads takes the counts of the loads, if these read what the source has today.
func (r *Report) countLoads() {
	if !r.whole() || !r.Good() || r.Changed() != "" {
		return
	}
	r.IsLoad, r.Read, r.Loaded, r.Rejected, r.Skipped, r.Rejects = true, 0, 0, 0, 0, []reject.Group{}
	for _, l := range r.of {
		c := l.Counts
		r.Read, r.Loaded, r.Rejected, r.Skipped = r.Read+c.Read, r.Loaded+c.Loaded, r.Rejected+c.Rejected, r.Skipped+c.Skipped
		r.Rejects = append(r.Rejects, l.Rejects.ByReason...)
	}
	for i, p := range r.was {
		r.Parts[i] = Part{p.Title(), p.Read, p.Loaded, p.Rejected, p.Read - p.Loaded - p.Rejected}
	}
}

// Verdict says in a few words what is known of the rows: of the last loads of the source, if it was
// loaded.
func (r *Report) Verdict() string {
	switch {
	case r.lacksTable():
		return fmt.Sprintf("%s has no table %s; ", *r.Target, r.Table) + r.wouldLoad()
	case len(r.of) == 0 && r.undone:
		return "the last load was undone; " + r.wouldLoad()
	case len(r.of) == 0:
		return "not loaded yet; " + r.wouldLoad()
	case !r.Good():
		return "the last load differed from its source, and was rolled back"
	case slices.ContainsFunc(r.of, func(l *load.Receipt) bool { return r.State(l) == ledger.Replaced }):
		return "the rows of the last load were replaced by a later load"
	}
	loaded, proof := int64(0), "; every row proved"
	for _, l := range r.of {
		loaded += l.Counts.Loaded
		if l.Verify == load.RowsOnly {
			proof = "; rows counted, not proved"
		}
	}
	what := note.Count(loaded, "row", "rows") + " loaded"
	if r.given() < len(r.parts) {
		what += fmt.Sprintf(" from %d of %d files and sheets", r.given(), len(r.parts))
	}
	return what + r.rejected() + proof
}

// lacksTable reports whether there is a target, and it does not have the table.
func (r *Report) lacksTable() bool { return r.Target != nil && !r.InTarget }

func (r *Report) wouldLoad() string {
	if r.Rejected == 0 {
		return "the plan takes every record"
	}
	return fmt.Sprintf("the plan takes %s of %s", count(r.Loaded), note.Count(r.Records, "record", "records"))
}

// rejected says what the loads rejected, and how much of it is left to mend.
func (r *Report) rejected() string {
	rejected, left, mended := int64(0), int64(0), false
	for _, l := range r.of {
		last := r.mendOf(l)
		if last == nil {
			last = l
		}
		rejected, left, mended = rejected+l.Counts.Rejected, left+last.Counts.Rejected, mended || last.Mended
	}
	what := ", " + note.Count(rejected, "record", "records") + " rejected"
	switch {
	case rejected == 0:
		return ""
	case !mended:
		return what
	case left == 0:
		return what + ", none left to mend"
	}
	return what + ", " + count(left) + " left to mend"
}

// Good reports whether no load has differed from its source.
func (r *Report) Good() bool {
	return !slices.ContainsFunc(r.of, func(l *load.Receipt) bool { return !l.Verified })
}

// Changed says how the source differs in its number of rows from what the last loads of
// these parts read, or "".
func (r *Report) Changed() string {
	read := int64(0)
	for _, l := range r.of {
		read += l.Counts.Read
	}
	if !r.whole() || read == r.Read || slices.ContainsFunc(r.of, func(l *load.Receipt) bool { return l.ResumedFrom > 0 }) {
		return ""
	}
	return fmt.Sprintf("the source now has %s; the last load read %s", note.Count(r.Read, "row", "rows"), count(read))
}

// RowsNow returns the number of rows in the table now, in words, or "" without a table in the target.
func (r *Report) RowsNow() string {
	if r.TableRows == nil {
		return ""
	}
	return note.Count(*r.TableRows, "row", "rows")
}

// TableChanged says that the table has fewer rows now than one of the last loads has put into it, or "".
func (r *Report) TableChanged() string {
	for _, l := range r.of {
		if r.TableRows != nil && *r.TableRows < l.Counts.Loaded {
			return fmt.Sprintf("the table now has %s; load %s loaded %s", r.RowsNow(), l.Load, count(l.Counts.Loaded))
		}
	}
	return ""
}

package load

import (
	"cmp"
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"ambertray/internal/ledger"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/table"
)

// AgainError says that files or sheets of the source are in the table already.
type AgainError struct {
	Table string
	Of    int // how many files or sheets the source has
	Parts []LoadedPart
	// Growing are files that are still being written, and were left out.
	Growing []string
}

func (e *AgainError) Error() string {
	text := e.text()
	if len(e.Growing) > 0 {
		text += "; still being written, and left out: " + note.Names(e.Growing)
	}
	return text
}

func (e *AgainError) text() string {
	first := e.Parts[0]
	when := fmt.Sprintf("on %s UTC, as load %s", first.Entry.At.Format("2006-01-02 15:04:05"), first.Load)
	if len(e.Parts) == e.Of {
		return fmt.Sprintf("the content of %s was already loaded into %s: %s %s", first.Source, e.Table, rowsText(first.Entry.Loaded), when)
	}
	var names []string
	for _, p := range e.Parts {
		names = append(names, p.Source)
	}
	return fmt.Sprintf("%d of %d files and sheets were already loaded into %s: %s, the first %s", len(e.Parts), e.Of, e.Table, note.Names(names), when)
}

// checkAlreadyLoaded makes sure that no file or sheet goes into the same table
// twice, and returns the entry of an interrupted load that can be resumed. It is
// called under the lock of the table and in the transaction that loads, so that no
// other load can come between it and the entry. A way of loading that replaces the
// rows of earlier loads, or changes only what differs, cannot load twice.
func (j *job) checkAlreadyLoaded(ctx context.Context) (resume *ledger.Entry, err error) {
	if j.Again || j.NoLedger {
		return nil, nil
	}
	exists, err := j.to.Exists(ctx, j.table.Name)
	if err != nil || !exists {
		return nil, err
	}
	entries, err := ledger.Read(ctx, j.to, j.identity)
	if err != nil {
		return nil, err
	}
	if len(entries) == 0 && j.plan.Existing == table.Append {
		j.receipt.addNote(note.About("the ledger has no earlier load into this table, and does not know rows that were added by other means"))
	}
	entries, without := withRows(standing(entries))
	found, notes, err := findLoaded(ctx, j.pass, entries)
	if err != nil {
		return nil, err
	}
	for _, n := range notes {
		j.receipt.addNote(n)
	}
	if len(found) == 0 {
		j.instead, err = loadsOf(ctx, j.pass, without)
		return nil, cmp.Or(err, j.checkUnfinished(entries))
	}
	partial := slices.IndexFunc(found, func(p LoadedPart) bool { return p.Entry.State == ledger.Partial })
	if partial >= 0 {
		return j.resumable(ctx, found[partial].Entry)
	}
	if j.plan.Existing != table.Refuse && j.plan.Existing != table.Append {
		return nil, nil
	}
	for _, p := range found {
		if p.Entry.State == ledger.InDoubt {
			return nil, &DoubtError{Table: j.receipt.Table, Load: p.Entry.ID}
		}
	}
	if j.Sharing != nil || !j.OnlyNew && !j.plan.OnlyNew || len(found) == len(j.pass.Parts()) {
		return nil, &AgainError{Table: j.receipt.Table, Of: len(j.pass.Parts()), Parts: found, Growing: j.pass.Growing}
	}
	return nil, j.leaveOut(found)
}

// standing returns the entries of loads whose rows have not been replaced or removed by another one.
func standing(entries []ledger.Entry) []ledger.Entry {
	return slices.DeleteFunc(entries, func(e ledger.Entry) bool { return e.State == ledger.Replaced || e.State == ledger.Undone })
}

// withRows separates the entries of loads that added rows, also by mending, from those of loads whose records were
// all rejected. Another plan may load their sources.
func withRows(entries []ledger.Entry) (with, without []ledger.Entry) {
	for _, e := range entries {
		mended := func(o ledger.Entry) bool { return o.ID != e.ID && o.Tray == e.Tray && o.Load == e.Load }
		if e.State == ledger.Loaded && e.Loaded == 0 && e.Read > 0 && !slices.ContainsFunc(entries, mended) {
			without = append(without, e)
		} else {
			with = append(with, e)
		}
	}
	return with, without
}

// loadsOf returns the ids of the loads that contain a part of a source.
func loadsOf(ctx context.Context, source *pass.Pass, entries []ledger.Entry) (ids []string, err error) {
	found, _, err := findLoaded(ctx, source, entries)
	for _, p := range found {
		ids = append(ids, p.Entry.ID)
	}
	return ids, err
}

// findLoaded returns the parts of a source that the entries have, and notes on
// those whose name they have with other content.
func findLoaded(ctx context.Context, source *pass.Pass, entries []ledger.Entry) (found []LoadedPart, notes []note.Note, err error) {
	for i := range source.Parts() {
		p := &source.Parts()[i]
		named := -1 // the last entry that has the name with other content
		loaded := false
		for n, e := range entries {
			for _, known := range e.Parts {
				sameName := filepath.Base(known.Name) == filepath.Base(p.Title())
				if p.TextBytes > 0 && p.TextBytes != known.Bytes {
					if sameName {
						named = n
					}
					continue
				}
				content, err := source.ContentOf(ctx, i)
				if err != nil {
					return nil, nil, err
				}
				switch {
				case content == known.Content && !loaded:
					found = append(found, LoadedPart{p.Title(), e.ID, e, i})
					loaded = true
				case content != known.Content && sameName:
					named = n
				}
			}
		}
		if named >= 0 && !loaded {
			e := entries[named]
			notes = append(notes, note.Note{Source: new(p.Title()), What: fmt.Sprintf("a file of this name was loaded with other content on %s UTC, as load %s",
				e.At.Format("2006-01-02 15:04"), e.ID)})
		}
	}
	return found, notes, nil
}

// resumable returns the entry of an interrupted load, if it is of the same content
// and from the same tray.
func (j *job) resumable(ctx context.Context, e ledger.Entry) (*ledger.Entry, error) {
	shared := e.Shares > 0
	if shared && j.Sharing == nil {
		return nil, fmt.Errorf("load %s of %s: %w", e.ID, e.Source, ErrSharedLoad)
	} else if !shared && j.Sharing != nil {
		return nil, fmt.Errorf("load %s of %s: %w", e.ID, e.Source, ErrNotShared)
	}
	content, err := j.content(ctx)
	if err != nil {
		return nil, err
	}
	if e.Content != content || e.Tray != j.receipt.Tray && j.Sharing == nil {
		return nil, &OtherTrayError{e}
	}
	return &e, nil
}

// OtherTrayError says that a load of some of the same content was interrupted
// after a checkpoint, and that it was begun from another tray, or with other
// files: only that tray knows which of its records were rejected.
type OtherTrayError struct{ ledger.Entry }

func (e *OtherTrayError) Error() string {
	return fmt.Sprintf("load %s of %s was begun from %s and interrupted after %s", e.ID, e.Source, e.Tray, note.Count(e.Loaded, "row", "rows"))
}

// checkUnfinished reports a load that has left the table unfinished, if new rows are not to
// be appended. Otherwise the advice would be to append, which could load records twice.
func (j *job) checkUnfinished(entries []ledger.Entry) error {
	for _, e := range entries {
		if j.plan.Existing == table.Refuse && e.State == ledger.Partial {
			return &UnfinishedError{j.table.Name, e}
		}
	}
	return nil
}

// UnfinishedError says that a table exists because of a load that was interrupted, whose
// source had other content.
type UnfinishedError struct {
	Table string
	ledger.Entry
}

func (e *UnfinishedError) Error() string {
	return fmt.Sprintf("table %s: load %s of %s is unfinished, and its content differs from this source", e.Table, e.ID, e.Source)
}

// leaveOut takes what was loaded before out of the source.
func (j *job) leaveOut(found []LoadedPart) error {
	j.leftOut, j.receipt.LeftOut = append(j.leftOut, indexes(found)...), found
	return j.pass.LeaveOut(j.leftOut)
}

// indexes returns those of some parts in their source.
func indexes(parts []LoadedPart) (list []int) {
	for _, p := range parts {
		list = append(list, p.part)
	}
	return list
}

// content reads the source to its end and returns what the ledger knows all of it
// by, in the order of its parts.
func (j *job) content(ctx context.Context) (string, error) {
	var sums []string
	for i, p := range j.pass.Parts() {
		if p.LeftOut {
			continue
		}
		sum, err := j.pass.ContentOf(ctx, i)
		if err != nil {
			return "", err
		}
		sums = append(sums, sum)
	}
	return ledger.Content(sums), nil
}

// newEntry returns the entry of a load that begins.
func (j *job) newEntry(content string) ledger.Entry {
	r := j.receipt
	e := ledger.Entry{
		ID: r.ID, At: r.Started, Table: j.identity, State: ledger.Partial, Tray: r.Tray, Bytes: j.pass.Size(), Content: content, Instead: j.instead,
	}
	var names []string
	for _, p := range j.pass.Parts() {
		if !p.LeftOut {
			names = append(names, p.Title())
			e.Parts = append(e.Parts, ledger.Part{Name: p.Title(), Content: p.Content, Bytes: p.TextBytes})
		}
	}
	e.Source = strings.Join(names, ", ")
	return e
}

// loadedEntry returns the entry of a load that is complete, nil where the ledger
// gets none.
func (j *job) loadedEntry() *ledger.Entry {
	r := j.receipt
	if j.NoLedger || r.Mended && r.Counts.Loaded == 0 {
		return nil
	}
	var sums []string
	for _, p := range r.Source {
		sums = append(sums, p.Content)
	}
	e := j.newEntry(ledger.Content(sums))
	e.Replaces = !r.Outcome.keepsRows()
	j.complete(&e)
	return &e
}

// complete enters what was loaded.
func (j *job) complete(e *ledger.Entry) {
	r := j.receipt
	e.Parts = nil
	for _, p := range r.Source {
		e.Parts = append(e.Parts, ledger.Part{Name: p.Title(), Content: p.Content, Bytes: p.textBytes, Loaded: p.Loaded})
	}
	e.State, e.Load, e.Read, e.Loaded = ledger.Loaded, r.Load, r.Counts.Read, r.Counts.Loaded
}

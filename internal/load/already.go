package load

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/dustin/go-humanize"

	"ambertray/internal/ledger"
	"ambertray/internal/note"
	"ambertray/internal/table"
)

// AgainError says that files or sheets of the source are in the table already.
type AgainError struct {
	Table string
	Of    int // how many files or sheets the source has
	Parts []LoadedPart
}

// LoadedPart is a file or sheet of the source that an earlier load has loaded.
type LoadedPart struct {
	Source string       `json:"source"`
	Load   string       `json:"load"` // the id of that load in the ledger
	Entry  ledger.Entry `json:"-"`

	part int
}

func (e *AgainError) Error() string {
	first := e.Parts[0]
	when := fmt.Sprintf("on %s UTC, as load %s", first.Entry.At.Format("2006-01-02 15:04:05"), first.Load)
	if len(e.Parts) == e.Of {
		return fmt.Sprintf("the content of %s was loaded into %s already: %s %s", first.Source, e.Table, rowsText(first.Entry.Loaded), when)
	}
	var names []string
	for _, p := range e.Parts[:min(len(e.Parts), maxNamed)] {
		names = append(names, p.Source)
	}
	if more := len(e.Parts) - maxNamed; more > 0 {
		names = append(names, fmt.Sprintf("and %d more", more))
	}
	return fmt.Sprintf("%d of %d files and sheets were loaded into %s already: %s, the first %s", len(e.Parts), e.Of, e.Table, strings.Join(names, ", "), when)
}

func rowsText(n int64) string {
	if n == 1 {
		return "1 row"
	}
	return humanize.Comma(n) + " rows"
}

// maxNamed is how many files a message names.
const maxNamed = 5

// checkAlreadyLoaded makes sure that no file or sheet goes into the same table
// twice, and finds the load that was interrupted and can go on. It is called under
// the lock of the table and in the transaction that loads, so that no other load
// can come between it and the entry. A way of loading that takes the rows of
// earlier loads away, or changes only what differs, cannot load twice.
func (l *loading) checkAlreadyLoaded(ctx context.Context) error {
	content := "" // of all parts, which takes reading them
	if l.Every > 0 {
		if l.NoLedger {
			return ErrNeedsLedger
		}
		var err error
		if content, err = l.content(ctx); err != nil {
			return err
		}
		l.parts = &parts{entry: l.newEntry(content)}
	}
	if l.Again || l.NoLedger {
		return nil
	}
	exists, err := l.to.Exists(ctx, l.table.Name)
	if err != nil || !exists {
		return err
	}
	entries, err := ledger.Read(ctx, l.to, l.identity)
	if err != nil {
		return err
	}
	entries = slices.DeleteFunc(entries, func(e ledger.Entry) bool { return e.State == ledger.Replaced })
	found, err := l.findLoaded(ctx, entries)
	if err != nil || len(found) == 0 {
		return err
	}
	partial := slices.IndexFunc(found, func(p LoadedPart) bool { return p.Entry.State == ledger.Partial })
	if partial >= 0 {
		return l.goOn(ctx, found[partial].Entry)
	}
	if l.plan.Existing != table.Refuse && l.plan.Existing != table.Append {
		return nil
	}
	for _, p := range found {
		if p.Entry.State == ledger.InDoubt {
			return &DoubtError{Table: l.receipt.Table, Load: p.Entry.ID}
		}
	}
	if !l.OnlyNew && !l.plan.OnlyNew || len(found) == len(l.pass.Parts()) {
		return &AgainError{Table: l.receipt.Table, Of: len(l.pass.Parts()), Parts: found}
	}
	return l.leaveOut(found)
}

// findLoaded returns the parts of the source that the entries have, and notes
// those whose name they have with other content.
func (l *loading) findLoaded(ctx context.Context, entries []ledger.Entry) (found []LoadedPart, err error) {
	for i := range l.pass.Parts() {
		p := &l.pass.Parts()[i]
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
				content, err := l.pass.ContentOf(ctx, i)
				if err != nil {
					return nil, err
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
			l.receipt.addNote(note.Note{Source: new(p.Title()), What: fmt.Sprintf("a file of this name was loaded with other content on %s UTC, as load %s",
				e.At.Format("2006-01-02 15:04"), e.ID)})
		}
	}
	return found, nil
}

// goOn continues a load that was interrupted, if it is of the same content and
// from the same tray.
func (l *loading) goOn(ctx context.Context, e ledger.Entry) error {
	content, err := l.content(ctx)
	if err != nil {
		return err
	}
	if e.Content != content || e.Tray != l.receipt.Tray {
		return &OtherTrayError{e}
	}
	l.parts = &parts{entry: e, written: true}
	return nil
}

// leaveOut takes what was loaded before out of the source.
func (l *loading) leaveOut(found []LoadedPart) error {
	for _, p := range found {
		l.leftOut = append(l.leftOut, p.part)
	}
	l.receipt.LeftOut = found
	return l.pass.LeaveOut(l.leftOut)
}

// content reads the source to its end and returns what the ledger knows all of it
// by, in the order of its parts.
func (l *loading) content(ctx context.Context) (string, error) {
	var sums []string
	for i, p := range l.pass.Parts() {
		if p.LeftOut {
			continue
		}
		sum, err := l.pass.ContentOf(ctx, i)
		if err != nil {
			return "", err
		}
		sums = append(sums, sum)
	}
	return ledger.Content(sums), nil
}

// newEntry returns the entry of a load that begins.
func (l *loading) newEntry(content string) ledger.Entry {
	r := l.receipt
	e := ledger.Entry{
		ID: ledger.NewID(r.Begun), At: r.Begun, Table: l.identity, State: ledger.Partial, Tray: r.Tray, Bytes: l.pass.Size(), Content: content,
	}
	var names []string
	for _, p := range l.pass.Parts() {
		if !p.LeftOut {
			names = append(names, p.Title())
			e.Parts = append(e.Parts, ledger.Part{Name: p.Title(), Content: p.Content, Bytes: p.TextBytes})
		}
	}
	e.Source = strings.Join(names, ", ")
	return e
}

// entry is what the ledger gets to know of a load that is done.
func (l *loading) entry() *ledger.Entry {
	r := l.receipt
	if l.NoLedger || l.mend != nil && r.Counts.Loaded == 0 {
		return nil
	}
	var sums []string
	for _, p := range r.Source {
		sums = append(sums, p.Content)
	}
	e := l.newEntry(ledger.Content(sums))
	if e.Replaces = r.Done != "appended" && r.Done != "merged"; l.parts != nil {
		e = l.parts.next(l)
	}
	e.Parts = nil
	for _, p := range r.Source {
		e.Parts = append(e.Parts, ledger.Part{Name: p.Title(), Content: p.Content, Bytes: p.textBytes, Loaded: p.Loaded})
	}
	e.State, e.Load, e.Read, e.Loaded = ledger.Loaded, r.Load, r.Counts.Read, r.Counts.Loaded
	r.Ledger = &e.ID
	return &e
}

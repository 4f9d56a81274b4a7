package load

import (
	"context"
	"fmt"
	"strings"

	"ambertray/internal/ledger"
	"ambertray/internal/table"
)

// AgainError says that the content of the source is in the table already.
type AgainError struct{ ledger.Entry }

func (e *AgainError) Error() string {
	return fmt.Sprintf("the content of %s was loaded into %s already: %d rows on %s UTC, as load %s",
		e.Source, e.Table, e.Loaded, e.At.Format("2006-01-02 15:04:05"), e.ID)
}

// once makes sure that the same content does not go into the same table twice,
// and finds the load that was interrupted and can go on. A way of loading that
// takes the rows of earlier loads away cannot load twice.
func (l *loading) once(ctx context.Context) error {
	content := "" // which takes reading it, so that it is done only where it matters
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
	entries, err := ledger.Read(ctx, l.to, l.table.Name)
	if err != nil {
		return err
	}
	for _, e := range entries {
		if e.State == ledger.Replaced || l.pass.SizeTells() && e.Bytes != l.pass.Size() {
			continue
		}
		if content == "" {
			if content, err = l.content(ctx); err != nil {
				return err
			}
		}
		switch {
		case e.Content != content:
		case e.State == ledger.Partial:
			if e.Tray != l.receipt.Tray {
				return &ElsewhereError{e}
			}
			l.parts = &parts{entry: e, written: true}
		case l.plan.Existing == table.Refuse || l.plan.Existing == table.Append:
			return &AgainError{e}
		}
	}
	return nil
}

// content reads the source to its end and returns what the ledger knows it by.
func (l *loading) content(ctx context.Context) (string, error) {
	sums, err := l.pass.Sums(ctx)
	return ledger.Content(sums), err
}

// newEntry returns the entry of a load that begins.
func (l *loading) newEntry(content string) ledger.Entry {
	r := l.receipt
	return ledger.Entry{
		ID: ledger.NewID(r.Begun), At: r.Begun, Table: r.Table, State: ledger.Partial, Tray: r.Tray,
		Source: strings.Join(l.pass.Names(), ", "), Bytes: l.pass.Size(), Content: content,
	}
}

// entry is what the ledger gets to know of a load that is done.
func (l *loading) entry() *ledger.Entry {
	r := l.receipt
	if l.NoLedger || l.mend != nil && r.Counts.Loaded == 0 {
		return nil
	}
	var sums []string
	for _, p := range r.Source {
		sums = append(sums, p.SHA256)
	}
	e := l.newEntry(ledger.Content(sums))
	if e.Replaces = r.Done != "appended" && r.Done != "merged"; l.parts != nil {
		e = l.parts.next(l)
	}
	e.State, e.Load, e.Read, e.Loaded = ledger.Loaded, r.Load, r.Counts.Read, r.Counts.Loaded
	r.Ledger = &e.ID
	return &e
}

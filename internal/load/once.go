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

// once makes sure that the same content does not go into the same table twice.
// A way of loading that takes the rows of earlier loads away cannot do so.
func (l *loading) once(ctx context.Context) error {
	mode := l.plan.Existing
	if l.Again || l.NoLedger || mode == table.Empty || mode == table.Rebuild {
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
	content := "" // which takes reading it, so that it is done only where the size is the same
	for _, e := range entries {
		if e.State != ledger.Loaded || e.Bytes != l.pass.Size() {
			continue
		}
		if content == "" {
			sums, err := l.pass.Sums(ctx)
			if err != nil {
				return err
			}
			content = ledger.Content(sums)
		}
		if e.Content == content {
			return &AgainError{e}
		}
	}
	return nil
}

// entry is what the ledger gets to know of the load.
func (l *loading) entry() *ledger.Entry {
	if l.NoLedger || l.mend != nil && l.receipt.Counts.Loaded == 0 {
		return nil
	}
	r := l.receipt
	e := &ledger.Entry{
		ID: ledger.NewID(r.Begun), At: r.Begun, Table: r.Table, State: ledger.Loaded, Tray: r.Tray, Load: r.Load,
		Read: r.Counts.Read, Loaded: r.Counts.Loaded, Replaces: r.Done != "appended",
	}
	var names, sums []string
	for _, p := range r.Source {
		names, sums = append(names, p.Source), append(sums, p.SHA256)
		e.Bytes += p.Bytes
	}
	e.Source, e.Content = strings.Join(names, ", "), ledger.Content(sums)
	r.Ledger = &e.ID
	return e
}

package load

import (
	"context"

	"ambertray/internal/table"
	"ambertray/internal/target"
)

// prepare makes or opens the table: what it does with one that is there is up
// to the plan.
func (l *loading) prepare(ctx context.Context, tx target.Tx) error {
	mode := l.tray.Table.Existing
	exists, err := l.to.Exists(ctx, l.table.Name)
	if err != nil {
		return err
	}
	if !exists || mode == table.Refuse {
		l.receipt.Done = "created"
		return tx.Create(ctx, l.table, false)
	}
	if mode == table.Rebuild {
		l.receipt.Done = "rebuilt"
		return tx.Create(ctx, l.table, true)
	}
	live, err := l.to.Columns(ctx, l.table.Name)
	if err != nil {
		return err
	}
	fitted, bad := fit(l.table, live, l.to.Dialect())
	if bad != nil {
		return &UnfitError{l.table.Name, bad}
	}
	l.table = fitted
	if l.receipt.Counts.TableBefore, l.before, err = l.to.Figures(ctx, l.table); err != nil {
		return err
	}
	if mode == table.Empty {
		l.receipt.Done, l.before = "emptied", nil
		return tx.Empty(ctx, l.table)
	}
	l.receipt.Done = "appended"
	return nil
}

// expected returns the figures that the table must have: those of the source,
// and of what was in the table before.
func (l *loading) expected(loaded int64, figures []table.Figures) (rows int64, all []table.Figures) {
	if l.before == nil {
		return loaded, figures
	}
	d := l.to.Dialect()
	rows = l.receipt.Counts.TableBefore
	for i, c := range l.table.Loaded() {
		f, before := figures[i], l.before[i]
		switch {
		case before.Nulls == rows:
			f.Nulls += before.Nulls
		case f.Nulls == loaded:
			before.Nulls += f.Nulls
			f = before
		default:
			f = f.Plus(before, d.Stored(c.Type))
		}
		all = append(all, f)
	}
	return rows + loaded, all
}

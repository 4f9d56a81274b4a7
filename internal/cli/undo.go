package cli

import (
	"errors"
	"fmt"
	"io/fs"

	"github.com/spf13/cobra"

	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

func (a *app) newUndo() *cobra.Command {
	c := &cobra.Command{
		Use:   "undo LOAD",
		Short: "Remove exactly the rows of one load from its table",
		Long: `Undo removes the rows of a load, and those of its mended records, in one transaction.
It finds them by the keys of the source, or by the load's id if the plan has a column with
{load}. Before the commit it proves that the table lost exactly the rows that were loaded.
Otherwise nothing is changed, and the error gives the reason. The ledger keeps the load as
undone.`,
		Example: examples("ambertray history --to museum.db", "ambertray undo 20260131-020000-1a2b3c4d --to museum.db"),
		Args:    cobra.ExactArgs(1),
	}
	to := toFlag(c)
	dir := c.Flags().String("tray", "", "the `FOLDER` of the tray, if it was moved")
	c.RunE = func(c *cobra.Command, args []string) error {
		tgt, err := a.open(c.Context(), *to, false)
		if err != nil {
			return err
		}
		defer a.closeTarget(tgt)
		entry, err := ledger.Find(c.Context(), tgt, args[0])
		if err != nil {
			return err
		}
		if *dir == "" {
			*dir = entry.Tray
		}
		t, err := tray.Read(*dir)
		if errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("the tray of load %s is not here; name it with --tray FOLDER: %w", entry.ID, err)
		}
		if err != nil {
			return err
		}
		update, done := a.progress("undoing")
		undone, err := load.Undo(c.Context(), t, entry, a.from, tgt, update)
		done()
		if undone == nil {
			return err
		}
		a.changed = true
		return errors.Join(err, a.show(undone, func() {
			p := a.print
			p.Fact("load", "%s of %s", p.Bold(undone.Load), undone.Source)
			removed := term.Amount(undone.Removed, "row")
			if undone.Mended > 0 {
				removed += ", " + term.Count(undone.Mended) + " mended,"
			}
			p.Fact("removed", "%s of %s in %s", removed, p.Bold(undone.Table), undone.Target)
			p.Fact("verified", "table %s → %s · the table has lost exactly the rows of the source", term.Count(undone.Before), term.Count(undone.After))
		}))
	}
	return c
}

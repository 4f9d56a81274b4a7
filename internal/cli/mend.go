package cli

import (
	"errors"
	"slices"

	"github.com/spf13/cobra"

	"ambertray/internal/load"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

func (a *app) newMend() *cobra.Command {
	c := &cobra.Command{
		Use:   "mend TRAY",
		Short: "Load the rejects that were corrected in rejects.csv",
		Long: `Mend loads the records of rejects.csv by the same plan into the same table. Records that
still fail stay in the file with their reason. Loaded ones move to mended.csv beside it.`,
		Example: examples("ambertray mend loans.tray --to museum.db"),
		Args:    cobra.ExactArgs(1),
	}
	to, only := toFlag(c), loadFlag(c)
	var o load.Options
	noLedgerFlag(c, &o)
	c.RunE = func(c *cobra.Command, args []string) error {
		t, id, err := rejectedLoad(args[0], *only)
		if err != nil {
			return err
		}
		tgt, err := a.open(c.Context(), *to, false)
		if err != nil {
			return err
		}
		defer a.closeTarget(tgt)
		update, done := a.progress("mending")
		o.Progress = update
		receipt, err := load.Mend(c.Context(), t, id, a.from, tgt, o)
		done()
		if receipt == nil {
			return err
		}
		if errors.Is(err, load.ErrDiffers) {
			return errors.Join(err, a.show(receipt, func() { a.drawUnmended(receipt) }))
		}
		if receipt.Counts.Rejected > 0 {
			a.status = exitRejects
		}
		first, errFirst := load.ReadReceipt(t.LoadDir(id))
		if errFirst != nil {
			return errors.Join(err, errFirst)
		}
		others, errOthers := unmended(t)
		if errOthers != nil {
			return errors.Join(err, errOthers)
		}
		verify := "ambertray verify " + shellWord(t.Dir) + otherFiles(t, first) + toText(*to)
		a.changed = true
		return errors.Join(err, a.show(receipt, func() { a.drawMend(receipt, mendText(t, *only, *to), verify, others) }))
	}
	return c
}

// otherFiles names the files of a load that are not the tray's own.
func otherFiles(t *tray.Tray, r *load.Receipt) string {
	if load.IsOf(r, t) {
		return ""
	}
	var names []string
	for _, p := range r.Source {
		if !slices.Contains(names, p.Source) {
			names = append(names, p.Source)
		}
	}
	return " " + shellWords(names)
}

// mendText is the command that continues with the same rejects.
func mendText(t *tray.Tray, only, to string) string {
	if only != "" {
		only = " --load " + only
	}
	return "ambertray mend " + shellWord(t.Dir) + only + toText(to)
}

// drawUnmended shows how the table differs from what was mended.
func (a *app) drawUnmended(r *load.Receipt) {
	a.drawMendedFrom(r)
	a.print.Fact("mended", "%s", a.print.Red(nothingLoaded))
	a.drawDifferences(r.Differences, r.RowsDiffer)
}

func (a *app) drawMendedFrom(r *load.Receipt) {
	p := a.print
	p.Fact("rejects", "%s of load %s of %s", term.Amount(r.Counts.Read, "record"), r.Load, r.Tray)
	p.Fact("table", "%s"+outcomeTexts[r.Outcome], p.Bold(r.Table), r.Target)
}

func (a *app) drawMend(r *load.Receipt, again, verify string, left []unmendedLoad) {
	p, c := a.print, r.Counts
	a.drawMendedFrom(r)
	a.drawNotes(p, r.Notes, &r.Layout, maxNotes, again)
	p.Fact("mended", "%s in %s", term.Amount(c.Loaded, "row"), term.Seconds(r.Phases[0].Seconds))
	a.drawMerged(r.Merged)
	if c.Rejected > 0 {
		p.Fact("left", "%s, still in %s", p.Red(term.Amount(c.Rejected, "record")), *r.Rejects.File)
		a.drawGroups(r.Rejects.ByReason, &r.Layout)
	}
	a.drawSum(r)
	switch {
	case c.Rejected > 0:
		p.Next("To continue with the rest:", again)
	case len(left) > 0:
		a.drawUnmendedLoads(left)
		p.Next("Nothing is left to mend of this load. To verify it:", verify)
	default:
		p.Next("Nothing is left to mend. To verify everything:", verify)
	}
}

package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"

	"github.com/spf13/cobra"

	"ambertray/internal/load"
	"ambertray/internal/reject"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

// errNoLoad is returned when nothing was loaded from a tray yet.
var errNoLoad = errors.New("nothing has been loaded from this tray yet")

func (a *app) newRejects() *cobra.Command {
	c := &cobra.Command{
		Use:   "rejects TRAY",
		Short: "Show which records were rejected, by column and reason",
		Long: `Rejects counts the rejected records of a load by column and reason, with an example and
its line, and names the file that holds the records.`,
		Example: examples("ambertray rejects loans.tray", "ambertray rejects loans.tray --load 0003"),
		Args:    cobra.ExactArgs(1),
	}
	only := loadFlag(c)
	c.RunE = func(_ *cobra.Command, args []string) error {
		t, id, err := rejectedLoad(args[0], *only)
		if err != nil {
			return err
		}
		r, err := load.ReadMend(t.LoadDir(id))
		if errors.Is(err, fs.ErrNotExist) {
			r, err = load.ReadReceipt(t.LoadDir(id))
		}
		if err != nil {
			return err
		}
		result := struct {
			Load    string         `json:"load"`
			File    *string        `json:"file"`
			Count   int64          `json:"count"`
			Reasons []reject.Group `json:"by_reason"`
		}{id, r.Rejects.File, r.Counts.Rejected, r.Rejects.ByReason}
		return a.show(result, func() { a.drawRejects(r, t) })
	}
	return c
}

// rejectedLoad returns a tray, and of its loads the one that is asked for, or else
// the last one that has rejects, or else the last one.
func rejectedLoad(path, only string) (t *tray.Tray, id string, err error) {
	t, err = tray.Read(path)
	if err != nil || only != "" {
		return t, only, err
	}
	ids, err := t.Loads()
	if err != nil {
		return nil, "", err
	}
	for _, id := range slices.Backward(ids) {
		r, err := load.ReadReceipt(t.LoadDir(id))
		if err == nil && r.Rejects.File != nil {
			return t, id, nil
		}
	}
	if len(ids) == 0 {
		return nil, "", fmt.Errorf("%s: %w", t.Dir, errNoLoad)
	}
	return t, ids[len(ids)-1], nil
}

// loadFlag adds the flag that names a load of the tray.
func loadFlag(c *cobra.Command) *string {
	return c.Flags().String("load", "", "the `ID` of the load, such as 0001 (default: the last load with rejects)")
}

func (a *app) drawRejects(r *load.Receipt, t *tray.Tray) {
	p := a.print
	p.Fact("load", "%s of %s into %s in %s", r.Load, r.Tray, p.Bold(r.Table), r.Target)
	if r.Counts.Rejected == 0 {
		p.Fact("rejected", "no record")
		return
	}
	what := "read"
	if r.Outcome == load.Appended && r.Mended {
		what = "tried again"
	}
	p.Fact("rejected", "%s of %s "+what, p.Red(term.Amount(r.Counts.Rejected, "record")), term.Count(r.Counts.Read))
	p.Line("")
	var rows [][]string
	for _, g := range r.Rejects.ByReason {
		rows = append(rows, []string{term.Count(g.Count), term.Count(g.Line), columnOf(g), g.Reason, p.Amber(term.Printable(g.Example))})
	}
	p.Table([]term.Column{{Title: "records", Right: true}, {Title: "first on " + r.Layout.LineWord(), Right: true}, {Title: "column"}, {Title: "reason"}, {Title: "example", Max: 48}}, rows)
	p.Next(fmt.Sprintf("The complete records are in %s. Correct them there, then:", *r.Rejects.File), fmt.Sprintf("ambertray mend %s --to TARGET", r.Tray))
}

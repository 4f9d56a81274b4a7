package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

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
		r, err := load.ReadReceipt(t.LoadDir(id))
		if err == nil {
			r, err = afterMend(t.LoadDir(id), r)
		}
		if err != nil {
			return err
		}
		others, err := unmended(t)
		if err != nil {
			return err
		}
		others = slices.DeleteFunc(others, func(l unmendedLoad) bool { return l.Load == id })
		result := struct {
			Load    string         `json:"load"`
			File    *string        `json:"file"`
			Count   int64          `json:"count"`
			Reasons []reject.Group `json:"by_reason"`
			Others  []unmendedLoad `json:"others"`
		}{id, r.Rejects.File, r.Counts.Rejected, r.Rejects.ByReason, others}
		return a.show(result, func() { a.drawRejects(r, others, mendText(t, *only, "TARGET")) })
	}
	return c
}

// afterMend returns the receipt of the last mend of a load, or that of the load without any.
func afterMend(dir string, of *load.Receipt) (*load.Receipt, error) {
	r, err := load.ReadMend(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return of, nil
	}
	return r, err
}

// unmendedLoad is a load with rejects that are not mended.
type unmendedLoad struct {
	Load  string `json:"load"`
	Count int64  `json:"count"`
	into  [2]string
}

// unmended returns the loads with rejects that are not mended, the first first. Those that were undone,
// or whose rows a later load of the tray has replaced, are left out.
func unmended(t *tray.Tray) ([]unmendedLoad, error) {
	ids, err := t.Loads()
	if err != nil {
		return nil, err
	}
	list := []unmendedLoad{}
	for _, id := range ids {
		r, err := load.ReadReceipt(t.LoadDir(id))
		if errors.Is(err, fs.ErrNotExist) || err == nil && r.Undone { // a load that failed has no receipt
			continue
		}
		if err != nil {
			return nil, err
		}
		into := [2]string{r.Target, r.Table}
		if r.Outcome == load.Emptied || r.Outcome == load.Rebuilt {
			list = slices.DeleteFunc(list, func(l unmendedLoad) bool { return l.into == into })
		}
		r, err = afterMend(t.LoadDir(id), r)
		if err != nil {
			return nil, err
		}
		if r.RejectsHere() > 0 {
			list = append(list, unmendedLoad{id, r.RejectsHere(), into})
		}
	}
	return list, nil
}

// rejectedLoad returns a tray, and of its loads the one that is asked for, or else
// the last one with rejects that are not mended, or else the last one.
func rejectedLoad(path, only string) (t *tray.Tray, id string, err error) {
	t, err = tray.Read(path)
	if err != nil || only != "" {
		return t, only, err
	}
	left, err := unmended(t)
	if err != nil {
		return nil, "", err
	}
	if len(left) > 0 {
		return t, left[len(left)-1].Load, nil
	}
	ids, err := t.Loads()
	if err != nil {
		return nil, "", err
	}
	if len(ids) == 0 {
		return nil, "", fmt.Errorf("%s: %w", t.Dir, errNoLoad)
	}
	return t, ids[len(ids)-1], nil
}

// loadFlag adds the flag that names a load of the tray.
func loadFlag(c *cobra.Command) *string {
	return c.Flags().String("load", "", "the `ID` of the load, such as 0001 (default: the last load with rejects that are not mended)")
}

func (a *app) drawRejects(r *load.Receipt, others []unmendedLoad, mend string) {
	p := a.print
	p.Fact("load", "%s of %s into %s in %s", r.Load, r.Tray, p.Bold(r.Table), r.Target)
	if r.Counts.Rejected == 0 {
		p.Fact("rejected", "no record")
		a.drawUnmendedLoads(others)
		return
	}
	what := "read"
	if r.Outcome == load.Appended && r.Mended {
		what = "tried again"
	}
	p.Fact("rejected", "%s of %s "+what, p.Red(term.Amount(r.Counts.Rejected, "record")), term.Count(r.Counts.Read))
	if r.RejectsHere() < r.Counts.Rejected {
		a.drawRemarks(r) // which name the other loaders
	}
	a.drawUnmendedLoads(others)
	if r.Rejects.File == nil {
		return
	}
	p.Line("")
	var rows [][]string
	for _, g := range r.Rejects.ByReason {
		rows = append(rows, []string{term.Count(g.Count), term.Count(g.Line), columnOf(g), g.Reason, p.Amber(term.Printable(g.Example))})
	}
	p.Table([]term.Column{{Title: "records", Right: true}, {Title: "first on " + r.Layout.LineWord(), Right: true}, {Title: "column"}, {Title: "reason"}, {Title: "example", Max: 48}}, rows)
	if r.Undone {
		p.Fact("note", "the load was undone, so its rejects in %s cannot be mended", *r.Rejects.File)
		return
	}
	p.Next(fmt.Sprintf("The complete records are in %s. Correct them there, then:", *r.Rejects.File), mend)
}

// drawUnmendedLoads names the other loads with rejects.
func (a *app) drawUnmendedLoads(others []unmendedLoad) {
	var names []string
	for _, l := range others {
		names = append(names, fmt.Sprintf("%s of load %s", term.Amount(l.Count, "record"), l.Load))
	}
	if names != nil {
		a.print.Fact("note", "also rejected: %s; --load ID shows them", strings.Join(names, ", "))
	}
}

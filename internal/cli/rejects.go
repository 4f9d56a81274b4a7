package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"

	"github.com/spf13/cobra"

	"ambertray/internal/load"
	"ambertray/internal/reject"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

// errNoLoad is returned when nothing was loaded from a tray yet.
var errNoLoad = errors.New("nothing was loaded from this tray yet")

func (a *app) newRejects() *cobra.Command {
	return &cobra.Command{
		Use:   "rejects TRAY",
		Short: "Show what the last load rejected, by column and reason",
		Args:  cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			t, err := tray.Read(args[0])
			if err != nil {
				return err
			}
			id, dir, err := t.LastLoad()
			if errors.Is(err, fs.ErrNotExist) {
				return fmt.Errorf("%s: %w", t.Dir, errNoLoad)
			}
			if err != nil {
				return err
			}
			result := struct {
				Load    string         `json:"load"`
				File    *string        `json:"file"`
				Count   int64          `json:"count"`
				Reasons []reject.Group `json:"by_reason"`
			}{Load: id, Reasons: []reject.Group{}}
			r, err := load.ReadReceipt(dir)
			if err != nil {
				return err
			}
			result.File, result.Count, result.Reasons = r.Rejects.File, r.Counts.Rejected, r.Rejects.ByReason
			return a.show(result, func() { a.drawRejects(r, dir) })
		},
	}
}

func (a *app) drawRejects(r *load.Receipt, dir string) {
	p := a.print
	p.Fact("load", "%s of %s into %s in %s", r.Load, r.Tray, p.Bold(r.Table), r.Target)
	if r.Counts.Rejected == 0 {
		p.Fact("rejected", "no record")
		return
	}
	p.Fact("rejected", "%s of %s read", p.Red(term.Amount(r.Counts.Rejected, "record")), term.Count(r.Counts.Read))
	p.Line("")
	var rows [][]string
	for _, g := range r.Rejects.ByReason {
		rows = append(rows, []string{term.Count(g.Count), columnOf(g), g.Reason, p.Amber(term.Printable(g.Example)), term.Count(g.Line)})
	}
	p.Table([]term.Column{{Title: "records", Right: true}, {Title: "column"}, {Title: "reason"}, {Title: "example", Max: 48}, {Title: "on line", Right: true}}, rows)
	p.Next("Each of them stands whole in", filepath.Join(dir, reject.FileName))
}

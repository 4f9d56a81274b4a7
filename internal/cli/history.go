package cli

import (
	"github.com/spf13/cobra"

	"ambertray/internal/ledger"
	"ambertray/internal/term"
)

func (a *app) newHistory() *cobra.Command {
	c := &cobra.Command{
		Use:   "history",
		Short: "Show the ledger of a target: what was loaded into which table, and when",
		Args:  cobra.NoArgs,
	}
	to := toFlag(c)
	table := c.Flags().String("table", "", "only the loads into this table")
	c.RunE = func(c *cobra.Command, _ []string) error {
		tgt, err := a.open(c.Context(), *to, false)
		if err != nil {
			return err
		}
		defer tgt.Close()
		loads, err := ledger.Read(c.Context(), tgt, *table)
		if err != nil {
			return err
		}
		result := struct {
			Target string         `json:"target"`
			Loads  []ledger.Entry `json:"loads"`
		}{tgt.Name(), append([]ledger.Entry{}, loads...)}
		return a.show(result, func() { a.drawHistory(tgt.Name(), loads) })
	}
	return c
}

func (a *app) drawHistory(target string, loads []ledger.Entry) {
	p := a.print
	p.Fact("target", "%s · %s in the ledger", p.Bold(target), term.Amount(int64(len(loads)), "load"))
	if len(loads) == 0 {
		return
	}
	p.Line("")
	var rows [][]string
	for _, e := range loads {
		state := string(e.State)
		if e.State == ledger.Partial {
			state = p.Amber(state)
		}
		rows = append(rows, []string{e.ID, e.At.Format("2006-01-02 15:04"), e.Table, term.Count(e.Read), term.Count(e.Loaded), state, e.Source, p.Faint(e.Tray + " " + e.Load)})
	}
	p.Table([]term.Column{
		{Title: "load"}, {Title: "begun (UTC)"}, {Title: "table"}, {Title: "read", Right: true}, {Title: "loaded", Right: true},
		{Title: ""}, {Title: "source", Max: 40}, {Title: "tray", Max: 40},
	}, rows)
}

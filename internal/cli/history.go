package cli

import (
	"context"

	"github.com/spf13/cobra"

	"ambertray/internal/database"
	"ambertray/internal/ledger"
	"ambertray/internal/term"
)

func (a *app) newHistory() *cobra.Command {
	c := &cobra.Command{
		Use:   "history",
		Short: "Show the ledger of a target: what was loaded into which table, and when",
		Long: `History lists the loads in the ledger of a target, with their sources, rows and states. With
--shares it lists the shares of a shared load and their loaders. --forget removes a load that
was interrupted and cannot be resumed.`,
		Example: examples("ambertray history --to museum.db", "ambertray history --to museum.db --table loan",
			"ambertray history --to postgres://curator@db.example/museum --shares 20261127-051631-abcdef01"),
		Args: cobra.NoArgs,
	}
	to := toFlag(c)
	table := c.Flags().String("table", "", "only the loads into this table")
	forget := c.Flags().String("forget", "", "remove an interrupted `LOAD` that cannot continue from the ledger; the rows it committed stay")
	shares := c.Flags().String("shares", "", "list the shares of this `LOAD` and their loaders")
	c.RunE = func(c *cobra.Command, _ []string) error {
		tgt, err := a.open(c.Context(), *to, false)
		if err != nil {
			return err
		}
		defer tgt.Close()
		identity := ""
		if *table != "" {
			identity, err = database.Identity(c.Context(), tgt, *table)
			if err != nil {
				return err
			}
		}
		if *forget != "" {
			return a.forget(c.Context(), tgt, *forget)
		}
		if *shares != "" {
			return a.showShares(c.Context(), tgt, *shares)
		}
		loads, err := ledger.Read(c.Context(), tgt, identity)
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

// forget takes a load that was interrupted out of the ledger.
func (a *app) forget(ctx context.Context, tgt database.Target, id string) error {
	e, err := ledger.ForgetUnfinished(ctx, tgt, id)
	if err != nil {
		return err
	}
	a.changed = true
	return a.show(e, func() {
		a.print.Fact("forgotten", "load %s of %s into %s", a.print.Bold(e.ID), e.Source, e.Table)
		a.print.Fact("note", "%s that it has committed stay in the table; loading the same again adds them once more", term.Amount(e.Loaded, "row"))
	})
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
		if e.Shares > 0 {
			state += p.Faint(", " + term.Amount(int64(e.Shares), "share"))
		}
		rows = append(rows, []string{e.ID, e.At.Format("2006-01-02 15:04"), e.Table, term.Count(e.Read), term.Count(e.Loaded), state, e.Source, p.Faint(e.Tray + " " + e.Load)})
	}
	p.Table([]term.Column{
		{Title: "load"}, {Title: "started (UTC)", Spare: true}, {Title: "table"}, {Title: "read", Right: true}, {Title: "loaded", Right: true},
		{Title: ""}, {Title: "source", Max: 40}, {Title: "tray", Max: 40, Spare: true},
	}, rows)
}

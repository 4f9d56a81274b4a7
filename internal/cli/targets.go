package cli

import (
	"os"

	"github.com/spf13/cobra"

	"ambertray/internal/connect"
	"ambertray/internal/probe"
	"ambertray/internal/term"
)

func (a *app) newTargets() *cobra.Command {
	c := &cobra.Command{
		Use:   "targets",
		Short: "List the named targets and test what a login can do",
		Long: `Targets lists the targets that are named in targets.yaml. Targets test tries everything
that a load does in one of them, and rolls it back. For how to write a target, see
ambertray help databases.`,
		Example: examples("ambertray targets", "ambertray targets test museum"),
		Args:    typed(cobra.NoArgs),
		RunE: func(*cobra.Command, []string) error {
			list, err := connect.Named()
			if err != nil {
				return err
			}
			file, _ := connect.ConfigFile()
			result := struct {
				File    string                `json:"file"`
				Targets []connect.NamedTarget `json:"targets"`
			}{file, append([]connect.NamedTarget{}, list...)}
			return a.show(result, func() { a.drawTargets(file, list) })
		},
	}
	c.AddCommand(&cobra.Command{
		Use:   "test TARGET",
		Short: "Try everything that a load does and roll it back",
		Long: `Test reports the server settings that matter to a load. It creates, fills and indexes a
table in a transaction and rolls it back. If the login lacks a right, the statement that
grants it is shown.`,
		Example: examples("ambertray targets test museum", "ambertray targets test mysql://curator@db.example/museum"),
		Args:    typed(cobra.ExactArgs(1)),
		RunE: func(c *cobra.Command, args []string) error {
			to, err := a.open(c.Context(), args[0], true)
			if err != nil {
				return err
			}
			defer to.Close()
			result, err := probe.Run(c.Context(), to)
			if err != nil {
				return err
			}
			if !result.Able() {
				a.status = exitFailed
			}
			return a.show(result, func() { a.drawProbe(result) })
		},
	})
	return c
}

func (a *app) drawTargets(file string, list []connect.NamedTarget) {
	p := a.print
	p.Fact("file", "%s", file)
	if len(list) == 0 {
		p.Next("It names no target yet. Write one on each line, without a password:", "museum: "+connect.Kinds()[1].Example)
		return
	}
	p.Line("")
	var rows [][]string
	for _, t := range list {
		mark := ""
		if t.Name == os.Getenv("AMBERTRAY_TO") {
			mark = p.Amber("AMBERTRAY_TO")
		}
		rows = append(rows, []string{p.Bold(t.Name), t.URL, mark})
	}
	p.Table([]term.Column{{Title: "name"}, {Title: "target"}, {Title: ""}}, rows)
	p.Next("To see what a login can do:", "ambertray targets test "+list[0].Name)
}

func (a *app) drawProbe(r *probe.Result) {
	p := a.print
	p.Fact("target", "%s", p.Bold(r.Target))
	p.Line("")
	var rows [][]string
	for _, f := range r.Facts {
		value := f.Value
		switch {
		case !f.OK && f.Required:
			value = p.Red(value)
		case !f.OK:
			value = p.Amber(value)
		}
		rows = append(rows, []string{f.Name, value})
	}
	p.Table([]term.Column{{Title: "fact"}, {Title: ""}}, rows)
	p.Line("")
	for _, f := range r.Facts {
		if !f.OK && f.Remedy != "" {
			p.Line("  %s: %s\n", p.Bold(f.Name), p.Wrap(f.Remedy, len(f.Name)+4))
		}
	}
	verdict := "Loads into this target are possible. The target is unchanged."
	if !r.Able() {
		verdict = "Loads into this target are not possible yet. The target is unchanged."
	}
	p.Line("  %s", verdict)
}

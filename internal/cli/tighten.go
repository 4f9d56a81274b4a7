package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/database"
	"ambertray/internal/export"
	"ambertray/internal/infer"
	"ambertray/internal/intake"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/term"
	"ambertray/internal/tighten"
	"ambertray/internal/tray"
)

func (a *app) newTighten() *cobra.Command {
	c := &cobra.Command{
		Use:   "tighten TABLE",
		Short: "Propose the tightest types for an existing table, and apply them with every row proved",
		Long: `Tighten reads the rows of a table and proposes the tightest type and nullability for each
column, and a key for a table without one, with the evidence. Rows that keep a column from
a tighter type are named by their key. The statements that make the changes are printed.

With --apply it makes the changes in one step, while no other session can write to the
table. Unless every row keeps its values, everything is rolled back.`,
		Example: examples("ambertray tighten loans --to museum.db", "ambertray tighten loans --to postgres://curator@db.example/museum --apply", "ambertray tighten loans --to museum.db --change due_back.type=date"),
		Args:    cobra.ExactArgs(1),
	}
	to := toFlag(c)
	fit := c.Flags().String("fit", "roomy", "headroom of types: roomy, or snug for types that just hold the values")
	apply := c.Flags().Bool("apply", false, "make the changes")
	changes := c.Flags().StringArray("change", nil, "change a column to this type: `COLUMN.type=TYPE`, or read it by COLUMN.format= or COLUMN.decimal=; repeatable")
	c.RunE = func(c *cobra.Command, args []string) error {
		headroom, err := infer.ParseFit(*fit)
		if err != nil {
			return usageError{err}
		}
		o := tighten.Options{Survey: survey.Options{Fit: headroom}}
		o.Set, err = setBy(*changes)
		if err != nil {
			return usageError{err}
		}
		return a.tighten(c, *to, args[0], o, *apply)
	}
	return c
}

// setBy reads what a person has set of columns.
func setBy(changes []string) (map[string]tighten.Set, error) {
	all := map[string]tighten.Set{}
	for _, text := range changes {
		change, err := tray.ParseChange(text)
		if err != nil {
			return nil, err
		}
		set := all[change.Column]
		switch {
		case change.Column == "":
			err = fmt.Errorf("--change %s: name the column: COLUMN.type=TYPE", text)
		case change.Key == "type":
			var typ table.Type
			typ, err = table.ParseType(change.Value)
			set.Type = &typ
		case change.Key == "format":
			set.Format = change.Value
		case change.Key == "decimal" && (change.Value == "," || change.Value == "."):
			set.Decimal = change.Value
		default:
			err = fmt.Errorf("--change %s: write COLUMN.type=TYPE, COLUMN.format=PATTERN, or COLUMN.decimal= with a comma or a point", text)
		}
		if err != nil {
			return nil, err
		}
		all[change.Column] = set
	}
	return all, nil
}

func (a *app) tighten(c *cobra.Command, to, name string, o tighten.Options, apply bool) error {
	tgt, err := a.open(c.Context(), to, false)
	if err != nil {
		return err
	}
	defer a.closeTarget(tgt)
	update, done := a.progress("reading")
	o.Survey.Progress = update
	p, err := tighten.Propose(c.Context(), tgt, name, o)
	done()
	if errors.Is(err, database.ErrNoTable) {
		err = &noTableError{err, nearestTable(c.Context(), tgt, name)}
	}
	if err != nil {
		return err
	}
	if apply {
		a.undone = "the table is unchanged"
		line := a.line("changing and proving")
		line.Update(term.State{})
		err = p.Apply(c.Context(), tgt)
		line.Done()
		if err != nil {
			return err
		}
	}
	a.changed = apply
	return a.show(p, func() { a.drawTighten(p, to, apply) })
}

func (a *app) drawTighten(t *tighten.Proposal, to string, apply bool) {
	p := a.print
	p.Fact("table", "%s in %s, %s", p.Bold(t.Table), t.Target, term.Amount(t.Rows, "row"))
	p.Line("")
	var rows [][]string
	var unchanged, lost []string
	for _, c := range t.Columns {
		next := p.Faint("stays")
		if c.Changes {
			next = p.Amber(c.Type + nullText(c.Nullable))
		}
		rows = append(rows, []string{c.Name, c.Was + nullText(c.NullWas), next, p.Faint(c.Evidence)})
		if c.Unchanged != nil {
			unchanged = append(unchanged, c.Name+": "+*c.Unchanged)
		}
		for _, word := range c.NullWords {
			lost = append(lost, fmt.Sprintf("%s: %q becomes NULL", c.Name, word))
		}
	}
	p.Table([]term.Column{{Title: "column"}, {Title: "is", Max: 34}, {Title: "tighter", Max: 34}, {Title: "because", Max: 70}}, rows)
	if len(t.Key)+len(unchanged)+len(lost)+len(t.Obstacles) > 0 || apply {
		p.Line("")
	}
	if len(t.Key) > 0 {
		p.Fact("key", "%s", p.Amber(strings.Join(t.Key, ", ")))
	}
	for _, l := range unchanged {
		p.Fact("unchanged", "%s", l)
	}
	for _, l := range lost {
		p.Fact("note", "%s", l)
	}
	for _, r := range t.Obstacles {
		where := term.Printable(r.Key)
		if !strings.HasPrefix(where, "row ") {
			where = "key " + where
		}
		p.Fact("obstacle", "%s in %s, %s: %s", p.Red(`"`+term.Shorten(term.Printable(r.Value), 40)+`"`), r.Column, p.Faint(where), r.Reason)
	}
	switch {
	case len(t.Statements) == 0:
		p.Line("\n  Nothing can be tightened.")
	case apply:
		p.Fact("changed", "%s, every row proved to keep its values", term.Amount(int64(t.Changes()), "column"))
	default:
		p.Line("\n%s;", strings.Join(t.Statements, ";\n"))
		p.Next("Nothing was changed. Run these statements yourself, or have every row proved:", "ambertray tighten "+shellWord(t.Table)+toText(to)+" --apply")
	}
}

func nullText(nullable bool) string {
	if nullable {
		return ""
	}
	return " NOT NULL"
}

// surveyTable shows what a table or a query holds.
func (a *app) surveyTable(c *cobra.Command, from, query string, args []string, o survey.Options) error {
	for _, s := range typedSettings(c) {
		return usageError{fmt.Errorf("--%s is for files, and --from reads a table", s.Option())}
	}
	tgt, err := a.open(c.Context(), from, false)
	if err != nil {
		return err
	}
	defer tgt.Close()
	var work *export.Work
	if query != "" {
		work, err = export.Query(c.Context(), tgt, query)
	} else {
		work, err = export.Table(c.Context(), tgt, args[0])
	}
	if query == "" && errors.Is(err, database.ErrNoTable) {
		err = &noTableError{err, nearestTable(c.Context(), tgt, args[0])}
	}
	if err != nil {
		return err
	}
	var done func()
	o.Progress, done = a.progress("surveying")
	s, err := tighten.Profile(c.Context(), tgt, work, o)
	done()
	if err != nil {
		return err
	}
	result := surveyed{[]*survey.Survey{s}, intake.NothingLeftOut()}
	return a.show(result, func() {
		what := "a query"
		if query == "" {
			what = "table " + a.print.Bold(args[0])
		}
		a.print.Fact("source", "%s in %s", what, tgt.Name())
		a.print.Fact("read", "%s", term.Amount(s.Records, "row"))
		a.drawProfile(s)
		if query == "" {
			a.print.Next("", "ambertray tighten "+shellWord(args[0])+toText(from))
		}
	})
}

package cli

import (
	"cmp"
	"errors"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/dialect"
	"ambertray/internal/review"
	"ambertray/internal/screen"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

// errNoTerminal is returned where there is nobody to review anything.
var errNoTerminal = errors.New("review needs a terminal")

func (a *app) newReview() *cobra.Command {
	c := &cobra.Command{
		Use:   "review TRAY|SOURCE...",
		Short: "Edit the plan on a full screen and see the effect on the data",
		Long: `Review shows the columns of a plan with their evidence, and below them sample rows as
they will be in the table. Change types, names, formats, null words, the key or the order
of the columns. The sample rows follow at once. Shortly after, the view shows how many
records of the whole source would be rejected. Saving keeps the comments of the tray.

With --to the columns of an existing table are shown next to those of the plan.`,
		Example: examples("ambertray review loans.csv", "ambertray review loans.tray --to museum.db"),
		Args:    cobra.MinimumNArgs(1),
	}
	d := &drafting{options: surveyFlags(c)}
	c.Flags().StringVar(&d.dir, "tray", "", "the `FOLDER` of the tray (default NAME.tray, named after the source)")
	to := toFlag(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		if a.json {
			return usageError{errors.New("--json: review is for people; survey --json and check --json have the same facts")}
		}
		if !term.CanAsk() {
			return errNoTerminal
		}
		return a.review(c, d, cmp.Or(*to, os.Getenv("AMBERTRAY_TO")), args)
	}
	return c
}

func (a *app) review(c *cobra.Command, d *drafting, to string, args []string) error {
	o := review.Options{Names: args, Dir: args[0], Dialect: dialect.PostgreSQL}
	var err error
	o.Survey, err = d.options()
	if err != nil {
		return err
	}
	if !tray.Is(args[0]) {
		o.Dir, err = d.dirFor(args)
		if err != nil {
			return err
		}
	} else if len(args) > 1 {
		return usageError{errors.New("review takes one tray, or a source")}
	}
	outcome, err := a.onScreen(c, o, to, strings.Join(args, " "))
	if err != nil || !outcome.Load {
		return err
	}
	load := a.newLoad()
	load.SetArgs([]string{o.Dir, "--to", cmp.Or(to, outcome.To)})
	load.SilenceErrors, load.SilenceUsage = true, true
	return load.ExecuteContext(c.Context())
}

// onScreen shows the view until it is left.
func (a *app) onScreen(c *cobra.Command, o review.Options, to, title string) (outcome screen.Outcome, err error) {
	if to != "" {
		o.To, err = a.open(c.Context(), to, false)
		if err != nil {
			return outcome, err
		}
		defer o.To.Close()
		title += " → " + o.To.Name()
	}
	s, err := review.Open(c.Context(), a.from, o)
	if err != nil {
		return outcome, err
	}
	outcome, err = screen.Run(c.Context(), s, title, to != "", os.Stdin, os.Stdout)
	if outcome.Saved && !outcome.Load {
		a.print.Fact("plan", "%s/tray.yaml", s.Tray().Dir)
		a.print.Next("", a.withTarget("ambertray load "+shellWord(s.Tray().Dir)+" --to TARGET"))
	}
	return outcome, err
}

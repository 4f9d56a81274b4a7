// Package cli is the command line: flags in, core called, result shown. There
// is one file a command.
package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"slices"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"ambertray/internal/connect"
	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/platform"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/term"
)

// The exit statuses.
const (
	exitDone    = 0 // done and verified
	exitFailed  = 1 // failed, the target is unchanged
	exitUsage   = 2 // the command line is wrong
	exitRejects = 3 // loaded, with rejects
	exitDiffers = 4 // verification found a difference
	exitLoaded  = 5 // all of it was loaded before
	exitPartial = 6 // stopped after a commit, where the same command continues
	exitLater   = 7 // the target is unchanged, and the same command may succeed later
)

// app is what every command needs.
type app struct {
	out, err io.Writer
	print    *term.Printer
	from     *source.Opener
	json     bool
	status   int    // of a command that did its work
	changed  bool   // the command has changed a target
	undone   string // what an interruption leaves
	password string // that a person has typed
	to       string // the target of the command line, "" without one
	answered bool   // the result was written as JSON
	lost     error  // the first error of writing JSON

	unattended unattended
	log        *slog.Logger
	logFile    io.Closer       // nil without a log
	limited    context.Context // nil without a time limit
	command    *cobra.Command  // that was typed, nil before it is known
}

// Main runs the program and returns its exit status.
func Main(args []string, out, errOut io.Writer) int {
	from := &source.Opener{Stdin: os.Stdin}
	defer from.Close()
	a := &app{out: out, err: errOut, print: term.NewPrinter(out), from: from}
	return a.run(args)
}

// run runs one command line.
func (a *app) run(args []string) int {
	ctx, stop := interruptible()
	defer stop()
	platform.IgnoreFileLimit()
	a.undone = "nothing was changed"
	root := a.newRoot()
	root.SetArgs(args)
	root.SetOut(a.out)
	root.SetErr(a.err)
	start := time.Now()
	err := a.execute(ctx, root)
	if err != nil {
		a.json = a.json || slices.Contains(args, "--json") // which an error in the options before it leaves unread
		return a.end(a.report(a.interrupted(ctx, err)), start)
	}
	return a.end(a.status, start)
}

// sameInterrupt is how long a second interrupt is taken for the same one: shells and the programs that
// start this one may both send it.
const sameInterrupt = time.Second

// interruptible returns a context that an interrupt cancels. A later one ends the program at once,
// whatever it is busy with.
func interruptible() (ctx context.Context, stop func()) {
	ctx, stop = signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	context.AfterFunc(ctx, func() { time.AfterFunc(sameInterrupt, stop) })
	return ctx, stop
}

// interrupted returns why a command was stopped, if it was, whatever that looked like
// further down.
func (a *app) interrupted(ctx context.Context, err error) error {
	var partial *load.PartialError
	var share *load.ShareError
	var done *load.UnrecordedError
	over := a.limited != nil && a.limited.Err() != nil
	switch {
	case errors.As(err, &done):
		return err
	case errors.As(err, &share):
		if over && ctx.Err() == nil {
			share.Err = context.Cause(a.limited)
		} else if ctx.Err() != nil {
			share.Err = ctx.Err()
		}
	case errors.As(err, &partial):
		if over && ctx.Err() == nil {
			partial.Err = context.Cause(a.limited)
		}
	case ctx.Err() != nil:
		return ctx.Err()
	case over:
		return context.Cause(a.limited)
	}
	return err
}

// execute runs the command. A panic is caught here, after what was open has been
// closed and rolled back on the way.
func (a *app) execute(ctx context.Context, root *cobra.Command) (err error) {
	defer record.Recover(&err)
	a.command, err = root.ExecuteContextC(ctx)
	return err
}

func (a *app) newRoot() *cobra.Command {
	root := &cobra.Command{
		Use:   "ambertray",
		Short: "Load files into database tables and prove that nothing was lost",
		Long: `Amber Tray surveys a file, drafts a plan for its table, loads it, keeps the records that
cannot be loaded, and compares the table with the source before it commits.`,
		Example:       examples("ambertray survey loans.csv", "ambertray load loans.csv --to museum.db", "ambertray demo"),
		Args:          typed(cobra.NoArgs),
		SilenceErrors: true, SilenceUsage: true,
		CompletionOptions: cobra.CompletionOptions{HiddenDefaultCmd: true},
		RunE:              func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error { return usageError{wrongOption(c, err)} })
	root.PersistentPreRunE = func(c *cobra.Command, args []string) error {
		copy(args, a.from.Publish(args)) // so that no command knows a secret of an address
		return a.begin(c, args)
	}
	a.unattendedFlags(root)
	root.PersistentFlags().BoolVar(&a.json, "json", false, "write the result as JSON")
	root.AddCommand(
		a.newSurvey(), a.newDraft(), a.newDDL(), a.newHandover(), a.newCheck(), a.newLoad(),
		a.newVerify(), a.newExport(), a.newRejects(), a.newMend(), a.newUndo(), a.newHistory(), a.newTargets(), a.newReview(), a.newReport(), a.newTighten(), a.newDemo(), a.newVersion(),
	)
	for _, c := range root.Commands() {
		c.Args = typed(c.Args)
	}
	root.AddCommand(topics()...)
	root.AddCommand(newManual())
	a.complete(root)
	root.SetHelpCommand(newHelp())
	root.SetHelpFunc(func(c *cobra.Command, _ []string) { help(a.print, c) })
	return root
}

// show writes a result: as JSON, or as draw does.
func (a *app) show(result any, draw func()) error {
	a.logResult(result)
	switch {
	case a.unattended.quiet:
		return nil
	case a.json:
		a.answered = true
		a.writeJSON(result)
		return nil
	}
	draw()
	return nil
}

func (a *app) writeJSON(result any) {
	enc := json.NewEncoder(a.out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	a.lost = cmp.Or(a.lost, enc.Encode(result))
}

// progress starts a progress line; done ends it.
func (a *app) progress(title string) (update func(pass.Progress), done func()) {
	p := a.line(title)
	return func(s pass.Progress) { p.Update(stateOf(s)) }, p.Done
}

// phases are what the phases of a load are called.
var phases = map[string]string{
	load.PhaseFinish: "waiting for the server", load.PhaseIndex: "building indexes", load.PhaseMerge: "merging", load.PhaseVerify: "verifying",
	load.PhaseCommit: "committing", load.PhaseStatistics: "refreshing statistics", load.PhaseRollback: "rolling back",
}

func stateOf(s pass.Progress) term.State {
	return term.State{Phase: phases[s.Phase], Bytes: s.Bytes, Size: s.Size, Records: s.Records, Of: s.Of, Rejected: s.Rejected}
}

// toFlag adds the flag that names the target.
func toFlag(c *cobra.Command) *string {
	return c.Flags().String("to", "", "the `TARGET`: "+connect.Examples()+", or a name in targets.yaml (default $AMBERTRAY_TO)")
}

// errNoTarget is returned when a command needs a target and none was named.
var errNoTarget = errors.New("no target was named")

// open opens the target that --to or the environment names.
func (a *app) open(ctx context.Context, to string, create bool) (t database.Target, err error) {
	err = a.reach(to, func(word, password string) error {
		t, err = connect.Open(ctx, word, connect.Options{Create: create, Password: password})
		return err
	})
	return t, err
}

// closeTarget closes a target that was written to. If the server has not ended an
// interrupted session, that is reported: its locks are not free yet.
func (a *app) closeTarget(t database.Target) {
	err := t.Close()
	if errors.Is(err, database.ErrEnding) {
		term.NewPrinter(a.err).Line("ambertray: %v", err)
	}
}

// createDatabase creates the database of that target, unless it exists: then it returns
// nil.
func (a *app) createDatabase(ctx context.Context, to string) (made *database.Made, err error) {
	err = a.reach(to, func(word, password string) error {
		made, err = connect.CreateDatabase(ctx, word, password)
		return err
	})
	return made, err
}

// reach calls do with the target that to or the environment names. Where a login is
// refused, a person at a terminal is asked for the password.
func (a *app) reach(to string, do func(word, password string) error) error {
	word := cmp.Or(to, os.Getenv("AMBERTRAY_TO"))
	if word == "" {
		return usageError{errNoTarget}
	}
	err := do(word, a.password)
	if errors.Is(err, database.ErrLogin) && a.password == "" && term.CanAsk() {
		term.NewPrinter(a.err).Line("ambertray: %v", err)
		a.password, err = term.AskSecret("password: ")
		if err != nil {
			return err
		}
		err = do(word, a.password)
	}
	var unknown *connect.UnknownError
	if errors.As(err, &unknown) {
		return usageError{err}
	}
	return err
}

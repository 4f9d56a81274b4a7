package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ambertray/internal/database"
	"ambertray/internal/load"
	"ambertray/internal/term"
)

// The words of --progress.
const (
	progressAuto  = "auto"
	progressPlain = "plain"
	progressJSON  = "json"
	progressNone  = "none"
)

// unattended is what every command takes that runs without a person.
type unattended struct {
	quiet    bool
	noColor  bool
	log      string
	progress string
}

func (a *app) unattendedFlags(root *cobra.Command) {
	f := root.PersistentFlags()
	f.BoolVar(&a.unattended.quiet, "quiet", false, "print only errors")
	f.BoolVar(&a.unattended.noColor, "no-color", false, "print without colours, like the environment variable NO_COLOR")
	f.StringVar(&a.unattended.log, "log", "", "append each event to a `FILE` as a line of JSON")
	f.StringVar(&a.unattended.progress, "progress", progressAuto, "progress on standard error: auto (a bar at a terminal), plain (lines of text), json (a line for each event) or none")
}

// begin sets up the log and the printers, before a command runs.
func (a *app) begin(c *cobra.Command, args []string) error {
	u := &a.unattended
	if !slices.Contains([]string{progressAuto, progressPlain, progressJSON, progressNone}, u.progress) {
		return usageError{fmt.Errorf("--progress %s: write auto, plain, json or none", u.progress)}
	}
	err := possible(c)
	if err != nil {
		return err
	}
	if u.noColor {
		os.Setenv("NO_COLOR", "1")
		a.print = term.NewPrinter(a.out)
	}
	a.log = slog.New(slog.DiscardHandler)
	if u.log != "" {
		file, err := openLog(u.log)
		if err != nil {
			return err
		}
		a.logFile = file
		a.log = slog.New(slog.NewJSONHandler(file, nil)).With("command", c.Name(), "process", os.Getpid())
	}
	to, _ := c.Flags().GetString("to") // "" where a command has no target
	from, _ := c.Flags().GetString("from")
	a.to = cmp.Or(to, from)
	a.log.Info("begun", "arguments", withoutSecrets(args))
	return nil
}

// possible returns an error if a number or a time was typed that no option can have.
func possible(c *cobra.Command) error {
	for _, option := range []string{"rows", "retries", "lanes"} {
		n, err := c.Flags().GetInt(option)
		if err == nil && n < 0 {
			return usageError{fmt.Errorf("--%s %d: write a number from 0", option, n)}
		}
	}
	for _, option := range []string{"within", "lease"} {
		d, err := c.Flags().GetDuration(option)
		if err == nil && d <= 0 && c.Flags().Changed(option) {
			return usageError{fmt.Errorf("--%s %s: write a time such as 90s or 2h", option, d)}
		}
	}
	return nil
}

// openLog opens a log to append to it. An existing file has to begin like one, so that
// events are not appended to a source or a database.
func openLog(path string) (*os.File, error) {
	file, err := os.OpenFile(path, os.O_APPEND|os.O_CREATE|os.O_RDWR, 0o666)
	if err != nil {
		return nil, err
	}
	info, err := file.Stat()
	begin := []byte{'{'}
	if err == nil && info.Mode().IsRegular() && info.Size() > 0 {
		_, err = file.ReadAt(begin, 0)
	}
	if err == nil && begin[0] != '{' {
		err = usageError{fmt.Errorf("--log %s: the file exists and is not a log", path)}
	}
	if err != nil {
		return nil, errors.Join(err, file.Close())
	}
	return file, nil
}

// withoutSecrets returns the arguments without what may be a password in an address.
func withoutSecrets(args []string) []string {
	shown := []string{}
	for _, arg := range args {
		u, err := url.Parse(arg)
		switch {
		case err == nil && u.Scheme != "" && u.Host != "":
			u.RawQuery, u.User = "", userOf(u)
			arg = u.String()
		case strings.Contains(arg, "://") && strings.Contains(arg, "@"): // it has a password that no address may have
			arg, _, _ = strings.Cut(arg, "://")
			arg += "://…"
		}
		shown = append(shown, arg)
	}
	return shown
}

// written returns the exit status of a command. If its result could not be written, it reports that,
// and a command that has not changed a target fails.
func (a *app) written(status int) int {
	err := cmp.Or(a.lost, a.print.Err())
	if err == nil {
		return status
	}
	p := term.NewPrinter(a.err)
	p.Line("%s the result could not be written: %v", p.Red("ambertray:"), err)
	if a.changed {
		p.Line("  the exit status is that of the command, and its target shows what was done: ambertray history --to TARGET")
		return status
	}
	p.Line("  make room, or write it to another place, and run the command again")
	return max(status, exitFailed)
}

// end logs the exit status, and closes the log.
func (a *app) end(status int, since time.Time) int {
	status = a.written(status)
	if a.logFile == nil {
		return status
	}
	a.log.Info("ended", "status", status, "seconds", time.Since(since).Seconds())
	err := a.logFile.Close()
	if err != nil {
		return max(status, a.report(err))
	}
	return status
}

// userOf returns the user of an address without the password.
func userOf(u *url.URL) *url.Userinfo {
	if u.User == nil {
		return nil
	}
	return url.User(u.User.Username())
}

// logResult logs what a command has to show.
func (a *app) logResult(result any) {
	if a.log == nil {
		return
	}
	switch r := result.(type) {
	case *load.Receipt:
		a.log.Info("loaded", "id", r.ID, "table", r.Table, "target", r.Target, "read", r.Counts.Read, "loaded", r.Counts.Loaded,
			"rejected", r.Counts.Rejected, "skipped", r.Counts.Skipped, "verified", r.Verified, "receipt", r.Tray+"/loads/"+r.Load)
	case *load.Verification:
		a.log.Info("verified", "table", r.Table, "target", r.Target, "rows", r.Rows, "verified", r.Verified)
	}
}

// line starts to show progress in the requested form.
func (a *app) line(title string) *term.Progress {
	switch {
	case a.unattended.quiet || a.unattended.progress == progressNone:
		return nil
	case a.unattended.progress == progressJSON:
		return term.NewEvents(a.err, title)
	case a.unattended.progress == progressPlain:
		return term.NewPlain(a.err, title)
	}
	return term.NewProgress(a.err, title)
}

// patience is how long a load may take, and how often it is tried again.
type patience struct {
	within  *time.Duration
	retries *int
}

func patienceFlags(c *cobra.Command) patience {
	return patience{
		within:  c.Flags().Duration("within", 0, "stop after a `TIME` such as 2h or 90m and roll back, or keep the rows up to the last checkpoint"),
		retries: c.Flags().Int("retries", 0, "try again up to `N` times after a temporary fault: a deadlock, a lock, a server that does not answer yet"),
	}
}

// timeLimitError says that the time of --within is over.
type timeLimitError struct{ limit time.Duration }

func (e *timeLimitError) Error() string { return fmt.Sprintf("the time limit of %s is over", e.limit) }

// limit ends the context of a command when its time is over.
func (a *app) limit(c *cobra.Command, p patience) (stop func()) {
	if *p.within <= 0 {
		return func() {}
	}
	ctx, cancel := context.WithTimeoutCause(c.Context(), *p.within, &timeLimitError{*p.within})
	a.limited = ctx
	c.SetContext(ctx)
	return cancel
}

// longest is how long is waited at most before something is tried again.
const longest = time.Minute

// persist calls do, again while it fails for what passes.
func (a *app) persist(ctx context.Context, p patience, do func() (again bool, err error)) error {
	for tries := 0; ; tries++ {
		again, err := do()
		if err == nil || !again || tries >= *p.retries {
			return err
		}
		wait := min(longest, time.Second<<tries)
		a.log.Warn("tried again", "error", err.Error(), "try", tries+1, "of", *p.retries, "seconds", wait.Seconds())
		if !a.unattended.quiet {
			term.NewPrinter(a.err).Line("ambertray: %v; try %d of %d begins in %s", err, tries+1, *p.retries, wait)
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(wait):
		}
	}
}

// passes reports whether what failed has changed nothing and may succeed later. A
// connection that was lost in the middle of a load leaves open whether it was committed,
// which only the ledger knows.
func passes(err error, ledger bool) bool {
	var done *load.UnrecordedError
	if errors.As(err, &done) {
		return false
	}
	return errors.Is(err, database.ErrConflict) || errors.Is(err, database.ErrLocked) || ledger && errors.Is(err, database.ErrUnreachable)
}

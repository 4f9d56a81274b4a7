package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/agnivade/levenshtein"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// usageError is a mistake on the command line.
type usageError struct{ error }

func (e usageError) Unwrap() error { return e.error }

// typed checks what was typed after a command, before it runs.
func typed(check cobra.PositionalArgs) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		err := withoutValue(c)
		if err != nil {
			return usageError{err}
		}
		err = check(c, args)
		var own usageError
		if err == nil || errors.As(err, &own) {
			return err
		}
		return usageError{wrongWords(c, args)}
	}
}

// wrongWords reports which arguments a command takes instead of those that were typed.
func wrongWords(c *cobra.Command, args []string) error {
	name := within(c)
	_, takes, _ := strings.Cut(c.Use, " ")
	switch {
	case c.HasSubCommands():
		return noCommand(c, args)
	case takes == "":
		return fmt.Errorf("%s takes only options, not %q", name, args[0])
	case len(args) == 0:
		return fmt.Errorf("%s needs %s", name, takes)
	}
	return fmt.Errorf("%s takes %s, not %d words: %s; quote a name with blanks in it", name, takes, len(args), strings.Join(args, ", "))
}

// within returns the name of a command as it is typed after that of the program.
func within(c *cobra.Command) string {
	return strings.TrimSpace(strings.TrimPrefix(c.CommandPath(), c.Root().Name()))
}

// noCommand refuses what is not a command or a topic, and names the nearest one.
func noCommand(parent *cobra.Command, args []string) error {
	err := fmt.Errorf("unknown command %q", strings.TrimSpace(within(parent)+" "+args[0]))
	parent.SuggestionsMinimumDistance = 2
	near := parent.SuggestionsFor(args[0])
	for _, topic := range parent.Commands() {
		if topic.IsAdditionalHelpTopicCommand() && levenshtein.ComputeDistance(topic.Name(), args[0]) <= parent.SuggestionsMinimumDistance {
			near = append(near, topic.Name())
		}
	}
	if len(near) > 0 {
		err = fmt.Errorf("%w; did you mean %s?", err, strings.Join(near, " or "))
	}
	return err
}

// withoutValue refuses an option whose value is the next option. Its own value was left out, or
// is a shell variable that is not set.
func withoutValue(c *cobra.Command) (err error) {
	c.Flags().Visit(func(f *pflag.Flag) {
		values := []string{f.Value.String()}
		list, ok := f.Value.(pflag.SliceValue)
		if ok {
			values = list.GetSlice()
		}
		for _, v := range values {
			if err == nil {
				err = tookOption(c, f, v)
			}
		}
	})
	return err
}

// tookOption returns an error if the value of an option is another option.
func tookOption(c *cobra.Command, f *pflag.Flag, value string) error {
	next, ok := strings.CutPrefix(value, "--")
	next, _, _ = strings.Cut(next, "=")
	if !ok || c.Flags().Lookup(next) == nil {
		return nil
	}
	return fmt.Errorf("--%s has no value: --%s follows it", f.Name, next)
}

// wrongOption explains an error of the option parser.
func wrongOption(c *cobra.Command, err error) error {
	var unknown *pflag.NotExistError
	var missing *pflag.ValueRequiredError
	var invalid *pflag.InvalidValueError
	switch {
	case errors.As(err, &unknown):
		return unknownOption(c, unknown)
	case errors.As(err, &missing):
		text, _ := optionText(missing.GetFlag())
		return fmt.Errorf("--%s has no value: write %s", missing.GetFlag().Name, text)
	case errors.As(err, &invalid):
		return wrongValue(c, invalid)
	}
	return err
}

// unknownOption names the option that is nearest to one that does not exist.
func unknownOption(c *cobra.Command, e *pflag.NotExistError) error {
	if e.GetSpecifiedShortnames() != "" {
		return fmt.Errorf("unknown option -%s: options are whole words after --", e.GetSpecifiedShortnames())
	}
	err := fmt.Errorf("unknown option --%s", e.GetSpecifiedName())
	best, distance := "", 3
	c.Flags().VisitAll(func(f *pflag.Flag) {
		d := levenshtein.ComputeDistance(e.GetSpecifiedName(), f.Name)
		if d < distance {
			best, distance = f.Name, d
		}
	})
	if best == "" {
		return err
	}
	return fmt.Errorf("%w; did you mean --%s?", err, best)
}

// wrongValue reports which values an option takes.
func wrongValue(c *cobra.Command, e *pflag.InvalidValueError) error {
	f := e.GetFlag()
	err := tookOption(c, f, e.GetValue())
	if err != nil {
		return err
	}
	what := e.Unwrap().Error()
	switch f.Value.Type() {
	case "int", "int64":
		what = "write a whole number"
	case "duration":
		what = "write a time with its unit, such as 90s, 30m or 2h"
	case "bool":
		what = "it takes no value, or true or false"
	}
	return fmt.Errorf("--%s %s: %s", f.Name, e.GetValue(), what)
}

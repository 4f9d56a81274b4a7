package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"ambertray/internal/source"
	"ambertray/internal/term"
)

// examples writes command lines, one below the other.
func examples(lines ...string) string { return "  " + strings.Join(lines, "\n  ") }

// groups are the options under their headings. Settings of the layout that are not
// named here are in the group Layout, and all other options in the last.
var groups = []struct {
	title   string
	options []string
}{
	{"What to load", []string{"sheet", "cells", "hidden", "merged", "drift", "sample", "quick", "only-new", "each", "jobs", "again", "load"}},
	{"Layout", nil},
	{"Table", []string{"to", "table", "change", "existing", "by-position", "create-schema", "create-database", "accept-loss", "no-rollback", "dialect", "fit", "indexes"}},
	{"Checks", []string{"allow-rejects", "verify", "commit-every", "no-ledger", "forget", "yes"}},
	{"Unattended", []string{"quiet", "log", "progress", "no-color", "within", "retries"}},
	{"Output", nil},
}

func groupOf(name string) int {
	for i := range groups {
		if slices.Contains(groups[i].options, name) {
			return i
		}
	}
	if slices.ContainsFunc(source.Settings(), func(s source.Setting) bool { return s.Option() == name }) {
		return 1
	}
	return len(groups) - 1
}

// newHelp writes the help of a command or a topic, and refuses what is neither.
func newHelp() *cobra.Command {
	return &cobra.Command{
		Use: "help [COMMAND|TOPIC]", Short: "Explain a command or a topic",
		ValidArgsFunction: func(c *cobra.Command, _ []string, begun string) (names []string, directive cobra.ShellCompDirective) {
			for _, sub := range c.Root().Commands() {
				if strings.HasPrefix(sub.Name(), begun) && (sub.IsAvailableCommand() || sub.IsAdditionalHelpTopicCommand()) {
					names = append(names, cobra.CompletionWithDesc(sub.Name(), sub.Short))
				}
			}
			return names, cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(c *cobra.Command, args []string) error {
			found, _, err := c.Root().Find(args)
			if err == nil && found == c.Root() && len(args) > 0 {
				err = noCommand(found, args)
			}
			if err != nil {
				return usageError{err}
			}
			return found.Help()
		},
	}
}

// help writes what a command does, how it is called, examples, and its options in
// groups.
func help(p *term.Printer, c *cobra.Command) {
	p.Line("%s", p.Bold(c.Short))
	if c.Long != "" {
		p.Line("\n%s", c.Long)
	}
	if c.IsAdditionalHelpTopicCommand() {
		return
	}
	p.Line("\n%s\n  %s", p.Bold("Usage"), c.UseLine())
	if c.Example != "" {
		p.Line("\n%s\n%s", p.Bold("Examples"), c.Example)
	}
	commands := c.Commands()
	if len(commands) > 0 {
		p.Line("\n%s", p.Bold("Commands"))
		for _, sub := range commands {
			if sub.IsAvailableCommand() {
				p.Line("  %-10s %s", sub.Name(), sub.Short)
			}
		}
	}
	helpTopics(p, c)
	for i := range groups {
		helpGroup(p, c, i)
	}
	if c.HasAvailableSubCommands() {
		p.Line("\n%s COMMAND --help explains a command.", c.CommandPath())
	}
}

// helpTopics lists the pages that are not about one command.
func helpTopics(p *term.Printer, c *cobra.Command) {
	title := "\n" + p.Bold("Topics")
	for _, sub := range c.Commands() {
		if !sub.IsAdditionalHelpTopicCommand() {
			continue
		}
		if title != "" {
			p.Line("%s", title)
			title = ""
		}
		p.Line("  %-10s %s", sub.Name(), sub.Short)
	}
}

// optionIndent is where the explanation of an option begins.
const optionIndent = 26

// helpGroup writes the options of a group.
func helpGroup(p *term.Printer, c *cobra.Command, group int) {
	title := "\n" + p.Bold(groups[group].title)
	c.Flags().VisitAll(func(f *pflag.Flag) {
		if f.Hidden || groupOf(f.Name) != group {
			return
		}
		if title != "" {
			p.Line("%s", title)
			title = ""
		}
		name, usage := optionText(f)
		usage = p.Wrap(usage, optionIndent+2)
		if len(name) >= optionIndent {
			name += fmt.Sprintf("\n  %*s", optionIndent, "")
		}
		p.Line("  %-*s%s", optionIndent, name, usage)
	})
}

// optionText returns an option with what it takes, and its explanation.
func optionText(f *pflag.Flag) (name, usage string) {
	word, usage := pflag.UnquoteUsage(f)
	name = "--" + f.Name
	if f.Shorthand != "" {
		name = "-" + f.Shorthand + ", " + name
	}
	switch {
	case f.NoOptDefVal != "":
		word = ""
	case word == "string":
		word = "VALUE"
	}
	if word != "" {
		name += " " + word
	}
	return name, usage
}

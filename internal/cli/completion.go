package cli

import (
	"cmp"
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"ambertray/internal/connect"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/intake"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// completer suggests the words that may stand at a place of the command line.
type completer = func(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective)

// words suggests words that are known beforehand.
func words(list ...string) completer {
	return func(_ *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		return beginning(list, typed), cobra.ShellCompDirectiveNoFileComp
	}
}

func beginning(list []string, typed string) (found []string) {
	for _, word := range list {
		if strings.HasPrefix(word, typed) {
			found = append(found, word)
		}
	}
	return found
}

// complete adds the suggestions of every command.
func (a *app) complete(root *cobra.Command) {
	of := map[string]completer{
		"to": targetNames, "from": targetNames, "existing": words(table.ExistingWords()...), "fit": words("roomy", "snug"), "verify": words(string(load.EveryRow), string(load.RowsOnly)),
		"progress": words(progressAuto, progressPlain, progressJSON, progressNone), "dialect": words(dialect.AllNames()...), "table": a.tableNames,
		"sheet": a.sheetNames, "explain": a.columnNames, "change": a.changeWords, "hidden": words("take", "leave"), "merged": words("first", "each"),
		"drift": words(source.DriftRefuse, source.DriftFill), "escape": words(source.Doubled, source.Backslash, source.Unescaped, source.ServerEscapes),
		"delimiter": words("comma", "semicolon", "tab", "pipe", "colon", "spaces", "wide_spaces", "none"), "line-end": words("lf", "crlf", "cr"),
	}
	arguments := map[string]completer{"export": a.tableNames, "tighten": a.tableNames, "survey": a.surveyedNames, "undo": a.loadNames, "mend": trayNames, "rejects": trayNames}
	var visit func(c *cobra.Command)
	visit = func(c *cobra.Command) {
		for name, f := range of {
			if c.Flags().Lookup(name) != nil || c.PersistentFlags().Lookup(name) != nil {
				_ = c.RegisterFlagCompletionFunc(name, f) // each is registered once
			}
		}
		c.ValidArgsFunction = arguments[c.Name()]
		for _, sub := range c.Commands() {
			visit(sub)
		}
	}
	visit(root)
}

// targetNames suggests the names of targets.yaml, and files.
func targetNames(_ *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
	named, _ := connect.Named()
	var names []string
	for _, n := range named {
		names = append(names, n.Name)
	}
	found, _ := filepath.Glob(typed + "*")
	for _, f := range found {
		if slices.Contains([]string{".db", ".sqlite"}, filepath.Ext(f)) {
			names = append(names, f)
		}
	}
	return beginning(names, typed), cobra.ShellCompDirectiveNoFileComp
}

// patienceOfShell is how long a person waits for suggestions.
const patienceOfShell = 2 * time.Second

// tableNames suggests the tables of the target.
func (a *app) tableNames(c *cobra.Command, _ []string, typed string) (names []string, _ cobra.ShellCompDirective) {
	onTarget(c, func(ctx context.Context, tgt database.Target) {
		rows, _ := tgt.Query(ctx, tgt.Dialect().TablesQuery)
		for _, row := range rows {
			names = append(names, row[0])
		}
	})
	return beginning(names, typed), cobra.ShellCompDirectiveNoFileComp
}

// surveyedNames suggests the tables of a target that is named, and files otherwise.
func (a *app) surveyedNames(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	if !c.Flags().Changed("from") {
		return nil, cobra.ShellCompDirectiveDefault
	}
	return a.tableNames(c, args, typed)
}

// loadNames suggests the loads in the ledger of the target, the last first.
func (a *app) loadNames(c *cobra.Command, _ []string, typed string) (names []string, _ cobra.ShellCompDirective) {
	onTarget(c, func(ctx context.Context, tgt database.Target) {
		loads, _ := ledger.Read(ctx, tgt, "")
		for _, l := range slices.Backward(loads) {
			names = append(names, l.ID+"\t"+l.Table+", "+l.Source)
		}
	})
	return beginning(names, typed), cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
}

// onTarget does something with the target that is typed so far, if it answers in time.
func onTarget(c *cobra.Command, do func(context.Context, database.Target)) {
	ctx, cancel := context.WithTimeout(context.Background(), patienceOfShell)
	defer cancel()
	to, _ := c.Flags().GetString("to")
	from, _ := c.Flags().GetString("from")
	tgt, err := connect.Open(ctx, cmp.Or(from, to, os.Getenv("AMBERTRAY_TO")), connect.Options{})
	if err != nil {
		return
	}
	defer tgt.Close()
	do(ctx, tgt)
}

// trayNames suggests the trays here.
func trayNames(_ *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
	found, _ := filepath.Glob("*" + tray.Suffix)
	return beginning(found, typed), cobra.ShellCompDirectiveDefault
}

// sheetNames suggests the sheets of the workbook.
func (a *app) sheetNames(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	names := []string{"all"}
	for _, file := range args {
		book, err := a.from.Book(context.Background(), file)
		if err == nil && book != nil {
			for _, s := range book.Sheets {
				names = append(names, s.Name)
			}
		}
	}
	return beginning(names, typed), cobra.ShellCompDirectiveNoFileComp
}

// columnNames suggests the columns of a tray, or the headings of a source.
func (a *app) columnNames(_ *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	return beginning(a.columns(args), typed), cobra.ShellCompDirectiveNoFileComp
}

func (a *app) columns(args []string) (names []string) {
	if len(args) == 0 {
		return nil
	}
	dir := args[0]
	if !tray.Is(dir) {
		dir = tray.DirFor(dir)
	}
	t, err := tray.Read(dir)
	if err == nil {
		for _, c := range t.Table.Loaded() {
			names = append(names, c.Name)
		}
		return names
	}
	ctx, cancel := context.WithTimeout(context.Background(), patienceOfShell)
	defer cancel()
	lay, err := intake.Detect(ctx, a.from, args[0], source.Layout{}, nil, false)
	if err != nil {
		return nil
	}
	in, err := intake.Open(ctx, a.from, args[:1], lay, intake.Expected{}, false)
	if err != nil {
		return nil
	}
	defer in.Close()
	return dialect.Names(in.Headings, dialect.PostgreSQL.MaxName)
}

// changeWords suggests what --change may change: columns, then the keys of one.
func (a *app) changeWords(_ *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	const more = cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	where, typ, ok := strings.Cut(typed, ".type=")
	if ok {
		var all []string
		for _, kind := range table.KindNames() {
			all = append(all, where+".type="+kind)
		}
		return beginning(all, where+".type="+typ), more
	}
	var all []string
	column, _, ok := strings.Cut(typed, ".")
	if ok {
		for _, key := range tray.ColumnKeys() {
			all = append(all, column+"."+key+"=")
		}
		return beginning(all, typed), more
	}
	for _, name := range a.columns(args) {
		all = append(all, name+".")
	}
	for _, key := range tray.TableKeys() {
		all = append(all, key+"=")
	}
	return beginning(all, typed), more
}

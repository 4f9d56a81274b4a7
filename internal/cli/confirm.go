package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/table"
	"ambertray/internal/term"
	"ambertray/internal/tray"
)

// errDeclined is returned where a person has answered no.
var errDeclined = errors.New("not loaded: the target is unchanged")

// consequences say what a load does with the rows that a table has.
var consequences = map[table.Existing]string{
	table.Empty:   "all of them are removed, and those of the source take their place",
	table.Rebuild: "the table is dropped, and created as the plan has it",
	table.Merge:   "rows with a key of the source are updated, and the others added",
}

// confirm asks a person at a terminal before existing rows are removed or changed.
func (a *app) confirm(ctx context.Context, l *loading, t *tray.Tray, to database.Target) error {
	what, changes := consequences[t.Table.Existing]
	if !changes || l.yes || !a.mayAsk() {
		return nil
	}
	exists, err := to.Exists(ctx, t.Table.Name)
	if err != nil || !exists {
		return err
	}
	rows, err := to.Count(ctx, t.Table.Name)
	if err != nil {
		return err
	}
	p := term.NewPrinter(a.err)
	p.Fact("table", "%s in %s has %s", p.Bold(t.Table.Name), to.Name(), term.Amount(rows, "row"))
	p.Fact("source", "%s", strings.Join(t.Files, ", "))
	p.Fact(t.Table.Existing.String(), "%s", p.Amber(what))
	return a.ask("  Load?")
}

// confirmEach asks once for many tables.
func (a *app) confirmEach(l *loading, tables int) error {
	existing, err := table.ParseExisting(l.drafting.existing)
	what, changes := consequences[existing]
	if err != nil || !changes || l.yes || !a.mayAsk() {
		return nil // a wrong word is said later
	}
	p := term.NewPrinter(a.err)
	p.Fact("tables", "%s: of each that exists, %s", fmt.Sprint(tables), p.Amber(what))
	return a.ask("  Load?")
}

// mayAsk reports whether a person is there to answer who sees what it is about.
func (a *app) mayAsk() bool { return term.CanAsk() && !a.json && !a.unattended.quiet }

func (a *app) ask(question string) error {
	yes, err := term.Ask(question)
	if err == nil && !yes {
		err = errDeclined
	}
	return err
}

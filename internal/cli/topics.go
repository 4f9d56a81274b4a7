package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/connect"
	"ambertray/internal/table"
)

// statuses are the exit statuses, the same for every command, and what a scheduler does
// about each.
var statuses = []struct {
	status     int
	means, act string
}{
	{exitDone, "done and verified", "nothing"},
	{exitFailed, "failed, and the target is unchanged", "a person reads the message"},
	{exitUsage, "the command line or a change of the plan is wrong", "a person corrects it"},
	{exitRejects, "loaded and verified, with rejects", "go on; a person corrects the rejects later"},
	{exitDiffers, "verification found a difference", "a person reads differences.csv"},
	{exitLoaded, "all of it was loaded before", "nothing"},
	{exitPartial, "stopped after a checkpoint, and what is committed stays", "run the same command again, which continues"},
	{exitLater, "failed for what may pass: a lock, an unreachable server, a time limit, a file that is still being written; the target is unchanged", "run the same command later"},
}

// topics are pages of help that are not about one command.
func topics() []*cobra.Command {
	var status strings.Builder
	for _, s := range statuses {
		fmt.Fprintf(&status, "\n  %d  %s\n     → %s", s.status, s.means, s.act)
	}
	var kinds strings.Builder
	for _, k := range connect.Kinds() {
		fmt.Fprintf(&kinds, "\n  %-34s %s", k.Example, k.Dialect.Title)
	}
	page := func(name, short, long string) *cobra.Command {
		return &cobra.Command{Use: name, Short: short, Long: long}
	}
	return []*cobra.Command{
		page("types", "The types of columns, and how they are chosen", `The type of a column is the smallest that holds every value of the source:

  `+strings.Join(table.KindNames(), ", ")+`

Decimals have digits and decimals, decimal(9,2); char and varchar have a length in
characters. Codes with zeros before them stay text. Words such as n/a become NULL where
they are all that keeps a column from a tighter type. --fit snug leaves no room to grow.

ambertray draft FILE --explain COLUMN shows why a column has its type, and
--change COLUMN.type=TYPE sets another one.`),
		page("layout", "How the layout of a source is detected and set", `Encoding, delimiter, quotes, header, comments, totals below the data and the cells of a
sheet are detected, and ambertray survey FILE shows them. What is set by an option, such
as --delimiter semicolon or --header 3, is not detected. A tray keeps all of it under
source:, with the same words.

Text with columns at fixed places: --columns 1-8,9-20,21-.
Sheets of a workbook: --sheet NAME, --sheet '2026-*', --sheet all, --cells B3:H200.`),
		page("statuses", "The exit statuses of every command", "Every command ends with one of these statuses:\n"+status.String()+`

A load of many sources with --each ends with the worst of theirs.`),
		page("databases", "How targets are written, and where passwords come from", "A target is written as\n"+kinds.String()+`

or as a name of targets.yaml, which ambertray targets lists. AMBERTRAY_TO names the target
where --to is not given. A password comes from where the server's own clients look:
PGPASSWORD or the password file of PostgreSQL, MYSQL_PWD or the section [client] of
~/.my.cnf, SQLCMDPASSWORD of SQL Server. At a terminal you are asked for it. It is never printed or written anywhere.`),
	}
}

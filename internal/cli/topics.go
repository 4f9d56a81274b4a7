package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/internal/connect"
	"ambertray/internal/table"
)

// statuses are the exit statuses of every command, and how to react to each.
var statuses = []struct {
	status     int
	means, act string
}{
	{exitDone, "done and verified", "nothing"},
	{exitFailed, "failed; the target is unchanged", "read the message"},
	{exitUsage, "wrong command line, or a wrong change to the plan", "correct it"},
	{exitRejects, "loaded and verified, with rejects", "go on; correct the rejects later"},
	{exitDiffers, "verification found a difference", "read differences.csv"},
	{exitLoaded, "everything was loaded before", "nothing"},
	{exitPartial, "stopped after a commit: at a checkpoint, or before a mend had written its files; the committed records stay", "run the same command again to continue"},
	{exitLater, "failed for a temporary reason: a lock, an unreachable server, a time limit, a file that is still being written; the target is unchanged", "run the same command later"},
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
		page("types", "Column types and how they are chosen", `The type of a column is the smallest that holds every value of the source:

  `+strings.Join(table.KindNames(), ", ")+`

A decimal has a number of digits and of decimals, decimal(9,2); char and varchar have a
length in characters. Codes with leading zeros stay text. Words such as n/a become NULL if
nothing else keeps the column from a tighter type. --fit snug leaves no room to grow.

ambertray draft FILE --explain COLUMN shows why a column has its type, and
--change COLUMN.type=TYPE sets another one.`),
		page("layout", "How the layout of a source is detected and set", `Encoding, delimiter, quotes, header, comments, totals below the data and the cells of a
sheet are detected, and ambertray survey FILE shows them. An option such as
--delimiter semicolon or --header 3 overrides the detection. The tray keeps all settings
under source:, by the same names.

Text with fixed columns: --columns 1-8,9-20,21-.
Sheets of a workbook: --sheet NAME, --sheet '2026-*', --sheet all, --cells B3:H200.`),
		page("statuses", "The exit statuses of every command", "Every command ends with one of these statuses:\n"+status.String()+`

A load of many sources with --each ends with the worst status of its sources.`),
		page("databases", "How to write targets, and where passwords come from", "A target is written as\n"+kinds.String()+`

or as a name in targets.yaml, which ambertray targets lists. AMBERTRAY_TO is the target if
--to is not given. Passwords are found where the server's own clients look for them:
PGPASSWORD or ~/.pgpass for PostgreSQL, MYSQL_PWD or the [client] section of ~/.my.cnf for
MySQL and MariaDB, SQLCMDPASSWORD for SQL Server. At a terminal you are asked for one. A
password is never printed or stored.`),
	}
}

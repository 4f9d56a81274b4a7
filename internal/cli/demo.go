package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"ambertray/demo"
	"ambertray/internal/connect"
	"ambertray/internal/reject"
	"ambertray/internal/term"
)

// story lists the commands of the demo, each with an introduction.
var story = []struct{ words, command string }{
	{"The museum has a file of its amber specimens. What is in it?", "survey specimens.csv"},
	{"Draft a tray: a plan to read, edit and keep, with a reason for every type.", "draft specimens.csv"},
	{"The table definition of this plan:", "ddl specimens.tray --dialect sqlite"},
	{"A dry run first. It changes nothing.", "check specimens.tray --to museum.db"},
	{"Now the load. It is verified before it is committed.", "load specimens.tray --to museum.db"},
	{"Verify again: the table is compared with the file, row by row.", "verify specimens.tray --to museum.db"},
	{"A page for people, with charts, data dictionary, totals and proof:", "report specimens.tray --to museum.db"},
	{"A listing with titles above and a total below. They are not records, and the survey says so.", "survey localities.txt --rows 3"},
	{"Reports typed by hand. No single column identifies them, and one value is not a number:", "draft reports.tsv"},
	{"Everything about that column:", "draft reports.tsv --explain light_lux"},
	{"A second file, with a few broken records, in one command:", "load loans.csv --to museum.db"},
	{"No record is lost. What was rejected, and why:", "rejects loans.tray"},
	{"A person has corrected a date in rejects.csv. Load that record by the same plan:", "mend loans.tray --to museum.db"},
	{"Verify: the table has the records of the file, including the mended one:", "verify loans.tray --to museum.db"},
	{spoilWords, "verify loans.tray --to museum.db"},
	{"Export the table with the headings and the column order of the source:", "export loans.tray --from museum.db --out again.csv"},
	{"A workbook has a sheet for each month, with titles, totals and an empty column. Which sheets?", "survey loans-2026.xlsx --sheet 2026-01 --rows 3"},
	{"All months become one table, with the sheet in a column of its own. Later months have a new column:", "draft loans-2026.xlsx --sheet 2026-* --drift fill"},
	{"Load it:", "load loans-2026.tray --table monthly_loans --to museum.db"},
	{"Or every sheet becomes a table of its own:", "load loans-2026.xlsx --each --to months.db"},
	{"The ledger in the target lists what was loaded and prevents loading it twice:", "history --to museum.db"},
}

// spoilWords introduce the step that finds the changed row.
const spoilWords = "Somebody changes one letter in the table. The row is found and named:"

// spoil changes a letter in the table.
func spoil(ctx context.Context) error {
	to, err := connect.Open(ctx, "museum.db", connect.Options{})
	if err != nil {
		return err
	}
	defer to.Close()
	_, err = to.Exec(ctx, "UPDATE loans SET borrower = replace(borrower, 'Harrow', 'Barrow') WHERE loan_no = '00318'")
	return err
}

// correct edits the rejects as a person would before mending them.
func correct(rejects string) error {
	text, err := os.ReadFile(rejects)
	if err != nil {
		return err
	}
	i := bytes.LastIndex(text, []byte("31/02/2026")) // the cell, after the value that was rejected
	return os.WriteFile(rejects, slices.Concat(text[:i], []byte("28"), text[i+2:]), 0o666)
}

func (a *app) newDemo() *cobra.Command {
	c := &cobra.Command{
		Use:   "demo",
		Short: "Show every step on sample files, in a temporary folder",
		Long: `Demo runs survey, draft, load, report, mend, verify and export on the files of a made-up
museum, and shows each command with its output. The folder is removed at the end.`,
		Example: examples("ambertray demo"),
		Args:    cobra.NoArgs,
	}
	keep := c.Flags().Bool("keep", false, "keep the folder")
	c.RunE = func(*cobra.Command, []string) error {
		dir, err := os.MkdirTemp("", "ambertray-demo-")
		if err != nil {
			return err
		}
		if !*keep {
			defer os.RemoveAll(dir)
		}
		err = layOut(dir)
		if err != nil {
			return err
		}
		home, err := os.Getwd()
		if err != nil {
			return err
		}
		err = os.Chdir(dir)
		if err != nil {
			return err
		}
		defer os.Chdir(home)
		if a.json {
			return a.tellAsJSON()
		}
		err = a.runStory()
		if err != nil {
			return err
		}
		if *keep {
			a.print.Next("The files, trays and database are in", dir)
		} else {
			a.print.Next("Now try a file of your own:", "ambertray load FILE --to FILE.db")
		}
		return nil
	}
	return c
}

// layOut writes the museum's files into the folder.
func layOut(dir string) error {
	return fs.WalkDir(demo.Files, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := demo.Files.ReadFile(path)
		if err != nil {
			return err
		}
		return os.WriteFile(dir+"/"+path, text, 0o666)
	})
}

// runStory runs the story and shows each command before what it prints.
func (a *app) runStory() error {
	for i, step := range story {
		if i > 0 {
			a.print.Line("")
		}
		a.print.Line("%s", a.print.Bold(step.words))
		a.print.Line("%s %s\n", a.print.Faint("$"), a.print.Amber("ambertray "+step.command))
		err := a.step(step.words, step.command, a.out)
		if err != nil {
			return err
		}
	}
	return nil
}

func (a *app) tellAsJSON() error {
	type shown struct {
		Command string          `json:"command"`
		Result  json.RawMessage `json:"result"`
	}
	var steps []shown
	for _, step := range story {
		var out bytes.Buffer
		err := a.step(step.words, step.command+" --json", &out)
		if err != nil {
			return err
		}
		steps = append(steps, shown{"ambertray " + step.command, out.Bytes()})
	}
	return a.show(map[string]any{"steps": steps}, nil)
}

// step runs one command of the story as the program itself would.
func (a *app) step(words, command string, out io.Writer) error {
	wanted := []int{exitDone, exitRejects}
	if words == spoilWords {
		err := spoil(context.Background())
		if err != nil {
			return err
		}
		wanted = []int{exitDiffers}
	}
	if strings.HasPrefix(command, "mend ") {
		err := correct(filepath.Join("loans.tray", "loads", "0001", reject.FileName))
		if err != nil {
			return err
		}
	}
	b := &app{out: out, err: a.err, print: term.NewPrinter(out), from: a.from}
	status := b.run(strings.Fields(command))
	if !slices.Contains(wanted, status) {
		return fmt.Errorf("the demo failed at %q with exit status %d", command, status)
	}
	return nil
}

package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/demo"
)

// museum makes a folder with the museum's files, and a table loaded from one of them.
func museum(t *testing.T) {
	t.Chdir(t.TempDir())
	t.Setenv("AMBERTRAY_TO", "")
	for _, name := range []string{"loans.csv", "loans-2026.xlsx"} {
		text, err := demo.Files.ReadFile(name)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(name, text, 0o600))
	}
	require.Equal(t, exitRejects, Main([]string{"load", "loans.csv", "--to", "museum.db", "--quiet"}, &bytes.Buffer{}, &bytes.Buffer{}))
}

// TestCompletion suggests what may stand at each place.
func TestCompletion(t *testing.T) {
	museum(t)
	require.NoError(t, os.MkdirAll("ambertray", 0o700))
	here, err := os.Getwd()
	require.NoError(t, err)
	t.Setenv("XDG_CONFIG_HOME", here)
	require.NoError(t, os.WriteFile("ambertray/targets.yaml", []byte("gallery: postgres://curator@db.example/museum\n"), 0o600))
	for line, want := range map[string]string{
		"load --to ":                                   "gallery museum.db",
		"load --to m":                                  "museum.db",
		"load loans-2026.xlsx --sheet 2026-0":          "2026-01 2026-02 2026-03 2026-04 2026-05",
		"check loans.csv --change l":                   "loan_no. lent_on.",
		"check loans.csv --change lent_on.t":           "lent_on.thousands= lent_on.trim= lent_on.true_words= lent_on.type=",
		"check loans.csv --change lent_on.type=t":      "lent_on.type=time lent_on.type=timestamp lent_on.type=timestamp with time zone lent_on.type=text",
		"check loans.csv --change k":                   "key=",
		"draft loans.csv --explain d":                  "due_back",
		"export --from museum.db ":                     "ambertray_ledger loans",
		"history --to museum.db --table l":             "loans",
		"mend ":                                        "loans.tray",
		"help ty":                                      "types\tColumn types and how they are chosen",
		"ddl --dialect s":                              "sqlite sqlserver",
		"load loans.csv --existing ":                   "refuse append empty rebuild merge",
		"load loans.csv --verify ":                     "rows counts",
		"load loans.csv --delimiter t":                 "tab",
		"load loans.csv --progress p":                  "plain",
		"tighten --to museum.db l":                     "loans",
		"survey --from museum.db l":                    "loans",
		"export --from postgres://x@127.0.0.1:1/x -- ": "",
	} {
		var out bytes.Buffer
		words := strings.Split(line, " ")
		require.Equal(t, exitDone, Main(append([]string{"__complete"}, words...), &out, &bytes.Buffer{}), line)
		lines := strings.Split(strings.TrimSpace(out.String()), "\n")
		require.Equal(t, want, strings.Join(lines[:len(lines)-1], " "), line)
	}
	var out bytes.Buffer
	require.Equal(t, exitDone, Main([]string{"__complete", "undo", "--to", "museum.db", ""}, &out, &bytes.Buffer{}))
	require.Regexp(t, `^\d{8}-\d{6}-[0-9a-f]{8}\tloans, loans.csv\n`, out.String())
	for _, shell := range []string{"bash", "zsh", "fish", "powershell"} {
		out.Reset()
		require.Equal(t, exitDone, Main([]string{"completion", shell}, &out, &bytes.Buffer{}))
		require.Contains(t, out.String(), "__complete")
	}
}

// TestManual writes a page for every command.
func TestManual(t *testing.T) {
	dir := t.TempDir()
	require.Equal(t, exitDone, Main([]string{"manual", dir}, &bytes.Buffer{}, &bytes.Buffer{}))
	a := &app{}
	for _, c := range a.newRoot().Commands() {
		if !c.IsAvailableCommand() {
			continue
		}
		page, err := os.ReadFile(filepath.Join(dir, "ambertray-"+c.Name()+".1"))
		require.NoError(t, err)
		require.Contains(t, string(page), c.Short)
	}
}

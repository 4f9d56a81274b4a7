package main_test

import (
	"flag"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"ambertray/demo"

	"github.com/stretchr/testify/require"
)

// update writes the golden files again: go test ./cmd/ambertray -run Golden -update
var update = flag.Bool("update", false, "write the golden files")

// varying is what differs from run to run, and what stands for it.
var varying = []struct {
	what *regexp.Regexp
	with string
}{
	{regexp.MustCompile(`\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?Z`), "2026-01-01T00:00:00Z"},
	{regexp.MustCompile(`\d{4}-\d\d-\d\d \d\d:\d\d:\d\d UTC`), "2026-01-01 00:00:00 UTC"},
	{regexp.MustCompile(`\d{4}-\d\d-\d\d \d\d:\d\d  `), "2026-01-01 00:00  "}, // in a table of loads
	{regexp.MustCompile(`\(go[\d.]+\)`), "(go)"},
	{regexp.MustCompile(`\d{8}-\d{6}-[0-9a-f]{8}`), "20260101-000000-00000000"},
	{regexp.MustCompile(`("(?:seconds|rows_per_second)": )[\d.e+-]+`), "${1}0"},
	{regexp.MustCompile(` *\b\d+(\.\d+)? (ms|s)\b`), " 0 ms"}, // as wide as it may be in a table
	{regexp.MustCompile(` +time `), " time "},
	{regexp.MustCompile(`("(?:version|go|revision|server)": )"[^"]*"`), `$1""`},
	{regexp.MustCompile(`(\.html, )[\d.]+ kB`), "${1}0 kB"}, // with how long a load took
	{regexp.MustCompile(`SQLite \d[\d.]*`), "SQLite"},
}

// golden compares an output with a golden file.
func (d *desk) golden(name, text string) {
	d.Helper()
	for _, v := range varying {
		text = v.what.ReplaceAllString(text, v.with)
	}
	text = strings.ReplaceAll(text, d.dir, "FOLDER")
	path := filepath.Join("testdata", name)
	if *update {
		require.NoError(d, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(d, os.WriteFile(path, []byte(text), 0o644))
	}
	want, err := os.ReadFile(path)
	require.NoError(d, err, "write it with: go test ./cmd/ambertray -run Golden -update")
	require.Equal(d, string(want), text, "%s differs; if it should: go test ./cmd/ambertray -run Golden -update", path)
}

// TestGoldenHelp holds the help of every command.
func TestGoldenHelp(t *testing.T) {
	d := newDesk(t)
	for _, command := range []string{"", "survey", "draft", "ddl", "check", "load", "verify", "export", "rejects", "mend", "undo", "history", "targets", "targets test", "review", "report", "tighten", "handover", "demo", "version"} {
		out, _ := d.run(0, append(strings.Fields(command), "--help")...)
		d.golden("help/"+strings.ReplaceAll("ambertray "+command, " ", "-")+".txt", out)
	}
}

// goldenRuns are commands whose JSON is held, in the order in which they are run.
var goldenRuns = []struct {
	name    string
	status  int
	command string
}{
	{"survey", 0, "survey loans.csv"},
	{"survey-two", 0, "survey loans.csv specimens.csv --sample 5"},
	{"report-unloaded", 0, "report loans.csv --out unloaded.html"},
	{"draft", 0, "draft loans.csv"},
	{"draft-explain", 0, "draft loans.csv --explain due_back"},
	{"draft-again", 0, "draft loans.csv"},
	{"ddl", 0, "ddl loans.tray --dialect postgresql"},
	{"check", 3, "check loans.tray"},
	{"check-target", 3, "check loans.tray --to museum.db"},
	{"load", 3, "load loans.tray --to museum.db"},
	{"load-again", 5, "load loans.tray --to museum.db"},
	{"check-keys", 5, "check loans.tray loans.csv --to museum.db"},
	{"draft-match", 0, "draft charges.csv --to museum.db --table loans"},
	{"rejects", 0, "rejects loans.tray"},
	{"mend", 3, "mend loans.tray --to museum.db"},
	{"verify", 0, "verify loans.tray --to museum.db"},
	{"export", 0, "export loans --from museum.db --out again.csv"},
	{"verify-differs", 4, "verify loans.tray --to museum.db"},
	{"load-appended", 3, "load loans.tray --to museum.db --existing append --again"},
	{"load-merged", 3, "load loans.tray --to museum.db --existing merge"},
	{"load-differs", 4, "load visits.csv --to museum.db --existing append"},
	{"draft-edited", 0, "draft loans.csv"},
	{"handover", 3, "handover loans.csv --dialect mysql --out for-harrow"},
	{"survey-titles", 0, "survey localities.txt"},
	{"survey-pairs", 0, "survey reports.tsv"},
	{"draft-drift", 0, "draft part-*.csv --drift fill"},
	{"survey-sheets", 0, "survey loans-2026.xlsx --sheet 2026-01"},
	{"survey-each", 0, "survey rooms.csv finds.csv --each"},
	{"load-each", 0, "load rooms.csv finds.csv --each --to each.db"},
	{"check-refused", 1, "check rooms.csv --to each.db --existing refuse"},
	{"check-merge", 0, "check rooms.csv --to each.db --existing merge"},
	{"check-foreign", 3, "check drawers.csv --to museum.db --table drawer --existing append"},
	{"check-loading", 3, "check drawers.csv --to museum.db --table drawer --existing append --by-loading"},
	{"rejects-none", 0, "rejects rooms.tray"},
	{"load-each-again", 1, "load rooms.csv labels.csv open.csv visits-2.csv --each --to each.db --allow-rejects 0"},
	{"load-total", 0, "load fees.csv --to each.db"},
	{"verify-total", 0, "verify fees.tray --to each.db"},
	{"load-twice", 0, "load fees.csv --to each.db --again"},
	{"verify-copies", 0, "verify fees.tray --to each.db"},
	{"survey-quotes", 0, "survey labels.csv"},
	{"survey-odd", 0, "survey odd.csv"},
	{"survey-many", 0, "survey marks.csv"},
	{"check-page", 0, "check page.html"},
	{"check-many", 0, "check marks.csv --fill-short --skip-spaces=false"},
	{"report", 0, "report rooms.csv"},
	{"report-loaded", 0, "report rooms.tray --to each.db --replace"},
	{"undo", 0, "undo LOAD --to each.db"},
	{"tighten", 0, "tighten finds --to each.db"},
	{"tighten-obstacle", 0, "tighten notes --to museum.db"},
	{"survey-table", 0, "survey finds --from each.db"},
	{"history", 0, "history --to museum.db"},
	{"targets", 0, "targets"},
	{"targets-test", 0, "targets test museum.db"},
	{"version", 0, "version"},
	{"error-file", 1, "survey missing.csv"},
	{"error-usage", 2, "load loans.csv"},
	{"error-option", 2, "survey loans.csv --delimeter ,"},
	{"error-tray", 1, "load broken.tray --to museum.db"},
}

// TestGoldenJSON holds the JSON of every command and of errors.
func TestGoldenJSON(t *testing.T) { goldenDesk(t, "json", "--json") }

// TestGoldenText holds what a person reads of the same.
func TestGoldenText(t *testing.T) { goldenDesk(t, "txt") }

// goldenDesk runs the commands of the golden files with more options.
func goldenDesk(t *testing.T, form string, options ...string) {
	d := newDesk(t)
	t.Setenv("XDG_CONFIG_HOME", d.dir)
	d.write("ambertray/targets.yaml", "museum: postgres://curator@127.0.0.1:1/museum\n")
	d.write("broken.tray/tray.yaml", "tray: 1\nsource: {files: [loans.csv]}\ntable: {name: loan, existing: apend}\n")
	for _, name := range []string{"localities.txt", "reports.tsv", "loans-2026.xlsx"} {
		text, err := demo.Files.ReadFile(name)
		require.NoError(t, err)
		d.write(name, string(text))
	}
	d.write("rooms.csv", "code,name\nR1,north\nR2,south\nR3,east\n")
	d.write("finds.csv", "no,room\n1,R1\n2,R2\n3,R3\n4,R1\n")
	d.write("labels.csv", "\ufeffno;label\n1;'a; b'\n2;'it''s'\n3;'c;\n d'\n")
	d.write("open.csv", "no,name\n1,ant\n2,\"bee\n")
	d.write("visits-2.csv", "no,day\n1,2026-01-05\n2,2026-02-31\n"+strings.Repeat("3,2026-01-06\n", 200))
	d.write("fees.csv", "day,fee\n2026-01-05,12.50\n2026-01-05,7.50\nTotal,21.00\n")
	d.write("odd.csv", "Taken over on 5 May\n\nno,,name,name,When\n1,,ant,x,05/06/2026\n2,,bee,x,05/07/2026,9\n3,,cat,x,05/08/2026\n4,,\"d\"og,n/a,05/09/2026\n\n5,,elk\n")
	d.write("page.html", "<table><tr><th>no<th>name<th>mass<tr><td>1<td>ant<td>2<tr><td>2<td>bee</table>")
	d.write("marks.csv", "no,mass,mark\n"+strings.Repeat("1,2.5,\"an \"a\" in ink\"\n", 30)+strings.Repeat("2,N/A,x\n3,?,x\n4,-,x\n5,n/a\n6,-,x\n", 4)+strings.Repeat("7,3.5,x\n", 60))
	d.write("charges.csv", "Loan No,Borrowed By,Charge,Colour\n02001,Harrow College,12.50,amber\n")
	d.write("part-1.csv", "no,name,paid on\n1,ant,2026-01-01\n2,bee,2026-01-02\n")
	d.write("part-2.csv", "name,no,paid_on,fee\nfly,3,lost,2.5\nowl,4,2026-01-04,3\n")
	before := map[string]func(){
		"mend": func() {
			file := "loans.tray/loads/0001/rejects.csv"
			d.write(file, strings.ReplaceAll(d.read(file), "31/02/2026,", "28/02/2026,"))
		},
		"verify-differs": func() {
			d.write("spoil.sql", "UPDATE loans SET borrower = 'nobody' WHERE loan_no = '00311'")
			d.script("spoil.sql")
		},
		"tighten-obstacle": func() {
			d.write("notes.sql", "CREATE TABLE notes (no integer, seen text); INSERT INTO notes VALUES (1, '2026-01-05'), (2, '2026-01-06'), (3, 'soon'), (4, '2026-01-07'), (5, '2026-01-08')")
			d.script("notes.sql")
		},
		"check-foreign": func() {
			d.write("drawers.csv", "no,cabinet,below\n5,1,\n6,9,5\n")
			d.write("drawers.sql", "CREATE TABLE cabinet (no integer PRIMARY KEY); INSERT INTO cabinet VALUES (1);"+
				"CREATE TABLE drawer (no integer PRIMARY KEY, cabinet integer REFERENCES cabinet (no), below integer REFERENCES drawer (no))")
			d.script("drawers.sql")
		},
		"load-differs": func() {
			d.write("visits.csv", "no,name\n1,ant\n2,bee\nTotal: 2 records,\n")
			d.write("lose.sql", "CREATE TABLE visits (no integer, name text);"+
				"CREATE TRIGGER lose AFTER INSERT ON visits WHEN new.no = 2 BEGIN DELETE FROM visits WHERE no = 2; END")
			d.script("lose.sql")
		},
		"draft-edited": func() {
			file := "loans.tray/tray.yaml"
			d.write(file, strings.Replace(d.read(file), "name: due_back", "name: due", 1))
		},
	}
	for _, r := range goldenRuns {
		do := before[r.name]
		if do != nil {
			do()
		}
		if strings.Contains(r.command, "LOAD") {
			loads := d.json(0, "history", "--to", "each.db", "--table", "rooms")["loads"].([]any)
			r.command = strings.Replace(r.command, "LOAD", loads[0].(map[string]any)["id"].(string), 1)
		}
		out, errOut := d.run(r.status, append(strings.Fields(r.command), options...)...)
		d.golden(form+"/"+r.name+"."+form, out+errOut)
		d.follow(out)
	}
}

// suggestion finds the commands that an output says to type next.
var suggestion = regexp.MustCompile(`(?m)^  (?:.*: {2}|.*\. {2}| *)(ambertray [a-z].*)$`)

// follow runs what an output suggests, in a copy of the desk: what is suggested is understood, and
// can be done.
func (d *desk) follow(text string) {
	d.Helper()
	for _, m := range suggestion.FindAllStringSubmatch(text, -1) {
		command := strings.ReplaceAll(m[1], " TARGET", " museum.db")
		if strings.Contains(command, " FILE") || strings.Contains(command, " --help ") || strings.Contains(m[0], "Give the missing columns") {
			continue
		}
		dir := filepath.Join(d.TempDir(), "copy")
		require.NoError(d, os.CopyFS(dir, os.DirFS(d.dir)))
		c := exec.Command("sh", "-c", command)
		c.Dir, c.Env = dir, append(os.Environ(), "PATH="+filepath.Dir(program)+":"+os.Getenv("PATH"))
		out, _ := c.CombinedOutput()
		require.Contains(d, []int{0, 3, 4, 5, 7}, c.ProcessState.ExitCode(), "%s\n%s", command, out)
	}
}

// documentedKey finds keys in docs/json.md, jsonKey in JSON.
var (
	documentedKey = regexp.MustCompile(`"([a-z_0-9]+)"`)
	jsonKey       = regexp.MustCompile(`"([A-Za-z_0-9]+)": `)
)

// TestDocumentedKeys wants every key of the golden files in docs/json.md, and every
// key that is documented there in a golden file or in the program.
func TestDocumentedKeys(t *testing.T) {
	docs, err := os.ReadFile(filepath.Join("..", "..", "docs", "json.md"))
	require.NoError(t, err)
	documented := map[string]bool{}
	for _, m := range documentedKey.FindAllStringSubmatch(string(docs), -1) {
		documented[m[1]] = true
	}
	files, err := filepath.Glob(filepath.Join("testdata", "json", "*.json"))
	require.NoError(t, err)
	var missing []string
	found := map[string]bool{}
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		for _, m := range jsonKey.FindAllStringSubmatch(string(text), -1) {
			found[m[1]] = true
			if !documented[m[1]] && !slices.Contains(missing, m[1]) {
				missing = append(missing, m[1])
			}
		}
	}
	require.Empty(t, missing, "docs/json.md lacks these keys")
	var gone []string
	for key := range documented {
		if !found[key] {
			gone = append(gone, key)
		}
	}
	slices.Sort(gone)
	require.Equal(t, rareKeys, gone, "docs/json.md has these keys, and no golden file does")
}

// rareKeys are those of outputs that no golden run has.
var rareKeys = []string{"command", "first_record", "last_record", "loader", "loaders", "own", "proved_at", "share", "steps"} // of the demo, which TestJSONKeys runs, and of shared loads, which TestShared runs

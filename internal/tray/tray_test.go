package tray_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

func write(t *testing.T, text string) string {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "loans.tray")
	require.NoError(t, os.Mkdir(dir, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "tray.yaml"), []byte(text), 0o600))
	return dir
}

// TestRoundTrip reads what was written, notes and all.
func TestRoundTrip(t *testing.T) {
	want := &tray.Tray{
		Dir: filepath.Join(t.TempDir(), "loans.tray"), Files: []string{"loans, 2026.csv"},
		Layout: source.DefaultLayout(),
		Table: table.Table{Name: "loan", Key: []string{"loan_no"}, Columns: []table.Column{
			{From: "Loan: No #", Name: "loan_no", Type: table.Type{Kind: table.Char, Size: 5}},
			{From: "true", Name: "mass", Type: table.Type{Kind: table.Decimal, Size: 7, Scale: 2}, Nullable: true, Thousands: ",", Decimal: ".", NullWords: []string{"n/a", "-"}},
			{From: "12", Name: "due", Type: table.Type{Kind: table.Date}, Nullable: true, Format: "dd/MM/yyyy"},
			{From: "- x", Nullable: true, LeaveOut: true},
		}},
	}
	for _, told := range [][2]string{
		{"encoding", "windows-1252"}, {"delimiter", "\t"}, {"quote", "none"}, {"escape", "backslash"}, {"skip_spaces", "true"}, {"line_end", "cr"},
		{"comment", "#"}, {"ruler", "true"}, {"header", "3"}, {"footer", "2"}, {"fill_short", "true"},
	} {
		require.NoError(t, want.Layout.Set(told[0], told[1]))
	}
	noted := *want
	noted.Notes = map[string][]string{"loan_no": {"a code: not a number # really", "above"}, "key": {"no two alike"}}
	require.NoError(t, noted.Write())
	got, err := tray.Read(want.Dir)
	require.NoError(t, err)
	require.Equal(t, want, got)
	text, err := os.ReadFile(filepath.Join(want.Dir, "tray.yaml"))
	require.NoError(t, err)
	require.Contains(t, string(text), "    # above\n    type: char(5) # a code: not a number # really\n")
}

const head = "tray: 1\nsource:\n  files: [a.csv]\ntable:\n  name: loan\n"

// TestMistakes wants the place and the way out of each mistake.
func TestMistakes(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"empty":            {"", "tray.yaml:1:1: the tray is empty"},
		"unknown key":      {head + "  kee: [a]\ncolumns:\n  - {from: A, name: a, type: text}\n", `tray.yaml:6:3: unknown key "kee"; did you mean "key"?`},
		"missing key":      {"tray: 1\nsource:\n  files: [a.csv]\n", `tray.yaml:1:1: key "table" is missing`},
		"repeated key":     {head + "  name: x\n", `6:3: key "name" occurs twice`},
		"version":          {"tray: 9\n", `1:7: "9" is not understood here; write 1`},
		"type":             {head + "columns:\n  - from: A\n    name: a\n    type: integr\n", `tray.yaml:9:11: column a: unknown type "integr"`},
		"type parameters":  {head + "columns:\n  - {from: A, name: a, type: 'decimal(2,5)'}\n", "write decimal(p,s)"},
		"format":           {head + "columns:\n  - {from: A, name: a, type: date, format: DD.MM.YYYY}\n", `"DD.MM.YYYY" is no pattern`},
		"format of text":   {head + "columns:\n  - {from: A, name: a, type: text, format: yyyy}\n", "only dates and times have a format"},
		"key column":       {head + "  key: [loan_nr]\ncolumns:\n  - {from: A, name: loan_no, type: text}\n", `6:9: key: there is no column "loan_nr"; did you mean "loan_no"?`},
		"same name":        {head + "columns:\n  - {from: A, name: a, type: text}\n  - {from: B, name: A, type: text}\n", "8:21: two columns are called A"},
		"no type":          {head + "columns:\n  - {from: A, name: a}\n", `7:5: column "A": it needs a name and a type`},
		"all left out":     {head + "columns:\n  - {from: A, leave_out: true}\n", "every column is left out"},
		"existing":         {head + "  existing: smash\n", `"smash" is not understood here; write refuse`},
		"header":           {"tray: 1\nsource:\n  files: [a]\n  header: first\n", `4:11: header "first": write the number of its line, or none`},
		"not a mapping":    {"tray: 1\nsource: a.csv\n", "2:9: write keys and values here"},
		"not a truth":      {head + "columns:\n  - {from: A, nullable: perhaps}\n", "7:25: write true or false"},
		"not YAML":         {"tray: [", "tray.yaml: yaml:"},
		"columns no list":  {head + "columns: all\n", "6:10: columns: write a list"},
		"files no list":    {"tray: 1\nsource:\n  files: {a: b}\n", "3:10: write a list here"},
		"decimal sign":     {head + "columns:\n  - {from: A, name: a, type: double, decimal: x}\n", `"x" is not understood here; write , or .`},
		"scalar is a list": {head + "columns:\n  - {from: [A], name: a}\n", "7:12: write a single value here"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := tray.Read(write(t, c.text))
			require.ErrorContains(t, err, c.want)
		})
	}
}

func TestLoads(t *testing.T) {
	tr := &tray.Tray{Dir: filepath.Join(t.TempDir(), "a.tray"), Files: []string{"x.csv", "/y.csv"}}
	_, _, err := tr.LastLoad()
	require.ErrorIs(t, err, os.ErrNotExist)
	for _, want := range []string{"0001", "0002"} {
		id, dir, err := tr.NewLoad()
		require.NoError(t, err)
		require.Equal(t, want, id)
		require.DirExists(t, dir)
	}
	id, _, err := tr.LastLoad()
	require.NoError(t, err)
	require.Equal(t, "0002", id)
	require.Equal(t, []string{filepath.Join(filepath.Dir(tr.Dir), "x.csv"), "/y.csv"}, tr.Paths())
}

package tray_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/tray"
)

const changePlan = `# mine
tray: 1
source:
  files: [loans.csv]
table:
  name: loan
  key: [loan_no] # why
  indexes: [[due, loan_no]]
columns:
  - from: Loan No
    name: loan_no
    type: integer # evidence
    thousands: "."
    decimal: ","
  - from: Due Back
    name: due
    type: date
    format: dd.MM.yyyy
`

// TestChange changes a plan, and leaves alone what else a person has written.
func TestChange(t *testing.T) {
	for _, c := range []struct {
		changes string // by |
		want    []string
		gone    string
	}{
		{"loan_no.type=bigint", []string{"type: bigint # evidence", "# mine", "thousands: \".\""}, "integer"},
		{"loan_no.type=text", []string{"type: text # evidence"}, "thousands"},
		{"due.type=text", []string{"type: text"}, "format"},
		{"Loan No.name=number", []string{"key: [number] # why", "indexes: [[due, number]]"}, "loan_no"},
		{"LOAN NO.name=number|number.type=smallint", []string{"name: number", "type: smallint"}, "integer"},
		{"due.format=", []string{"type: date"}, "format"},
		{"due.null_words=none, n/a", []string{"null_words: [none, n/a]"}, ""},
		{`due.null_words=["a,b", c]`, []string{`null_words: ["a,b", c]`}, ""},
		{"due.leave_out=true|indexes=", []string{"leave_out: true"}, "indexes"},
		{`loan_no.type=text|loan_no.default=""`, []string{`default: ""`}, ""},
		{"loan_no.default=0", []string{"default: 0"}, ""},
		{"key=loan_no,due", []string{"key: [loan_no, due] # why"}, ""},
		{"key=", nil, "key"},
		{"existing=append|allow_rejects=1%", []string{"existing: append", "allow_rejects: 1%"}, ""},
		{"batch.value={load}", []string{"value: '{load}'", "name: batch", "type: varchar(24)"}, ""},
		{"place.value={file} {line}|place.type=varchar(40)", []string{"value: '{file} {line}'", "type: varchar(40)"}, "type: text"},
	} {
		dir := filepath.Join(t.TempDir(), "loans.tray")
		require.NoError(t, os.MkdirAll(dir, 0o700))
		file := filepath.Join(dir, "tray.yaml")
		require.NoError(t, os.WriteFile(file, []byte(changePlan), 0o600))
		var list []tray.Change
		for _, text := range strings.Split(c.changes, "|") {
			parsed, err := tray.ParseChange(text)
			require.NoError(t, err)
			list = append(list, parsed)
		}
		changed, err := tray.Rewrite(dir, list)
		require.NoError(t, err, c.changes)
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		for _, want := range c.want {
			require.Contains(t, string(text), want, c.changes)
		}
		if c.gone != "" {
			require.NotContains(t, string(text), c.gone, c.changes)
		}
		read, err := tray.Read(dir)
		require.NoError(t, err)
		require.Equal(t, read.Table, changed.Table, c.changes)
		twice, err := tray.Rewrite(dir, list[len(list)-1:])
		require.NoError(t, err)
		require.Equal(t, read.Table, twice.Table, "a change that is made again changes nothing")
	}
}

// TestChangeRefused names the change that is wrong, and writes nothing.
func TestChangeRefused(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "loans.tray")
	require.NoError(t, os.MkdirAll(dir, 0o700))
	file := filepath.Join(dir, "tray.yaml")
	require.NoError(t, os.WriteFile(file, []byte(changePlan), 0o600))
	for changes, want := range map[string]string{
		"due.type=dat":                    `due.type=dat: column due: unknown type "dat"; the types are`,
		"dew.type=date":                   `dew.type=date: no column "dew"; did you mean "due"?`,
		"due.typ=date":                    `due.typ=date: unknown key "typ"; did you mean "type"?`,
		"kye=due":                         `kye=due: unknown key "kye"; did you mean "key"?`,
		"key=dew":                         `key=dew: key: no column "dew"; did you mean "due"?`,
		"due.nullable=perhaps":            "due.nullable=perhaps: write true or false",
		"due.name=loan_no":                "due.name=loan_no: two columns are named loan_no",
		"loan_no.name=no|due.type=dat|x=": "due.type=dat: column due",
		"loan_no.format=dd":               "loan_no.format=dd: column loan_no: only dates and times have a format",
		`loan_no.default=""`:              `loan_no.default="": column loan_no: default "": not a value of integer`,
		"due.name=":                       "due.name=: column \"Due Back\": needs a name",
		"due.value={lod}":                 "due.value={lod}: a column has either from",
		"x.value={lod}":                   "x.value={lod}: column x: value: unknown reference {lod}",
	} {
		var list []tray.Change
		for _, text := range strings.Split(changes, "|") {
			parsed, err := tray.ParseChange(text)
			require.NoError(t, err)
			list = append(list, parsed)
		}
		_, err := tray.Rewrite(dir, list)
		require.ErrorContains(t, err, want)
		var change *tray.ChangeError
		require.ErrorAs(t, err, &change)
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		require.Equal(t, changePlan, string(text))
	}
	for _, text := range []string{"due", "=date", "due.=date"} {
		_, err := tray.ParseChange(text)
		require.ErrorContains(t, err, "write COLUMN.KEY=VALUE")
	}
}

package tray_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/tray"
)

const edited = `tray: 1
source: {files: [loans.csv]}
table:
  name: loan
  key: [no] # which nobody may change
columns:
  - {from: No, name: no, type: integer} # the number
  - {from: Name, name: name, type: text}
  - {from: Day, name: day, type: date}
`

// TestEdit changes a plan step by step, takes steps back, and never writes over what
// another program has written.
func TestEdit(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "loans.tray")
	file := filepath.Join(dir, "tray.yaml")
	require.NoError(t, os.MkdirAll(dir, 0o700))
	write := func(text string) { require.NoError(t, os.WriteFile(file, []byte(text), 0o600)) }
	write(edited)
	e, err := tray.OpenEdit(dir)
	require.NoError(t, err)
	set := func(column, key, value string) error {
		return e.Do(tray.Step{Changes: []tray.Change{{Column: column, Key: key, Value: value, Text: key + " " + value}}})
	}
	names := func() string {
		var list []string
		for _, c := range e.Tray().Table.Columns {
			list = append(list, c.Name+" "+c.Type.String())
		}
		return strings.Join(list, ", ")
	}
	require.False(t, e.Changed())
	require.NoError(t, set("name", "type", "varchar(9)"))
	require.NoError(t, set("no", "name", "loan_no"))
	require.NoError(t, e.Do(tray.Step{Column: "loan_no", By: 2}))
	require.Equal(t, "name varchar(9), day date, loan_no integer", names())
	require.Equal(t, []string{"loan_no"}, e.Tray().Table.Key)
	require.ErrorContains(t, e.Do(tray.Step{Column: "loan_no", By: 1}), "cannot be moved any further")
	require.ErrorContains(t, set("name", "type", "integre"), "did you mean \"integer\"")
	require.Equal(t, "name varchar(9), day date, loan_no integer", names(), "what is not possible changes nothing")
	require.True(t, e.Undo())
	require.Equal(t, "loan_no integer, name varchar(9), day date", names())
	require.NoError(t, e.Save())
	require.False(t, e.Changed())
	require.False(t, e.Undo())
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	for _, kept := range []string{"# which nobody may change", "# the number", "varchar(9)"} {
		require.Contains(t, string(text), kept)
	}

	require.NoError(t, set("day", "type", "text"))
	write(edited)
	require.ErrorIs(t, e.Save(), tray.ErrChangedBeside)
	text, err = os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, edited, string(text))
	require.NoError(t, os.Remove(file))
	require.ErrorIs(t, e.Save(), os.ErrNotExist)

	read, err := tray.OpenEdit(mustWrite(t, edited))
	require.NoError(t, err)
	draft := read.Tray()
	draft.Dir = dir
	e, err = tray.EditDraft(draft)
	require.NoError(t, err)
	require.NoError(t, set("name", "type", "char(3)"))
	require.NoError(t, set("day", "nullable", "true"))
	again, err := tray.OpenEdit(mustWrite(t, strings.Replace(edited, "name: name", "name: title", 1)))
	require.NoError(t, err)
	next := again.Tray()
	next.Dir = dir
	lost, err := e.Rebase(next)
	require.NoError(t, err)
	require.Zero(t, lost, "a column is known by its heading too")
	require.Equal(t, "no integer, title char(3), day date", names())
	require.NoError(t, e.Save())
	require.False(t, e.IsDraft())
	back, err := tray.Read(dir)
	require.NoError(t, err)
	require.Equal(t, "char(3)", back.Table.Column("title").Type.String())
}

// mustWrite writes a plan into a folder of its own.
func mustWrite(t *testing.T, text string) string {
	dir := filepath.Join(t.TempDir(), "other.tray")
	require.NoError(t, os.MkdirAll(dir, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "tray.yaml"), []byte(text), 0o600))
	return dir
}

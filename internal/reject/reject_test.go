package reject_test

import (
	"encoding/csv"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/reject"
)

// TestWriter keeps each record whole: by its cells where they fit the headings,
// as it stands where they do not.
func TestWriter(t *testing.T) {
	path := filepath.Join(t.TempDir(), reject.FileName)
	w := reject.Writer{Path: path, Headings: []string{"No", "Name"}, Sources: []string{"jan.csv", "feb.csv"}}
	require.NoError(t, w.Close())
	require.NoFileExists(t, path, "without a reject there is no file")

	require.NoError(t, w.Write(reject.Reject{
		Record: 3, Line: 4, Column: "no", Value: "x", Reason: "not a number", More: []string{`name "": no value`},
		Cells: []string{"x", "say \"hi\",\nnow"}, Text: "never used",
	}))
	require.NoError(t, w.Write(reject.Reject{Record: 4, Line: 6, Column: "no", Value: "=1+1", Reason: "not a number", Cells: []string{"=1+1", "-5,5"}}))
	require.NoError(t, w.Write(reject.Reject{Part: 1, Record: 9, Line: 12, Reason: "3 cells, not 2", Text: "a,\"b\",c"}))
	require.NoError(t, w.Close())
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(string(text))).ReadAll()
	require.NoError(t, err)
	require.Equal(t, [][]string{
		{"source", "record", "line", "column", "value", "reason", "No", "Name", "original"},
		{"jan.csv", "3", "4", "no", "x", `not a number; name "": no value`, "x", "say \"hi\",\nnow", ""},
		{"jan.csv", "4", "6", "no", "'=1+1", "not a number", "'=1+1", "-5,5", ""},
		{"feb.csv", "9", "12", "", "", "3 cells, not 2", "", "", "a,\"b\",c"},
	}, rows)

	full := reject.Writer{Path: filepath.Join(t.TempDir(), "none", reject.FileName)}
	require.ErrorIs(t, full.Write(reject.Reject{}), os.ErrNotExist)
}

// TestMark gives every cell back, and none that a spreadsheet program runs.
func TestMark(t *testing.T) {
	for cell, want := range map[string]string{
		"": "", "ant": "ant", "=A1": "'=A1", "+cmd|' /C calc'!A0": "'+cmd|' /C calc'!A0", "-5": "-5", "-1,234.50": "-1,234.50", "-": "'-", "-a": "'-a", "--5": "'--5",
		"@x": "'@x", "'": "''", "'=1": "''=1", "\tx": "'\tx", "it's": "it's", "+44 123": "'+44 123", "-5e": "'-5e",
	} {
		marked := reject.Mark([]string{cell})[0]
		require.Equal(t, want, marked)
		require.Equal(t, cell, reject.Unmark(marked))
	}
}

// TestSummary puts the largest group first, with the first example of each.
func TestSummary(t *testing.T) {
	var s reject.Summary
	require.Empty(t, s.Groups())
	for i, column := range []string{"b", "a", "a", "c", "a"} {
		s.Add(column, "no such date", column, int64(i+2))
	}
	require.Equal(t, []reject.Group{
		{Column: "a", Reason: "no such date", Count: 3, Example: "a", Line: 3},
		{Column: "b", Reason: "no such date", Count: 1, Example: "b", Line: 2},
		{Column: "c", Reason: "no such date", Count: 1, Example: "c", Line: 5},
	}, s.Groups())
	require.Equal(t, int64(5), s.Total())
}

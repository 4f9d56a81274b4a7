package reject_test

import (
	"encoding/csv"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/convert"
	"ambertray/internal/reject"
)

// TestWriter keeps each record whole: by its cells where they fit the headings,
// as it stands where they do not.
func TestWriter(t *testing.T) {
	path := filepath.Join(t.TempDir(), reject.FileName)
	w := reject.Writer{Path: path, Headings: []string{"No", "Name"}, Sources: []string{"jan.csv", "feb.csv"}}
	require.NoError(t, w.Close())
	require.NoFileExists(t, path, "without a reject there is no file")

	require.NoError(t, w.Write(convert.Reject{
		Record: 3, Line: 4, Column: "no", Value: "x", Reason: "not a number", More: []string{`name "": no value`},
		Cells: []string{"x", "say \"hi\",\nnow"}, Text: "never used",
	}))
	require.NoError(t, w.Write(convert.Reject{Part: 1, Record: 9, Line: 12, Reason: "3 cells, not 2", Text: "a,\"b\",c"}))
	require.NoError(t, w.Close())
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(string(text))).ReadAll()
	require.NoError(t, err)
	require.Equal(t, [][]string{
		{"source", "record", "line", "column", "value", "reason", "No", "Name", "original"},
		{"jan.csv", "3", "4", "no", "x", `not a number; name "": no value`, "x", "say \"hi\",\nnow", ""},
		{"feb.csv", "9", "12", "", "", "3 cells, not 2", "", "", "a,\"b\",c"},
	}, rows)

	full := reject.Writer{Path: filepath.Join(t.TempDir(), "none", reject.FileName)}
	require.ErrorIs(t, full.Write(convert.Reject{}), os.ErrNotExist)
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

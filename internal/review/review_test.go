package review_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/dialect"
	"ambertray/internal/review"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// open reviews a source of its own.
func open(t *testing.T, text string) *review.Session {
	dir := t.TempDir()
	file := filepath.Join(dir, "finds.csv")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	s, err := review.Open(context.Background(), &source.Opener{}, review.Options{Names: []string{file}, Dir: filepath.Join(dir, "finds.tray"), Dialect: dialect.PostgreSQL})
	require.NoError(t, err)
	return s
}

func column(s *review.Session, name string) *table.Column {
	columns := s.Tray().Table.Columns
	for i := range columns {
		if review.ID(&columns[i]) == name {
			return &columns[i]
		}
	}
	return nil
}

// TestSession changes a plan and sees it on the rows, and takes the whole source in when
// it has been read.
func TestSession(t *testing.T) {
	ctx := context.Background()
	text := "No,Found,Mass,Spare\n1,31/01/2026,1.5,a\n2,soon,2.25,b\n3,05/02/2026,,c\n"
	for i := range 1200 {
		text += fmt.Sprintf("%d,%02d/03/2026,%d,d\n", i+4, 1+i%28, i)
	}
	s := open(t, text+"9999,01/04/2026,12.125,a name that is longer\n")
	require.False(t, s.Whole)
	require.Equal(t, "varchar(20)", column(s, "found").Type.String())
	remedies := s.Remedies(column(s, "found"))
	require.Len(t, remedies, 1)
	require.NoError(t, s.Set("found", remedies[0].Keys...))
	rows := s.Rows()
	require.Len(t, rows, 200)
	require.Equal(t, review.Cell{Text: "2026-01-31"}, rows[0][1])
	require.Equal(t, review.Cell{Text: "soon", Reason: "not a date written dd/MM/yyyy"}, rows[1][1])
	require.True(t, rows[2][2].Null)
	require.NoError(t, s.ToggleNull(column(s, "mass")))
	require.Contains(t, s.Rows()[2][2].Reason, "not nullable")
	require.True(t, s.Undo())

	require.NoError(t, s.ToggleKey(column(s, "no")))
	require.Equal(t, []string{"no"}, s.Tray().Table.Key)
	require.NoError(t, s.ToggleKey(column(s, "no")))
	require.Empty(t, s.Tray().Table.Key)
	require.NoError(t, s.ToggleKey(column(s, "no")))
	require.NoError(t, s.LeaveOut(column(s, "no")))
	require.Empty(t, s.Tray().Table.Key, "nothing that is left out is in the key")
	require.Equal(t, review.Cell{Text: "1"}, s.Rows()[0][0], "what is left out is seen as it is")
	require.NoError(t, s.LeaveOut(column(s, "No")))
	require.Equal(t, "integer", column(s, "no").Type.String())
	require.Error(t, s.Set("found", [2]string{"format", "whenever"}))

	check, err := s.Check(ctx, s.Tray(), nil)
	require.NoError(t, err)
	require.Equal(t, int64(2), check.Rejected(), "soon, and the last record, which is longer than what was seen")
	whole, err := s.Look(ctx, nil)
	require.NoError(t, err)
	lost, err := s.Looked(whole)
	require.NoError(t, err)
	require.Zero(t, lost)
	require.True(t, s.Whole)
	require.Equal(t, []string{"date", "decimal(8,3)", "varchar(30)"}, []string{column(s, "found").Type.String(), column(s, "mass").Type.String(), column(s, "spare").Type.String()},
		"the draft is that of the whole source, with the changes")
	check, err = s.Check(ctx, s.Tray(), nil)
	require.NoError(t, err)
	require.Equal(t, int64(1), check.Rejected())
	require.True(t, strings.HasPrefix(s.Definition(dialect.MySQL), "CREATE TABLE finds ("))
	require.NoError(t, s.Save())
	require.NoError(t, s.Save(), "there is nothing to write")
	require.FileExists(t, filepath.Join(s.Tray().Dir, "surveyed.json"))
}

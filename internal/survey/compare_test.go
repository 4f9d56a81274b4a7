package survey_test

import (
	"context"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ambertray/internal/intake"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	plans "ambertray/internal/table"
	"ambertray/internal/tray"
)

// visits writes a file of visits with a row for each number of a range.
func visits(header string, from, to int, row func(n int) string) string {
	var b strings.Builder
	b.WriteString(header + "\n")
	for n := from; n < to; n++ {
		b.WriteString(row(n) + "\n")
	}
	return b.String()
}

// TestCompare reports what is unusual in another file, and nothing of a usual month.
func TestCompare(t *testing.T) {
	const header = "No,Room,Day,Fee,Note"
	usual := func(n int) string {
		return fmt.Sprintf("%d,R%d,%02d/01/2026,%d.50,note %d", n, n%4, n%28+1, n%50, n)
	}
	was := run(t, survey.Options{}, visits(header, 0, 100, usual))
	dir := t.TempDir()
	require.NoError(t, was.KeepProfile(dir))
	profile, err := survey.ReadProfile(dir)
	require.NoError(t, err)
	for name, c := range map[string]struct {
		text string
		want []string
	}{
		"a usual month":                       {visits(header, 100, 210, func(n int) string { return strings.Replace(usual(n), "/01/", "/02/", 1) }), nil},
		"few records":                         {visits(header, 0, 40, usual), []string{"40 records; the plan was drafted from 100"}},
		"many records":                        {visits(header, 0, 201, usual), []string{"201 records; the plan was drafted from 100"}},
		"another column":                      {visits(header+",More", 0, 100, func(n int) string { return usual(n) + ",x" }), []string{"columns differ from those of the data that the plan was drafted from: extra column More"}},
		"another order":                       {visits("Room,No,Day,Fee,Note", 0, 100, func(n int) string { return fmt.Sprintf("R%d,%d,05/01/2026,1.50,note %d", n%4, n, n) }), []string{"columns in another order"}},
		"a renamed column":                    {visits("No,Room,Day,Fee,Notes", 0, 100, usual), []string{"Notes in place of Note"}},
		"another heading that the plan knows": {visits("No,Place,Day,Fee,Note", 0, 100, usual), nil},
		"blanks": {visits(header, 0, 100, func(n int) string {
			if n == 7 {
				return "7,,05/01/2026,1.50,note"
			}
			return usual(n)
		}), []string{"Room: 1% of the values are blank, and none were"}},
		"a word among numbers": {visits(header, 0, 100, func(n int) string {
			return strings.Replace(usual(n), "33.50", "much", 1)
		}), []string{`Fee: 2 values are of a new kind, text, such as "much" on line 35`}},
		"a sum of another size": {visits(header, 0, 100, func(n int) string {
			return strings.Replace(usual(n), "33.50", "3350.50", 1)
		}), []string{"Fee: 0.50 to 3350.50, previously 0.50 to 49.50"}},
		"a day in another century": {visits(header, 0, 100, func(n int) string {
			return strings.Replace(usual(n), "02/01/2026", "02/01/1926", 1)
		}), []string{"Day: 02/01/1926 to 28/01/2026, previously 01/01/2026 to 28/01/2026"}},
		"many codes": {visits(header, 0, 100, func(n int) string {
			return strings.Replace(usual(n), fmt.Sprintf(",R%d,", n%4), fmt.Sprintf(",R%d,", n), 1)
		}), []string{"Room: 100 distinct values, previously 4"}},
		"repeated keys": {visits(header, 0, 100, func(n int) string { return usual(n / 2) }), []string{"No: values are repeated: 50 distinct of 100", "Note: values are repeated"}},
	} {
		t.Run(name, func(t *testing.T) {
			var got []string
			for _, n := range profile.Compare(run(t, survey.Options{Expected: intake.Expected{Also: map[string]string{"Place": "Room"}}}, c.text)) {
				where := ""
				if n.Column != nil {
					where = *n.Column + ": "
				}
				got = append(got, where+n.What)
			}
			require.Len(t, got, len(c.want), "%q", got)
			for i, want := range c.want {
				require.Contains(t, got[i], want)
			}
		})
	}
	_, err = survey.ReadProfile(t.TempDir())
	require.ErrorIs(t, err, os.ErrNotExist)
}

// TestRelate proposes a reference only where all values are among those of a key, and that
// is no coincidence.
func TestRelate(t *testing.T) {
	const rooms = "code,size\nR1,10\nR2,20\nR3,30\nR4,40\n"
	const numbered = "room_no,name\n1,north\n2,south\n3,east\n4,west\n"
	for name, c := range map[string]struct {
		to, from, table string
		want            []string
	}{
		"codes":                     {rooms, "no,room\n7,R1\n8,R2\n9,R3\n10,R3\n", "rooms", []string{"room to rooms.code: 3 values, all among its 4"}},
		"codes and blanks":          {rooms, "no,room\n7,R1\n8,R2\n9,\n10,R3\n", "rooms", []string{"room to rooms.code: 3 values, all among its 4"}},
		"one that is not there":     {rooms, "no,room\n7,R1\n8,R2\n9,R3\n10,R9\n", "rooms", nil},
		"two values":                {rooms, "no,room\n7,R1\n8,R2\n9,R1\n10,R2\n", "rooms", nil},
		"a column with duplicates":  {rooms + "R1,50\n", "no,room\n7,R1\n8,R2\n9,R3\n", "rooms", nil},
		"numbers alike in name":     {numbered, "no,room_no\n7,1\n8,2\n9,3\n9,3\n", "rooms", []string{"room_no to rooms.room_no: 3 values, all among its 4"}},
		"numbers after the table":   {numbered, "no,room\n7,1\n8,2\n9,3\n9,3\n", "rooms", []string{"room to rooms.room_no: 3 values, all among its 4"}},
		"numbers by coincidence":    {numbered, "no,visitors\n7,1\n8,2\n9,3\n9,3\n", "rooms", nil},
		"numbers written otherwise": {numbered, "no,room\n7,01\n8,02\n9,03\n9,03\n", "rooms", nil},
	} {
		t.Run(name, func(t *testing.T) {
			list := []*survey.Survey{run(t, survey.Options{}, c.to), run(t, survey.Options{}, c.from)}
			found, err := survey.Relate(context.Background(), &source.Opener{}, list, []string{c.table, "finds"})
			require.NoError(t, err)
			var got []string
			for _, r := range found {
				require.Equal(t, "finds", r.Source)
				got = append(got, fmt.Sprintf("%s to %s.%s: %s", r.Column, r.Table, r.Key, r.Evidence))
			}
			require.Equal(t, c.want, got)
		})
	}
	alike := []*survey.Survey{run(t, survey.Options{}, rooms), run(t, survey.Options{}, numbered), run(t, survey.Options{}, "size,code\n1,R1\n2,R2\n3,R3\n")}
	for i, s := range alike {
		s.Source = fmt.Sprint("file ", i)
	}
	require.Equal(t, [][]string{{"file 0", "file 2"}}, survey.Alike(alike))
	found, err := survey.Relate(context.Background(), &source.Opener{}, []*survey.Survey{alike[0], alike[2]}, []string{"a", "b"})
	require.NoError(t, err)
	require.Empty(t, found, "files that could be one table do not refer to each other")
}

// TestFolderDraft drafts a folder as a source of which each load takes the new files.
func TestFolderDraft(t *testing.T) {
	t.Chdir(t.TempDir())
	require.NoError(t, os.Mkdir("inbox", 0o700))
	require.NoError(t, os.WriteFile("inbox/a.csv", []byte(table), 0o600))
	require.NoError(t, os.Chtimes("inbox/a.csv", time.Time{}, time.Now().Add(-time.Hour)))
	s, err := survey.Run(context.Background(), &source.Opener{}, []string{"inbox"}, survey.Options{})
	require.NoError(t, err)
	plan := s.Draft("inbox" + tray.Suffix)
	require.True(t, plan.Table.OnlyNew)
	require.Equal(t, []string{"inbox"}, plan.Files)
	require.Equal(t, "inbox", plan.Table.Name)
	require.Equal(t, plans.Refuse, plan.Table.Existing)
}

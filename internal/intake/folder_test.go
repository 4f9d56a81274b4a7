package intake_test

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ambertray/internal/intake"
	"ambertray/internal/source"
)

// old writes a file that nobody has written to for a while.
func old(t *testing.T, path, text string) {
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o700))
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	require.NoError(t, os.Chtimes(path, time.Time{}, time.Now().Add(-time.Minute)))
}

// TestList takes the files of folders that may be sources and are complete.
func TestList(t *testing.T) {
	t.Chdir(t.TempDir())
	for _, name := range []string{
		"b.csv", "a.csv", "c.xlsx", ".hidden.csv", "~$c.xlsx", "museum.db", "museum.db-journal", "d.csv.part", "e.tmp", "a.rejects.csv", "a.differences.csv",
		"folder/inner.csv",
	} {
		old(t, filepath.Join("inbox", name), "no\n1\n")
	}
	old(t, "inbox/empty.csv", "")
	old(t, "other.csv", "no\n1\n")
	names := func(args ...string) string {
		l, err := intake.List(args)
		require.NoError(t, err)
		return strings.Join(l.Files, " ") + "|" + strings.Join(l.Growing, " ")
	}
	require.Equal(t, "inbox/a.csv inbox/b.csv inbox/c.xlsx|", names("inbox"), "in the order of their names")
	require.Equal(t, "other.csv inbox/a.csv inbox/b.csv inbox/c.xlsx|", names("other.csv", "inbox"))
	require.Equal(t, "inbox/a.csv inbox/b.csv|", names("inbox/[ab].csv"))
	_, err := intake.List([]string{"none-*.csv"})
	require.ErrorContains(t, err, "no file matches")
	require.NoError(t, os.Mkdir("nothing", 0o700))
	_, err = intake.List([]string{"nothing"})
	require.ErrorIs(t, err, intake.ErrNothingNew)

	require.NoError(t, os.WriteFile("inbox/a.csv", []byte("no\n1\n2\n"), 0o600)) // just now, and then no more
	stop, stopped := make(chan bool), make(chan error)
	go func() { stopped <- keepWriting(stop) }()
	require.Equal(t, "inbox/a.csv|inbox/b.csv inbox/c.xlsx inbox/late.csv", names("inbox"))
	close(stop)
	require.NoError(t, <-stopped)
}

// keepWriting writes to some files of the inbox until it is stopped, one of which does not exist before.
func keepWriting(stop <-chan bool) error {
	time.Sleep(300 * time.Millisecond)
	err := os.Truncate("inbox/c.xlsx", 0) // as a program does that writes it again
	for text := "no\n1\n"; err == nil; text += "2\n" {
		err = errors.Join(os.WriteFile("inbox/b.csv", []byte(text), 0o600), os.WriteFile("inbox/late.csv", []byte(text), 0o600))
		select {
		case <-stop:
			return err
		case <-time.After(20 * time.Millisecond):
		}
	}
	return err
}

// TestUnits takes files apart into what makes a table each.
func TestUnits(t *testing.T) {
	t.Chdir(t.TempDir())
	old(t, "inbox/a.csv", "no\n1\n")
	old(t, "inbox/broken.xlsx", "PK\x03\x04 and no more")
	old(t, "inbox/none.csv", "")
	units, left, err := intake.Units(context.Background(), &source.Opener{}, []string{"inbox"})
	require.NoError(t, err)
	require.Equal(t, intake.LeftOut{Growing: []string{}, Empty: []string{"inbox/none.csv"}}, left)
	require.Equal(t, []intake.Unit{{File: "inbox/a.csv"}, {File: "inbox/broken.xlsx"}}, units, "what is wrong with a file is found when it is read")
	require.Equal(t, "book.xlsx · May", intake.Unit{File: "book.xlsx", Sheet: "May"}.Title())
}

// TestRenamed finds the columns that were probably renamed.
func TestRenamed(t *testing.T) {
	for _, c := range []struct{ want, got, says string }{
		{"No,Name", "No,Name", ""},
		{"Loan No,Borrower", "Number,Borrower", "Number in place of Loan No"},
		{"Loan No,Borrower,Due Back", "No,Who,Due", "No in place of Loan No; Who in place of Borrower; Due in place of Due Back"},
		{"Due Back,Fee", "Fee,due_back", "due_back in place of Due Back"},
		{"Paid On,Fee,Room", "Fee,Room", "missing column Paid On"},
		{"Fee,Room", "Fee,Room,Paid On", "extra column Paid On"},
		{"Fee,Room", "Room,Fee", "columns in another order"},
		{"Fee,Room,Day", "Sum,Day,Light,Place", "Sum in place of Fee; missing column Room; extra columns Light, Place"},
		{"Colour", "Color", "Color in place of Colour"},
	} {
		d := intake.Compare("x", strings.Split(c.want, ","), strings.Split(c.got, ","))
		if c.says == "" {
			require.Empty(t, d.Missing, c.got)
			continue
		}
		require.Equal(t, c.says, d.String(), c.got)
	}
}

// TestDanglingLink names a link whose file is missing, instead of passing over it.
func TestDanglingLink(t *testing.T) {
	t.Chdir(t.TempDir())
	old(t, "inbox/a.csv", "no\n1\n")
	require.NoError(t, os.Symlink("away.csv", "inbox/b.csv"))
	_, err := intake.List([]string{"inbox"})
	require.ErrorIs(t, err, fs.ErrNotExist)
	require.ErrorContains(t, err, "open "+filepath.Join("inbox", "b.csv"))
}

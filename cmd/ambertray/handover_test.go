package main_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// TestHandoverRefused wants one clear message for each mistake, and no folder.
func TestHandoverRefused(t *testing.T) {
	d := newDesk(t)
	d.write("full/notes.txt", "mine")
	d.write("blank.csv", "No,Name\n1,ant\n2,\n")
	d.write("file", "")
	long := strings.Repeat("n", 129)
	d.write("long.csv", "No,"+long+"\n1,ant\n")
	d.run(0, "draft", "blank.csv", "--change", "Name.default=\"\"")
	d.run(0, "draft", "loans.csv", "--tray", "strict.tray")
	d.write("strict.tray/tray.yaml", strings.Replace(d.read("strict.tray/tray.yaml"), "table:\n", "table:\n  allow_rejects: 0\n", 1))
	for _, c := range []struct {
		status int
		args   string
		says   string
	}{
		{2, "specimens.csv --out x", "name the server: --dialect with one of"},
		{2, "specimens.csv --dialect cobol --out x", "unknown dialect"},
		{2, "specimens.csv --dialect oracle", "name the folder to write: --out FOLDER"},
		{2, "specimens.csv --dialect oracle --out x --part-rows -1", "--part-rows -1: write a number of rows"},
		{2, "specimens.csv --dialect oracle --out x --inserts --pack", "leave out --part-rows and --pack"},
		{2, "specimens.csv --dialect ansi --out x --part-rows 10", "leave out --part-rows and --pack"},
		{2, "specimens.csv --dialect ansi --out x --inserts --parquet", "exclude each other"},
		{1, "missing.csv --dialect ansi --out x", "open missing.csv: no such file"},
		{1, "specimens.csv --dialect ansi --out full", "full: the folder already exists and is not empty"},
		{1, "specimens.csv --dialect ansi --out file", "file"},
		{1, "specimens.csv --dialect ansi --out none/x", "none"},
		{1, "strict.tray --dialect ansi --out x", "too many rejected records: 4 of 179, and the plan allows 0"},
		{1, "blank.tray --dialect sqlite --out x", "column name: has a blank text that is not NULL"},
		{1, "long.csv --dialect sqlserver --out x --change " + long + ".name=" + long, "128"},
	} {
		_, errOut := d.run(c.status, append([]string{"handover"}, strings.Fields(c.args)...)...)
		require.Contains(t, errOut, c.says, c.args)
		left, err := filepath.Glob(filepath.Join(d.dir, ".*.new"))
		require.NoError(t, err)
		require.Empty(t, left, c.args)
		require.NoDirExists(t, filepath.Join(d.dir, "x"), c.args)
	}
	require.Equal(t, "mine", d.read("full/notes.txt"))
}

// TestHandoverStopped fills the disk in the middle of a handover, interrupts one and kills
// one. None leaves a folder that looks complete, and the next one succeeds.
func TestHandoverStopped(t *testing.T) {
	d := newDesk(t)
	d.writeMany("finds.csv", "no,name", "@,beetle @", 600_000)
	d.run(0, "draft", "finds.csv")
	args := []string{"handover", "finds.tray", "--dialect", "postgresql", "--out", "out", "--part-rows", "100000"}

	full := exec.Command("bash", append([]string{"-c", `ulimit -f 1000; exec "$0" "$@"`, program}, args...)...)
	full.Dir = d.dir
	said, err := full.CombinedOutput()
	require.Error(t, err)
	require.Equal(t, 1, full.ProcessState.ExitCode(), string(said))
	require.Contains(t, string(said), "file too large\n  make room and try again")

	for _, signal := range []os.Signal{os.Interrupt, syscall.SIGKILL} {
		c := d.command(args...)
		require.NoError(t, c.Start())
		require.Eventually(t, func() bool {
			begun, err := filepath.Glob(filepath.Join(d.dir, ".out.*.new", "rows*"))
			return err == nil && len(begun) > 0
		}, 10*time.Second, time.Millisecond)
		require.NoError(t, c.Process.Signal(signal))
		require.Error(t, c.Wait())
		require.NoDirExists(t, filepath.Join(d.dir, "out"))
		left, err := filepath.Glob(filepath.Join(d.dir, ".out.*.new"))
		require.NoError(t, err)
		require.Len(t, left, map[os.Signal]int{os.Interrupt: 0, syscall.SIGKILL: 1}[signal])
	}

	out, _ := d.run(0, args...)
	require.Contains(t, out, "600,000 read = 600,000 handed over + 0 rejected + 0 skipped")
	rows := 0
	for i := range 6 {
		part := d.read(fmt.Sprintf("out/rows-%04d.txt", i+1))
		rows += strings.Count(part, "\n")
	}
	require.Equal(t, 600_000, rows)
}

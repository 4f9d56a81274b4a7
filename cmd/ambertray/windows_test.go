package main_test

import (
	"bytes"
	"compress/gzip"
	"encoding/binary"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/stretchr/testify/require"

	"ambertray/demo"
	"ambertray/internal/databasetest"
)

// wine is a desk on which the program for Windows runs, under Wine.
type wine struct{ *desk }

func (w wine) command(args ...string) *exec.Cmd {
	c := exec.Command(os.Getenv("AMBERTRAY_TEST_WINE"), append([]string{os.Getenv("AMBERTRAY_TEST_WINDOWS")}, args...)...)
	c.Dir = w.dir
	return c
}

// run runs the program and returns what it says. That goes to a file: Wine's own programs
// hold on to a pipe.
func (w wine) run(args ...string) string {
	w.Helper()
	said := filepath.Join(w.TempDir(), "said")
	f, err := os.Create(said)
	require.NoError(w, err)
	c := w.command(args...)
	c.Stdout, c.Stderr = f, f
	err = c.Run()
	var exit *exec.ExitError
	if err != nil {
		require.ErrorAs(w, err, &exit)
	}
	require.NoError(w, f.Close())
	text, err := os.ReadFile(said)
	require.NoError(w, err)
	return string(text)
}

// path is a path as Windows has it.
func (w wine) path(names ...string) string {
	return `Z:` + strings.ReplaceAll(filepath.Join(append([]string{w.dir}, names...)...), "/", `\`)
}

// TestWindows runs the program for Windows: the demo, each format, each target, paths as
// people have them there, and what happens when it is interrupted or killed.
func TestWindows(t *testing.T) {
	t.Parallel()
	require.NotEmpty(t, os.Getenv("AMBERTRAY_TEST_WINE"), "start the tests with ./test.sh")
	w := wine{newDesk(t)}
	out := w.run("demo")
	require.Contains(t, out, "Now try a file of your own:")

	w.writeFormats()
	for source, sheet := range map[string]string{"crlf.csv": "", "utf16.txt": "", "packed.csv.gz": "", "loans-2026.xlsx": "2026-01"} {
		for _, to := range []string{"museum.db", databasetest.NewServer(t, "TEST_POSTGRES").URL, databasetest.NewServer(t, "TEST_MYSQL").URL} {
			table := uniqueTable(t)
			out := w.run("load", source, "--sheet", sheet, "--to", to, "--table", table, "--allow-rejects", "any", "--tray", table+".tray")
			require.Contains(t, out, "every row proved", "%s into %s: %s", source, to, out)
		}
	}
	w.paths()
	w.heldOpen()
	w.console()
	w.killed()
}

// writeFormats writes files of the formats that are usual on Windows.
func (w wine) writeFormats() {
	text := "no,name\r\n1,Bär\r\n2,\"two\r\nlines\"\r\n"
	w.write("crlf.csv", text)
	var wide, packed bytes.Buffer
	require.NoError(w, binary.Write(&wide, binary.LittleEndian, append([]uint16{0xfeff}, utf16.Encode([]rune(text))...)))
	w.write("utf16.txt", wide.String())
	z := gzip.NewWriter(&packed)
	_, err := z.Write([]byte(text))
	require.NoError(w, err)
	require.NoError(w, z.Close())
	w.write("packed.csv.gz", packed.String())
	book, err := demo.Files.ReadFile("loans-2026.xlsx")
	require.NoError(w, err)
	w.write("loans-2026.xlsx", string(book))
}

// paths uses paths with drive letters, spaces, letters beyond ASCII and more than 260
// characters. What is printed can be typed again, and a tray has slashes.
func (w wine) paths() {
	long := filepath.Join(strings.Repeat("a", 120), strings.Repeat("b", 120), strings.Repeat("c", 60))
	for i, folder := range []string{"der große Saal", long} {
		w.write(filepath.Join(folder, "ein fund.csv"), "no,name\r\n1,Bär\r\n")
		w.write(filepath.Join(folder, "x"), "")
		to, tray := w.path(folder, "museum 1.db"), w.path(folder, "fund.tray")
		for _, name := range []string{strings.ReplaceAll(filepath.Join(folder, "ein fund.csv"), "/", `\`), w.path(folder, "ein fund.csv")} {
			out := w.run("load", name, "--to", to, "--tray", tray, "--again", "--existing", "rebuild", "--yes")
			require.Contains(w, out, "every row proved", out)
			require.Contains(w, out, ` --to "Z:\`, out)
		}
		if i == 0 {
			require.Contains(w, w.read(filepath.Join(folder, "fund.tray", "tray.yaml")), "ein fund.csv")
			require.NotContains(w, w.read(filepath.Join(folder, "fund.tray", "tray.yaml")), `\`)
		}
		require.Contains(w, w.run("verify", tray, "--to", to), "every row proved")
	}
	require.Contains(w, w.run("targets"), `AppData\Roaming\ambertray\targets.yaml`)
	require.Contains(w, w.run("load", "none.csv", "--to", "museum.db"), "check the spelling and the folder")
}

// heldOpen loads while another program keeps a file to itself: the source, the plan, the
// target. Each error names the file, nothing is changed, and the next load succeeds.
func (w wine) heldOpen() {
	w.write("held.csv", "no,name\r\n1,Bär\r\n")
	w.run("draft", "held.csv")
	w.run("load", "held.tray", "--to", "held.db")
	plan := w.read("held.tray/tray.yaml")
	const closeIt = "close it in the other program and try again: nothing was changed"
	for file, args := range map[string][]string{ // what is typed next comes first
		"held.csv":            {closeIt, "load", "held.tray", "--to", "held.db", "--again", "--existing", "append"},
		"held.tray/tray.yaml": {closeIt, "check", "held.tray", "--change", "name.type=text"},
		"held.db":             {"whether another program has locked it", "load", "held.tray", "--to", "held.db", "--again", "--existing", "append"},
	} {
		holder := exec.Command(os.Getenv("AMBERTRAY_TEST_WINE"), os.Getenv("AMBERTRAY_TEST_HOLDOPEN"), w.path(file))
		input, err := holder.StdinPipe()
		require.NoError(w, err)
		require.NoError(w, holder.Start())
		held := filepath.Join(w.dir, file+".held")
		require.Eventually(w, func() bool { _, err := os.Stat(held); return err == nil }, 20*time.Second, 20*time.Millisecond)
		out := w.run(args[1:]...)
		require.Contains(w, out, filepath.Base(file), out)
		require.Contains(w, out, args[0], out)
		require.NoError(w, input.Close())
		_ = holder.Wait()
		require.NoError(w, os.Remove(held))
	}
	require.Equal(w, plan, w.read("held.tray/tray.yaml"))
	require.Equal(w, "1", w.queryIn("held.db", "SELECT count(*) FROM held"))
	require.Contains(w, w.run("load", "held.tray", "--to", "held.db", "--again", "--existing", "append"), "every row proved")
}

// console runs at a console of two widths: colours arrive as such, and tables fit.
func (w wine) console() {
	for columns, narrow := range map[uint16]bool{80: true, 140: false} {
		s := w.start(columns, 50, w.command("survey", "specimens.csv"))
		s.shows("least … greatest", "Remarks")
		s.end(0)
		require.Equal(w, narrow, strings.Contains(s.look(), "in a wider window: length"), s.look())
		require.Contains(w, s.seen(), "\x1b[38;5;214m", "amber")
		require.NotContains(w, s.look(), "[38;5;214m")
	}
}

// killed kills loads in the middle, and loads again.
func (w wine) killed() {
	var text strings.Builder
	text.WriteString("no,name\r\n")
	for i := range 200_000 {
		text.WriteString(strings.Repeat("9", 1+i%5) + strings.Repeat("0", 3) + string(rune('0'+i%10)) + ",ant\r\n")
	}
	w.write("many.csv", text.String())
	w.run("draft", "many.csv")
	for i, after := range []time.Duration{150, 400, 800} {
		c := w.command("load", "many.tray", "--to", "killed.db")
		require.NoError(w, c.Start())
		time.Sleep(after * time.Millisecond)
		if i == 1 {
			_ = c.Process.Signal(os.Interrupt)
		} else {
			_ = c.Process.Kill()
		}
		_ = c.Wait()
	}
	out := w.run("load", "many.tray", "--to", "killed.db")
	require.True(w, strings.Contains(out, "every row proved") || strings.Contains(out, "was already loaded into many"), out)
	require.Equal(w, "200000", w.queryIn("killed.db", "SELECT count(*) FROM many"))
}

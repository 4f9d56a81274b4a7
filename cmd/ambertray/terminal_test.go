package main_test

import (
	"io"
	"os"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/charmbracelet/x/vt"
	"github.com/creack/pty"
	"github.com/stretchr/testify/require"
)

// screen is a program at a terminal.
type screen struct {
	*desk
	cmd  *exec.Cmd
	tty  io.ReadWriteCloser
	lock sync.Mutex
	text strings.Builder // all that was written so far
	face *vt.Emulator    // what it looks like
}

// at starts the program at a terminal of some columns and rows.
func (d *desk) at(columns, rows uint16, args ...string) *screen {
	d.Helper()
	return d.start(columns, rows, d.command(args...))
}

// start starts a command at a terminal.
func (d *desk) start(columns, rows uint16, c *exec.Cmd) *screen {
	d.Helper()
	s := &screen{desk: d, cmd: c, face: vt.NewEmulator(int(columns), int(rows))}
	s.cmd.Env = append(s.cmd.Environ(), "TERM=xterm-256color")
	tty, err := pty.StartWithSize(s.cmd, &pty.Winsize{Cols: columns, Rows: rows})
	require.NoError(d, err)
	s.tty = tty
	d.Cleanup(func() { tty.Close(); _ = s.cmd.Process.Kill() })
	go func() { _, _ = io.Copy(tty, s.face) }() // the answers of a terminal
	go func() {
		buf := make([]byte, 4096)
		for {
			n, err := tty.Read(buf)
			s.lock.Lock()
			s.text.Write(buf[:n])
			_, _ = s.face.Write(buf[:n])
			s.lock.Unlock()
			if err != nil {
				return
			}
		}
	}()
	return s
}

func (s *screen) seen() string {
	s.lock.Lock()
	defer s.lock.Unlock()
	return s.text.String()
}

// look returns what the screen looks like.
func (s *screen) look() string {
	s.lock.Lock()
	defer s.lock.Unlock()
	return s.face.String()
}

// wait waits for a text that was not there before.
func (s *screen) wait(text string) {
	s.Helper()
	for end := time.Now().Add(20 * time.Second); !strings.Contains(s.seen(), text); time.Sleep(5 * time.Millisecond) {
		require.True(s, time.Now().Before(end), "%q is not on the screen:\n%s", text, s.seen())
	}
}

// shows waits until the screen looks so.
func (s *screen) shows(texts ...string) {
	s.Helper()
	for _, text := range texts {
		for end := time.Now().Add(20 * time.Second); !strings.Contains(s.look(), text); time.Sleep(5 * time.Millisecond) {
			require.True(s, time.Now().Before(end), "%q is not on the screen:\n%s", text, s.look())
		}
	}
}

// set types a value over another.
func (s *screen) set(key, value string) {
	s.Helper()
	s.press(key)
	s.shows("enter take it")
	s.press("\x15" + value + "\r")
}

func (s *screen) press(keys string) {
	_, err := io.WriteString(s.tty, keys)
	require.NoError(s, err)
}

// end waits for the program and wants an exit status.
func (s *screen) end(status int) {
	s.Helper()
	done := make(chan struct{})
	go func() { _ = s.cmd.Wait(); close(done) }()
	select {
	case <-done:
	case <-time.After(20 * time.Second):
		require.Fail(s, "the program does not end", s.seen())
	}
	require.Equal(s, status, s.cmd.ProcessState.ExitCode(), s.seen())
}

// TestQuestion asks before rows are removed, at a terminal only.
func TestQuestion(t *testing.T) {
	d := newDesk(t)
	d.run(3, "load", "loans.csv", "--to", "museum.db")
	emptied := []string{"load", "loans.tray", "--to", "museum.db", "--existing", "empty", "--again"}
	for _, c := range []struct {
		keys   string
		more   []string
		status int
		want   string
	}{
		{"n\r", nil, 1, "not loaded: the target is unchanged"}, {"\r", nil, 1, "not loaded"}, {"\x03", nil, 1, "not loaded"},
		{"yes\r", nil, 3, "emptied and filled"}, {"", []string{"--yes"}, 3, "emptied and filled"},
	} {
		s := d.at(120, 30, append(emptied, c.more...)...)
		if c.keys != "" {
			s.wait(" in museum.db has 175 rows")
			s.wait("all of them are removed")
			s.wait("Load? [y/N]")
			s.press(c.keys)
		}
		s.wait(c.want)
		s.end(c.status)
		require.Equal(t, c.keys == "", !strings.Contains(s.seen(), "[y/N]"))
	}
	out, _ := d.run(3, emptied...)
	require.Contains(t, out, "emptied and filled", "without a terminal nobody is asked")
	require.Contains(t, out, "ambertray report loans.tray --to museum.db")
}

const (
	down  = "\x1b[B"
	right = "\x1b[C"
	esc   = "\x1b"
)

// TestReview reviews a source in the smallest terminal, and sees what each change does to
// the sample and to the whole source.
func TestReview(t *testing.T) {
	d := newDesk(t)
	s := d.at(80, 24, "review", "loans.csv")
	s.shows("loans.csv → loans (not saved)", "4 rejected, the first on line 38", "> Loan No", "o out", "q quit")
	s.press(down + down + down + down)
	s.shows("> Due Back", `1 rejected: no such date, the first "31/02/2026" on line 112`, "1 keep it as text")
	s.press("1")
	s.shows("char(10)", "3 rejected", "2026-01-05  15/03/2026")
	s.press("u")
	s.shows("4 rejected", "2026-01-05  2026-03-15")
	s.press("/")
	s.shows("search:")
	s.press("fe\r")
	s.shows("> Fee")
	s.set("t", "decimall(4,2)")
	s.shows("unknown type", `did you mean`)
	s.press("\x15decimal(4,2)\r")
	s.shows("132 rejected", "!198.00", `128 rejected: does not fit decimal(4,2), the first "198.00" on line 2`)
	s.set("n", "charge")
	s.shows("charge")
	s.set("d", "0")
	s.shows("default 0")
	s.press("z")
	s.shows("NULL")
	s.press("<")
	s.shows("moved")
	s.press("k")
	s.shows("key")
	s.press("v")
	s.shows("CREATE TABLE loans", "as SQLite writes it", "PRIMARY KEY (loan_no, charge)")
	s.press(right)
	s.shows("numeric(4,2)")
	s.press("v")
	s.shows("q quit")
	s.press("q")
	s.shows("The plan is not saved.")
	s.press("s")
	s.end(0)
	plan := d.read("loans.tray/tray.yaml")
	require.Regexp(t, `(?s)name: charge\n.*type: decimal\(4,2\).*Due Back`, plan, "the column was moved, and keeps its changes")
	require.Contains(t, plan, "# 5 digits in all 176 values", "comments stay")
	require.FileExists(t, d.dir+"/loans.tray/surveyed.json")
}

// TestReviewBesideOthers reviews a tray that another program changes, beside a table, with
// a source that disappears, and loads by it.
func TestReviewBesideOthers(t *testing.T) {
	d := newDesk(t)
	d.run(3, "load", "loans.csv", "--to", "museum.db")
	d.write("change.sql", "ALTER TABLE loans DROP COLUMN insured")
	d.script("change.sql")
	s := d.at(120, 40, "review", "loans.tray", "--to", "museum.db")
	s.shows("loans.tray → museum.db", "does not fit the table", "decimal(6,2)    ", "no such column")
	s.press("\x1b[F" + "o")
	s.shows("left out", "179 rejected", "175 records: duplicate key")
	text := d.read("loans.tray/tray.yaml")
	d.write("loans.tray/tray.yaml", text+"# by somebody else\n")
	s.press("s")
	s.shows("another program has changed the plan")
	require.Contains(t, d.read("loans.tray/tray.yaml"), "# by somebody else")
	d.write("loans.tray/tray.yaml", text)
	require.NoError(t, os.Rename(d.dir+"/loans.csv", d.dir+"/gone.csv"))
	s.press("/fee\rz")
	s.shows("no such file", "not checked")
	require.NoError(t, os.Rename(d.dir+"/gone.csv", d.dir+"/loans.csv"))
	s.press("us")
	s.shows("saved loans.tray/tray.yaml")
	s.press("l")
	s.end(5)
	s.wait("was already loaded into loans")

	_, errOut := d.run(1, "review", "loans.tray")
	require.Contains(t, errOut, "review needs a terminal")
	require.Contains(t, errOut, "--change COLUMN.KEY=VALUE")
	s = d.at(60, 20, "review", "loans.tray")
	s.shows("The terminal has 60 × 20 characters")
	s.press("q")
	s.end(0)
}

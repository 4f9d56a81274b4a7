package main_test

import (
	"io"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

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
}

// at starts the program at a terminal of some columns and rows.
func (d *desk) at(columns, rows uint16, args ...string) *screen {
	d.Helper()
	s := &screen{desk: d, cmd: d.command(args...)}
	s.cmd.Env = append(s.cmd.Environ(), "TERM=xterm-256color")
	tty, err := pty.StartWithSize(s.cmd, &pty.Winsize{Cols: columns, Rows: rows})
	require.NoError(d, err)
	s.tty = tty
	d.Cleanup(func() { tty.Close(); _ = s.cmd.Process.Kill() })
	go func() {
		buf := make([]byte, 4096)
		for {
			n, err := tty.Read(buf)
			s.lock.Lock()
			s.text.Write(buf[:n])
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

// wait waits for a text that was not there before.
func (s *screen) wait(text string) {
	s.Helper()
	for end := time.Now().Add(20 * time.Second); !strings.Contains(s.seen(), text); time.Sleep(5 * time.Millisecond) {
		require.True(s, time.Now().Before(end), "%q is not on the screen:\n%s", text, s.seen())
	}
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

package term

import (
	"bytes"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/creack/pty"
	"github.com/stretchr/testify/require"
)

// terminal opens a pseudo-terminal and returns a function that reads what was
// written to it until a text is among it.
func terminal(t *testing.T) (tty *os.File, until func(text string) string) {
	t.Helper()
	screen, tty, err := pty.Open()
	require.NoError(t, err)
	require.NoError(t, pty.Setsize(tty, &pty.Winsize{Rows: 24, Cols: 60}))
	t.Cleanup(func() { tty.Close(); screen.Close() })
	parts := make(chan string, 100)
	go func() {
		buffer := make([]byte, 4096)
		for {
			n, err := screen.Read(buffer)
			if err != nil {
				return
			}
			parts <- string(buffer[:n])
		}
	}()
	var seen strings.Builder
	return tty, func(text string) string {
		t.Helper()
		late := time.After(10 * time.Second)
		for !strings.Contains(seen.String(), text) {
			select {
			case part := <-parts:
				seen.WriteString(part)
			case <-late:
				require.Failf(t, "not written", "%q is not in %q", text, seen.String())
			}
		}
		return seen.String()
	}
}

// TestProgress draws on a terminal only, and clears the line at the end.
func TestProgress(t *testing.T) {
	var nothing *Progress = NewProgress(&bytes.Buffer{}, "loading")
	require.Nil(t, nothing)
	nothing.Update(State{})
	nothing.Done()
	t.Setenv("NO_COLOR", "1")
	tty, until := terminal(t)
	p := NewProgress(tty, "loading")
	for done := int64(1); done < 8; done++ { // the line is written now and then
		p.Update(State{Bytes: 10 * done, Size: 100, Records: 1000 * done, Rejected: 3})
		time.Sleep(refresh)
	}
	require.Contains(t, until("3 rejected"), "loading")
	p.Update(State{Phase: "building indexes"})
	until("building indexes") // although nothing is counted
	p.Done()
	p.Done()
}

// TestColour paints on a terminal, unless the environment forbids it.
func TestColour(t *testing.T) {
	for env, coloured := range map[string]bool{"": true, "1": false} {
		t.Setenv("NO_COLOR", env)
		if env == "" {
			os.Unsetenv("NO_COLOR")
		}
		t.Setenv("TERM", "xterm-256color")
		tty, until := terminal(t)
		p := NewPrinter(tty)
		p.Line("%s %s %s %s.", p.Amber("amber"), p.Red("red"), p.Faint("faint"), p.Bold("bold"))
		require.Equal(t, coloured, strings.Contains(until("."), "\x1b["), env)
	}
}

// TestWindow fits tables and long lines into the width of the window.
func TestWindow(t *testing.T) {
	t.Setenv("NO_COLOR", "1")
	tty, until := terminal(t)
	p := NewPrinter(tty)
	long := strings.Repeat("specimen ", 12)
	p.Fact("note", "%s", long+"\n  aligned  "+long)
	p.Table([]Column{{Title: "column"}, {Title: "type"}, {Title: "of " + long}, {Title: "sum", Right: true}}, [][]string{{long[:30], p.Amber(long[:20]), "x", strings.Repeat("7", 14)}})
	p.Table([]Column{{Title: "column"}, {Title: "length", Right: true}, {Title: "least"}}, [][]string{{long[:40], "8", long}})
	p.Table([]Column{{Title: "column"}, {Title: "example", Max: 12}, {Title: "evidence"}}, [][]string{{"a", long, long}, {"b", "x", "y"}})
	p.Table([]Column{{Title: "column"}, {Title: "distinct", Spare: true}, {Title: "length", Spare: true}, {Title: "least"}}, [][]string{{long[:20], "1,204", "8", long}})
	p.Narrow([]Column{{Title: "a", Max: 30}, {Title: "b", Max: 30}, {Title: "c", Max: 30}}, [][]string{{long, long, "x"}})
	p.Next("To go on:", "ambertray load "+strings.Repeat("x", 70)+".csv")
	p.Line("end")
	seen := until("end")
	require.Contains(t, seen, "in a wider window: length")
	require.Regexp(t, "column +distinct +least", seen)
	for line := range strings.SplitSeq(seen, "\n") {
		if !strings.Contains(line, "ambertray load") {
			require.LessOrEqual(t, len([]rune(strings.TrimRight(line, "\r"))), 60, line)
		}
	}
}

// TestNext puts a command that is long below its reason.
func TestNext(t *testing.T) {
	var out bytes.Buffer
	p := NewPrinter(&out)
	p.Next("Then:", "ambertray check loans.tray")
	p.Fact("read", "%d rows", 3)
	require.Equal(t, "\n  Then:  ambertray check loans.tray\n  read       3 rows\n", out.String())
	require.Equal(t, "1.2 kB", Bytes(1200))
	require.Equal(t, "0 B", Bytes(-1))
}

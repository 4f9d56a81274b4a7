package main_test

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"
)

// TestUnattended runs as a scheduler does: quietly, with a log, without HOME or terminal.
func TestUnattended(t *testing.T) {
	d := newDesk(t)
	d.write("find.csv", "no,name\n1,ant\n2,bee,x\n")
	bare := func(status int, args ...string) (out string) {
		c := d.command(args...)
		c.Env = []string{"PATH=/usr/bin:/bin"}
		text, _ := c.CombinedOutput()
		require.Equal(t, status, c.ProcessState.ExitCode(), string(text))
		return string(text)
	}
	require.Empty(t, bare(3, "load", "find.csv", "--to", "museum.db", "--quiet", "--log", "night.log"))
	require.Contains(t, bare(5, "load", "find.csv", "--to", "museum.db", "--quiet", "--log", "night.log"), "was already loaded into find")
	require.Empty(t, bare(0, "verify", "find.tray", "--to", "museum.db", "--quiet", "--log", "night.log"))
	var events []string
	for line := range strings.Lines(d.read("night.log")) {
		var e map[string]any
		require.NoError(t, json.Unmarshal([]byte(line), &e), line)
		events = append(events, fmt.Sprint(e["command"], " ", e["msg"], " ", e["status"], " ", e["loaded"]))
	}
	require.Equal(t, []string{
		"load begun <nil> <nil>", "load loaded <nil> 1", "load ended 3 <nil>",
		"load begun <nil> <nil>", "load failed 5 <nil>", "load ended 5 <nil>",
		"verify begun <nil> <nil>", "verify verified <nil> <nil>", "verify ended 0 <nil>",
	}, events)
	out, _ := d.run(1, "load", "missing.csv", "--to", "museum.db", "--quiet", "--json")
	require.Contains(t, out, `"what": "open missing.csv: no such file or directory"`, "an error is not quiet")
	_, errOut := d.run(1, "load", "find.csv", "--to", "museum.db", "--log", "missing/night.log")
	require.Contains(t, errOut, "missing/night.log")
	_, errOut = d.run(2, "load", "find.csv", "--to", "museum.db", "--progress", "often")
	require.Contains(t, errOut, "write auto, plain, json or none")
	_, errOut = d.run(3, "check", "find.csv", "--progress", "plain")
	require.Regexp(t, `^(\d{4}-\d\d-\d\d \d\d:\d\d:\d\d  [a-z]+ing ended[^\n]*\n)+$`, errOut, "what is soon done needs no other line")
	_, errOut = d.run(3, "check", "find.csv", "--progress", "json")
	for line := range strings.Lines(errOut) {
		var e map[string]any
		require.NoError(t, json.Unmarshal([]byte(line), &e), line)
		require.Contains(t, fmt.Sprint(e["event"]), "ing")
	}
}

// TestTimeLimit stops a load: all of it, or after its last checkpoint.
func TestTimeLimit(t *testing.T) {
	d := newDesk(t)
	d.writeMany("find.csv", "no,name,note", "@,name of @,a note that makes it longer", 300_000)
	d.run(0, "draft", "find.csv")
	_, errOut := d.run(7, "load", "find.tray", "--to", "museum.db", "--within", "200ms")
	require.Contains(t, errOut, "the time limit of 200ms is over: everything was rolled back")
	require.NoFileExists(t, filepath.Join(d.dir, "museum.db"))

	to, table := targets(t)["postgres"], uniqueTable(t)
	on(t, to, "CREATE TABLE "+table+" (no integer PRIMARY KEY, name varchar(40), note varchar(40))",
		"CREATE FUNCTION nap_of_"+table+"() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN PERFORM pg_sleep(300); RETURN NEW; END'",
		"CREATE TRIGGER nap BEFORE INSERT ON "+table+" FOR EACH ROW WHEN (NEW.no = 250000) EXECUTE FUNCTION nap_of_"+table+"()")
	d.run(0, "draft", "find.csv", "--table", table, "--tray", "nap.tray", "--change", "existing=append")
	status := 7
	for limit := time.Second; status == 7; limit *= 2 { // until it is long enough for a checkpoint
		c := d.command("load", "nap.tray", "--to", to, "--within", limit.String(), "--commit-every", "5000")
		said, _ := c.CombinedOutput()
		status, errOut = c.ProcessState.ExitCode(), string(said)
	}
	require.Equal(t, 6, status, errOut)
	require.Regexp(t, `the time limit of [0-9a-z]+ is over; [0-9,]+ rows committed`, errOut)
	on(t, to, "DROP TRIGGER nap ON "+table)
	out, _ := d.run(0, "load", "nap.tray", "--to", to, "--commit-every", "200000", "--verify", "counts")
	require.Contains(t, out, "of them before it was interrupted")
	d.run(0, "verify", "nap.tray", "--to", to)
}

// TestRetries tries again what was locked, and not what is wrong.
func TestRetries(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.write("find.csv", "no\n1\n2\n")
	d.run(0, "load", "find.csv", "--to", "museum.db")
	d.write("more.csv", "no\n3\n")
	unlock := d.lock("museum.db")
	_, errOut := d.run(7, "load", "find.tray", "more.csv", "--to", "museum.db")
	require.Contains(t, errOut, "locked by another session")
	c := d.command("load", "find.tray", "more.csv", "--to", "museum.db", "--retries", "3")
	said := &sayings{until: "try 1 of 3 begins in 1s", then: unlock}
	c.Stderr = said
	require.NoError(t, c.Run(), said.text.String())
	require.Nil(t, said.then, said.text.String())
	require.Equal(t, "3", d.query("SELECT count(*) FROM find"))
	_, errOut = d.run(1, "load", "missing.csv", "--to", "museum.db", "--retries", "3")
	require.NotContains(t, errOut, "try 1")
}

// sayings keeps what a program writes, and calls then once it has said something.
type sayings struct {
	text  strings.Builder
	until string
	then  func() // nil when it was called
}

// Write implements io.Writer.
func (s *sayings) Write(p []byte) (int, error) {
	s.text.Write(p)
	if s.then != nil && strings.Contains(s.text.String(), s.until) {
		s.then()
		s.then = nil
	}
	return len(p), nil
}

// lock writes to a database until unlock is called.
func (d *desk) lock(file string) (unlock func()) {
	locked, release := make(chan error), make(chan bool)
	go func() {
		conn, err := sqlite.OpenConn(filepath.Join(d.dir, file))
		if err == nil {
			defer conn.Close()
			err = sqlitex.ExecuteTransient(conn, "BEGIN IMMEDIATE", nil)
		}
		locked <- err
		<-release
	}()
	require.NoError(d, <-locked)
	return func() { close(release) }
}

package main_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"ambertray/demo"
)

var program string

// TestMain builds the program that every test runs.
func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "ambertray-test-")
	if err != nil {
		panic(err)
	}
	program = filepath.Join(dir, "ambertray")
	build := exec.Command("go", "build", "-o", program, ".")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	out, err := build.CombinedOutput()
	if err != nil {
		fmt.Fprintf(os.Stderr, "%s\n%v\n", out, err)
		os.Exit(1)
	}
	status := m.Run()
	os.RemoveAll(dir)
	os.Exit(status)
}

// desk is a temporary folder in which the program runs.
type desk struct {
	testing.TB
	dir string
}

func newDesk(t testing.TB) *desk {
	t.Helper()
	d := &desk{t, t.TempDir()}
	for _, name := range []string{"specimens.csv", "loans.csv"} {
		text, err := demo.Files.ReadFile(name)
		require.NoError(t, err)
		d.write(name, string(text))
	}
	return d
}

func (d *desk) write(name, text string) {
	d.Helper()
	require.NoError(d, os.MkdirAll(filepath.Dir(filepath.Join(d.dir, name)), 0o700))
	require.NoError(d, os.WriteFile(filepath.Join(d.dir, name), []byte(text), 0o600))
}

// writeMany writes a header and a number of records, in which @ is their number.
func (d *desk) writeMany(name, header, record string, records int) {
	d.Helper()
	var text strings.Builder
	text.WriteString(header + "\n")
	for i := range records {
		text.WriteString(strings.ReplaceAll(record, "@", strconv.Itoa(i)) + "\n")
	}
	d.write(name, text.String())
}

func (d *desk) read(name string) string {
	d.Helper()
	text, err := os.ReadFile(filepath.Join(d.dir, name))
	require.NoError(d, err)
	return string(text)
}

func (d *desk) command(args ...string) *exec.Cmd {
	c := exec.Command(program, args...)
	c.Dir = d.dir
	return c
}

// run runs the program and wants an exit status.
func (d *desk) run(status int, args ...string) (out, errOut string) {
	d.Helper()
	var o, e bytes.Buffer
	c := d.command(args...)
	c.Stdout, c.Stderr = &o, &e
	err := c.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(d, err)
	}
	require.Equal(d, status, c.ProcessState.ExitCode(), "%v\n%s%s", args, o.String(), e.String())
	require.NotContains(d, o.String()+e.String(), "\x1b[", "no colour in a pipe")
	require.NotContains(d, e.String(), "goroutine ")
	return o.String(), e.String()
}

// json runs the program with --json and reads what it writes.
func (d *desk) json(status int, args ...string) map[string]any {
	d.Helper()
	out, _ := d.run(status, append(args, "--json")...)
	var v map[string]any
	require.NoError(d, json.Unmarshal([]byte(out), &v), out)
	return v
}

// script runs the statements of a file on museum.db.
func (d *desk) script(name string) {
	d.Helper()
	conn, err := sqlite.OpenConn(filepath.Join(d.dir, "museum.db"))
	require.NoError(d, err)
	defer conn.Close()
	for text := d.read(name); strings.TrimSpace(text) != ""; {
		stmt, rest, err := conn.PrepareTransient(text)
		require.NoError(d, err)
		_, err = stmt.Step()
		require.NoError(d, err)
		require.NoError(d, stmt.Finalize())
		text = text[len(text)-rest:]
	}
}

// age makes files look as if they had been written a while ago.
func (d *desk) age(names ...string) {
	then := time.Now().Add(-time.Minute)
	for _, name := range names {
		require.NoError(d, os.Chtimes(filepath.Join(d.dir, name), then, then))
	}
}

// query returns the values of a query on museum.db, joined by |.
func (d *desk) query(sql string) string { return d.queryIn("museum.db", sql) }

func (d *desk) queryIn(file, sql string) string {
	d.Helper()
	conn, err := sqlite.OpenConn(filepath.Join(d.dir, file), sqlite.OpenReadOnly)
	require.NoError(d, err)
	defer conn.Close()
	var cells []string
	require.NoError(d, sqlitex.Execute(conn, sql, &sqlitex.ExecOptions{ResultFunc: func(s *sqlite.Stmt) error {
		for i := range s.ColumnCount() {
			cells = append(cells, s.ColumnText(i))
		}
		return nil
	}}))
	return strings.Join(cells, "|")
}

// targets are a URL for each database; the servers come from test.sh.
func targets(t testing.TB) map[string]string {
	url := os.Getenv("AMBERTRAY_TEST_POSTGRES")
	require.NotEmpty(t, url, "start the tests with ./test.sh, which starts the servers")
	mysql := os.Getenv("AMBERTRAY_TEST_MYSQL")
	require.NotEmpty(t, mysql, "start the tests with ./test.sh, which starts the servers")
	sqlserver := os.Getenv("AMBERTRAY_TEST_SQLSERVER")
	require.NotEmpty(t, sqlserver, "start the tests with ./test.sh, which starts the servers")
	return map[string]string{"sqlite": "museum.db", "postgres": url, "mysql": mysql, "sqlserver": sqlserver}
}

// onEach runs a test on all databases side by side, each with a desk of its own. An SQLite file has its
// whole path.
func onEach(t *testing.T, test func(t *testing.T, d *desk, name, to string)) {
	for name, to := range targets(t) {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			d := newDesk(t)
			if name == "sqlite" {
				to = filepath.Join(d.dir, to)
			}
			test(t, d, name, to)
		})
	}
}

// inDatabase is the URL of another database of a server.
func inDatabase(address, name string) string {
	before, after, ok := strings.Cut(address, "?database=museum")
	if ok {
		return before + "?database=" + name + after
	}
	return address[:strings.LastIndex(address, "/")+1] + name
}

// uniqueTable names a table that no other test uses.
func uniqueTable(t testing.TB) string {
	return fmt.Sprintf("t_%d_%d", os.Getpid(), time.Now().UnixNano())
}

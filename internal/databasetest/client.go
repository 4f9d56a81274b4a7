package databasetest

import (
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/dialect"
)

// PSQL returns PostgreSQL's own client for the server of the tests.
func PSQL(t testing.TB, args ...string) *exec.Cmd {
	address := os.Getenv("AMBERTRAY_TEST_POSTGRES")
	require.NotEmpty(t, address, "start the tests with ./test.sh, which starts the servers")
	args = append([]string{"-X", "-qAt", "-v", "ON_ERROR_STOP=1"}, args...)
	return exec.Command("psql", append(args, address)...)
}

// MariaDB returns MariaDB's own client for the server of the tests.
func MariaDB(t testing.TB, args ...string) *exec.Cmd {
	address, err := url.Parse(os.Getenv("AMBERTRAY_TEST_MYSQL"))
	require.NoError(t, err)
	require.NotEmpty(t, address.Host, "start the tests with ./test.sh, which starts the servers")
	args = append([]string{"--no-defaults", "-h", address.Hostname(), "-P", address.Port(), "-u", address.User.Username()}, args...)
	return exec.Command("mariadb", append(args, strings.TrimPrefix(address.Path, "/"))...)
}

// Script runs a script with the client of a server, in the folder of the script, and returns what
// the client prints. The file is the database if the dialect is that of SQLite.
func Script(t testing.TB, d *dialect.Dialect, file, script string) string {
	t.Helper()
	out, err := TryScript(t, d, file, script)
	require.NoError(t, err, "%s: %s", script, out)
	return out
}

// TryScript is Script for one that may fail.
func TryScript(t testing.TB, d *dialect.Dialect, file, script string) (string, error) {
	t.Helper()
	folder, name := filepath.Split(script)
	c := exec.Command("sqlite3", file, ".read "+name)
	switch d {
	case dialect.PostgreSQL:
		c = PSQL(t, "-f", name)
	case dialect.MySQL:
		text, err := os.Open(script)
		require.NoError(t, err)
		defer text.Close()
		c = MariaDB(t, "--local-infile=1", "-N")
		c.Stdin = text
	}
	c.Dir = folder
	out, err := c.CombinedOutput()
	return string(out), err
}

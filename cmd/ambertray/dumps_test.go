package main_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/databasetest"
)

// TestServerText loads what servers and their clients write, with their escapes, and lets the
// servers load what is exported with these.
func TestServerText(t *testing.T) {
	postgres := func(statement string) *exec.Cmd { return databasetest.PSQL(t, "-c", statement) }
	mysql := func(statement string) *exec.Cmd {
		return databasetest.MariaDB(t, "--local-infile=1", "--default-character-set=utf8mb4", "-B", "-e", statement)
	}
	for _, c := range []struct {
		server, name, write, read string
		export                    []string
		client                    func(statement string) *exec.Cmd
	}{
		{"postgres", "text", `\copy @table to @file`, `\copy @table from @file`, []string{"--delimiter", "tab"}, postgres},
		{"postgres", "bars", `\copy @table to @file (delimiter '|', header)`, `\copy @table from @file (delimiter '|')`, []string{"--delimiter", "|", "--quote", `"`}, postgres},
		{"mysql", "text", `SELECT * FROM @table INTO OUTFILE @file`, `LOAD DATA LOCAL INFILE @file INTO TABLE @table CHARACTER SET utf8mb4`, []string{"--delimiter", "tab"}, mysql},
		{"mysql", "quoted", `SELECT * FROM @table INTO OUTFILE @file CHARACTER SET utf8mb4 FIELDS TERMINATED BY ',' OPTIONALLY ENCLOSED BY '"' LINES TERMINATED BY '\r\n'`,
			`LOAD DATA LOCAL INFILE @file INTO TABLE @table CHARACTER SET utf8mb4 FIELDS TERMINATED BY ',' ENCLOSED BY '"' LINES TERMINATED BY '\r\n'`,
			[]string{"--quote-all", "--quote", `"`, "--line-end", "crlf"}, mysql},
	} {
		t.Run(c.server+" "+c.name, func(t *testing.T) {
			d, to := newDesk(t), targets(t)[c.server]
			shared, err := os.MkdirTemp("", "dump") // where the server may write
			require.NoError(t, err)
			t.Cleanup(func() { os.RemoveAll(shared) })
			require.NoError(t, os.Chmod(shared, 0o777))
			run := func(statement, table, file string) {
				out, err := c.client(strings.NewReplacer("@table", table, "@file", "'"+file+"'").Replace(statement)).CombinedOutput()
				require.NoError(t, err, "%s: %s", statement, out)
			}
			rows := func(table string) string {
				out, _ := d.run(0, "export", "--query", "SELECT * FROM "+table+" ORDER BY 1", "--from", to, "--out", "-", "--no-header")
				return out
			}
			table, dump := uniqueTable(t), filepath.Join(shared, "dump.txt")
			d.write("finds.csv", randomFile(5, "t", `"`, ",", "\n", "\t", "é", " ", "|", `\`, "N"))
			d.run(0, "load", "finds.csv", "--to", to, "--table", table)

			run(c.write, table, dump)
			plan := []string{"load", dump, "--to", to, "--table", table + "_again"}
			loaded := d.json(0, plan...)
			require.Equal(t, 300.0, loaded["counts"].(map[string]any)["loaded"])
			require.Equal(t, rows(table), rows(table+"_again"))

			d.run(0, append([]string{"export", table, "--from", to, "--out", "out.txt", "--no-header", "--escape", "server"}, c.export...)...)
			run("CREATE TABLE "+table+"_back AS SELECT * FROM "+table+" WHERE no < 0", table, "")
			run(c.read, table+"_back", filepath.Join(d.dir, "out.txt"))
			require.Equal(t, rows(table), rows(table+"_back"))
		})
	}
}

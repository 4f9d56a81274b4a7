package handover_test

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/connect"
	"ambertray/internal/databasetest"
	"ambertray/internal/dialect"
	"ambertray/internal/handover"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// client is a dialect whose server has a client that the person at the other side uses.
type client struct {
	dialect *dialect.Dialect
	day     string // that a date is changed to
	days    string // what is said of a date that was changed
}

var clients = []client{
	{dialect.PostgreSQL, "2026-02-27", changedDay},
	{dialect.SQLite, "about 2026-02", "expected NULLs 1, bytes 20; found NULLs 1, bytes 23"},
	{dialect.MySQL, "2026-02-27", changedDay},
}

const changedDay = "expected NULLs 1, least 1066-10-14, greatest 2026-02-28, sum of days -309381; found NULLs 1, least 1066-10-14, greatest 2026-02-27, sum of days -309382"

// awkwardTray has a column of every type, rows of awkward values and of NULLs, and one
// record that does not fit.
func awkwardTray(t *testing.T, name string) *tray.Tray {
	var heads, cells []string
	tab := table.Table{Name: name, Key: []string{"id"}, Indexes: [][]string{{"day"}}, Comment: `Loans; "all" of it's kind \`}
	for _, a := range awkward {
		typ, err := table.ParseType(a.typ)
		require.NoError(t, err)
		heads, cells = append(heads, quoted(a.name)), append(cells, quoted(a.cell))
		tab.Columns = append(tab.Columns, table.Column{From: a.name, Name: a.name, Type: typ, Nullable: a.name != "id"})
	}
	blanks := strings.Repeat(",", len(cells)-1) + "\n"
	second := append([]string{"9"}, cells[1:]...)
	second[7], second[9] = "1066-10-14", "1066-10-14 09:00:00"
	text := strings.Join(heads, ",") + "\n" + strings.Join(cells, ",") + "\n8" + blanks + strings.Join(second, ",") + "\nx" + blanks
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "source.csv"), []byte(text), 0o600))
	return &tray.Tray{Dir: filepath.Join(dir, "source.tray"), Files: []string{"source.csv"}, Layout: source.DefaultLayout(), Table: tab}
}

func quoted(text string) string { return `"` + strings.ReplaceAll(text, `"`, `""`) + `"` }

// TestBulk loads handovers with nothing but the servers' own clients, which find that
// all agrees, and then what was changed.
func TestBulk(t *testing.T) {
	for _, c := range clients {
		for _, o := range []handover.Options{{Dialect: c.dialect}, {Dialect: c.dialect, Part: 2}, {Dialect: c.dialect, Inserts: true}} {
			t.Run(fmt.Sprintf("%s, %d, %t", c.dialect.Name, o.Part, o.Inserts), func(t *testing.T) {
				name := fmt.Sprintf("loan of %d.amber", os.Getpid())
				tr := awkwardTray(t, strings.ReplaceAll(name, ".", "_"))
				folder, file := filepath.Join(t.TempDir(), "out"), filepath.Join(t.TempDir(), "museum.db")
				r, err := handover.Run(context.Background(), tr, &source.Opener{}, folder, o)
				require.NoError(t, err)
				require.Equal(t, []int64{4, 3, 1}, []int64{r.Counts.Read, r.Counts.Rows, r.Counts.Rejected})
				run := func(script, text string) string {
					if text != "" {
						require.NoError(t, os.WriteFile(filepath.Join(folder, script), []byte(text), 0o600))
					}
					return databasetest.Script(t, c.dialect, file, filepath.Join(folder, script))
				}
				quotedName := c.dialect.QuoteTable(tr.Table.Name)
				run("drop.sql", "DROP TABLE IF EXISTS "+quotedName+";\n")
				run("load.sql", "")
				answer := run("verify.sql", "")
				require.Equal(t, len(awkward)+1, strings.Count(answer, "agrees"), answer)
				require.Equal(t, len(awkward)+1, strings.Count(answer, "\n"), answer)
				run("change.sql", "UPDATE "+quotedName+" SET note = 'other' WHERE id = 7;\nUPDATE "+quotedName+" SET day = '"+c.day+"' WHERE id = 7;\n")
				answer = run("verify.sql", "")
				require.Equal(t, len(awkward)-1, strings.Count(answer, "agrees"), answer)
				require.Contains(t, answer, "expected NULLs 1, bytes 32; found NULLs 1, bytes 21")
				require.Contains(t, answer, c.days)
				run("drop.sql", "")
				sums := exec.Command("sha256sum", "-c", "SHA256SUMS")
				sums.Dir = folder
				out, err := sums.CombinedOutput()
				require.NoError(t, err, string(out))
			})
		}
	}
}

// TestTwice runs scripts of a table without a key twice. The second run fails and adds no rows.
func TestTwice(t *testing.T) {
	for _, c := range clients {
		for _, inserts := range []bool{false, true} {
			name := fmt.Sprintf("twice_%d", os.Getpid())
			tr, file, folder := awkwardTray(t, name), filepath.Join(t.TempDir(), "museum.db"), filepath.Join(t.TempDir(), "out")
			tr.Table.Key, tr.Table.Indexes = nil, nil
			_, err := handover.Run(context.Background(), tr, &source.Opener{}, folder, handover.Options{Dialect: c.dialect, Inserts: inserts})
			require.NoError(t, err)
			script := func(name string) string { return filepath.Join(folder, name) }
			databasetest.Script(t, c.dialect, file, script("load.sql"))
			_, err = databasetest.TryScript(t, c.dialect, file, script("load.sql"))
			require.Error(t, err, "%s, %t", c.dialect.Name, inserts)
			require.Equal(t, len(awkward)+1, strings.Count(databasetest.Script(t, c.dialect, file, script("verify.sql")), "agrees"))
			require.NoError(t, os.WriteFile(script("drop.sql"), []byte("DROP TABLE "+name+";\n"), 0o600))
			databasetest.Script(t, c.dialect, file, script("drop.sql"))
		}
	}
}

// TestStandard loads and verifies the scripts in standard SQL, with the client of a server that
// understands the types of this table.
func TestStandard(t *testing.T) {
	for _, inserts := range []bool{false, true} {
		tr, folder := awkwardTray(t, fmt.Sprintf("standard_%d", os.Getpid())), filepath.Join(t.TempDir(), "out")
		for i := range tr.Table.Columns {
			c := &tr.Table.Columns[i]
			c.LeaveOut = c.Type.Kind == table.Text || c.Type.Kind == table.UUID
		}
		r, err := handover.Run(context.Background(), tr, &source.Opener{}, folder, handover.Options{Dialect: dialect.ANSI, Inserts: inserts})
		require.NoError(t, err)
		require.Len(t, r.Files, 6, "a script with the rows, the definition, the queries, the columns, the rejects, the README")
		out := databasetest.Script(t, dialect.PostgreSQL, "", filepath.Join(folder, "load.sql"))
		require.Empty(t, out)
		answer := databasetest.Script(t, dialect.PostgreSQL, "", filepath.Join(folder, "verify.sql"))
		require.Equal(t, len(tr.Table.Loaded())+1, strings.Count(answer, "agrees"), answer)
		require.NoError(t, os.WriteFile(filepath.Join(folder, "drop.sql"), []byte("DROP TABLE "+tr.Table.Name+";\n"), 0o600))
		databasetest.Script(t, dialect.PostgreSQL, "", filepath.Join(folder, "drop.sql"))
	}
}

// TestLines writes many columns and long texts for Oracle, whose client ignores long lines.
func TestLines(t *testing.T) {
	var text strings.Builder
	tab := table.Table{Name: "wide"}
	for i := range 300 {
		name := fmt.Sprintf("note, of drawer %d", i)
		tab.Columns = append(tab.Columns, table.Column{From: name, Name: name, Type: table.Type{Kind: table.Text}})
		fmt.Fprintf(&text, "%q,", name)
	}
	heads := strings.TrimSuffix(text.String(), ",") + "\n"
	long := strings.Repeat("it's, ", 2000)
	row := strings.Repeat(`"moth, || ant`+"\n"+`",`, 299) + `"` + long + `"` + "\n"
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "source.csv"), []byte(heads+row), 0o600))
	tr := &tray.Tray{Dir: filepath.Join(dir, "source.tray"), Files: []string{"source.csv"}, Layout: source.DefaultLayout(), Table: tab}
	for _, inserts := range []bool{false, true} {
		folder := filepath.Join(t.TempDir(), "out")
		_, err := handover.Run(context.Background(), tr, &source.Opener{}, folder, handover.Options{Dialect: dialect.Oracle, Inserts: inserts})
		require.NoError(t, err)
		scripts, err := filepath.Glob(filepath.Join(folder, "*.sql"))
		require.NoError(t, err)
		require.Len(t, scripts, 3)
		for _, s := range scripts {
			script, err := os.ReadFile(s)
			require.NoError(t, err)
			for line := range strings.Lines(string(script)) {
				require.Less(t, len(line), 2500, "SQL*Plus ignores longer lines: %s", s)
				require.False(t, strings.HasSuffix(line, "-\n"), "which would go on in the next line")
			}
			if inserts && filepath.Base(s) == "load.sql" {
				pieces := strings.ReplaceAll(strings.ReplaceAll(string(script), "\n    ", " "), "') || TO_CLOB('", "")
				require.Contains(t, pieces, strings.ReplaceAll(long[:len(long)-1100], "'", "''"))
			}
		}
	}
}

// TestStandIn runs the handovers for SQL Server on the stand-in, which has no BULK INSERT: the
// rows come as INSERT statements there.
func TestStandIn(t *testing.T) {
	ctx := context.Background()
	to, err := connect.Open(ctx, os.Getenv("AMBERTRAY_TEST_SQLSERVER"), connect.Options{})
	require.NoError(t, err)
	defer to.Close()
	name := fmt.Sprintf("loan of amber %d", os.Getpid())
	quotedName := dialect.SQLServer.QuoteTable(name)
	for _, inserts := range []bool{false, true} {
		folder := filepath.Join(t.TempDir(), "out")
		tr := awkwardTray(t, name)
		tr.Table.Column("essay").Type.Characters = table.Unicode
		r, err := handover.Run(ctx, tr, &source.Opener{}, folder, handover.Options{Dialect: dialect.SQLServer, Inserts: inserts})
		require.NoError(t, err)
		require.Equal(t, int64(3), r.Counts.Rows)
		read := func(script string) string {
			text, err := os.ReadFile(filepath.Join(folder, script))
			require.NoError(t, err)
			return string(text)
		}
		_, err = to.Exec(ctx, regexp.MustCompile(`(?m)^BULK INSERT .*$`).ReplaceAllString(read("load.sql"), ""))
		require.NoError(t, err)
		agrees := func() (n int) {
			rows, err := to.Query(ctx, read("verify.sql"))
			require.NoError(t, err)
			require.Len(t, rows, len(awkward)+1)
			for _, row := range rows {
				if row[2] == "agrees" {
					n++
				}
			}
			return n
		}
		if inserts {
			require.Equal(t, len(awkward)+1, agrees())
			n, err := to.Exec(ctx, "UPDATE "+quotedName+" SET note = 'other', [x; DROP TABLE y --] = 0.05 WHERE id = 7")
			require.Equal(t, int64(1), n)
			require.NoError(t, err)
			require.Equal(t, len(awkward)-1, agrees())
		} else {
			require.Zero(t, agrees(), "no row has arrived")
		}
		_, err = to.Exec(ctx, "DROP TABLE "+quotedName)
		require.NoError(t, err)
	}
}

// TestFolder leaves nothing that is not whole, and overwrites nothing.
func TestFolder(t *testing.T) {
	ctx, tr, parent := context.Background(), awkwardTray(t, "loan"), t.TempDir()
	run := func(ctx context.Context, folder string, o handover.Options) error {
		o.Dialect = dialect.PostgreSQL
		_, err := handover.Run(ctx, tr, &source.Opener{}, filepath.Join(parent, folder), o)
		return err
	}
	require.NoError(t, os.MkdirAll(filepath.Join(parent, "full", "x"), 0o700))
	require.NoError(t, os.Mkdir(filepath.Join(parent, "empty"), 0o700))
	require.ErrorIs(t, run(ctx, "full", handover.Options{}), handover.ErrFolder)
	require.ErrorIs(t, run(ctx, filepath.Join("none", "out"), handover.Options{}), os.ErrNotExist)
	none, err := table.ParseAllowance("0")
	require.NoError(t, err)
	tr.Table.Allow = none
	require.ErrorIs(t, run(ctx, "rejected", handover.Options{}), handover.ErrTooMany)
	tr.Table.Allow = table.Allowance{}
	stopped, stop := context.WithCancel(ctx)
	require.ErrorIs(t, run(stopped, "stopped", handover.Options{Progress: func(pass.Progress) { stop() }}), context.Canceled)
	require.NoError(t, run(ctx, "empty", handover.Options{Pack: true}))
	list, err := os.ReadDir(parent)
	require.NoError(t, err)
	require.Len(t, list, 2, "the full one and the one that is whole: %v", list)
	_, err = os.Stat(filepath.Join(parent, "empty", "rows.txt.gz"))
	require.NoError(t, err)

	text, err := os.ReadFile(filepath.Join(parent, "empty", "columns.json"))
	require.NoError(t, err)
	var schema struct {
		Properties map[string]struct {
			Type      any
			MaxLength int
		}
	}
	require.NoError(t, json.Unmarshal(text, &schema))
	require.Len(t, schema.Properties, len(awkward))
	require.Equal(t, 40, schema.Properties["note"].MaxLength)
	require.Equal(t, "integer", schema.Properties["id"].Type)

	tr.Table.Columns[3].Comment = "priced in $(currency)"
	_, err = handover.Run(ctx, tr, &source.Opener{}, filepath.Join(parent, "variable"), handover.Options{Dialect: dialect.SQLServer})
	require.ErrorIs(t, err, handover.ErrVariable)
	blank := ""
	tr.Table.Columns[12].Default = &blank
	_, err = handover.Run(ctx, tr, &source.Opener{}, filepath.Join(parent, "blank"), handover.Options{Dialect: dialect.SQLite})
	require.ErrorIs(t, err, handover.ErrBlank)
}

// TestParquet has the rows read by another program than the one that wrote them.
func TestParquet(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "out")
	_, err := handover.Run(context.Background(), awkwardTray(t, "loan"), &source.Opener{}, folder, handover.Options{Dialect: dialect.ANSI, Parquet: true})
	require.NoError(t, err)
	node := exec.Command("node", "--input-type=module", "-e", `
		import { asyncBufferFromFile, parquetReadObjects } from 'hyparquet'
		import { compressors } from 'hyparquet-compressors'
		const rows = await parquetReadObjects({ file: await asyncBufferFromFile(process.argv[1]), compressors })
		console.log(JSON.stringify(rows, (_, v) => typeof v === 'bigint' ? v.toString() : v))`, filepath.Join(folder, "rows.parquet"))
	node.Dir = os.Getenv("AMBERTRAY_TEDIOUS")
	out, err := node.CombinedOutput()
	require.NoError(t, err, string(out))
	var rows []map[string]any
	require.NoError(t, json.Unmarshal(out, &rows), string(out))
	require.Len(t, rows, 3)
	first := rows[0]
	require.Equal(t, "9223372036854775807", first[`say "when"`])
	require.Equal(t, []any{float64(7), float64(-5), true, -0.05, 1.5e-07, "00123", "line 1\n\\.\nline 2; -- 漢字 😀"},
		[]any{first["id"], first["order"], first["select"], first["x; DROP TABLE y --"], first["größe"], first["code"], first["essay"]})
	require.Equal(t, []any{"2026-02-28T00:00:00.000Z", "2026-02-28T10:00:01.250Z", "2026-02-28T10:00:01.000Z"}, []any{first["day"], first["moment"], first["instant"]})
	require.Nil(t, rows[1]["note"])
}

// TestGrammar reads the scripts for servers that are not here by the grammars of others.
func TestGrammar(t *testing.T) {
	tr := awkwardTray(t, "loan of amber")
	script, err := filepath.Abs("testdata/grammar.cjs")
	require.NoError(t, err)
	for grammar, d := range map[string]*dialect.Dialect{"TSQL": dialect.SQLServer, "PLSQL": dialect.Oracle} {
		args := []string{script, grammar}
		for _, inserts := range []bool{false, true} {
			folder := filepath.Join(t.TempDir(), "out")
			_, err := handover.Run(context.Background(), tr, &source.Opener{}, folder, handover.Options{Dialect: d, Inserts: inserts})
			require.NoError(t, err)
			args = append(args, filepath.Join(folder, "load.sql"))
			if !inserts {
				args = append(args, filepath.Join(folder, "verify.sql"))
			}
		}
		node := exec.Command("node", args...)
		node.Env = append(os.Environ(), "NODE_PATH="+filepath.Join(os.Getenv("AMBERTRAY_TEDIOUS"), "node_modules"))
		out, err := node.CombinedOutput()
		require.NoError(t, err, string(out))
		require.Empty(t, string(out), d.Title)
	}
}

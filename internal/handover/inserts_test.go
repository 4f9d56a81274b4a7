package handover_test

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/hex"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	_ "github.com/go-sql-driver/mysql"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"ambertray/internal/databasetest"
	"ambertray/internal/dialect"
	"ambertray/internal/handover"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// inserts returns the script of a handover of INSERT statements.
func inserts(t *testing.T, tr *tray.Tray, d *dialect.Dialect) (*handover.Receipt, string) {
	folder := filepath.Join(t.TempDir(), "out")
	r, err := handover.Run(context.Background(), tr, &source.Opener{}, folder, handover.Options{Dialect: d, Inserts: true})
	require.NoError(t, err)
	text, err := os.ReadFile(filepath.Join(folder, "load.sql"))
	require.NoError(t, err)
	return r, string(text)
}

// server runs statements on a real server and asks for rows as text.
type server struct {
	dialect *dialect.Dialect
	exec    func(script string) error
	query   func(sql string) [][]string
	columns string // asks for name, type, nullable, default and comment of the columns of %s
	asText  string // turns an expression into text
}

func servers(t *testing.T) []server {
	t.Helper()
	return []server{openSQLite(t), openPostgres(t), openMySQL(t)}
}

func openSQLite(t *testing.T) server {
	conn, err := sqlite.OpenConn(filepath.Join(t.TempDir(), "museum.db"))
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	return server{
		dialect: dialect.SQLite,
		exec: func(script string) error {
			script = strings.TrimPrefix(script, ".bail on\n") // a command of its client
			for strings.TrimSpace(script) != "" {
				stmt, rest, err := conn.PrepareTransient(script)
				if err != nil {
					return fmt.Errorf("%w in %.300s", err, script)
				}
				_, err = stmt.Step()
				stmt.Finalize()
				if err != nil {
					return err
				}
				script = script[len(script)-rest:]
			}
			return nil
		},
		query: func(sql string) (rows [][]string) {
			err := sqlitex.ExecuteTransient(conn, sql, &sqlitex.ExecOptions{ResultFunc: func(stmt *sqlite.Stmt) error {
				var row []string
				for i := range stmt.ColumnCount() {
					row = append(row, stmt.ColumnText(i))
				}
				rows = append(rows, row)
				return nil
			}})
			require.NoError(t, err, sql)
			return rows
		},
		columns: `SELECT name, type, CASE "notnull" WHEN 1 THEN 'NO' ELSE 'YES' END, coalesce(dflt_value, ''), '' FROM pragma_table_info('%s') ORDER BY cid`,
		asText:  "CAST(%s AS TEXT)",
	}
}

func openPostgres(t *testing.T) server {
	address := os.Getenv("AMBERTRAY_TEST_POSTGRES")
	require.NotEmpty(t, address, "run ./test.sh, which starts the servers")
	conn, err := pgx.Connect(context.Background(), address)
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close(context.Background()) })
	return server{
		dialect: dialect.PostgreSQL,
		exec: func(script string) error {
			_, err := conn.PgConn().Exec(context.Background(), script).ReadAll()
			return err
		},
		query: func(sql string) (out [][]string) {
			rows, err := conn.Query(context.Background(), sql)
			require.NoError(t, err, sql)
			out, err = pgx.CollectRows(rows, func(row pgx.CollectableRow) ([]string, error) {
				cells := make([]string, len(row.FieldDescriptions()))
				into := make([]any, len(cells))
				for i := range cells {
					into[i] = &cells[i]
				}
				return cells, row.Scan(into...)
			})
			require.NoError(t, err, sql)
			return out
		},
		columns: `SELECT attname::text, format_type(atttypid, atttypmod), CASE WHEN attnotnull THEN 'NO' ELSE 'YES' END,
			coalesce(pg_get_expr(adbin, adrelid), ''), coalesce(col_description(attrelid, attnum), '')
			FROM pg_attribute LEFT JOIN pg_attrdef ON adrelid = attrelid AND adnum = attnum WHERE attrelid = '"%s"'::regclass AND attnum > 0 ORDER BY attnum`,
		asText: "%s::text",
	}
}

func openMySQL(t *testing.T) server {
	address, err := url.Parse(os.Getenv("AMBERTRAY_TEST_MYSQL"))
	require.NoError(t, err)
	require.NotEmpty(t, address.Host, "run ./test.sh, which starts the servers")
	db, err := sql.Open("mysql", fmt.Sprintf("%s@tcp(%s)%s?multiStatements=true", address.User, address.Host, address.Path))
	require.NoError(t, err)
	db.SetMaxOpenConns(1)
	t.Cleanup(func() { db.Close() })
	return server{
		dialect: dialect.MySQL,
		exec:    func(script string) error { _, err := db.Exec(script); return err },
		query: func(sql string) (out [][]string) {
			rows, err := db.Query(sql)
			require.NoError(t, err, sql)
			defer rows.Close()
			names, err := rows.Columns()
			require.NoError(t, err)
			for rows.Next() {
				cells := make([]string, len(names))
				into := make([]any, len(cells))
				for i := range cells {
					into[i] = &cells[i]
				}
				require.NoError(t, rows.Scan(into...))
				out = append(out, cells)
			}
			return out
		},
		columns: `SELECT column_name, column_type, is_nullable, coalesce(column_default, ''), column_comment
			FROM information_schema.columns WHERE table_schema = database() AND table_name = '%s' ORDER BY ordinal_position`,
		asText: "CAST(%s AS CHAR)",
	}
}

// awkward are a column of every type: its name, what the servers' catalogs call
// the type, and a value.
var awkward = []struct {
	name, typ, cell string
	catalog         [3]string // SQLite, PostgreSQL, MySQL
	stored          [3]string
}{
	{"id", "integer", "7", [3]string{"integer", "integer", "int(11)"}, [3]string{}},
	{"order", "smallint", "-5", [3]string{"smallint", "smallint", "smallint(6)"}, [3]string{}},
	{`say "when"`, "bigint", "9223372036854775807", [3]string{"bigint", "bigint", "bigint(20)"}, [3]string{}},
	{"a`b", "decimal(20,3)", "12345678901234567.125", [3]string{"text", "numeric(20,3)", "decimal(20,3)"}, [3]string{}},
	{"x; DROP TABLE y --", "decimal(5,2)", "-0.05", [3]string{"decimal(5,2)", "numeric(5,2)", "decimal(5,2)"}, [3]string{}},
	{"größe", "double", "1.5e-07", [3]string{"double", "double precision", "double"}, [3]string{"1.5e-07", "1.5e-07", "0.00000015"}},
	{"select", "boolean", "true", [3]string{"boolean", "boolean", "tinyint(1)"}, [3]string{"1", "true", "1"}},
	{"day", "date", "2026-02-28", [3]string{"date", "date", "date"}, [3]string{}},
	{"clock", "time", "10:00:01.250000", [3]string{"time", "time without time zone", "time(6)"}, [3]string{"", "10:00:01.25", ""}},
	{"moment", "timestamp", "2026-02-28 10:00:01.250000", [3]string{"timestamp", "timestamp without time zone", "datetime(6)"}, [3]string{"", "2026-02-28 10:00:01.25", ""}},
	{"instant", "timestamp with time zone", "2026-02-28 10:00:01Z", [3]string{"timestamp with time zone", "timestamp with time zone", "datetime(6)"},
		[3]string{"2026-02-28 10:00:01+00:00", "2026-02-28 10:00:01+00", "2026-02-28 10:00:01.000000"}},
	{"code", "char(5)", "00123", [3]string{"char(5)", "character(5)", "char(5)"}, [3]string{}},
	{"note", "varchar(40)", `it's \n "so" $(;`, [3]string{"varchar(40)", "character varying(40)", "varchar(40)"}, [3]string{}},
	{"essay", "text", "line 1\n\\.\nline 2; -- 漢字 😀", [3]string{"text", "text", "longtext"}, [3]string{}},
	{"tag", "uuid", "123e4567-e89b-12d3-a456-426614174000", [3]string{"char(36)", "uuid", "char(36)"}, [3]string{}},
}

// TestServers writes a table of every type with a row of awkward values, runs
// the script on each real server, and reads the definition and the row back.
func TestServers(t *testing.T) {
	var heads, cells []string
	tab := table.Table{
		Name: "loan of amber", Key: []string{"id", "code"}, Indexes: [][]string{{"day"}, {"select", "order"}}, Comment: `Loans; "all" of it's kind \`,
	}
	number, word := "3", `it's \`
	for _, a := range awkward {
		typ, err := table.ParseType(a.typ)
		require.NoError(t, err)
		heads = append(heads, `"`+strings.ReplaceAll(a.name, `"`, `""`)+`"`)
		cells = append(cells, `"`+strings.ReplaceAll(a.cell, `"`, `""`)+`"`)
		tab.Columns = append(tab.Columns, table.Column{From: a.name, Name: a.name, Type: typ, Nullable: !strings.Contains("id code", a.name)})
	}
	tab.Columns[1].Default, tab.Columns[1].Comment, tab.Columns[12].Default = &number, "how it's\nordered; \\", &word
	dir := t.TempDir()
	text := strings.Join(heads, ",") + "\n" + strings.Join(cells, ",") + "\n" + strings.Repeat(",", len(cells)-1) + "\n8" + strings.Repeat(",", len(cells)-4) + "00124,,,\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "source.csv"), []byte(text), 0o600))
	tr := &tray.Tray{Dir: filepath.Join(dir, "source.tray"), Files: []string{"source.csv"}, Layout: source.DefaultLayout(), Table: tab}

	for i, s := range servers(t) {
		t.Run(s.dialect.Name, func(t *testing.T) {
			_ = s.exec("DROP TABLE IF EXISTS " + s.dialect.Quote(tab.Name))
			res, text := inserts(t, tr, s.dialect)
			require.Equal(t, []int64{3, 2, 0, 1}, []int64{res.Counts.Read, res.Counts.Rows, res.Counts.Rejected, res.Counts.Skipped})
			require.NoError(t, s.exec(text), text)

			catalog := s.query(fmt.Sprintf(s.columns, tab.Name))
			require.Len(t, catalog, len(awkward))
			var terms []string
			for c, a := range awkward {
				require.Equal(t, a.name, catalog[c][0])
				require.True(t, strings.EqualFold(a.catalog[i], catalog[c][1]), "%s: %s", a.catalog[i], catalog[c][1])
				require.Equal(t, tab.Columns[c].Nullable, catalog[c][2] == "YES", a.name)
				terms = append(terms, fmt.Sprintf(s.asText, s.dialect.Quote(a.name)))
			}
			require.Contains(t, catalog[1][3], "3")
			if i > 0 {
				require.Equal(t, tab.Columns[1].Comment, catalog[1][4])
			}
			rows := s.query("SELECT " + strings.Join(terms, ", ") + " FROM " + s.dialect.Quote(tab.Name) + " WHERE id = 7")
			require.Len(t, rows, 1)
			for c, a := range awkward {
				want := a.cell
				if a.stored[i] != "" {
					want = a.stored[i]
				}
				require.Equal(t, want, rows[0][c], a.name)
			}
			rows = s.query("SELECT " + fmt.Sprintf(s.asText, s.dialect.Quote("order")) + ", note FROM " + s.dialect.Quote(tab.Name) + " WHERE id = 8")
			require.Equal(t, [][]string{{"3", word}}, rows, "the defaults stand in for blank cells")
			require.ErrorContains(t, s.exec(text), "exist")
			_ = s.exec("ROLLBACK")
		})
	}
}

// sqliteKeywords are those of the SQLite documentation that the lists of servers do not have.
const sqliteKeywords = `abort action after always attach autoincrement begin cast commit conflict detach exclusive fail first glob ignore immediate indexed initially
	instead isnull last match materialized notnull nulls offset others plan pragma query raise regexp reindex replace temp ties transaction vacuum virtual rowid oid`

// TestReservedWords makes a table on each server with a column for every word that any of them reserves, or has in its
// own list of keywords, and reads what was written: some words without quotes are values, such as the date of today.
func TestReservedWords(t *testing.T) {
	list := servers(t)
	words := append(dialect.ReservedWords(), strings.Fields(sqliteKeywords)...)
	for _, s := range list {
		query := map[string]string{"postgresql": "SELECT word FROM pg_get_keywords()", "mysql": "SELECT lower(word) FROM information_schema.keywords"}[s.dialect.Name]
		if query == "" {
			continue
		}
		for _, row := range s.query(query) {
			words = append(words, row[0])
		}
	}
	slices.Sort(words)
	words = slices.DeleteFunc(slices.Compact(words), func(w string) bool { return strings.Trim(w, "abcdefghijklmnopqrstuvwxyz_0123456789") != "" }) // signs
	require.Greater(t, len(words), 700)
	for _, s := range list {
		for some := range slices.Chunk(words, 100) {
			tab := &table.Table{Name: "words"}
			var names, values, same []string
			for _, w := range some {
				tab.Columns = append(tab.Columns, table.Column{From: w, Name: w, Type: table.Type{Kind: table.Varchar, Size: 40}, Nullable: true})
				names, values, same = append(names, s.dialect.Quote(w)), append(values, "'"+w+"'"), append(same, s.dialect.Quote(w)+" = '"+w+"'")
			}
			_ = s.exec("DROP TABLE IF EXISTS words")
			require.NoError(t, s.exec(s.dialect.CreateTable(tab)), s.dialect.Name)
			columns := strings.Join(names, ", ")
			require.NoError(t, s.exec("INSERT INTO words ("+columns+") VALUES ("+strings.Join(values, ", ")+")"), s.dialect.Name)
			require.Equal(t, [][]string{some}, s.query("SELECT "+columns+" FROM words WHERE "+strings.Join(same, " AND ")), s.dialect.Name)
		}
	}
}

// TestWideTable gives MySQL more text than its rows hold.
func TestWideTable(t *testing.T) {
	s := openMySQL(t)
	tab := &table.Table{Name: "wide", Key: []string{"c0"}}
	for i := range 30 {
		tab.Columns = append(tab.Columns, table.Column{Name: fmt.Sprintf("c%d", i), Type: table.Type{Kind: table.Varchar, Size: 700 + 10*i}, Nullable: i > 0})
	}
	tab.Columns = append(tab.Columns, table.Column{Name: "long", Type: table.Type{Kind: table.Char, Size: 300}, Nullable: true})
	_ = s.exec("DROP TABLE IF EXISTS wide")
	require.NoError(t, s.dialect.Check(tab))
	ddl := s.dialect.CreateTable(tab)
	require.NoError(t, s.exec(ddl), ddl)
	require.Contains(t, ddl, "longtext /* varchar(990) */")
	require.Contains(t, ddl, "`c0` varchar(700)"[4:])
}

// TestClients runs a script through each server's own command-line client, which
// reads it by lines, and finds every line break of the values.
func TestClients(t *testing.T) {
	dir := t.TempDir()
	values := []string{"a\r\nb", "x\r", "c\n\n\nd\r", "it's\r\\n", "\n;\nGO\n/\n\\q\n.quit\n\\.\n", "\x1aä$(x)&y"}
	var text strings.Builder
	text.WriteString("no,note\n")
	for i, v := range values {
		fmt.Fprintf(&text, "%d,\"%s\"\n", i, v)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "notes.csv"), []byte(text.String()), 0o600))
	name := fmt.Sprintf("notes_%d", os.Getpid())
	tr := &tray.Tray{Dir: filepath.Join(dir, "notes.tray"), Files: []string{"notes.csv"}, Layout: source.DefaultLayout(), Table: clientTable(name)}
	for _, c := range []struct {
		dialect *dialect.Dialect
		hex     string
		client  *exec.Cmd
	}{
		{dialect.SQLite, "hex(note)", exec.Command("sqlite3", filepath.Join(dir, "notes.db"))},
		{dialect.PostgreSQL, "encode(convert_to(note, 'UTF8'), 'hex')", databasetest.PSQL(t)},
		{dialect.MySQL, "hex(note)", databasetest.MariaDB(t, "-N")},
	} {
		t.Run(c.dialect.Name, func(t *testing.T) {
			_, load := inserts(t, tr, c.dialect)
			text := bytes.NewBufferString(load)
			fmt.Fprintf(text, "\nSELECT lower(%s) FROM %s ORDER BY no;\nDROP TABLE %[2]s;\n", c.hex, name)
			c.client.Stdin = text
			out, err := c.client.CombinedOutput()
			require.NoError(t, err, string(out))
			var want []string
			for _, v := range values {
				want = append(want, hex.EncodeToString([]byte(v)))
			}
			require.Equal(t, want, strings.Fields(string(out)))
		})
	}
	for _, d := range dialect.All() {
		one := d.AppendLiteral(nil, clientTable("x").Columns[1].Type, &value.Value{Text: []byte("a\r\nb$(x)")})
		require.NotContains(t, string(one), "\n", d.Name)
		require.NotContains(t, string(one), "\r", d.Name)
		require.Equal(t, d != dialect.SQLServer, strings.Contains(string(one), "$("), d.Name)
	}
}

func clientTable(name string) table.Table {
	return table.Table{Name: name, Columns: []table.Column{
		{From: "no", Name: "no", Type: table.Type{Kind: table.Integer}}, {From: "note", Name: "note", Type: table.Type{Kind: table.Text}},
	}}
}

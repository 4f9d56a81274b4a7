package main_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/require"

	"ambertray/demo"
)

// TestRoundTrip loads files, writes their tables as the files were, and wants the same
// records in these; of files that are written canonically the same bytes.
func TestRoundTrip(t *testing.T) {
	specimens, err := demo.Files.ReadFile("specimens.csv")
	require.NoError(t, err)
	onEach(t, func(t *testing.T, _ *desk, _, to string) {
		for file, c := range map[string]struct {
			text  string
			same  bool // the same bytes come back
			draft []string
		}{
			"specimens.csv":   {string(specimens), false, nil},
			"plain.csv":       {"no,name,paid\n1,ant,true\n2,,false\n3,\"a, \"\"b\"\"\",true\n", true, nil},
			"semicolon.csv":   {"Nr;Betrag;Am\r\n1;1.234,50;05.01.2026\r\n2;-0,25;31.12.1999\r\n3;;\r\n", true, nil},
			"american.tsv":    {"No\tAmount\tAt\n1\t1,000.00\t01/31/2026 01:05 PM\n2\t-2.50\t12/01/2026 12:00 AM\n", true, nil},
			"percent.csv":     {"no,share,due\n1,12.5%,\"Mar 15, 2026\"\n2,100.0%,\"Dec 31, 1999\"\n", true, nil},
			"latin.csv":       {"no;name\n1;k\xe4fer\n2;f\xfcr \xdcber\n3;\xdf \xe9t\xe9\n", true, []string{"--encoding", "windows-1252"}},
			"quoted.csv":      {"no,name\n\"1\",'x'\n2,\"two\nlines\"\n3,x\n", false, nil},
			"titles.csv":      {"Loans of 2026\n\nno,name\n1,ant\n2,bee\n3,cat\nTotal: 3\n", false, nil},
			"spaces.txt":      {"no name share\n1 ant 0.5\n2 \"two words\" 1.5\n3 \"\" 2.0\n", true, []string{"--delimiter", "spaces"}},
			"wide.txt":        {"no  name       note\n1   west hall  one\n2   east hall  \"two  words\"\n3   room       \"\"\n", false, []string{"--delimiter", "wide_spaces"}},
			"groups.csv":      {"Place,Mass,Mass\n,old,new\nhall,1,2\nroom,3,4\n", false, []string{"--header", "1-2"}},
			"described.csv":   {"no,name,mass\nint,text,g\n1,ant,0.5\n2,bee,1.5\n3,fly,2.5\n", false, []string{"--description-lines", "1"}},
			"formulas.csv":    {"no;code;note\n1;=\"0012\";moss\n2;=\"1,5\";=\"2026-01-05\"\n3;;\"a \"\"b\"\"\"\n4;=\"007\";=1+2\n", true, nil},
			"no-formulas.csv": {"no,code\n1,\"=\"\"0012\"\"\"\n2,x\n", true, []string{"--text-formulas=false"}},
			"cr.csv":          {"no,name\r1,ant\r2,\"b\nee\"\r", true, []string{"--line-end", "cr"}},
			"mixed.csv":       {"no,name\r1,ant\n2,\"b\ree\"\r\n3,fly\n", false, []string{"--line-end", "mixed"}},
			"crcrlf.csv":      {"no,name\r\r\n1,ant\r\r\n2,bee\r\r\n", false, []string{"--line-end", "crcrlf"}},
			"literal.csv":     {"no,name\n1,\"the \\\"ant\\\"\"\n2,plain\n", true, []string{"--escape", "none"}},
			"fixed.txt":       {"  1ant        0.50 one\n  3          -3.00 three words\n 12long name 12.25\n", true, []string{"--columns", "1-3,4-12,13-18,20-"}},
			"headed.txt":      {"   name\n 1 ant\n 2 bee\n", false, []string{"--columns", "1-2,4-9", "--header", "1"}},
			"random.csv":      {randomFile(7, "x", `"`, ",", "\n", "é", " ", "'", ";", `\`, "-"), false, nil},
		} {
			d := newDesk(t)
			d.write(file, c.text)
			stem := strings.TrimSuffix(file, filepath.Ext(file))
			d.run(0, append([]string{"draft", file, "--table", uniqueTable(t)}, c.draft...)...)
			d.run(0, "load", stem+".tray", "--to", to)
			d.run(0, "export", stem+".tray", "--from", to, "--out", "again"+filepath.Ext(file))
			again := d.read("again" + filepath.Ext(file))
			if c.same {
				require.True(t, c.text == again, "%s: %.300q", file, again)
			}
			if file == "titles.csv" {
				continue // which are not in the table
			}
			d.write(file, again)
			require.Nil(t, d.json(0, "verify", stem+".tray", "--to", to, "--whole")["rows_differ"], file)
		}
	})
}

// randomFile has records of random signs, and NULLs.
func randomFile(seed uint64, signs ...string) string {
	rng := rand.New(rand.NewPCG(seed, 1))
	text := "no,a,b\n"
	for i := range 300 {
		var cells [2]string
		for j := range cells {
			if rng.IntN(5) == 0 {
				continue
			}
			for range rng.IntN(6) {
				cells[j] += signs[rng.IntN(len(signs))]
			}
			cells[j] = `"` + strings.ReplaceAll(cells[j], `"`, `""`) + `y"`
		}
		text += fmt.Sprintf("%d,%s,%s\n", i, cells[0], cells[1])
	}
	return text
}

// TestExport writes a table in every format, and reads it from there.
func TestExport(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("finds.csv", "no,name,mass,found,at,own,share,fee,sum\n1,ant,12.50,2026-01-05,2026-01-05 10:11:12,true,0.1,0,1\n2,,,,,,,,\n3,\"x, y\",-0.25,1999-12-31,1999-12-31 23:59:59,false,1e-7,-123456789.123456,-12345678901234567890.5\n")
		d.run(0, "load", "finds.csv", "--to", to, "--table", table)
		for _, file := range []string{"all.csv", "all.tsv.gz", "all.csv.zst", "all.csv.xz", "all.xlsx"} {
			r := d.json(0, "export", table, "--from", to, "--out", file)
			require.Equal(t, 3.0, r["rows"])
			require.Len(t, r["sha256"], 64)
			v := d.json(0, "verify", file, "--to", to, "--table", table, "--whole")
			require.Equal(t, true, v["verified"], file)
			_, errOut := d.run(1, "export", table, "--from", to, "--out", file)
			require.Contains(t, errOut, "the file exists")
			require.Contains(t, errOut, "--replace")
			d.run(0, "export", table, "--from", to, "--out", file, "--replace")
		}
		d.run(0, "export", table, "--from", to, "--out", "all.parquet")
		content := d.read("all.parquet")
		f, err := parquet.OpenFile(bytes.NewReader([]byte(content)), int64(len(content)))
		require.NoError(t, err)
		require.Equal(t, int64(3), f.NumRows())
		require.Equal(t, [][]string{{"no"}, {"name"}, {"mass"}, {"found"}, {"at"}, {"own"}, {"share"}, {"fee"}, {"sum"}}, f.Schema().Columns())
		rows := make([]parquet.Row, 3)
		n, _ := f.RowGroups()[0].Rows().ReadRows(rows)
		require.Equal(t, 3, n)
		require.Equal(t, "x, y", rows[2][1].String())
		require.Equal(t, int64(-25), rows[2][2].Int64())
		if name != "sqlite" { // which has them as text
			require.Equal(t, int64(-123456789123456), rows[2][7].Int64())
			require.Equal(t, "\xff\xff\xff\xff\xff\xff\xff\xf9\x4e\xb1\x60\x7e\xd0\xc9\x93\xc7", rows[2][8].String())
		}
		require.True(t, rows[1][2].IsNull())

		out, _ := d.run(0, "export", "--query", "SELECT name AS x, count(*) AS y FROM "+table+" WHERE no <> 2 GROUP BY name ORDER BY name", "--from", to, "--out", "-",
			"--delimiter", ";", "--line-end", "crlf", "--quote-all")
		require.Equal(t, "\"x\";\"y\"\r\n\"ant\";\"1\"\r\n\"x, y\";\"1\"\r\n", out)
		out, _ = d.run(0, "export", table, "--from", to, "--out", "-", "--no-header", "--null", "n/a")
		require.Contains(t, out, "2,n/a,n/a,n/a,n/a,n/a,n/a,n/a,n/a\n")
		_, errOut := d.run(1, "export", table, "--from", to, "--out", "none/x.csv")
		require.Contains(t, errOut, "no such file or directory")
		_, errOut = d.run(1, "export", table, "--from", to, "--out", "bad.csv", "--quote", "none")
		require.Contains(t, errOut, `row 3, column name: "x, y" has the delimiter or a line end in it`)
		_, errOut = d.run(1, "export", "--query", map[bool]string{true: "SELECT N'жук'", false: "SELECT 'жук'"}[name == "sqlserver"], "--from", to, "--out", "bad.csv", "--encoding", "windows-1252")
		require.Contains(t, errOut, "a character that windows-1252 lacks")
		d.run(1, "export", "nothing", "--from", to, "--out", "bad.csv")
		d.run(2, "export", table, "--from", to)
		entries, err := os.ReadDir(d.dir)
		require.NoError(t, err)
		for _, e := range entries {
			require.NotContains(t, e.Name(), ".new", "no temporary file is left")
			require.NotEqual(t, "bad.csv", e.Name())
		}
	})
}

// TestOddValues exports values that other databases do not have. They are written as the
// server writes them, and bytes as hexadecimal digits.
func TestOddValues(t *testing.T) {
	odd := map[string]struct{ columns, rows, want string }{
		"sqlite": {"b boolean, f double, x blob", "(1, 5, 9e999, x'00ff'), (2, 1, -9e999, 'a')", "1,5,Infinity,0x00ff\n2,true,-Infinity,a\n"},
		"mysql": {"b tinyint(1), f float, x varbinary(4), y bit(9), z blob, d datetime(3), t time(6)",
			"(1, 5, 1e-30, x'00ff', b'101010101', 'a', '2026-01-01 10:00:00.5', '-838:59:59'), (2, 1, 1.2345678, '', b'0', NULL, '0001-01-01', '0:0:0.000001')",
			"1,5,1e-30,0x00ff,0x0155,0x61,2026-01-01 10:00:00.500000,-838:59:59.000000\n2,true,1.2345678,0x,0x0000,,0001-01-01 00:00:00,00:00:00.000001\n"},
		"postgres": {"d date, t time, ts timestamp, tz timestamptz, n numeric(6,2), r real, x bytea",
			`(1, 'infinity', '24:00', '-infinity', 'infinity', 'NaN', 'Infinity', '\x00ff'), (2, '0044-03-15 BC', NULL, '10000-01-01 12:00', '0001-12-31 23:00+00 BC', 1.5, 1e-30, ''),
				(3, '5874897-12-31', '0:0', '294276-12-31 23:59:59.999999', '4713-01-01 00:00+00 BC', -0.01, 0, NULL)`,
			"1,infinity,24:00:00,-infinity,infinity,NaN,Infinity,\\x00ff\n2,0044-03-15 BC,,10000-01-01 12:00:00,0001-12-31 23:00:00+00 BC,1.50,1e-30,\\x\n" +
				"3,5874897-12-31,00:00:00,294276-12-31 23:59:59.999999,4713-01-01 00:00:00+00 BC,-0.01,0,\n"},
		"sqlserver": {"r real, x varbinary(4), d datetime2(7), t time(7), o datetimeoffset(7)",
			"(1, 1e-30, 0x00ff, '2026-01-01 00:00:00.1234567', '23:59:59.9999999', '2026-01-01 10:00:00.0000001+05:30'), (2, 0.1, 0x, '2026-01-01 00:00:00.0000001', '00:00:00.5', '9999-12-31 23:59:59Z')",
			"1,1e-30,0x00ff,2026-01-01 00:00:00.1234567,23:59:59.9999999,2026-01-01 04:30:00.0000001+00:00\n2,0.1,0x,2026-01-01 00:00:00.0000001,00:00:00.500000,9999-12-31 23:59:59+00:00\n"},
	}
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table, o := uniqueTable(t), odd[name]
		if name == "sqlite" {
			d.write(filepath.Base(to), "") // a database without tables
		}
		on(t, to, "CREATE TABLE "+table+" (no int NOT NULL PRIMARY KEY, "+o.columns+")", "INSERT INTO "+table+" VALUES "+o.rows)
		out, _ := d.run(0, "export", table, "--from", to, "--out", "-", "--no-header")
		require.Equal(t, o.want, out)
		out, _ = d.run(0, "export", "--query", "SELECT * FROM "+table+" ORDER BY no", "--from", to, "--out", "-", "--no-header")
		if name != "sqlite" { // A query of SQLite has no types, and one of MySQL has no boolean.
			require.Equal(t, strings.ReplaceAll(o.want, "true", map[string]string{"mysql": "1"}[name]), out)
		}
		out, _ = d.run(0, "export", "--query", "SELECT x FROM "+table+" WHERE no = 1", "--from", to, "--out", "-", "--no-header")
		require.Contains(t, out, "x00ff\n")
		d.run(0, "export", table, "--from", to, "--out", "odd.xlsx")
		out, _ = d.run(0, "survey", "odd.xlsx")
		for _, cell := range strings.Split(strings.SplitN(o.want, "\n", 2)[0], ",") {
			require.Contains(t, out, "  "+cell[:min(len(cell), 16)], "as text, where a cell cannot hold it")
		}
	})
}

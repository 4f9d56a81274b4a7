package main_test

import (
	"encoding/csv"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestNativeTypes appends to a table with enum, domain, json, jsonb and citext columns, and merges
// into it. Values that the server refuses are rejected by record.
func TestNativeTypes(t *testing.T) {
	to := targets(t)["postgres"]
	d, table, n := newDesk(t), uniqueTable(t), "n"+uniqueTable(t)
	on(t, to, "CREATE SCHEMA IF NOT EXISTS extensions", "CREATE EXTENSION IF NOT EXISTS citext SCHEMA extensions", "CREATE TYPE "+n+"_room AS ENUM ('east', 'we''st')",
		"CREATE DOMAIN "+n+"_price AS numeric(6,2) CHECK (VALUE > 0)", "CREATE DOMAIN "+n+"_fee AS "+n+"_price NOT NULL",
		"CREATE TABLE "+table+" (no int PRIMARY KEY, room "+n+"_room, fee "+n+"_fee, mail extensions.citext UNIQUE, note json, tags jsonb, host inet, net cidr)")
	d.write("finds.csv", `no,room,fee,mail,note,tags,host,net
1,east,5.5,A@b.org,"{""a"": 1}","{""old"":true,""b"":[1.50 ,2e2]}",10.0.0.1,10.0.0.0/8
2,we'st,7,c@d.org,[1],"""\u00e9""",FE80::1,
3,south,8,e@f.org,1,1,,
4,east,-1,g@h.org,1,1,,
5,east,,i@j.org,1,1,,
6,east,9,a@B.org,1,1,,
7,east,9,k@l.org,{bad,1,,
8,,9,,,,,
11,east,9,m@n.org,1,"{""a"":1,""a"":2}",,
12,east,9,o@p.org,1,1,10.0.0.300,
13,east,9,q@r.org,1,1,,10.0.0.1/8
`)
	r := d.json(3, "load", "finds.csv", "--to", to, "--table", table, "--existing", "append")
	require.Equal(t, 3.0, r["counts"].(map[string]any)["loaded"])
	rejects, err := csv.NewReader(strings.NewReader(d.read(r["rejects"].(map[string]any)["file"].(string)))).ReadAll()
	require.NoError(t, err)
	reasons := map[string]string{}
	for _, record := range rejects[1:] {
		reasons[record[6]] = strings.Join(record, "|")
	}
	for no, says := range map[string]string{"3": "not a value of the enum", "4": "violates check constraint", "5": "not nullable", "6": "duplicate key", "7": "invalid input syntax for type json", "11": "twice in an object",
		"12": "not an address", "13": "not an address that cidr takes"} {
		require.Contains(t, reasons[no], says, "record %s of %q", no, rejects)
	}
	d.write("more.csv", "no,room,fee,mail,note,tags,host,net\n1,we'st,6,A@b.org,\"{\"\"a\"\": 2}\",[],10.0.0.2,\n2,we'st,7,c@d.org,[1],\"\"\"é\"\"\",fe80::1/128,\n9,east,-3,z@b.org,1,1,,\n10,east,3,y@b.org,1,[1 ],,::/0\n")
	r = d.json(3, "load", "finds.tray", "more.csv", "--to", to, "--existing", "merge", "--yes")
	merged := r["merge"].(map[string]any)
	require.Equal(t, []any{1.0, 1.0, 1.0}, []any{merged["inserted"], merged["updated"], merged["unchanged"]})
	d.run(0, "verify", "finds.tray", "more.csv", "--to", to)
	out, _ := d.run(0, "export", table, "--from", to, "--out", "-", "--no-header")
	require.ElementsMatch(t, strings.Split(`1,we'st,6.00,A@b.org,"{""a"": 2}",[],10.0.0.2/32,|2,we'st,7.00,c@d.org,[1],"""é""",fe80::1/128,|8,,9.00,,,,,|10,east,3.00,y@b.org,1,[1],,::/0`, "|"), strings.Split(strings.TrimSpace(out), "\n"))
	out, _ = d.run(0, "tighten", table, "--to", to)
	for _, column := range []string{"room", "fee", "mail", "note", "tags", "host", "net"} {
		require.Contains(t, out, column+": its type has rules of its own")
	}
}

// TestBytesAndIntervals appends bytes, addresses of hardware and intervals to a table, verifies
// them, merges into them, and reads again what is exported.
func TestBytesAndIntervals(t *testing.T) {
	to := targets(t)["postgres"]
	d, table := newDesk(t), uniqueTable(t)
	on(t, to, "CREATE TABLE "+table+" (no int PRIMARY KEY, raw bytea, mac macaddr, lasts interval, brief interval(0))")
	d.write("finds.csv", "no,raw,mac,lasts\n1,0xFF00,08-00-2B-01-02-03,30:15:00\n2,\\x,,P1Y2M-3DT0.5S\n3,,,\n4,ff,,1 day\n5,0x0,,1 day\n6,,8:0,1 day\n7,0x01,,1.5 days\n")
	d.run(0, "draft", "finds.csv", "--to", to, "--table", table)
	r := d.json(3, "load", "finds.tray", "--to", to, "--existing", "append")
	require.Equal(t, 3.0, r["counts"].(map[string]any)["loaded"])
	rejects := d.read(r["rejects"].(map[string]any)["file"].(string))
	for _, says := range []string{"not bytes in hexadecimal digits", "not an address such as 08:00:2b:01:02:03", "not an interval such as 1 day 02:03:04"} {
		require.Contains(t, rejects, says)
	}
	d.run(0, "verify", "finds.tray", "--to", to)
	exported := func() string {
		d.run(0, "export", table, "--from", to, "--out", "all.csv", "--replace")
		return d.read("all.csv")
	}
	require.Equal(t, `no,raw,mac,lasts,brief
1,\xff00,08:00:2b:01:02:03,30:15:00,
2,\x,,1 year 2 mons -3 days +00:00:00.5,
3,,,,
`, exported())

	d.write("more.csv", "no,raw,mac,lasts\n1,\\xff00,08002b010203,PT30H15M\n2,\\x01,,14 mons -3 days +00:00:00.5\n8,,,00:00:00\n")
	r = d.json(0, "load", "finds.tray", "more.csv", "--to", to, "--existing", "merge", "--yes")
	merged := r["merge"].(map[string]any)
	require.Equal(t, []any{1.0, 1.0, 1.0}, []any{merged["inserted"], merged["updated"], merged["unchanged"]})
	on(t, to, "UPDATE "+table+" SET lasts = '60 days' WHERE no = 3")
	d.run(0, "export", table, "--from", to, "--out", "out.csv")
	on(t, to, "UPDATE "+table+" SET lasts = '2 mons' WHERE no = 3") // which the server takes for equal
	v := d.json(4, "verify", "out.csv", "--to", to, "--table", table)
	require.Equal(t, 1.0, v["rows_differ"].(map[string]any)["changed"])
	_, errOut := d.run(1, "load", "out.csv", "--to", to, "--table", table, "--existing", "append", "--change", "brief.type=text")
	require.Contains(t, errOut, "brief: type interval(0) is not supported")
}

// TestArrays appends arrays, and reads again what is exported. An array of two dimensions that
// somebody else puts in place of one is found.
func TestArrays(t *testing.T) {
	to := targets(t)["postgres"]
	d, table := newDesk(t), uniqueTable(t)
	on(t, to, "CREATE TABLE "+table+" (no int PRIMARY KEY, tags text[], rooms varchar[], parts int[], sizes bigint[], grid json[])")
	d.write("finds.csv", `no,tags,rooms,parts,sizes
1,"{ a b,""x, \""y\"""",NULL}",{},"{1,-2,NULL}",{9223372036854775807}
2,"{"""",""NULL""}",{east},{+7},
3,{a,,,
4,,,"{1,x}",
5,,,,{9223372036854775808}
6,,,"{{1},{2}}",
`)
	r := d.json(3, "load", "finds.csv", "--to", to, "--table", table, "--existing", "append")
	require.Equal(t, []any{2.0, true}, []any{r["counts"].(map[string]any)["loaded"], r["verified"]})
	rejects := d.read(r["rejects"].(map[string]any)["file"].(string))
	for _, says := range []string{"not an array of one dimension", "element 2 is not of type integer", "element 1 is not of type bigint"} {
		require.Contains(t, rejects, says)
	}
	out, _ := d.run(0, "export", table, "--from", to, "--out", "-", "--no-header")
	require.Equal(t, `1,"{""a b"",""x, \""y\"""",NULL}",{},"{1,-2,NULL}",{9223372036854775807},
2,"{"""",""NULL""}",{east},{7},,
`, out)
	d.write("again.csv", "no,tags,rooms,parts,sizes\n"+strings.ReplaceAll(out, ",\n", "\n"))
	r = d.json(0, "load", "finds.tray", "again.csv", "--to", to, "--existing", "merge", "--yes")
	require.Equal(t, 2.0, r["merge"].(map[string]any)["unchanged"])
	d.run(0, "verify", "again.csv", "--to", to, "--table", table)
	on(t, to, "UPDATE "+table+" SET parts = '{{7}}' WHERE no = 2")
	v := d.json(4, "verify", "again.csv", "--to", to, "--table", table)
	require.Equal(t, 1.0, v["rows_differ"].(map[string]any)["changed"])
	d.write("grid.csv", "no,grid\n9,{1}\n")
	_, errOut := d.run(1, "load", "grid.csv", "--to", to, "--table", table, "--existing", "append")
	require.Contains(t, errOut, "grid: type json[] is not supported")
}

// TestBinary appends to a table of bytes whose key is one of them, by statement where the server
// refuses rows, and merges into it.
func TestBinary(t *testing.T) {
	for name, c := range map[string]struct{ columns, row, length string }{
		"mysql":     {"id binary(4) PRIMARY KEY, raw varbinary(3), note blob, name varchar(9)", "x'00000000', x'00', x'00', 'old'", "length"},
		"sqlite":    {"id blob NOT NULL PRIMARY KEY CHECK (length(id) = 4), raw blob CHECK (length(raw) < 4), note longblob, name varchar(9)", "x'00000000', x'00', x'00', 'old'", "length"},
		"sqlserver": {"id binary(4) PRIMARY KEY, raw varbinary(3), note varbinary(max), name varchar(9)", "0x00000000, 0x00, 0x00, 'old'", "datalength"},
	} {
		t.Run(name, func(t *testing.T) {
			d, to, table := newDesk(t), targets(t)[name], uniqueTable(t)
			url := to
			if name == "sqlite" {
				d.write(to, "")
				url = filepath.Join(d.dir, to)
			}
			on(t, url, "CREATE TABLE "+table+" ("+c.columns+")", "INSERT INTO "+table+" VALUES ("+c.row+")")
			d.write("finds.csv", `id,raw,note,name
0x00ff0a09,0xC3,0x5c095c0a27,a
0x0000005C,0x,,b
\x01020304,,0xfffefd00,'c
0x01020304,0x01,,twice
0x00000000,0x01,,there
0x0102,0x01,,short
0x01020305,0x01020304,,long
0x01020306,xyz,,no
`)
			r := d.json(3, "load", "finds.csv", "--to", to, "--table", table, "--existing", "append")
			require.Equal(t, []any{3.0, true}, []any{r["counts"].(map[string]any)["loaded"], r["verified"]})
			rejects := d.read(r["rejects"].(map[string]any)["file"].(string))
			says := []string{"duplicate key", "not bytes in hexadecimal digits"}
			if name != "sqlite" { // whose columns have no limits
				says = append(says, "2 bytes do not fit binary(4)", "4 bytes do not fit varbinary(3)")
			}
			for _, s := range says {
				require.Contains(t, rejects, s)
			}
			d.run(0, "verify", "finds.tray", "--to", to)
			rows := func() string {
				out, _ := d.run(0, "export", "--query", fmt.Sprintf("SELECT id, raw, note, name, %s(id) FROM %s ORDER BY id", c.length, table), "--from", to, "--out", "-", "--no-header")
				whole, _ := d.run(0, "export", table, "--from", to, "--out", "-", "--no-header")
				for line := range strings.Lines(out) {
					require.Contains(t, whole, strings.Replace(line, ",4\n", "\n", 1))
				}
				return out
			}
			require.Equal(t, "0x00000000,0x00,0x00,old,4\n0x0000005c,0x,,b,4\n0x00ff0a09,0xc3,0x5c095c0a27,a,4\n0x01020304,,0xfffefd00,'c,4\n", rows())
			d.write("more.csv", "id,raw,note,name\n0x00ff0a09,0xc3,0x5C095c0a27,a\n0x01020304,0x80,0xff,c\n0x01020307,,,new\n")
			r = d.json(0, "load", "finds.tray", "more.csv", "--to", to, "--existing", "merge", "--yes")
			merged := r["merge"].(map[string]any)
			require.Equal(t, []any{1.0, 1.0, 1.0}, []any{merged["inserted"], merged["updated"], merged["unchanged"]})
			d.run(0, "verify", "finds.tray", "more.csv", "--to", to)
			require.Equal(t, "0x00000000,0x00,0x00,old,4\n0x0000005c,0x,,b,4\n0x00ff0a09,0xc3,0x5c095c0a27,a,4\n0x01020304,0x80,0xff,c,4\n0x01020307,,,new,4\n", rows())
			out, _ := d.run(0, "tighten", table, "--to", to)
			require.Contains(t, out, "raw: its type has rules of its own")
		})
	}
}

// TestBitsAndSets appends to a table with a bit for a truth and a set, and merges into it. A
// column of a type that is not supported is named, and its heading goes to no other column.
func TestBitsAndSets(t *testing.T) {
	to := targets(t)["mysql"]
	d, table := newDesk(t), uniqueTable(t)
	if try(t, to, "CREATE TEMPORARY TABLE hosts (host inet6)") != nil {
		t.Skip("only MariaDB has inet6")
	}
	on(t, to, "CREATE TABLE "+table+" (no int PRIMARY KEY, lent bit(1), rooms set('east', 'we''st', 'bay'), mask bit(8), other int, host inet6)")
	d.write("finds.csv", "no,lent,rooms,mask,host\n1,yes,\"bay,east\",5,2001:DB8:0:1::1\n2,no,we'st,6,\n3,,,7,\n4,no,\"bay,bay\",8,\n5,no,south,9,\n7,no,bay,1,10.0.0.1\n")
	out, _ := d.run(0, "draft", "finds.csv", "--to", to, "--table", table)
	require.Contains(t, out, "mask: its column is bit(8), a type that is not supported")
	r := d.json(3, "load", "finds.tray", "--to", to)
	require.Equal(t, 3.0, r["counts"].(map[string]any)["loaded"])
	require.True(t, r["verified"].(bool))
	d.write("more.csv", "no,lent,rooms,mask,host\n1,yes,\"east,bay\",5,2001:db8:0:1::1\n2,yes,we'st,6,\n6,no,east,1,::9\n")
	merged := d.json(0, "load", "finds.tray", "more.csv", "--to", to, "--existing", "merge", "--yes")["merge"].(map[string]any)
	require.Equal(t, []any{1.0, 1.0, 1.0}, []any{merged["inserted"], merged["updated"], merged["unchanged"]})
	out, _ = d.run(0, "export", table, "--from", to, "--out", "-", "--no-header")
	require.ElementsMatch(t, []string{`1,true,"east,bay",,,2001:db8:0:1::1`, "2,true,we'st,,,", "3,,,,,", "6,false,east,,,::9"}, strings.Split(strings.TrimSpace(out), "\n"))
}

// TestOtherTypes appends, merges and exports documents, bits, times with an offset, and arrays of other elements.
func TestOtherTypes(t *testing.T) {
	to := targets(t)["postgres"]
	d, table := newDesk(t), uniqueTable(t)
	on(t, to, "CREATE TABLE "+table+" (no int PRIMARY KEY, sheet xml, flags bit(3), opens time with time zone, masses numeric(6,2)[], seen date[], names varchar(3)[])")
	d.write("finds.csv", `no,sheet,flags,opens,masses,seen,names
1,"<?xml version=""1.0"" encoding=""utf-8""?><a>é</a>",101,10:00:00+01,"{1.5,-2,NULL}",{2026-01-05},{é}
2,"<?xml version=""1.0"" encoding=""latin1""?><a/>",,,,,
3,<a>,,,,,
4,,1011,,,,
5,,,10:00,,,
6,,,,{1.234},,
7,,,,,{2026-02-30},
8,,,,,,{long}
`)
	r := d.json(3, "load", "finds.csv", "--to", to, "--table", table, "--existing", "append")
	require.Equal(t, []any{1.0, true}, []any{r["counts"].(map[string]any)["loaded"], r["verified"]})
	rejects := d.read(r["rejects"].(map[string]any)["file"].(string))
	for _, says := range []string{"declares the encoding latin1, not UTF-8", "invalid XML content", "4 bits, not bit(3)", "not a time with an offset", "element 1 is not of type numeric(6,2)",
		"element 1 is not of type date", "element 1 is not of type character varying(3)"} {
		require.Contains(t, rejects, says)
	}
	out, _ := d.run(0, "export", table, "--from", to, "--out", "-")
	require.Equal(t, `no,sheet,flags,opens,masses,seen,names
1,"<?xml version=""1.0"" encoding=""utf-8""?><a>é</a>",101,10:00:00+01,"{1.50,-2.00,NULL}",{2026-01-05},{é}
`, out)
	d.write("again.csv", out+"9,,000,,,,\n")
	merged := d.json(0, "load", "finds.tray", "again.csv", "--to", to, "--existing", "merge", "--yes")["merge"].(map[string]any)
	require.Equal(t, []any{1.0, 0.0, 1.0}, []any{merged["inserted"], merged["updated"], merged["unchanged"]})
	d.run(0, "verify", "again.csv", "--to", to, "--table", table)
	on(t, to, "UPDATE "+table+" SET flags = '100' WHERE no = 1")
	d.run(4, "verify", "again.csv", "--to", to, "--table", table)
}

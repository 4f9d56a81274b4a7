package main_test

import (
	"encoding/csv"
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

// TestBitsAndSets appends to a table with a bit for a truth and a set, and merges into it. A
// column of a type that is not supported is named, and its heading goes to no other column.
func TestBitsAndSets(t *testing.T) {
	to := targets(t)["mysql"]
	d, table := newDesk(t), uniqueTable(t)
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

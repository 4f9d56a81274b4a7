package main_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestForget takes a load that was stopped after checkpoints out of the ledger. Its shares go with
// it, its rows stay, and the source may then be loaded again.
func TestForget(t *testing.T) {
	all := targets(t)
	for _, server := range []string{"postgres", "mysql"} {
		t.Run(server, func(t *testing.T) {
			d, name, to := newDesk(t), uniqueTable(t), all[server]
			d.write("finds.csv", "no,name\n"+strings.Repeat("1,beetle\n", 500)+"2,\n")
			d.run(0, "draft", "finds.csv", "--table", name, "--change", "name.nullable=false")
			args := []string{"load", "finds.tray", "--to", to, "--commit-every", "100"}
			d.run(6, append(args, "--shared", "--allow-rejects", "0")...)
			entry := d.json(0, "history", "--to", to, "--table", name)["loads"].([]any)[0].(map[string]any)
			require.Equal(t, []any{"partial", 500.0}, []any{entry["state"], entry["loaded"]})
			id := entry["id"].(string)
			left := func(table, column string) string {
				out, _ := d.run(0, "export", "--query", "SELECT count(*) FROM "+table+" WHERE "+column+" = '"+id+"'", "--from", to, "--out", "-", "--no-header")
				return strings.TrimSpace(out)
			}
			require.Equal(t, "5", left("ambertray_shares_proved", "load_id"))

			out, _ := d.run(0, "history", "--to", to, "--forget", id)
			require.Contains(t, out, "load "+id+" of finds.csv into ")
			require.Contains(t, out, name)
			require.Contains(t, out, "500 rows that it has committed stay in the table")
			for table, column := range map[string]string{"ambertray_ledger": "id", "ambertray_shares": "load_id", "ambertray_shares_proved": "load_id"} {
				require.Equal(t, "0", left(table, column), table)
			}
			_, errOut := d.run(1, "history", "--to", to, "--forget", id)
			require.Contains(t, errOut, "no interrupted load has this id")

			r := d.json(3, append(args, "--existing", "append")...)
			require.Equal(t, 500.0, r["counts"].(map[string]any)["loaded"])
			rows, _ := d.run(0, "export", "--query", "SELECT count(*) FROM "+name, "--from", to, "--out", "-", "--no-header")
			require.Equal(t, "1000\n", rows)
			loaded := d.json(0, "history", "--to", to, "--table", name)["loads"].([]any)[0].(map[string]any)["id"].(string)
			_, errOut = d.run(1, "history", "--to", to, "--forget", loaded)
			require.Contains(t, errOut, "no interrupted load has this id")
		})
	}
}

// TestInWords looks at what people read where the other tests read JSON.
func TestInWords(t *testing.T) {
	d := newDesk(t)
	d.run(0, "draft", "specimens.csv")

	out, _ := d.run(0, "ddl", "specimens.tray", "--dialect", "ansi")
	said, _ := d.run(0, "ddl", "specimens.tray", "--dialect", "ansi", "--out", "specimens.sql")
	require.Contains(t, said, "specimens.sql")
	require.Equal(t, out, d.read("specimens.sql"))
	_, errOut := d.run(1, "ddl", "specimens.tray", "--dialect", "sqlite", "--out", "specimens.sql")
	require.Contains(t, errOut, "specimens.sql already exists; not overwritten")
	require.Equal(t, out, d.read("specimens.sql"))

	out, _ = d.run(0, "targets", "test", "new.db")
	require.Contains(t, out, "Loads into this target are possible. The target is unchanged.")
	d.write("file", "no folder")
	out, errOut = d.run(1, "targets", "test", filepath.Join("file", "new.db"))
	require.NotContains(t, out, "are possible")
	require.NotEmpty(t, out+errOut)

	d.write("visits.csv", "no,name\n1,ant\n2,bee\n3,fly\n")
	d.write("lose.sql", "CREATE TABLE visits (no integer, name text);CREATE TRIGGER lose AFTER INSERT ON visits WHEN new.no = 2 BEGIN DELETE FROM visits WHERE no = 2; END")
	d.script("lose.sql")
	out, _ = d.run(4, "load", "visits.csv", "--to", "museum.db", "--existing", "append")
	require.Contains(t, out, "nothing: verification found a difference, and all was rolled back")
	require.Contains(t, out, "bee")
	require.Equal(t, "0", d.query("SELECT count(*) FROM visits"))

	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "many"), 0o700))
	d.write("many/rooms.csv", "code,name\nR1,north\nR2,south\n")
	d.write("many/broken.csv", "{\"code\": 1}\n")
	out, _ = d.run(1, "survey", "many", "--each")
	require.Contains(t, out, "rooms.csv")
	require.Contains(t, out, "JSON")
}

// TestDefaults has the server give a row of its own the defaults of the plan, whatever their
// notation in it: the row is that of a blank record.
func TestDefaults(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("loan.tray/tray.yaml", `tray: 1
source: {files: [loan.csv], delimiter: ",", header: 1}
table: {name: `+table+`, key: [no]}
columns:
  - {from: no, name: no, type: integer}
  - {from: due, name: due, type: date, format: dd/MM/yyyy, default: 05/02/2026}
  - {from: fee, name: fee, type: "decimal(7,2)", decimal: ",", thousands: ".", default: "1.234,5"}
  - {from: wide, name: wide, type: "decimal(30,4)", default: "(12345678901234567890.5)"}
  - {from: share, name: share, type: double, percent: true, default: "5%"}
  - {from: open, name: open, type: boolean, true_words: [da], false_words: [net], default: da}
  - {from: at, name: at, type: timestamp with time zone, default: "2026-01-05 01:00+02:00"}
  - {from: out, name: out, type: timestamp, format: dd/MM/yyyy HH:mm, default: 05/02/2026 08:05}
  - {from: note, name: note, type: varchar(30), default: "it's \\ late\nor lost"}
`)
		d.write("loan.csv", "no,due,fee,wide,share,open,at,out,note\n1,,,,,,,,\n")
		d.write("made.csv", "no,due,fee,wide,share,open,at,out,note\n2,,,,,,,,\n")
		d.run(0, "load", "loan.tray", "--to", to)
		on(t, to, "INSERT INTO "+table+" (no) VALUES (2)")
		d.run(0, "verify", "loan.tray", "made.csv", "--to", to)
	})
}

// TestRounded counts the values that a plan rounds, where it rounds them.
func TestRounded(t *testing.T) {
	d := newDesk(t)
	d.write("finds.sql", "CREATE TABLE finds (no integer, mass real, at text);")
	d.script("finds.sql")
	d.write("finds.tray/tray.yaml", `tray: 1
source: {files: [finds.csv], delimiter: ",", header: 1}
table: {name: finds, existing: append}
columns:
  - {from: no, name: no, type: integer}
  - {from: mass, name: mass, type: double, round: true}
  - {from: at, name: at, type: timestamp(3), round: true}
`)
	d.write("finds.csv", `no,mass,at
1,0.5,2026-03-05 13:30:00.120
2,9007199254740.993,2026-03-05 13:30:00.123456789
3,1234567.89012345678,2026-03-05 13:30:00.1234
4,007.5,2026-03-05 13:30:00.123000000
`)
	for _, command := range [][]string{{"check"}, {"load"}} {
		out, _ := d.run(0, append(command, "finds.tray", "--to", "museum.db")...)
		require.Contains(t, out, "mass: rounded, because the plan says round: true: 2 values")
		require.Contains(t, out, "at: rounded, because the plan says round: true: 2 values")
	}
}

// TestDecided drafts a tray again without the options that it was drafted with: what they set stays,
// and the settings of the layout are used again.
func TestDecided(t *testing.T) {
	d := newDesk(t)
	d.write("rooms.csv", "id,n;x\n1,a;4\n2,b;5\n3,c;6\n")
	d.run(0, "draft", "rooms.csv", "--delimiter", ";", "--comment", "none", "--table", "room", "--existing", "append", "--change", "x.type=bigint")
	plan := d.read("rooms.tray/tray.yaml")
	out, _ := d.run(0, "draft", "rooms.csv")
	require.Contains(t, out, "table name: room (drafted now: rooms)")
	require.Contains(t, out, "semicolon")
	require.Equal(t, plan, d.read("rooms.tray/tray.yaml"))
	d.write("rooms.tray/tray.yaml", strings.Replace(plan, `delimiter: ";"`, `delimiter: ","`, 1))
	out, _ = d.run(0, "draft", "rooms.csv", "--table", "hall")
	require.Contains(t, out, "id       id", "as a person has set it in the tray")
	require.Contains(t, out, "table name: room → hall")
	out, _ = d.run(0, "draft", "rooms.csv", "--table", "rooms")
	require.Contains(t, out, "table name: hall → rooms")
	out, _ = d.run(0, "draft", "rooms.csv", "--delimiter", ";")
	require.Contains(t, out, "source delimiter: , → ;")

	d.write("halls.csv", "id,n,fee\n1,a,4\n2,b,5\n")
	d.run(0, "draft", "halls.csv", "--change", "fee.name=cost")
	d.write("halls.csv", "id,n\n1,a\n2,b\n")
	out, _ = d.run(0, "draft", "halls.csv")
	require.Contains(t, out, `no longer has column "fee"; remove it from the tray, or write --change fee.nullable=true --change fee.optional=true`)
	out, _ = d.run(0, "draft", "halls.csv", "--change", "fee.from=[price, fee]")
	require.Contains(t, out, `no longer has column "fee"`)
	require.NotContains(t, out, "fee.optional")
	out, _ = d.run(0, "draft", "halls.csv", "--change", "price.nullable=true", "--change", "price.optional=true")
	require.NotContains(t, out, "remove it from the tray")

	d.write("due.csv", "Due Back,Our Number\n31/01/2026,7\n28/02/2026,8\n")
	d.write("loan.sql", "CREATE TABLE loan (number integer NOT NULL, due date);")
	d.script("loan.sql")
	d.run(0, "draft", "due.csv", "--to", "museum.db", "--table", "loan")
	plan = d.read("due.tray/tray.yaml")
	require.Contains(t, plan, "name: due\n")
	for _, options := range [][]string{nil, {"--to", "museum.db", "--table", "loan"}} {
		d.run(0, append([]string{"draft", "due.csv"}, options...)...)
		require.Equal(t, plan, d.read("due.tray/tray.yaml"))
	}
}

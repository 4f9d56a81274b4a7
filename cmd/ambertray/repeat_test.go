package main_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"ambertray/demo"

	"github.com/stretchr/testify/require"
)

// loansOf writes a file of loans: number, borrower and day.
func (d *desk) loansOf(name, header string, rows ...string) {
	d.write(name, header+"\n"+strings.Join(rows, "\n")+"\n")
}

// TestChanges changes plans by the command line, which stay changed.
func TestChanges(t *testing.T) {
	d := newDesk(t)
	d.loansOf("jan.csv", "Loan No,Borrower,Due Back", "00011,ann,31/01/2026", "00012,n/k,28/02/2026")
	out, errOut := d.run(0, "load", "jan.csv", "--to", "museum.db", "--change", "Loan No.type=integer", "--change", "borrower.null_words=n/k",
		"--change", "Borrower.nullable=true", "--change", "due_back.name=due", "--change", "mark.value={load}", "--change", "key=loan_no")
	require.Empty(t, errOut)
	require.Contains(t, out, "the plan now says existing: append")
	id := d.json(0, "history", "--to", "museum.db")["loads"].([]any)[0].(map[string]any)["id"].(string)
	require.Equal(t, "11|ann|2026-01-31|"+id+"|12||2026-02-28|"+id, d.query("SELECT loan_no, borrower, due, mark FROM jan ORDER BY 1"))
	require.Contains(t, d.read("jan.tray/tray.yaml"), "existing: append #")

	plan := d.read("jan.tray/tray.yaml")
	_, errOut = d.run(2, "load", "jan.tray", "--to", "museum.db", "--change", "borrower.type=text", "--existing", "apend")
	require.Contains(t, errOut, `existing "apend"`)
	d.run(2, "load", "jan.tray", "jan.tray", "--to", "museum.db", "--change", "borrower.type=text")
	require.Equal(t, plan, d.read("jan.tray/tray.yaml"), "a command line that is wrong changes nothing")

	again := d.json(0, "draft", "jan.csv")["again"].(map[string]any)
	require.NotEmpty(t, again["kept"], "what was changed is a person's")
	_, errOut = d.run(2, "check", "jan.tray", "--change", "dew.type=text")
	require.Contains(t, errOut, `dew.type=text: no column "dew"; did you mean "due"?`)
	out, _ = d.run(0, "draft", "jan.tray", "--change", "borrower.type=date")
	require.Contains(t, out, `not a date written yyyy-MM-dd  "ann" on line 2`)
	out, _ = d.run(0, "survey", "jan.tray")
	require.Contains(t, out, "source     jan.csv")
	_, errOut = d.run(2, "draft", "jan.tray", "jan.csv")
	require.Contains(t, errOut, "draft takes one tray, or files")
	_, errOut = d.run(3, "load", "jan.csv", "--tray", "other.tray", "--table", "other", "--to", "museum.db", "--change", "borrower.type=date", "--change", "key=")
	require.Contains(t, errOut, "2 records would be rejected by this plan", "counted before the load")

	d.write("fees.csv", "no;fee;paid;seen\n1;1.234,50;05/01/2026;x\n2;5,25;31/01/2026;1\n3;waived;lost;2\n4;7,00;28/02/2026;3\n")
	d.run(3, "load", "fees.csv", "--to", "museum.db", "--change", "fee.type=decimal(9,2)", "--change", "paid.type=date", "--change", "seen.type=text")
	require.Equal(t, "1|1234.5|2026-01-05|x|2|5.25|2026-01-31|1|4|7|2026-02-28|3", d.query("SELECT * FROM fees ORDER BY no"), "by the format that most values have")
	d.run(3, "check", "fees.csv", "--tray", "iso.tray", "--change", "paid.type=date", "--change", "paid.format=yyyy-MM-dd")
	require.Contains(t, d.read("fees.tray/tray.yaml"), "format: dd/MM/yyyy")
}

// TestNextMonth loads other files by one plan, and proves, corrects and compares them.
func TestNextMonth(t *testing.T) {
	d := newDesk(t)
	var jan, feb []string
	for i := range 40 {
		jan = append(jan, fmt.Sprintf("%d,b%d,2026-01-%02d", i+1, i%5, i%28+1))
		feb = append(feb, fmt.Sprintf("%d,b%d,2026-02-%02d", i+31, i%5, i%28+1))
	}
	feb[20] = "51,,2026-02-30"
	d.loansOf("jan.csv", "Loan No,Borrower,Due Back", jan...)
	d.loansOf("feb.csv", "Loan No,Borrower,Due Back", feb...)
	d.loansOf("mar.csv", "No,Due Back,Remark", "101,2026-03-01,x", "102,2062-03-02,y")
	d.run(0, "load", "jan.csv", "--to", "museum.db", "--change", "origin.value={file}")
	plan := d.read("jan.tray/tray.yaml")

	out, _ := d.run(3, "check", "jan.tray", "feb.csv", "--to", "museum.db")
	require.Contains(t, out, "10 records have a key (loan_no) that is in the table, and would be rejected")
	require.Contains(t, out, "Borrower: 3% of the values are blank, and none were")
	require.Contains(t, out, `Due Back: 1 value is of a new kind, no such date, such as "2026-02-30" on line 22`)
	require.NotContains(t, out, "2026-02-28, and it was", "a month later is nothing unusual")
	d.run(3, "load", "jan.tray", "feb.csv", "--to", "museum.db")
	require.Equal(t, plan, d.read("jan.tray/tray.yaml"))
	_, errOut := d.run(5, "load", "jan.tray", "feb.csv", "--to", "museum.db")
	require.Contains(t, errOut, "the content of feb.csv was already loaded into jan")
	require.Equal(t, "jan.csv|40|feb.csv|29", d.query("SELECT origin, count(*) FROM jan GROUP BY 1 ORDER BY 2 DESC"))
	rejects := "jan.tray/loads/0002/rejects.csv"
	d.write(rejects, strings.ReplaceAll(d.read(rejects), "51,,2026-02-30", "51,b1,2026-02-21"))
	out, _ = d.run(3, "mend", "jan.tray", "--to", "museum.db")
	require.Contains(t, out, "1 row in")
	require.Equal(t, "feb.csv", d.query("SELECT origin FROM jan WHERE loan_no = 51"))
	d.run(0, "verify", "jan.tray", "--to", "museum.db")
	out, _ = d.run(0, "verify", "jan.tray", "feb.csv", "--to", "museum.db")
	require.Contains(t, out, "every row proved: 30 rows of the source")

	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "elsewhere"), 0o700)) // from where the paths are others
	away := d.command("verify", "../jan.tray", "--to", "../museum.db")
	away.Dir = filepath.Join(d.dir, "elsewhere")
	said, err := away.CombinedOutput()
	require.NoError(t, err, string(said))
	require.Contains(t, string(said), "every row proved: 40 rows of the source")
	d.loansOf("elsewhere/apr.csv", "Loan No,Borrower,Due Back", "201,b1,2026-04-01")
	away = d.command("check", filepath.Join(d.dir, "jan.tray"), "apr.csv")
	away.Dir = filepath.Join(d.dir, "elsewhere")
	said, err = away.CombinedOutput()
	require.NoError(t, err, string(said))
	require.Contains(t, string(said), "1 record; the plan was drafted from 40")

	_, errOut = d.run(1, "load", "jan.tray", "mar.csv", "--to", "museum.db")
	require.Contains(t, errOut, "No in place of Loan No; missing column Borrower; extra column Remark")
	_, options, ok := strings.Cut(errOut, "adapt the plan with ")
	require.True(t, ok)
	words := strings.Split(strings.ReplaceAll(strings.TrimSpace(options), "'", ""), "--change ")
	args := []string{"check", "jan.tray", "mar.csv"}
	for _, w := range words[1:] {
		args = append(args, "--change", strings.TrimSpace(w))
	}
	out, _ = d.run(0, args...)
	require.Contains(t, out, "Due Back: 2026-03-01 to 2062-03-02, previously 2026-01-01 to 2026-01-28")
	require.Contains(t, out, "2 records; the plan was drafted from 40")
	d.run(0, "load", "jan.tray", "jan.csv", "mar.csv", "--to", "other.db")
	require.Equal(t, "|102|b4|40", strings.ReplaceAll(d.queryIn("other.db", "SELECT borrower, max(loan_no) FROM jan WHERE borrower IS NULL OR borrower = 'b4' GROUP BY 1 ORDER BY 1"), "\n", "|"))
}

// TestDraftForTable drafts for a table that exists on each server, and creates databases.
func TestDraftForTable(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		if name != "sqlite" {
			to = inDatabase(to, uniqueTable(t))
		}
		identity := map[string]string{"sqlite": "integer PRIMARY KEY", "postgres": "bigint GENERATED BY DEFAULT AS IDENTITY PRIMARY KEY", "mysql": "bigint AUTO_INCREMENT PRIMARY KEY", "sqlserver": "bigint IDENTITY PRIMARY KEY"}[name]
		d.write("first.csv", "no\n1\n")
		if name != "sqlite" {
			_, errOut := d.run(1, "load", "first.csv", "--to", to)
			require.Contains(t, errOut, "load --create-database creates one")
			_, errOut = d.run(1, "load", "missing.csv", "--to", to, "--create-database")
			require.Contains(t, errOut, "missing.csv")
			_, errOut = d.run(1, "load", "first.csv", "--to", to)
			require.Contains(t, errOut, "load --create-database creates one", "it was dropped again")
		}
		out, _ := d.run(0, "load", "first.csv", "--to", to, "--create-database")
		if name != "sqlite" {
			require.Contains(t, out, "was created on")
		}
		on(t, to, "CREATE TABLE loan (id "+identity+", loan_number integer NOT NULL, borrower_name varchar(20), due date, fee decimal(6,2), branch varchar(9) NOT NULL, note varchar(9))")
		d.loansOf("jan.csv", "Due Back,Fee,Borrower,Our Ref,Colour", "2026-01-31,1.50,ann,7,red", "2026-02-28,2.25,bob,8,blue")
		out, _ = d.run(0, "draft", "jan.csv", "--to", to, "--table", "loan")
		require.Contains(t, out, "4 of 5 headings, 1 of them by name")
		require.Contains(t, out, "Our Ref to loan_number, by values")
		require.Contains(t, out, "Colour: has no column; these are free: branch, note")
		require.Contains(t, out, "no value for branch")
		_, errOut := d.run(1, "load", "jan.tray", "--to", to)
		require.Contains(t, errOut, "branch: is NOT NULL without a default")
		out, _ = d.run(0, "load", "jan.tray", "--to", to, "--change", "branch.value=north")
		require.Contains(t, out, "the ledger has no earlier load into this table, and does not know rows that were added by other means")
		d.run(0, "verify", "jan.tray", "--to", to)
		d.run(0, "export", "loan", "--from", to, "--out", "loan.csv")
		require.Equal(t, "id,loan_number,borrower_name,due,fee,branch,note\n1,7,ann,2026-01-31,1.50,north,\n2,8,bob,2026-02-28,2.25,north,\n", d.read("loan.csv"))

		d.loansOf("feb.csv", "Loan_Number,Due,Branch", "9,13/02/2026,east", "10,14/02/2026,east", "11,15/02/2026,east", "12,16/02/2026,east", "13,soon,east")
		d.run(0, "draft", "feb.csv", "--to", to, "--table", "loan")
		out, _ = d.run(3, "load", "feb.tray", "--to", to)
		require.Contains(t, out, `1  due  not a date written dd/MM/yyyy  "soon" on line 6`, "dates are read as most of them are written")
		d.run(0, "verify", "feb.csv", "--to", to, "--table", "loan")
	})
}

// TestFolder takes the new files of a folder, and leaves alone what is being written.
func TestFolder(t *testing.T) {
	d := newDesk(t)
	d.loansOf("inbox/b.csv", "no,name", "3,cat")
	d.loansOf("inbox/a.csv", "no,name", "1,ant", "2,bee")
	d.write("inbox/.hidden", "x")
	d.write("inbox/c.csv.part", "no,name\n9,")
	d.age("inbox/a.csv", "inbox/b.csv")
	r := d.json(0, "load", "inbox", "--to", "inbox.db", "--change", "origin.value={file}")
	require.Equal(t, "inbox/a.csv", r["source"].([]any)[0].(map[string]any)["source"], "in the order of their names")
	require.Equal(t, "1|a.csv|2|a.csv|3|b.csv", d.queryIn("inbox.db", "SELECT no, origin FROM inbox ORDER BY rowid"))

	d.write("inbox/d.csv", "no,name\n4,dog\n")
	stop, stopped := make(chan bool), make(chan bool)
	go func() {
		defer close(stopped)
		for size := 5; ; size++ {
			select {
			case <-stop:
				return
			case <-time.After(50 * time.Millisecond):
				d.write("inbox/d.csv", "no,name\n4,dog\n"+strings.Repeat(" ", size))
			}
		}
	}()
	_, errOut := d.run(7, "load", "inbox", "--to", "inbox.db")
	handed, _ := d.run(0, "handover", "inbox.tray", "--dialect", "ansi", "--out", "handed")
	close(stop)
	<-stopped
	require.Contains(t, errOut, "still being written, and left out: inbox/d.csv")
	require.Contains(t, handed, "inbox/d.csv: still being written, and left out")
	d.write("inbox/none.csv", "")
	surveyed, _ := d.run(0, "survey", "inbox")
	require.Contains(t, surveyed, "empty: inbox/none.csv")
	d.write("inbox/d.csv", "no,name\n4,dog\n")
	d.age("inbox/d.csv")
	out, _ := d.run(0, "load", "inbox", "--to", "inbox.db")
	require.Contains(t, out, "2 parts already loaded: inbox/a.csv, inbox/b.csv")
	d.run(5, "load", "inbox", "--to", "inbox.db")
	require.Equal(t, "4", d.queryIn("inbox.db", "SELECT count(*) FROM inbox"))
	require.FileExists(t, filepath.Join(d.dir, "inbox/d.csv"), "no file is moved")
	d.write("empty/.hidden", "x")
	_, errOut = d.run(1, "load", "empty", "--to", "inbox.db")
	require.Contains(t, errOut, "folder empty: no file to load")
}

// TestFolderLoads verifies and undoes files of one folder that several loads have loaded, each with
// what that load has refused, mended and marked.
func TestFolderLoads(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, _, to string) {
		var ids []string
		load := func(status int, file, records string, args ...string) (kept string) {
			d.write("inbox/"+file, "no,name,day\n"+records)
			d.age("inbox/" + file)
			r := d.json(status, append([]string{"load", "--to", to}, args...)...)
			ids = append(ids, r["id"].(string))
			kept, _ = r["rejects"].(map[string]any)["file"].(string)
			return kept
		}
		kept := load(3, "b.csv", "1,ant,2026-01-01\n2,bee,2026-01-02\n2,cat,2026-01-03\n3,dog,x\n",
			"inbox", "--table", uniqueTable(t), "--change", "key=no", "--change", "day.type=date", "--change", "mark.value={load}", "--change", "file.value={file}")
		d.write(kept, strings.Replace(d.read(kept), "3,dog,x", "3,dog,2026-01-04", 1))
		d.run(3, "mend", "inbox.tray", "--to", to)
		load(3, "a.csv", "5,eel,2026-02-01\n1,fly,2026-02-02\n5,gnat,2026-02-03\n", "inbox.tray")
		load(0, "c.csv", "6,hen,2026-03-01\n", "inbox.tray")
		left := d.json(0, "rejects", "inbox.tray")
		require.Equal(t, []any{"0002", []any{map[string]any{"load": "0001", "count": 1.0}}}, []any{left["load"], left["others"]})
		for _, files := range [][]string{nil, {"inbox/b.csv"}, {"inbox/a.csv"}, {"inbox/c.csv", "inbox/a.csv"}} {
			v := d.json(0, append([]string{"verify", "inbox.tray", "--to", to}, files...)...)
			require.Equal(t, 5.0, v["table_rows"])
		}
		v := d.json(0, "verify", "inbox.tray", "--to", to, "--whole")
		require.Equal(t, []any{8.0, 5.0, 3.0, 1.0}, []any{v["read"], v["would_load"], v["would_reject"], v["mended"]})
		require.Equal(t, []any{1.0, 3.0, 1.0}, []any{v["parts"].([]any)[0].(map[string]any)["would_load"], v["parts"].([]any)[1].(map[string]any)["table_rows"], v["parts"].([]any)[2].(map[string]any)["would_load"]})
		report, _ := d.run(0, "report", "inbox.tray", "--to", to)
		require.Contains(t, report, "4 rows loaded, 4 records rejected, 3 left to mend; every row proved")
		d.run(0, "undo", ids[1], "--to", to)
		report, _ = d.run(0, "report", "inbox.tray", "--replace")
		require.Contains(t, report, "3 rows loaded from 2 of 3 files and sheets, 2 records rejected, 1 left to mend; every row proved")
		d.run(0, "verify", "inbox.tray", "inbox/b.csv", "inbox/c.csv", "--to", to, "--whole")
		d.run(0, "undo", ids[0], "--to", to)
		d.run(0, "verify", "inbox.tray", "inbox/c.csv", "--to", to, "--whole")
	})
}

// TestTwoTargets verifies each of two targets by the load into it.
func TestTwoTargets(t *testing.T) {
	d := newDesk(t)
	d.write("find.csv", "no,name\n1,ant\n2,bee\n")
	d.write("other.csv", "no,name\n2,owl\n")
	d.run(0, "load", "other.csv", "--to", "one.db", "--table", "find", "--change", "key=no")
	d.run(3, "load", "find.csv", "--to", "one.db", "--existing", "append", "--change", "key=no")
	d.run(0, "load", "find.tray", "--to", "two.db", "--existing", "refuse")
	for target, loaded := range map[string]string{"one.db": "1 row loaded, 1 record rejected", "two.db": "2 rows loaded"} {
		d.run(0, "verify", "find.tray", "--to", target)
		out, _ := d.run(0, "report", "find.tray", "--to", target, "--replace")
		require.Contains(t, out, loaded+"; every row proved")
	}
}

// TestEach loads many sources into tables of their own, of which one that fails stops no
// other, and what is left when it is run again.
func TestEach(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, _, to string) {
		own := strings.ToLower(uniqueTable(t))
		file := func(s string) string { return own + s + ".csv" }
		d.write(file("a"), "no,name\n1,ant\n2,bee\n")
		d.write(file("b"), "no,day\n1,2026-01-01\n2,2026-01-02\n3,2026-01-03,x\n")
		d.write(file("c"), "no\n1\n")
		d.write(file("d"), "\x00\x01\x02")
		args := []string{"load", file("a"), file("b"), file("c"), file("d"), "--each", "--jobs", "2", "--to", to}
		res := d.json(1, args...)
		var got []string
		for _, one := range res["each"].([]any) {
			u := one.(map[string]any)
			got = append(got, fmt.Sprintf("%s %v/%v %s", strings.TrimPrefix(u["table"].(string), own), u["loaded"], u["read"], u["result"]))
		}
		require.Equal(t, []string{"a 2/2 loaded", "b 2/3 loaded, with rejects", "c 1/1 loaded", "d 0/0 failed"}, got)
		d.write(file("d"), "no\n7\n")
		out, _ := d.run(0, args...)
		require.Equal(t, 3, strings.Count(out, "loaded before"))
		require.Contains(t, out, "4 tables: 1 row read, 1 loaded, 0 rejected")
		d.run(5, args...)
		d.run(0, "verify", own+"b.tray", "--to", to)
	})
	d := newDesk(t)
	d.write("x/find.csv", "no\n1\n")
	d.write("y/find.csv", "no\n1\n")
	d.write("find-2025.csv", "no\n1\n")
	d.write("find-2026.csv", "no\n1\n")
	_, errOut := d.run(1, "load", "x/find.csv", "y/find.csv", "--each", "--to", "museum.db")
	require.Contains(t, errOut, "x/find.csv and y/find.csv would both have the tray find.tray")
	d.run(0, "load", "find-2025.csv", "find-2026.csv", "--each", "--to", "museum.db")
	require.Equal(t, "find_2025|find_2026", d.query("SELECT name FROM sqlite_schema WHERE name LIKE 'find%' AND type = 'table'"))
	d.run(2, "load", "find-2025.csv", "--each", "--table", "x", "--to", "museum.db")
	text, err := demo.Files.ReadFile("loans-2026.xlsx")
	require.NoError(t, err)
	d.write("loans-2026.xlsx", string(text))
	out, _ := d.run(0, "load", "loans-2026.xlsx", "--each", "--to", "museum.db")
	require.Contains(t, out, "loans-2026.xlsx · 2026-03  loans_2026_03")

	require.NoError(t, syscall.Mkfifo(filepath.Join(d.dir, "pipe.csv"), 0o600)) // which can be read only once
	go d.write("pipe.csv", "no\n3\n4\n")
	c := d.command("load", "--each", "-", "pipe.csv", "--to", "streams.db")
	c.Stdin = strings.NewReader("no\n5\n")
	said, err := c.CombinedOutput()
	require.NoError(t, err, string(said))
	require.Equal(t, "3|4|5", d.queryIn("streams.db", "SELECT no FROM pipe UNION ALL SELECT no FROM stdin"))
}

// TestUndo removes the rows of one load, or none if they have changed.
func TestUndo(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("jan.csv", "no,room,name,day\n1,a,ant,2026-01-01\n2,a,o'bee,2026-01-02\n2,b,,2026-01-03\n")
		d.write("feb.csv", "no,room,name,day\n3,a,cat,2026-02-01\n4,a,dog,2026-02-02\n5,a,x,2026-02-02,7\n")
		load := func(status int, args ...string) string {
			return d.json(status, append([]string{"load", "--to", to, "--table", table}, args...)...)["id"].(string)
		}
		jan := load(0, "jan.csv", "--change", "key=no,room", "--change", "name.nullable=true")
		feb := load(3, "jan.tray", "feb.csv")
		count := func(want string) {
			out, _ := d.run(0, "verify", "jan.tray", "feb.csv", "--to", to)
			require.Contains(t, out, want)
		}
		count("5 rows, 3 of them not of this source")
		on(t, to, "UPDATE "+table+" SET name = 'owl' WHERE no = 4")
		_, errOut := d.run(1, "undo", feb, "--to", to)
		require.Contains(t, errOut, "load "+feb+" cannot be undone: some of its rows were changed")
		on(t, to, "UPDATE "+table+" SET name = 'dog' WHERE no = 4", "DELETE FROM "+table+" WHERE no = 3")
		_, errOut = d.run(1, "undo", feb, "--to", to)
		require.Contains(t, errOut, "the table has 1 row with the keys or the mark of its 2 rows")
		on(t, to, "INSERT INTO "+table+" VALUES (3, 'a', 'cat', '2026-02-01')")
		text := d.read("feb.csv")
		d.write("feb.csv", "no,room,name,day\n4,a,dog,2026-02-02\n")
		_, errOut = d.run(1, "undo", feb, "--to", to)
		require.Contains(t, errOut, "feb.csv has other content than was loaded")
		d.write("feb.csv", text)
		count("5 rows, 3 of them not of this source")
		child := table + "c"
		follows, drop, is := "CREATE TABLE "+child+" (n integer PRIMARY KEY, no integer, room char(1), FOREIGN KEY (no, room) REFERENCES "+table+" (no, room) ON DELETE CASCADE)", "DROP TABLE "+child, "foreign key from table "+child
		if name == "mysql" {
			follows, drop, is = "CREATE TRIGGER "+child+" BEFORE DELETE ON "+table+" FOR EACH ROW SET @gone = 1", "DROP TRIGGER "+child, "trigger "+child
		}
		on(t, to, follows)
		_, errOut = d.run(1, "undo", feb, "--to", to)
		require.Contains(t, errOut, "removing its rows would change other rows too: "+is)
		on(t, to, drop)
		res := d.json(0, "undo", feb, "--to", to)
		require.Equal(t, []any{2.0, 5.0, 3.0}, []any{res["removed"], res["table_before"], res["table_after"]})
		_, errOut = d.run(1, "undo", feb, "--to", to)
		require.Contains(t, errOut, "the load is undone")
		said, _ := d.run(0, "rejects", "jan.tray", "--load", "0002")
		require.Contains(t, said, "the load was undone, so its rejects in")
		d.run(0, "verify", "jan.tray", "--to", to, "--whole")
		load(3, "jan.tray", "feb.csv") // which it has no more
		d.run(0, "undo", jan, "--to", to, "--tray", "jan.tray")
		_, errOut = d.run(1, "undo", "20260101-000000-00000000", "--to", to)
		require.Contains(t, errOut, "the ledger has no such load")
		replaced := load(0, "jan.csv", "--existing", "rebuild")
		_, errOut = d.run(1, "undo", replaced, "--to", to)
		require.Contains(t, errOut, "the rows replaced others")

		correct := func(file any, old, text string) {
			path, _ := file.(string)
			d.write(path, strings.Replace(d.read(path), old, text, 1))
		}
		d.write("mar.csv", "no,room,name,day\n6,a,eel,2026-03-01\n7,a,fly,2026-02-31\n")
		mar := d.json(3, "load", "jan.tray", "mar.csv", "--to", to, "--table", table)
		correct(mar["rejects"].(map[string]any)["file"], "fly,2026-02-31", "fly,2026-02-28")
		mend := d.json(0, "mend", "jan.tray", "--to", to)["id"].(string)
		_, errOut = d.run(1, "undo", mend, "--to", to)
		require.Contains(t, errOut, "undo that load to remove them too")
		on(t, to, "UPDATE "+table+" SET name = 'owl' WHERE no = 7")
		d.run(1, "undo", mar["id"].(string), "--to", to)
		on(t, to, "UPDATE "+table+" SET name = 'fly' WHERE no = 7")
		res = d.json(0, "undo", mar["id"].(string), "--to", to)
		require.Equal(t, []any{2.0, 1.0}, []any{res["removed"], res["mended"]})
		_, errOut = d.run(1, "mend", "jan.tray", "--load", mar["load"].(string), "--to", to)
		require.Contains(t, errOut, "cannot be mended: it was undone")
		require.Equal(t, "undone", d.json(4, "verify", "jan.tray", "mar.csv", "--to", to)["state"])
		load(3, "jan.tray", "mar.csv")
		d.json(0, "load", "jan.csv", "--to", to, "--table", table, "--existing", "rebuild", "--again")
		require.Empty(t, d.json(0, "rejects", "jan.tray")["others"])
		_, errOut = d.run(1, "mend", "jan.tray", "--load", "0003", "--to", to)
		require.Contains(t, errOut, "its rows were replaced by a later load")

		d.write("marked.csv", "name,day\nant,2026-01-01\nant,2026-01-01\nbee,2026-01-32\n")
		args := []string{"marked.csv", "--table", table + "m", "--change", "mark.value={load}", "--change", "day.type=date"}
		first := d.json(3, append([]string{"load", "--to", to}, args...)...)
		correct(first["rejects"].(map[string]any)["file"], "bee,2026-01-32", "bee,2026-01-31")
		d.run(0, "mend", "marked.tray", "--to", to)
		d.run(3, "load", "marked.tray", "--to", to, "--table", table+"m", "--again")
		require.Equal(t, 3.0, d.json(0, "undo", first["id"].(string), "--to", to)["removed"], "by the mark, without a key")
	})
}

// TestRelations proposes foreign keys, and makes those that are accepted after the rows.
func TestRelations(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, _, to string) {
		own := strings.ToLower(uniqueTable(t))
		rooms, finds := own+"rooms", own+"afinds" // which come first
		d.write(rooms+".csv", "code,name\nR1,north\nR2,south\nR3,east\nR4,west\n")
		d.write(finds+".csv", "no,room,amount\n1,R1,1\n2,R2,2\n3,R3,3\n4,R1,2\n")
		d.write(own+"more.csv", "no,room,amount\n9,R1,1\n")
		args := []string{finds + ".csv", rooms + ".csv", own + "more.csv", "--each"}
		res := d.json(0, append([]string{"survey"}, args...)...)
		require.Equal(t, []any{map[string]any{"source": finds, "column": "room", "table": rooms, "key": "code", "evidence": "3 values, all among its 4"}}, res["relations"])
		require.Equal(t, []any{[]any{finds + ".csv", own + "more.csv"}}, res["alike"])
		out, _ := d.run(0, append([]string{"survey"}, args...)...)
		require.Contains(t, out, "--change 'room.references="+rooms+"(code)'")
		d.run(0, "draft", finds+".csv", "--change", "room.references="+rooms+"(code)")
		out, _ = d.run(0, "ddl", finds+".tray", "--dialect", "postgresql")
		require.Contains(t, out, "ADD CONSTRAINT "+finds+"_room_fk FOREIGN KEY (room) REFERENCES "+rooms+" (code)")
		d.run(0, "load", finds+".csv", rooms+".csv", "--each", "--jobs", "2", "--to", to)
		d.write("other.csv", "no,room,amount\n5,R9,1\n6,R2,1\n")
		out, _ = d.run(3, "load", finds+".tray", "other.csv", "--to", to)
		require.Contains(t, out, "2 read = 1 loaded + 1 rejected", "the foreign key is there")
		d.run(0, "load", finds+".tray", "--to", to, "--existing", "rebuild", "--again") // the plan makes it again
	})
	d := newDesk(t)
	d.write("find.csv", "no,room\n1,R1\n")
	_, errOut := d.run(2, "draft", "find.csv", "--change", "room.references=rooms")
	require.Contains(t, errOut, "write TABLE(COLUMN)")
}

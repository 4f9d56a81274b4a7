package main_test

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/source"
)

// TestStory loads the museum's files into every target as a person would.
func TestStory(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, _, to string) {
		table := uniqueTable(t)
		out, _ := d.run(0, "survey", "specimens.csv", "loans.csv")
		require.Contains(t, out, "1,204 records")
		require.Contains(t, out, "line 91")
		out, _ = d.run(0, "draft", "specimens.csv", "--table", table)
		require.Contains(t, out, "5 digits in all 1,204 values")
		require.Contains(t, d.read("specimens.tray/tray.yaml"), "type: char(5) # 5 digits")
		out, _ = d.run(0, "ddl", "specimens.tray", "--to", to)
		require.Contains(t, out, "shelf_code       char(5)      NOT NULL")
		out, _ = d.run(0, "check", "specimens.tray", "--to", to)
		require.Contains(t, out, "would be created")
		out, _ = d.run(0, "load", "specimens.tray", "--to", to)
		require.Contains(t, out, "1,204 read = 1,204 loaded + 0 rejected + 0 skipped · table 0 → 1,204 · every row proved")
		out, _ = d.run(0, "verify", "specimens.tray", "--to", to)
		require.Contains(t, out, "every row proved: 1,204 rows")
		_, errOut := d.run(5, "load", "specimens.tray", "--to", to)
		require.Contains(t, errOut, "was already loaded into "+table+": 1,204 rows on ")
		_, errOut = d.run(1, "load", "specimens.tray", "--to", to, "--again", "--existing", "refuse")
		require.Contains(t, errOut, "already exists")
		loads := d.json(0, "history", "--to", to, "--table", table)["loads"].([]any)
		require.Len(t, loads, 1)
		require.Equal(t, "specimens.csv", loads[0].(map[string]any)["source"])

		r := d.json(3, "load", "loans.csv", "--to", to, "--table", table+"_loans")
		require.Equal(t, map[string]any{
			"read": 180.0, "loaded": 175.0, "rejected": 4.0, "skipped": 1.0, "table_before": 0.0, "table_after": 175.0,
		}, r["counts"])
		require.Equal(t, true, r["verified"])
		require.Len(t, r["rejects"].(map[string]any)["by_reason"], 4)
		rejects := d.read("loans.tray/loads/0001/rejects.csv")
		require.Contains(t, rejects, `loans.csv,111,112,due_back,31/02/2026,no such date,01081,KB-01003,"Müller & Søn, conservators"`)
		require.Contains(t, rejects, `loans.csv,37,38,,,"8 cells, not 7",,,,,,,,"00563,KB-00703,Harrow College,18/03/2026,24/06/2026,297.00,true,paid twice"`)
		out, _ = d.run(0, "rejects", "loans.tray")
		require.Contains(t, out, "no such date")
	})
}

// TestDraft follows one column, and keeps what a person writes.
func TestDraft(t *testing.T) {
	d := newDesk(t)
	out, _ := d.run(0, "draft", "loans.csv", "--explain", "Due Back")
	require.Contains(t, out, `day first: "15/03/2026" on line 2`)
	require.Regexp(t, `no such date +1  31/02/2026 on line 112`, out)
	require.NoFileExists(t, filepath.Join(d.dir, "loans.tray", "tray.yaml"))
	_, errOut := d.run(2, "draft", "loans.csv", "--explain", "Due")
	require.Contains(t, errOut, `no column "Due"; the columns are Loan No,`)

	d.run(0, "draft", "loans.csv", "--fit", "snug")
	plan := d.read("loans.tray/tray.yaml")
	require.Contains(t, plan, "type: decimal(5,2)")
	d.write("loans.tray/tray.yaml", strings.Replace(plan, "type: decimal(5,2)", "type: decimal(4,2)", 1))
	out, _ = d.run(0, "draft", "loans.csv")
	require.Contains(t, out, "column Fee type: decimal(4,2) (drafted now: decimal(6,2))")
	require.Contains(t, out, "column Borrower type: varchar(31) → varchar(40)")
	require.Contains(t, out, "132 records would be rejected")
	require.Contains(t, d.read("loans.tray/tray.yaml"), "type: decimal(4,2)")
	d.run(0, "draft", "specimens.csv")
	plan = d.read("specimens.tray/tray.yaml")
	out, _ = d.run(0, "draft", "specimens.csv")
	require.Contains(t, out, "the source asks for no change\n\n  The plan in specimens.tray/tray.yaml is unchanged.")
	require.Equal(t, plan, d.read("specimens.tray/tray.yaml"))
	_, errOut = d.run(1, "draft", "specimens.csv", "--tray", "loans.tray")
	require.Contains(t, errOut, "the tray of another source")
}

// TestRules loads through every rule of a tray.
func TestRules(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		d.write("visits-2026-03.csv", "Day,Who,Code,Fee,Share,Insured,Left\n5,  ant ,7,(£1),50%,in,x\n31, Bee,12,£2.50,7 %,out,y\n32,Cow,,n/a,,in,z\n")
		table := uniqueTable(t)
		d.write("v.tray/tray.yaml", `tray: 1
source:
  files: [visits-2026-03.csv]
  name_parts: "visits-{year}-{month}.csv"
table:
  name: `+table+`
  comment: Who came to see
  indexes: [[who], [code, fee]]
columns:
  - {value: "{year}-{month}-{Day}", name: day, type: date, comment: "the day of the visit"}
  - {from: Day, leave_out: true}
  - {from: Who, name: who, type: varchar(10), trim: true, letter_case: upper, words: {cow: cattle}}
  - {from: Code, name: code, type: char(3), pad_zeros: 3, default: "000", nullable: false}
  - {from: Fee, name: fee, type: "decimal(5,2)", currency: GBP, null_words: [n/a]}
  - {from: Share, name: share, type: "decimal(3,2)", percent: true}
  - {from: Insured, name: insured, type: boolean, true_words: [in], false_words: [out]}
  - {from: Left, leave_out: true}
  - {value: "{file} {line} {record} {load}", name: origin, type: text}
`)
		out, _ := d.run(3, "load", "v.tray", "--to", to)
		require.Contains(t, out, "every row proved")
		require.Contains(t, out, `no such date  "2026-03-32" on line 4`)
		if name == "sqlite" {
			id := d.json(0, "history", "--to", to)["loads"].([]any)[0].(map[string]any)["id"].(string)
			require.Equal(t, "2026-03-05|ANT|007|-1|0.5|1|visits-2026-03.csv 2 1 "+id+"|2026-03-31|BEE|012|2.5|0.07|0|visits-2026-03.csv 3 2 "+id,
				d.query("SELECT day, who, code, fee, share, insured, origin FROM "+table+" ORDER BY code"))
			require.Equal(t, "2", d.query("SELECT count(*) FROM sqlite_schema WHERE type = 'index' AND tbl_name = '"+table+"'"))
		}
		d.run(0, "verify", "v.tray", "--to", to)
	})
}

// TestDDL writes definitions for every server, and a handover that is loaded with nothing
// but the client of the database.
func TestDDL(t *testing.T) {
	d := newDesk(t)
	for dialect, want := range map[string]string{
		"mysql": "examined_at      datetime,", "sqlserver": "shelf_code       char(5)      NOT NULL", "oracle": "on_loan          number(1)         NOT NULL",
		"ansi": "examined_at      timestamp(0),", "postgresql": "mass_g           numeric(7,2),", "sqlite": "PRIMARY KEY (specimen_no)\n);",
	} {
		out, _ := d.run(0, "ddl", "specimens.csv", "--dialect", dialect)
		require.Contains(t, out, want, dialect)
		again, _ := d.run(0, "ddl", "specimens.csv", "--dialect", dialect)
		require.Equal(t, out, again)
	}
	out, _ := d.run(3, "handover", "loans.csv", "--dialect", "sqlite", "--out", "for-harrow")
	require.Contains(t, out, "180 read = 175 handed over + 4 rejected + 1 skipped")
	require.Contains(t, d.read("for-harrow/rejects.csv"), "no such date")
	client := exec.Command("sqlite3", "../harrow.db", ".read load.sql", ".read verify.sql")
	client.Dir = filepath.Join(d.dir, "for-harrow")
	said, err := client.CombinedOutput()
	require.NoError(t, err, string(said))
	require.Equal(t, 8, strings.Count(string(said), "agrees"), string(said))
	d.run(3, "handover", "loans.csv", "--dialect", "mysql", "--inserts", "--out", "inserts")
	require.Contains(t, d.read("inserts/load.sql"), "DATE '2026-")
	_, errOut := d.run(1, "handover", "loans.csv", "--dialect", "mysql", "--out", "inserts")
	require.Contains(t, errOut, "inserts: the folder already exists and is not empty")
	_, errOut = d.run(2, "handover", "loans.csv", "--out", "x")
	require.Contains(t, errOut, "--dialect with one of sqlite")
	_, errOut = d.run(2, "ddl", "loans.csv", "--dialect", "cobol")
	require.Contains(t, errOut, "sqlite, postgresql, mysql")
}

// TestExisting loads a second file into an existing table.
func TestExisting(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, _, to string) {
		table := uniqueTable(t)
		d.run(3, "load", "loans.csv", "--to", to, "--table", table)
		d.write("more.csv", "Loan No,Specimen No,Borrower,Lent On,Due Back,Fee,Insured\n00311,KB-00001,x,01/02/2026,13/02/2026,5.00,true\n"+
			"90001,KB-00001,"+strings.Repeat("x", 41)+",01/02/2026,13/02/2026,5.00,true\n90002,KB-00001,x,01/02/2026,13/02/2026,5,true\n")
		_, errOut := d.run(1, "load", "more.csv", "--to", to, "--table", table)
		require.Contains(t, errOut, "--existing append adds rows")
		out, _ := d.run(3, "check", "more.tray", "--to", to, "--table", table, "--existing", "append")
		require.Contains(t, out, ": append")
		require.Regexp(t, `borrower +varchar\(40\) +rejects +1 record: longer than varchar\(40\)`, out)
		out, _ = d.run(3, "load", "more.tray", "--to", to, "--table", table, "--existing", "append")
		require.Contains(t, out, "duplicate key")
		require.Contains(t, out, "skipped · every row proved")
		require.Contains(t, out, "rows appended")
		out, _ = d.run(1, "check", "specimens.csv", "--to", to, "--table", table, "--existing", "append")
		require.Contains(t, out, "the table has no such column")
		_, errOut = d.run(1, "load", "specimens.csv", "--to", to, "--table", table, "--existing", "append")
		require.Contains(t, errOut, "the plan does not fit table")
		_, errOut = d.run(1, "load", "specimens.csv", "--to", to, "--table", table, "--existing", "rebuild")
		require.Contains(t, errOut, "these would be lost: column loan_no, column borrower")
		out, _ = d.run(0, "load", "specimens.csv", "--to", to, "--table", table, "--existing", "rebuild", "--accept-loss")
		require.Contains(t, out, "→ 1,204 ·")
		d.write("finds.csv", "no,name\n1,ant\n2,\n")
		d.run(0, "load", "finds.csv", "--to", to, "--table", table+"_finds")
		d.write("next.csv", "no,colour\n3,red\n")
		for _, command := range []string{"check", "load"} {
			out, _ = d.run(0, command, "next.csv", "--to", to, "--table", table+"_finds", "--existing", "append", "--change", "colour.leave_out=true")
			require.Contains(t, out, "columns of the table that are not in the plan, and are NULL in new rows: name")
			require.Contains(t, out, "columns of the source that the plan leaves out: colour")
		}
		_, errOut = d.run(2, "load", "specimens.csv", "--to", to, "--existing", "smash")
		require.Contains(t, errOut, "write refuse, append, empty, rebuild or merge")
	})
}

// TestValues examines what is in the table, rather than what the program
// says of it.
func TestValues(t *testing.T) {
	d := newDesk(t)
	d.run(0, "load", "specimens.csv", "--to", "museum.db")
	require.Equal(t, "1204|4|145|2585388.73", d.query("SELECT count(*), sum(mass_g IS NULL), sum(examined_at IS NULL), round(sum(mass_g), 2) FROM specimens"))
	require.Equal(t, "KB-00001|55479|1007.5|3926.49|5|2016-06-18|0|text", d.query(
		"SELECT specimen_no, shelf_code, mass_g, value_gbp, pieces, found_on, on_loan, typeof(shelf_code) FROM specimens LIMIT 1"))
	require.Equal(t, "two fractures\nsee the photograph", d.query("SELECT remarks FROM specimens WHERE specimen_no = 'KB-00001'"))
}

// TestEditedTray loads by what a person wrote: types, names, columns left out,
// key and null words.
func TestEditedTray(t *testing.T) {
	d := newDesk(t)
	d.write("notes.csv", "No,Grade,Shelf,Note\n1,a few,007,x\n2,3,008,-\n3,4,009,z\n")
	d.run(0, "draft", "notes.csv")
	d.write("notes.tray/tray.yaml", `tray: 1
source: {files: [notes.csv]}
table: {name: note, key: [number]}
columns:
  - {from: No, name: number, type: bigint}
  - {from: Grade, name: grade, type: integer}
  - {from: Shelf, leave_out: true}
  - {from: Note, name: "my note", type: varchar(1), null_words: ["-"]}
`)
	r := d.json(3, "check", "notes.tray")
	require.Equal(t, 2.0, r["would_load"])
	d.run(3, "load", "notes.csv", "--to", "museum.db")
	require.Equal(t, "2|3||3|4|z", d.query(`SELECT number, grade, "my note" FROM note`))
	d.run(0, "verify", "notes.tray", "--to", "museum.db")

	d.write("notes.csv", "No,Grade,Shelf,Note\n2,3,008,-\n3,5,009,z\n")
	out, _ := d.run(4, "verify", "notes.tray", "--to", "museum.db")
	require.Regexp(t, `changed +3 +3 +grade +5 +4`, out)
	d.write("notes.csv", "No,Grade,Note,Extra\n1,2,3,4\n")
	_, errOut := d.run(1, "check", "notes.tray")
	require.Contains(t, errOut, "extra column Extra")
	d.write("notes.csv", "No,Shelf,Note\n1,2,3\n")
	_, errOut = d.run(1, "check", "notes.tray")
	require.Contains(t, errOut, "missing column Grade")
}

// TestAsTheyArrive loads what is packed, streamed, in parts and in need of a
// word from the user.
func TestAsTheyArrive(t *testing.T) {
	d := newDesk(t)
	d.write("report.csv", report)
	s := d.json(0, "survey", "report.csv")["sources"].([]any)[0].(map[string]any)
	require.Equal(t, map[string]any{"title": 2.0, "blank": 1.0, "comment": 1.0, "ruler": 1.0, "repeated_header": 1.0, "footer": 2.0, "hidden": 0.0, "description": 0.0}, s["skipped"])
	out, _ := d.run(0, "load", "report.csv", "--to", "museum.db")
	require.Contains(t, out, "11 read = 3 loaded + 0 rejected + 8 skipped")
	require.Equal(t, "3|7.0|fern, dried", d.query("SELECT count(*), sum(fee), max(CASE no WHEN 2 THEN name END) FROM report"))
	require.Contains(t, d.read("report.tray/tray.yaml"), "header: 4\n  footer: found\n")
	r := d.json(0, "verify", "report.tray", "--to", "museum.db")
	require.Equal(t, 8.0, r["skipped"])

	layout := d.json(0, "survey", "report.csv", "--delimiter", ";", "--header", "none", "--rows", "2")["sources"].([]any)[0].(map[string]any)["layout"].(map[string]any)
	require.Equal(t, []any{"delimiter", "header"}, layout["overrides"])
	out, _ = d.run(0, "survey", "specimens.csv", "--quick", "--rows", "3")
	require.Contains(t, out, "the first 1,000 records")

	c := d.command("load", "-", "--to", "museum.db", "--table", "piped", "--encoding", "utf-8")
	c.Stdin = bytes.NewReader(gzipped(t, report))
	piped, err := c.CombinedOutput()
	require.NoError(t, err, string(piped))
	require.Equal(t, "3", d.query("SELECT count(*) FROM piped"))

	d.write("loans-jan.csv", "No,Name\n1,gnat\n2\n")
	d.write("loans-feb.csv", "No,Name\n3,fern\n")
	receipt := d.json(0, "load", "loans-*.csv", "--to", "museum.db", "--fill-short", "--table", "monthly")
	require.Len(t, receipt["source"], 2)
	require.Equal(t, 2.0, receipt["source"].([]any)[1].(map[string]any)["read"])
	require.Equal(t, "3|1", d.query("SELECT count(*), sum(name IS NULL) FROM monthly"))
	d.write("loans-mar.csv", "No,Naam\n3,fern\n")
	_, errOut := d.run(1, "check", "loans.tray")
	require.Contains(t, errOut, "Naam in place of Name")

	late := "No,Name\n" + strings.Repeat("1,gnat\n", 300_000) + "2,K\xe4fer\n"
	d.write("late.csv", late)
	s = d.json(0, "survey", "late.csv")["sources"].([]any)[0].(map[string]any)
	require.Equal(t, "windows-1252", s["layout"].(map[string]any)["encoding"])
	s = d.json(0, "survey", "late.csv", "--encoding", "utf-8")["sources"].([]any)[0].(map[string]any)
	require.Equal(t, 1.0, s["broken"])
	require.Equal(t, 300_002.0, s["oddities"].([]any)[0].(map[string]any)["line"])
}

func gzipped(t *testing.T, text string) []byte {
	t.Helper()
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	_, err := w.Write([]byte(text))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	return out.Bytes()
}

// TestJSONKeys holds the keys that others rely on.
func TestJSONKeys(t *testing.T) {
	d := newDesk(t)
	s := d.json(0, "survey", "loans.csv")["sources"].([]any)[0].(map[string]any)
	requireKeys(t, s, "source sheet bytes layout records skipped ragged oddities columns")
	requireKeys(t, s["layout"].(map[string]any), "format encoding bom delimiter quote line_end header_line first_data_line overrides")
	requireKeys(t, s["columns"].([]any)[0].(map[string]any),
		"heading name type format nullable key blanks null_words distinct min max shortest longest evidence")
	requireKeys(t, s["oddities"].([]any)[0].(map[string]any), "line column what")
	c := d.json(3, "check", "loans.csv")
	requireKeys(t, c, "records would_load would_reject columns")
	requireKeys(t, c["columns"].([]any)[0].(map[string]any), "name verdict why")
	r := d.json(3, "load", "loans.csv", "--to", "museum.db")
	requireKeys(t, r, "load tray target table existing source counts rejects verified differences phases")
	requireKeys(t, r["source"].([]any)[0].(map[string]any), "source sheet bytes sha256 read")
	requireKeys(t, r["rejects"].(map[string]any)["by_reason"].([]any)[0].(map[string]any), "column reason count example line")
	requireKeys(t, r["phases"].([]any)[0].(map[string]any), "phase seconds rows_per_second")
	var receipt map[string]any
	require.NoError(t, json.Unmarshal([]byte(d.read("loans.tray/loads/0001/receipt.json")), &receipt))
	require.Equal(t, r, receipt)
	steps := d.json(0, "demo")["steps"].([]any)
	require.Equal(t, 21, len(steps))
}

func requireKeys(t *testing.T, m map[string]any, keys string) {
	t.Helper()
	for _, k := range strings.Fields(keys) {
		require.Contains(t, m, k)
	}
}

// TestFixedColumns takes text with columns at fixed places through every command.
func TestFixedColumns(t *testing.T) {
	d := newDesk(t)
	d.write("finds.txt", "code    locality              depth\n00001   Tern Island, north     1.50\n00002   Ørsted hall           12.50\n"+
		"00003   東の島                     x\n00004   Old Quarry\n")
	out, _ := d.run(0, "survey", "finds.txt", "--json")
	require.Contains(t, out, `"format": "fixed"`)
	d.run(0, "draft", "finds.txt")
	tray := d.read("finds.tray/tray.yaml")
	require.Contains(t, tray, "format: fixed")
	d.write("finds.tray/tray.yaml", strings.Replace(tray, "type: varchar(10)", "type: decimal(5,2)", 1))
	require.EqualValues(t, 3, d.json(3, "check", "finds.tray")["would_load"])
	d.run(3, "load", "finds.tray", "--to", "museum.db")
	rejects := d.read("finds.tray/loads/0001/rejects.csv")
	require.Contains(t, rejects, "finds.txt,3,4,depth,x,not a number,00003,東の島,x,")
	d.write("finds.tray/loads/0001/rejects.csv", strings.Replace(rejects, "東の島,x,", "東の島,3.75,", 1))
	d.run(0, "mend", "finds.tray", "--to", "museum.db")
	require.Equal(t, "00001|1.5|00002|12.5|00003|3.75|00004|", d.query("SELECT code, depth FROM finds ORDER BY code"))
	d.run(0, "verify", "finds.tray", "--to", "museum.db")
}

// TestMainframe loads records of one length in EBCDIC, and by the plan the next file, whose last
// record is not complete.
func TestMainframe(t *testing.T) {
	d := newDesk(t)
	enc, err := source.EncodingByName("ibm037")
	require.NoError(t, err)
	records := func(from, to int) (text string) {
		for i := from; i < to; i++ {
			text += fmt.Sprintf("%05d%-10s202601%02d%06d", i, []string{"ANT", "BEE", "O'HARA"}[i%3], 1+i%28, i*125)
		}
		return text
	}
	put := func(name, text string) {
		raw, err := enc.Encode([]byte(text))
		require.NoError(t, err)
		d.write(name, string(raw))
	}
	put("finds.dat", records(0, 100))
	_, errOut := d.run(1, "survey", "finds.dat")
	require.Contains(t, errOut, "add --record-length")
	d.run(0, "load", "finds.dat", "--to", "museum.db", "--record-length", "29", "--columns", "1-5,6-15,16-23,24-29", "--change", "column_3.type=date", "--change", "column_4.type=integer")
	require.Equal(t, "100|100|2026-01-28|618750", d.query("SELECT count(*), count(DISTINCT column_1), max(column_3), sum(column_4) FROM finds"))
	put("more.dat", records(100, 150)+"00150")
	_, errOut = d.run(1, "load", "finds.tray", "more.dat", "--to", "museum.db")
	require.Contains(t, errOut, "the last one, 51, has 5 characters of 29")
	put("more.dat", records(100, 150))
	d.run(0, "load", "finds.tray", "more.dat", "--to", "museum.db")
	require.Equal(t, "150", d.query("SELECT count(*) FROM finds"))
	d.run(0, "verify", "finds.tray", "more.dat", "--to", "museum.db")
}

// TestVerifyFile compares a file without a tray with a table, by its headings.
func TestVerifyFile(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, _, to string) {
		d.write("fees.csv", "No,Name,Fee,Due\n1,ant,\"1,010.50\",2026-01-05\n2,bee,5.25,2026-01-06\n3,cat,0,2026-01-07\nTotal,,\"1,015.75\",\n")
		table := uniqueTable(t)
		out, _ := d.run(0, "load", "fees.csv", "--to", to, "--table", table, "--rows", "2")
		require.Regexp(t, `control +sum of fee: 1,015.75 as stated on line 5, read and loaded`, out)
		require.Regexp(t, `line 3 +2,bee,5.25`, out)
		require.Regexp(t, `3 +2 +'bee' +5.25`, out)
		d.write("export.csv", "DUE;fee;no;Remark\n06/01/2026;5.25;2;x\n05/01/2026;1010.50;1;y\n13/01/2026;0;4;z\n")
		r := d.json(4, "verify", "export.csv", "--to", to, "--table", table)
		require.Equal(t, []any{"Remark"}, r["not_compared"])
		out, _ = d.run(4, "verify", "export.csv", "--to", to, "--table", table, "--rows", "3")
		require.Regexp(t, `(?m)^ +4 +no such row$`, out)
		require.Equal(t, 1.0, r["rows_differ"].(map[string]any)["missing"])
		require.Equal(t, 1.0, r["elsewhere"])
		require.Contains(t, d.read("export.csv.differences.csv"), "missing,4,export.csv,4,,")
		d.write("export.csv", "due,fee,no\n2026-01-07,0,3\n")
		r = d.json(0, "verify", "export.csv", "--to", to, "--table", table)
		require.Equal(t, 2.0, r["elsewhere"])
		require.NoFileExists(t, filepath.Join(d.dir, "export.csv.differences.csv"), "that of the comparison before is gone")
		d.run(4, "verify", "export.csv", "--to", to, "--table", table, "--whole")
		_, errOut := d.run(1, "verify", "export.csv", "--to", to, "--table", "nothing")
		require.Contains(t, errOut, "no such table")
	})
}

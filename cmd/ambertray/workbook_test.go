package main_test

import (
	"archive/zip"
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/demo"
)

// TestWorkbook brings the museum's loans, a sheet a month, into every target.
func TestWorkbook(t *testing.T) {
	book, err := demo.Files.ReadFile("loans-2026.xlsx")
	require.NoError(t, err)
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("lent.xlsx", string(book))
		out, _ := d.run(0, "survey", "lent.xlsx")
		require.Contains(t, out, "6 sheets")
		require.Contains(t, out, "header on row 4")
		require.Contains(t, out, "row 18, footer row: Total")
		require.Len(t, d.json(0, "survey", "lent.xlsx")["sources"], 4, "each that is visible and not empty")
		_, errOut := d.run(1, "load", "lent.xlsx", "--to", to)
		require.Contains(t, errOut, "2026-04, 2026-05 (empty), Borrowers (hidden)")
		require.Contains(t, errOut, "--sheet all")
		_, errOut = d.run(1, "load", "lent.xlsx", "--to", to, "--sheet", "June")
		require.Contains(t, errOut, `no sheet "June"`)

		_, errOut = d.run(1, "draft", "lent.xlsx", "--sheet", "2026-*")
		require.Contains(t, errOut, "lent.xlsx · 2026-04: extra column Courier")
		out, _ = d.run(0, "draft", "lent.xlsx", "--sheet", "2026-*", "--table", table, "--drift", "fill")
		require.Contains(t, out, "2026-03: extra column Courier")
		plan := d.read("lent.tray/tray.yaml")
		require.Contains(t, plan, "- from: column_3\n    leave_out: while_blank")
		require.Contains(t, plan, "56 of 57 are dates, but 1 is not: \"after Easter\" on row 15")
		d.write("lent.tray/tray.yaml", strings.Replace(plan, "type: varchar(20) # text of 10 to 12", "type: date\n    format: yyyy-MM-dd # text of 10 to 12", 1))
		r := d.json(3, "load", "lent.tray", "--to", to)
		require.Equal(t, 56.0, r["counts"].(map[string]any)["loaded"])
		require.Equal(t, "2026-03", r["source"].([]any)[2].(map[string]any)["sheet"])
		rejects := d.read("lent.tray/loads/0001/rejects.csv")
		require.Contains(t, rejects, "lent.xlsx · 2026-03,11,15,due_back,after Easter,not a date written yyyy-MM-dd")
		d.write("lent.tray/loads/0001/rejects.csv", strings.ReplaceAll(rejects, "after Easter", "2026-04-07"))
		out, _ = d.run(0, "mend", "lent.tray", "--to", to)
		require.Contains(t, out, "every row proved")
		out, _ = d.run(0, "verify", "lent.tray", "--to", to)
		require.Contains(t, out, "every row proved")
		require.Contains(t, out, "lent.xlsx · 2026-03  agrees         18       14          0        14\n")
		_, errOut = d.run(5, "load", "lent.tray", "--to", to)
		require.Contains(t, errOut, "was already loaded into "+table)
		if name == "sqlite" {
			require.Equal(t, "2026-01|13|2026-02|14|2026-03|14|2026-04|16", d.query("SELECT sheet, count(*) FROM "+table+" GROUP BY sheet ORDER BY sheet"))
			require.Equal(t, "2026-03|2026-04", d.query("SELECT DISTINCT sheet FROM "+table+" WHERE courier IS NOT NULL ORDER BY sheet"))
			require.Equal(t, "0", d.query("SELECT count(*) FROM "+table+" WHERE fee <> round(fee, 1)"), "no float noise")
		}
	})
}

// TestWorkbookFormats brings the same loans, as other programs have written them
// in each format, into every target: their content is one, so that it is loaded
// once.
func TestWorkbookFormats(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, _, to string) {
		table := uniqueTable(t)
		for _, ext := range []string{"xls", "xlsb", "xlsx", "ods"} {
			d.copyBook("loans." + ext)
		}
		out, _ := d.run(0, "load", "loans.xls", "--to", to, "--table", table)
		require.Contains(t, out, "42 rows after the header: 40 records, 2 skipped (1 title, 1 blank line)")
		require.Contains(t, out, "verified   42 read = 40 loaded + 0 rejected + 2 skipped")
		d.run(0, "verify", "loans.tray", "--to", to)
		plan := d.read("loans.tray/tray.yaml")
		require.Contains(t, plan, "row 16: hidden rows with values: 1, taken")
		for _, ext := range []string{"xlsb", "xlsx"} {
			d.write("loans.tray/tray.yaml", strings.Replace(plan, "loans.xls]", "loans."+ext+"]", 1))
			_, errOut := d.run(5, "load", "loans.tray", "--to", to)
			require.Contains(t, errOut, "was already loaded into "+table)
		}
		r := d.json(0, "load", "loans.ods", "--to", to, "--table", table+"_fees", "--tray", "fees.tray", "--cells", "Fees", "--hidden", "leave")
		require.Equal(t, map[string]any{"read": 17.0, "loaded": 16.0, "rejected": 0.0, "skipped": 1.0, "table_before": 0.0, "table_after": 16.0}, r["counts"])
		require.Equal(t, 1.0, r["skipped"].(map[string]any)["hidden"])
	})
}

// TestSheetNotices says what a sheet has that its records do not show, and what
// can be told of it.
func TestSheetNotices(t *testing.T) {
	d := newDesk(t)
	d.copyBook("loans.xlsx")
	out, _ := d.run(0, "survey", "loans.xlsx")
	require.Contains(t, out, "1  Loans  A1:I43       40")
	d.run(0, "draft", "loans.xlsx")
	byPlan, _ := d.run(0, "load", "loans.tray", "--to", "loans.db")
	for _, says := range []string{
		"hidden columns with values: E, taken; --hidden leave leaves them out", "merged cells among the records: 1, the first B11:B13",
		"row 9, Note: numbers stored as text: 1, next to 38 stored as numbers",
	} {
		require.Contains(t, out, says)
		require.Contains(t, byPlan, says)
	}
	left := d.json(0, "survey", "loans.xlsx", "--hidden", "leave", "--merged", "each")["sources"].([]any)[0].(map[string]any)
	require.Equal(t, 39.0, left["records"])
	require.Equal(t, "column_5", left["columns"].([]any)[4].(map[string]any)["heading"])
	require.Equal(t, 0.0, left["columns"].([]any)[1].(map[string]any)["blanks"])
	require.Len(t, left["notes"], 7)
	_, errOut := d.run(1, "survey", "loans.xlsx", "--cells", "Costs")
	require.Contains(t, errOut, "which has Fees (D3:D20 of Loans)")
	_, errOut = d.run(2, "survey", "loans.xlsx", "--cells", "B 3")
	require.Contains(t, errOut, "write a range such as B3:H200, or a name")
	d.write("two.ods", workbookOf(t, "Lists", [][]string{{"no", "name"}, {"1", "ant"}, {"2", "bee"}, {}, {"code", "place"}, {"N1", "Tern Island"}}))
	out, _ = d.run(0, "survey", "two.ods")
	require.Contains(t, out, "row 5: another table seems to begin here; --cells takes one of them")
	require.Contains(t, out, "A1:B6", "the range that was found")
	d.run(0, "draft", "two.ods")
	out, _ = d.run(0, "check", "two.tray")
	require.Equal(t, 1, strings.Count(out, "row 5: another table seems to begin here; --cells takes one of them"))
	d.write("titled.ods", workbookOf(t, "Lists", [][]string{{"no", "name"}, {"1", "ant"}, {}, {"2", "bee"}, {}, {"Places"}, {"code", "fee"}, {"N1", "5"}, {}, {"3", "eel"}}))
	out, _ = d.run(0, "survey", "titled.ods")
	require.Contains(t, out, "row 6: another table seems to begin here")
	d.write("beside.ods", workbookOf(t, "Lists", [][]string{{"no", "name", "", "room", "fee"}, {"1", "ant", "", "east", "5"}, {"2", "bee"}, {"3", "eel"}}))
	out, _ = d.run(0, "survey", "beside.ods")
	require.Contains(t, out, "another table seems to stand beside this one, in columns D to E; --cells A:B and --cells D:E take one each")
	d.write("pages.ods", workbookOf(t, "Lists", [][]string{{"no", "name"}, {"1", "ant"}, {"2", "bee"}, {"no", "name"}, {"3", "eel"}}))
	pages := d.json(0, "survey", "pages.ods")["sources"].([]any)[0].(map[string]any)
	require.Equal(t, 3.0, pages["records"])
	require.Equal(t, 1.0, pages["skipped"].(map[string]any)["repeated_header"])
	d.write("twins.ods", twins(t))
	_, errOut = d.run(1, "load", "twins.ods", "--to", "museum.db")
	require.Contains(t, errOut, "all sheets with values have the same columns: --sheet all")
	require.NoFileExists(t, d.dir+"/museum.db")
	d.run(0, "load", "twins.ods", "--to", "museum.db", "--sheet", "all")
	require.Equal(t, "1|ant|May|2|bee|June", d.query("SELECT no, name, sheet FROM twins ORDER BY no"))
	d.write("next.ods", workbookOf(t, "July", [][]string{{"no", "name"}, {"3", "cow"}}, "Plan", [][]string{}))
	out, _ = d.run(0, "load", "twins.tray", "next.ods", "--to", "museum.db")
	require.Contains(t, out, "sheets without a value, or hidden, are left out: Plan")
	d.write("more.ods", twins(t))
	r := d.json(0, "load", "twins.ods", "more.ods", "--to", "museum.db", "--sheet", "all", "--tray", "all.tray", "--table", "pairs")
	require.Len(t, r["source"], 4)
	require.Equal(t, "more.ods|June|more.ods|May|twins.ods|June|twins.ods|May", d.query("SELECT file, sheet FROM pairs ORDER BY file, sheet"))
	parts := d.json(0, "verify", "all.tray", "--to", "museum.db")["parts"].([]any)
	require.Equal(t, 1.0, parts[3].(map[string]any)["table_rows"])
}

// TestOtherSheet loads workbooks by the plan of another one, whose sheet has another name: the only
// sheet with values is read, in a check too, and with several the plan must name one.
func TestOtherSheet(t *testing.T) {
	d := newDesk(t)
	month := func(no string) [][]string { return [][]string{{"no", "name", ""}, {no, "ant", ""}} }
	d.write("may.ods", workbookOf(t, "May", [][]string{{"no", "name"}, {"1", "bee"}}))
	d.write("june.ods", workbookOf(t, "June", month("2"), "Plan", [][]string{}))
	d.write("july.ods", workbookOf(t, "July", month("3"), "Notes", [][]string{{"made by hand"}}))
	d.run(0, "load", "may.ods", "--to", "museum.db")
	const note = `june.ods · June: the workbook has no sheet "May"; its only sheet with values is read`
	for _, command := range []string{"check", "load"} {
		out, _ := d.run(0, command, "may.tray", "june.ods", "--to", "museum.db")
		require.Contains(t, out, note)
	}
	_, errs := d.run(1, "load", "may.tray", "july.ods", "--to", "museum.db")
	require.Contains(t, errs, `the workbook has no sheet "May": July, Notes`)
	_, errs = d.run(1, "load", "may.tray", "july.ods", "--to", "museum.db", "--sheet", "4")
	require.Contains(t, errs, `the workbook has no sheet "4"`)
	require.Equal(t, "1|bee|2|ant", d.query("SELECT no, name FROM may ORDER BY no"))
}

// twins makes a workbook of two sheets with the same columns.
func twins(t *testing.T) string {
	return workbookOf(t, "May", [][]string{{"no", "name"}, {"1", "ant"}}, "June", [][]string{{"Loans of June"}, {"no", "name"}, {"2", "bee"}})
}

// workbookOf makes an OpenDocument of texts: the name of a sheet, its rows, and so
// on.
func workbookOf(t *testing.T, sheets ...any) string {
	content := "<o:d>"
	for i := 0; i < len(sheets); i += 2 {
		content += `<table:table table:name="` + sheets[i].(string) + `">`
		for _, row := range sheets[i+1].([][]string) {
			content += "<table:table-row>"
			for _, text := range row {
				content += `<table:table-cell office:value-type="string"><text:p>` + text + "</text:p></table:table-cell>"
			}
			content += "</table:table-row>"
		}
		content += "</table:table>"
	}
	return zipped(t, "content.xml", content+"</o:d>")
}

// zipped makes an archive of one file.
func zipped(t *testing.T, name, text string) string {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	f, err := w.Create(name)
	require.NoError(t, err)
	_, err = f.Write([]byte(text))
	require.NoError(t, errors.Join(err, w.Close()))
	return b.String()
}

// copyBook takes a workbook of the test data, and returns kinds of values.
func (d *desk) copyBook(name string) string {
	book, err := os.ReadFile("../../internal/sheet/testdata/" + name)
	require.NoError(d, err)
	d.write(name, string(book))
	return string(book)
}

// TestPartsDiffer finds header and footer again in every file.
func TestPartsDiffer(t *testing.T) {
	d := newDesk(t)
	d.write("m-1.csv", "Loans of May\nno,name,fee\n1,ant,5\nTotal,,5\n")
	d.write("m-2.csv", "Loans of June\nof the museum\n\nno,name,fee\n2,bee,6\n3,cat,7\n")
	d.write("m-3.csv", "no,name,fee\n4,dove,6\n5,elk,7\nTotal,,13\nPrinted by hand\n")
	out, _ := d.run(0, "load", "m-*.csv", "--to", "museum.db")
	require.Contains(t, out, "5 records, 7 skipped (3 titles, 1 blank line, 3 footer rows)")
	require.Contains(t, out, "m-2.csv, line 4, and in 1 other part: the header is here, and not on line 2")
	require.Equal(t, "1|ant|5|2|bee|6|3|cat|7|4|dove|6|5|elk|7", d.query("SELECT no, name, fee FROM m ORDER BY no"))
	require.Contains(t, d.read("m.tray/tray.yaml"), "header: 2\n  footer: found\n")
	d.write("m-1.csv", "A title more\n\nLoans of July\nno,name,fee\n6,fox,5\n")
	out, _ = d.run(0, "load", "m.tray", "--to", "museum.db", "--existing", "empty")
	require.Contains(t, out, "m-1.csv, line 4, and in 2 other parts: the header is here, and not on line 2")
	require.Equal(t, "2|3|4|5|6", d.query("SELECT no FROM m ORDER BY no"))
}

// TestOldWorkbook says what to do with a workbook that cannot be read.
func TestOldWorkbook(t *testing.T) {
	d := newDesk(t)
	require.NoError(t, os.WriteFile(filepath.Join(d.dir, "old.xls"), append([]byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"), make([]byte, 600)...), 0o600))
	_, errOut := d.run(1, "survey", "old.xls")
	require.Contains(t, errOut, "open old.xls: the workbook is damaged")
	book := d.copyBook("loans.xls")
	_, errOut = d.run(1, "load", "loans.xls", "--sheet", "Empty", "--to", "museum.db")
	require.Contains(t, errOut, "open loans.xls: sheet Empty: is empty")
	d.write("loans.zip", zipped(t, "loans.xls", book))
	_, errOut = d.run(1, "survey", "loans.zip")
	require.Contains(t, errOut, "open loans.zip: contains a workbook, loans.xls; extract it from the archive first")
	d.write("half.xlsx", "PK\x03\x04 and no more")
	_, errOut = d.run(1, "survey", "half.xlsx")
	require.Contains(t, errOut, "open half.xlsx")
}

// TestDrift says how the columns of files differ, and fills what one does not
// have.
func TestDrift(t *testing.T) {
	d := newDesk(t)
	d.write("m-1.csv", "no,name,fee\n1,ant,5\n2,bee,6\n")
	d.write("m-2.csv", "name,no,insured,fee\ncat,3,yes,7\ndove,4,no\nelk,5,no,8\n")
	d.write("m-3.csv", "no,title,fee\n6,fox,9\n7,gnu,1,2\n")
	_, errOut := d.run(1, "load", "m-*.csv", "--to", "museum.db")
	require.Contains(t, errOut, "m-2.csv: extra column insured\n")
	require.Contains(t, errOut, "m-3.csv: title in place of name\n")
	require.Contains(t, errOut, "--drift fill")
	require.NoFileExists(t, d.dir+"/museum.db")

	r := d.json(3, "load", "m-*.csv", "--to", "museum.db", "--drift", "fill")
	require.Equal(t, map[string]any{"read": 7.0, "loaded": 5.0, "rejected": 2.0, "skipped": 0.0, "table_before": 0.0, "table_after": 5.0}, r["counts"])
	require.Equal(t, "1|ant|5|||2|bee|6|||3|cat|7|1||5|elk|8|0||6||9||fox", d.query("SELECT no, name, fee, insured, title FROM m ORDER BY no"))
	rejects := d.read("m.tray/loads/0001/rejects.csv")
	require.Contains(t, rejects, "m-2.csv,2,3,")
	require.Contains(t, rejects, "m-3.csv,2,3,")
	require.Contains(t, d.read("m.tray/tray.yaml"), "drift: fill")
	d.run(0, "verify", "m.tray", "--to", "museum.db")

	d.write("n-1.csv", "no,name,fee\n00312,ant,5\n00313,bee,6\n")
	d.write("n-2.csv", "no,name,fee\n314,cat,five\n315,dove,six\n")
	d.write("n-3.csv", "no,title,paid,fee\n00316,elk,2026-01-01,5\n")
	out, _ := d.run(0, "draft", "n-1.csv", "n-2.csv", "n-3.csv", "--drift", "fill")
	require.Contains(t, out, "n-2.csv: no: numbers instead of codes; fee: text instead of numbers\n")
	require.Contains(t, out, "n-3.csv: title in place of name; extra column paid\n")
}

// TestOverridden mends and verifies the table that a load went into, whatever the
// tray calls it.
func TestOverridden(t *testing.T) {
	d := newDesk(t)
	d.write("m.csv", "no,fee\n1,5\n2,six\n3,7\n")
	d.write("m.tray/tray.yaml", "tray: 1\nsource:\n  files: [m.csv]\ntable:\n  name: m\ncolumns:\n  - {from: no, name: no, type: integer}\n  - {from: fee, name: fee, type: integer}\n")
	d.run(3, "load", "m.tray", "--to", "museum.db", "--table", "fees")
	d.write("m.tray/loads/0001/rejects.csv", strings.ReplaceAll(d.read("m.tray/loads/0001/rejects.csv"), "six", "6"))
	d.run(0, "mend", "m.tray", "--to", "museum.db")
	require.Equal(t, "1|5|2|6|3|7", d.query("SELECT no, fee FROM fees ORDER BY no"))
	out, _ := d.run(0, "verify", "m.tray", "--to", "museum.db")
	require.Contains(t, out, "fees in museum.db")

	d.write("other.csv", "nummer,betrag\n9,9\n")
	d.run(0, "load", "other.csv", "--to", "museum.db")
	d.run(3, "load", "m.tray", "--to", "museum.db", "--table", "other", "--existing", "append", "--by-position")
	d.write("m.tray/loads/0002/rejects.csv", strings.ReplaceAll(d.read("m.tray/loads/0002/rejects.csv"), "six", "8"))
	d.run(0, "mend", "m.tray", "--to", "museum.db")
	require.Equal(t, "1|5|2|8|3|7|9|9", d.query("SELECT nummer, betrag FROM other ORDER BY nummer"))
	d.run(0, "verify", "m.tray", "--to", "museum.db")
}

// TestPageAsWorkbook loads a table of a web page that a program has saved as a workbook. A page
// without a table of records is refused.
func TestPageAsWorkbook(t *testing.T) {
	d := newDesk(t)
	d.write("finds.xls", "<html><meta charset=windows-1252><table><tr><td>Museum</table><table><tr><th rowspan=2>No<th colspan=2>Lent<tr><th>to<th>on"+
		"<tr><td>00017<td>Kestrel&nbsp;Bay &amp; M\xfcller<td>05/01/2026<tr><td>00018<td>Harrow<br>room 5<td>31/01/2026<tr><td>00019<td><td>x</table>")
	d.run(0, "draft", "finds.xls", "--change", "Lent on.type=date", "--change", "Lent on.format=dd/MM/yyyy")
	require.Contains(t, d.read("finds.tray/tray.yaml"), "sheet: Table 2")
	d.run(3, "load", "finds.tray", "--to", "museum.db")
	require.Equal(t, "00017|Kestrel Bay & Müller|2026-01-05|00018|Harrow\nroom 5|2026-01-31", d.query("SELECT * FROM finds ORDER BY no"))
	require.Contains(t, d.read("finds.tray/loads/0001/rejects.csv"), "finds.xls · Table 2,3,5,lent_on,x,not a date written dd/MM/yyyy")
	d.run(5, "load", "finds.tray", "--to", "museum.db")
	d.write("rooms.xml", `<?xml version="1.0"?><Workbook xmlns="urn:schemas-microsoft-com:office:spreadsheet" xmlns:ss="urn:schemas-microsoft-com:office:spreadsheet"><Worksheet ss:Name="Rooms"><Table>`+
		`<Row><Cell><Data ss:Type="String">Code</Data></Cell><Cell><Data ss:Type="String">Area</Data></Cell></Row><Row><Cell><Data ss:Type="String">R01</Data></Cell><Cell><Data ss:Type="Number">12.5</Data></Cell></Row></Table></Worksheet></Workbook>`)
	d.run(0, "load", "rooms.xml", "--to", "museum.db")
	require.Equal(t, "R01|12.5", d.query("SELECT * FROM rooms"))
	d.run(0, "verify", "rooms.tray", "--to", "museum.db")
	d.write("login.xls", "<html><form><table><tr><td>User<td><input></table></form>")
	_, errOut := d.run(1, "survey", "login.xls")
	require.Contains(t, errOut, "is a web page, not a table")
}

package export_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"ambertray/internal/database"
	"ambertray/internal/database/sqlite"
	"ambertray/internal/delimited"
	"ambertray/internal/export"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/text/texttest"
	"ambertray/internal/tray"
)

// museum opens a new database and runs statements in it.
func museum(t *testing.T, statements ...string) *sqlite.Target {
	db, err := sqlite.Open(filepath.Join(t.TempDir(), "museum.db"), true)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	for _, s := range statements {
		_, err := db.Exec(context.Background(), s)
		require.NoError(t, err)
	}
	return db
}

// options are those of a common file.
func options(out io.Writer, settings ...string) export.Options {
	o := export.Options{Layout: source.DefaultLayout(), Header: true, Stdout: out}
	o.Layout.Delimiter, o.Layout.Quote, o.Layout.Encoding, o.Layout.LineEnd = ",", `"`, "utf-8", "lf"
	for i := 0; i < len(settings); i += 2 {
		err := o.Layout.Set(settings[i], settings[i+1])
		if err != nil {
			panic(err)
		}
	}
	return o
}

// column parses a type into a column of a plan.
func column(t *testing.T, name, typ string) table.Column {
	parsed, err := table.ParseType(typ)
	require.NoError(t, err)
	return table.Column{From: strings.ToUpper(name), Name: name, Type: parsed, Nullable: true}
}

// TestColumns writes values by the rules of a plan's columns.
func TestColumns(t *testing.T) {
	for _, c := range []struct {
		stored, typ string
		rules       func(c *table.Column)
		want        string
	}{
		{"-7", "integer", nil, "-7"},
		{"1234567", "integer", func(c *table.Column) { c.Thousands = "," }, `"1,234,567"`},
		{"-123456.5", "decimal(9,2)", func(c *table.Column) { c.Thousands, c.Decimal = ".", "," }, `"-123.456,50"`},
		{"12.5", "decimal(9,2)", func(c *table.Column) { c.Decimal = "," }, `"12,50"`},
		{"0.125", "decimal(6,4)", func(c *table.Column) { c.Percent = true }, "12.50%"},
		{"0.1", "double", nil, "0.1"},
		{"1e300", "double", nil, "1e+300"},
		{"1e-7", "double", nil, "1e-07"},
		{"1", "boolean", nil, "true"},
		{"0", "boolean", func(c *table.Column) { c.TrueWords, c.FalseWords = []string{"ja"}, []string{"nein"} }, "nein"},
		{"'2026-01-31'", "date", nil, "2026-01-31"},
		{"'2026-01-31'", "date", func(c *table.Column) { c.Format = "d.M.yy" }, "31.1.26"},
		{"'2026-01-31'", "date", func(c *table.Column) { c.Format = "MMM dd, yyyy" }, `"Jan 31, 2026"`},
		{"'2026-01-31'", "date", func(c *table.Column) { c.Format = "dd MMMM yyyy" }, "31 January 2026"},
		{"'13:05:00.250000'", "time", func(c *table.Column) { c.Format = "hh:mm a" }, "01:05 PM"},
		{"'2026-01-31 10:00:00.000250'", "timestamp", func(c *table.Column) { c.Format = "yyyy-MM-dd'T'HH:mm:ss.SSSSSS" }, "2026-01-31T10:00:00.000250"},
		{"'2026-01-31 10:00:00.250'", "timestamp(3)", func(c *table.Column) { c.Format = "yyyy-MM-dd'T'HH:mm:ss.SSSSSS" }, "2026-01-31T10:00:00.250"},
		{"'2026-01-31 10:00:00.000250'", "timestamp(3)", func(c *table.Column) { c.Format = "yyyy-MM-dd'T'HH:mm:ss.SSSSSS" }, "2026-01-31T10:00:00.000250"},
		{"'2026-01-31 10:00:00+00:00'", "timestamp with time zone", nil, "2026-01-31 10:00:00+00:00"},
		{"'2026-01-31 10:00:00+00:00'", "timestamp with time zone", func(c *table.Column) { c.Format = "yyyyMMddHHmmssXXX" }, "20260131100000Z"},
		{"'never'", "date", func(c *table.Column) { c.Format = "dd/MM/yyyy" }, "never"},
		{"'M'", "char(1)", func(c *table.Column) { c.Words = map[string]string{"male": "M", "female": "F"} }, "male"},
		{"'M'", "char(1)", func(c *table.Column) { c.Words = map[string]string{"male": "M", "man": "M"} }, "M"},
		{"' a '", "text", nil, " a "},
		{"''", "text", nil, `""`},
		{"NULL", "text", nil, ""},
		{`'say "x"'`, "text", nil, `"say ""x"""`},
	} {
		db := museum(t, "CREATE TABLE find (a)", "INSERT INTO find VALUES ("+c.stored+")")
		col := column(t, "a", c.typ)
		if c.rules != nil {
			c.rules(&col)
		}
		tr := &tray.Tray{Table: table.Table{Name: "find", Columns: []table.Column{col, {From: "GONE", LeaveOut: true}, {Value: "{file}", Name: "a"}}}}
		w, err := export.Tray(context.Background(), db, tr)
		require.NoError(t, err)
		var out bytes.Buffer
		_, err = export.Run(context.Background(), db, w, export.Standard, options(&out))
		require.NoError(t, err)
		require.Equal(t, "A,GONE\n"+c.want+",\n", out.String(), "%s as %s", c.stored, c.typ)
	}
	db := museum(t, "CREATE TABLE find (a blob)", "INSERT INTO find VALUES (55), (1)")
	w, err := export.Tray(context.Background(), db, &tray.Tray{Table: table.Table{Name: "find", Columns: []table.Column{column(t, "a", "boolean")}}})
	require.NoError(t, err)
	var out bytes.Buffer
	_, err = export.Run(context.Background(), db, w, export.Standard, options(&out))
	require.NoError(t, err)
	require.Equal(t, "A\n55\ntrue\n", out.String(), "numbers in a column for bytes")
	db = museum(t, "CREATE TABLE find (a)")
	_, err = export.Tray(context.Background(), db, &tray.Tray{Dir: "x.tray", Table: table.Table{Name: "find", Columns: []table.Column{column(t, "b", "text")}}})
	require.EqualError(t, err, "table find has no column b, which is in x.tray")
}

// TestText writes random text in every way of quoting, and reads the same from it.
func TestText(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	for round := range 40 {
		var want [][]string
		statements := []string{"CREATE TABLE find (a text, b text)"}
		for range 30 {
			var cells [2]string
			for i := range cells {
				for range rng.IntN(8) {
					cells[i] += []string{"x", `"`, ",", ";", "\n", "\r\n", "é", " ", "'", "\t"}[rng.IntN(10)]
				}
			}
			want = append(want, cells[:])
			statements = append(statements, fmt.Sprintf("INSERT INTO find VALUES ('%s', '%s')", strings.ReplaceAll(cells[0], "'", "''"), strings.ReplaceAll(cells[1], "'", "''")))
		}
		db := museum(t, statements...)
		w, err := export.Table(context.Background(), db, "find")
		require.NoError(t, err)
		delimiter := []string{",", ";", "tab", "pipe"}[round%4]
		var out bytes.Buffer
		o := options(&out, "delimiter", delimiter)
		o.Quoted = round%3 == 0
		res, err := export.Run(context.Background(), db, w, export.Standard, o)
		require.NoError(t, err)
		require.Equal(t, int64(out.Len()), res.Bytes)
		r := csv.NewReader(&out)
		r.Comma = rune(o.Layout.Delimiter[0])
		got, err := r.ReadAll()
		require.NoError(t, err)
		for i := range want {
			for j := range want[i] {
				want[i][j] = strings.ReplaceAll(want[i][j], "\r\n", "\n") // as that reader gives it
			}
		}
		require.Equal(t, want, got[1:])
	}
}

// TestTextFormula refuses a text that a plan with text formulas would read as another one.
func TestTextFormula(t *testing.T) {
	db := museum(t, "CREATE TABLE find (a text)", `INSERT INTO find VALUES ('="0012"')`)
	w, err := export.Table(context.Background(), db, "find")
	require.NoError(t, err)
	_, err = export.Run(context.Background(), db, w, export.Standard, options(&bytes.Buffer{}, "text_formulas", "true"))
	require.ErrorContains(t, err, `row 1, column a: "=\"0012\"" would be read as the text in it`)
}

// TestSpaces writes text between spaces, without what would be lost there.
func TestSpaces(t *testing.T) {
	for text, want := range map[string][2]string{ // between spaces, and between two
		"ant": {"ant", "ant"}, "two words": {`"two words"`, "two words"}, "two  words": {`"two  words"`, `"two  words"`}, " ant": {`" ant"`, `" ant"`}, "": {`""`, `""`}, "a\tb": {"\"a\tb\"", "\"a\tb\""},
	} {
		db := museum(t, "CREATE TABLE find (a text, b text)", "INSERT INTO find VALUES ('"+text+"', NULL)")
		w, err := export.Table(context.Background(), db, "find")
		require.NoError(t, err)
		for i, delimiter := range []string{source.Spaces, source.WideSpaces} {
			var out bytes.Buffer
			_, err = export.Run(context.Background(), db, w, export.Standard, options(&out, "delimiter", delimiter))
			require.NoError(t, err)
			between := strings.Repeat(" ", i+1)
			require.Equal(t, "a"+between+"b\n"+want[i]+between+"\"\"\n", out.String())
			_, err = export.Run(context.Background(), db, w, export.Standard, options(&out, "delimiter", delimiter, "quote", "none"))
			require.Error(t, err, "neither these texts nor NULL can be written without quotes")
		}
	}
}

// TestFixed refuses what has no room at a fixed place, and fills records without line ends.
func TestFixed(t *testing.T) {
	for value, want := range map[string]string{
		"'ant'": "  7ant     ", "NULL": "  7        ", "'a longer name'": `row 1, column b: "a longer name" is longer than the 8 characters of its place`,
		"' ant'": `row 1, column b: " ant" would lose its spaces, or be read as NULL, at a fixed place`, "''": `row 1, column b: "" would lose its spaces, or be read as NULL, at a fixed place`,
		"'a' || char(10)": `row 1, column b: "a\n" would lose its spaces, or be read as NULL, at a fixed place`, "'a' || char(10) || 'b'": `row 1, column b: "a\nb" has a line end in it, which cannot be written at a fixed place`,
	} {
		db := museum(t, "CREATE TABLE find (a integer, b text)", "INSERT INTO find VALUES (7, "+value+")")
		w, err := export.Table(context.Background(), db, "find")
		require.NoError(t, err)
		var out bytes.Buffer
		o := options(&out)
		o.Header = false
		o.Layout.Format, o.Layout.Columns, o.Layout.RecordLength = source.Fixed, "1-3,4-11", 11
		_, err = export.Run(context.Background(), db, w, export.Standard, o)
		if err != nil {
			require.EqualError(t, err, want)
			continue
		}
		require.Equal(t, want, out.String())
	}
}

// TestSheetName writes a sheet under the name that the source has.
func TestSheetName(t *testing.T) {
	db := museum(t, "CREATE TABLE find (a text)", "INSERT INTO find VALUES ('ant')")
	w, err := export.Table(context.Background(), db, "find")
	require.NoError(t, err)
	for sheet, want := range map[string]string{"": "Sheet1", "all": "Sheet1", "2026-*": "Sheet1", "Loans & gifts": "Loans & gifts"} {
		file := filepath.Join(t.TempDir(), "find.xlsx")
		o := export.Options{Header: true}
		o.Layout.Sheet = sheet
		_, err := export.Run(context.Background(), db, w, file, o)
		require.NoError(t, err)
		book, err := excelize.OpenFile(file)
		require.NoError(t, err)
		require.Equal(t, []string{want}, book.GetSheetList())
		require.NoError(t, book.Close())
	}
	export.LimitSheets(t, 2)
	db = museum(t, "CREATE TABLE find (a text)", "INSERT INTO find VALUES ('ant'), ('bee')")
	file := filepath.Join(t.TempDir(), "find.xlsx")
	o := export.Options{Header: true}
	o.Layout.Sheet = "Sheet2"
	_, err = export.Run(context.Background(), db, w, file, o)
	require.NoError(t, err)
	book, err := excelize.OpenFile(file)
	require.NoError(t, err)
	defer book.Close()
	for sheet, want := range map[string]string{"Sheet2": "ant", "Sheet2 (2)": "bee"} {
		cell, err := book.GetCellValue(sheet, "A2")
		require.NoError(t, err)
		require.Equal(t, want, cell, "no sheet is written over")
	}
}

// TestEscapes writes random text with the escapes of servers, quoted and not, and reads the same
// from it.
func TestEscapes(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 5))
	for round := range 40 {
		var want [][]string
		statements := []string{"CREATE TABLE find (a text, b text)"}
		for range 30 {
			cells := []string{"x", "y"}
			for range rng.IntN(8) {
				cells[0] += []string{"n", `"`, ",", "|", "\n", "\r", "\t", "\b", "\f", "\v", `\`, "N", "é"}[rng.IntN(13)]
			}
			value := "'" + cells[1] + "'"
			if rng.IntN(3) == 0 {
				cells[1], value = `\N`, "NULL"
			}
			want = append(want, cells)
			statements = append(statements, fmt.Sprintf("INSERT INTO find VALUES ('%s', %s)", cells[0], value))
		}
		db := museum(t, statements...)
		w, err := export.Table(context.Background(), db, "find")
		require.NoError(t, err)
		var out bytes.Buffer
		o := options(&out, "delimiter", []string{",", "|", "tab"}[round%3], "escape", source.ServerEscapes, "quote", []string{"none", `"`}[round%2])
		o.Quoted, o.Header = round%2 == 1, false
		_, err = export.Run(context.Background(), db, w, export.Standard, o)
		require.NoError(t, err)
		cutter, err := delimited.NewCutter(o.Layout)
		require.NoError(t, err)
		var got [][]string
		for _, r := range texttest.ReadAll(t, cutter, out.String(), 64, 2) {
			got = append(got, r.Cells)
		}
		require.Equal(t, want, got, out.String())
	}
}

// TestLikeNull refuses a text that is the word for NULL where no quotes distinguish them, and counts blank ones.
func TestLikeNull(t *testing.T) {
	db := museum(t, "CREATE TABLE find (a text, b text)", "INSERT INTO find VALUES ('ant', ''), (NULL, 'bee')")
	w, err := export.Table(context.Background(), db, "find")
	require.NoError(t, err)
	for _, c := range []struct {
		null, quote, escape string
		want, says          string
	}{
		{"ant", `"`, source.Doubled, "\"ant\",\"\"\nant,bee\n", ""},
		{"ant", "none", source.Doubled, "", `row 1, column a: "ant" is the word for NULL too`},
		{"ant", `"`, source.ServerEscapes, "", `row 1, column a: "ant" is the word for NULL too`},
		{`\N`, "none", source.ServerEscapes, "ant,\n\\N,bee\n", ""},
		{"", "none", source.Doubled, "ant,\n,bee\n", "1 blank text is written like NULL, because cells are not quoted"},
	} {
		var out bytes.Buffer
		o := options(&out, "quote", c.quote, "escape", c.escape)
		o.Null, o.Header = c.null, false
		require.NoError(t, o.Check(2))
		res, err := export.Run(context.Background(), db, w, export.Standard, o)
		switch {
		case c.want == "":
			require.ErrorContains(t, err, c.says)
			continue
		case c.says != "":
			require.Contains(t, res.Notes[0].What, c.says)
		default:
			require.Empty(t, res.Notes)
		}
		require.NoError(t, err)
		require.Equal(t, c.want, out.String())
	}
}

// TestEncodings writes text in other encodings, and refuses what they lack.
func TestEncodings(t *testing.T) {
	db := museum(t, "CREATE TABLE find (a text)", "INSERT INTO find VALUES ('k\u00e4fer')")
	w, err := export.Table(context.Background(), db, "find")
	require.NoError(t, err)
	for encoding, want := range map[string]string{
		"windows-1252": "a\nk\xe4fer\n", "utf-16le": "\xff\xfea\x00\n\x00k\x00\xe4\x00f\x00e\x00r\x00\n\x00", "utf-8": "a\nk\u00e4fer\n",
	} {
		var out bytes.Buffer
		_, err := export.Run(context.Background(), db, w, export.Standard, options(&out, "encoding", encoding))
		require.NoError(t, err)
		require.Equal(t, want, out.String())
	}
	_, err = export.Run(context.Background(), db, w, export.Standard, options(io.Discard, "encoding", "koi8-r"))
	require.EqualError(t, err, `row 1, column a: "käfer" has a character that koi8-r lacks`)
}

// full is a writer on a disk that is full after some bytes.
type full struct{ room int }

var errFull = errors.New("no space left")

func (f *full) Write(p []byte) (int, error) {
	f.room -= len(p)
	if f.room < 0 {
		return 0, errFull
	}
	return len(p), nil
}

// lastRow is a target whose rows are followed by an interrupt.
type lastRow struct {
	*sqlite.Target
	then func()
}

func (l lastRow) Rows(ctx context.Context, tab *table.Table, each database.EachRow) error {
	defer l.then()
	return l.Target.Rows(ctx, tab, each)
}

// TestNothingHalf leaves no file and no temporary one when an export fails, is
// interrupted or may not replace.
func TestNothingHalf(t *testing.T) {
	db := museum(t, "CREATE TABLE find (a integer)", "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 60000) INSERT INTO find SELECT i FROM n")
	w, err := export.Table(context.Background(), db, "find")
	require.NoError(t, err)
	dir := t.TempDir()
	for _, name := range []string{"a.csv", "a.csv.gz", "a.xlsx", "a.parquet"} {
		ctx, cancel := context.WithCancel(context.Background())
		o := options(nil)
		o.Progress = func(rows int64) {
			if rows > 20_000 {
				cancel()
			}
		}
		_, err := export.Run(ctx, db, w, filepath.Join(dir, name), o)
		require.ErrorIs(t, err, context.Canceled)
		cancel()
		ctx, cancel = context.WithCancel(context.Background())
		_, err = export.Run(ctx, lastRow{db, cancel}, w, filepath.Join(dir, name), options(nil))
		require.ErrorIs(t, err, context.Canceled, "while the rest of %s is written", name)
	}
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	require.Empty(t, entries)

	path := filepath.Join(dir, "b.csv")
	require.NoError(t, os.WriteFile(path, []byte("precious"), 0o600))
	_, err = export.Run(context.Background(), db, w, path, options(nil))
	require.ErrorIs(t, err, export.ErrFileExists)
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	require.Equal(t, "precious", string(text))
	o := options(nil)
	o.Replace = true
	o.Progress = func(int64) { // another program makes a file of that name meanwhile
		_ = os.WriteFile(filepath.Join(dir, "c.csv"), []byte("theirs"), 0o600)
	}
	res, err := export.Run(context.Background(), db, w, path, o)
	require.NoError(t, err)
	require.Equal(t, int64(60_000), res.Rows)
	o.Replace = false
	require.NoError(t, os.Remove(filepath.Join(dir, "c.csv")))
	_, err = export.Run(context.Background(), db, w, filepath.Join(dir, "c.csv"), o)
	require.ErrorIs(t, err, export.ErrFileExists)
	text, err = os.ReadFile(filepath.Join(dir, "c.csv"))
	require.NoError(t, err)
	require.Equal(t, "theirs", string(text))

	_, err = export.Run(context.Background(), db, w, export.Standard, options(&full{room: 100_000}))
	require.ErrorIs(t, err, errFull)
	_, err = export.Table(context.Background(), db, "nothing")
	require.ErrorIs(t, err, database.ErrNoTable)
	_, err = export.Query(context.Background(), db, "SELECT a AS x, a AS x FROM find")
	require.ErrorContains(t, err, "two of its columns have the same name")
}

// TestBookRefuses checks that a text that does not fit a cell is neither truncated nor changed.
func TestBookRefuses(t *testing.T) {
	for text, want := range map[string]string{
		"printf('%.40000c', 'x')": "40000 characters are more than a cell of a workbook holds, 32767", "'a' || char(1)": `the character '\x01' cannot be in a workbook`,
		"CAST(x'ff' AS text)": "bytes that are no text cannot be in a workbook", "char(65533, 9, 10, 128512)": "",
	} {
		db := museum(t, "CREATE TABLE find (a text)", "INSERT INTO find VALUES ("+text+")")
		w, err := export.Table(context.Background(), db, "find")
		require.NoError(t, err)
		_, err = export.Run(context.Background(), db, w, filepath.Join(t.TempDir(), "a.xlsx"), options(nil))
		if want == "" {
			require.NoError(t, err)
			continue
		}
		require.EqualError(t, err, "row 1, column a: "+want+"; export to .csv instead")
	}
}

// TestBytes exports bytes that are not valid text, which SQLite accepts. CSV keeps them with a note,
// and Parquet refuses them.
func TestBytes(t *testing.T) {
	db := museum(t, "CREATE TABLE find (a text)", "INSERT INTO find VALUES ('ä'), (CAST(x'61ff' AS text)), (CAST(x'6100' AS text))")
	w, err := export.Table(context.Background(), db, "find")
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "a.csv")
	res, err := export.Run(context.Background(), db, w, path, options(nil))
	require.NoError(t, err)
	require.Len(t, res.Notes, 1)
	require.Contains(t, res.Notes[0].What, "2 rows have a NUL or bytes that are not UTF-8, which are written as they are; the first is row 2")
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	require.Equal(t, "a\nä\na\xff\na\x00\n", string(text))
	_, err = export.Run(context.Background(), db, w, filepath.Join(t.TempDir(), "a.parquet"), options(nil))
	require.ErrorContains(t, err, `column a has "a\xff"`)
}

// TestBookRounds checks the note on doubles with more digits than a workbook has.
func TestBookRounds(t *testing.T) {
	db := museum(t, "CREATE TABLE find (a double, b double)", "INSERT INTO find VALUES (3.141592653589793, 0.1), (2.0 / 3, 1.7976931348623157e308)")
	w, err := export.Table(context.Background(), db, "find")
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "a.xlsx")
	res, err := export.Run(context.Background(), db, w, path, options(nil))
	require.NoError(t, err)
	require.Len(t, res.Notes, 1)
	require.Equal(t, "a", *res.Notes[0].Column)
	require.Contains(t, res.Notes[0].What, "2 numbers are rounded to 15 digits, as many as a workbook keeps;")
	book, err := excelize.OpenFile(path)
	require.NoError(t, err)
	rows, err := book.GetRows("Sheet1", excelize.Options{RawCellValue: true})
	require.NoError(t, err)
	require.Equal(t, [][]string{{"a", "b"}, {"3.14159265358979", "0.1"}, {"0.666666666666667", "1.7976931348623157e+308"}}, rows)
}

// TestFullSheets goes on in another sheet where one is full, and loses no row between them.
func TestFullSheets(t *testing.T) {
	db := museum(t, "CREATE TABLE find (a integer)", "WITH RECURSIVE n(a) AS (SELECT 1 UNION ALL SELECT a + 1 FROM n WHERE a < 9) INSERT INTO find SELECT a FROM n")
	w, err := export.Table(context.Background(), db, "find")
	require.NoError(t, err)
	for _, c := range []struct {
		rows   int // of a sheet
		header bool
		want   [][]string
	}{
		{10, true, [][]string{{"a", "1", "2", "3", "4", "5", "6", "7", "8", "9"}}},
		{9, true, [][]string{{"a", "1", "2", "3", "4", "5", "6", "7", "8"}, {"a", "9"}}},
		{4, true, [][]string{{"a", "1", "2", "3"}, {"a", "4", "5", "6"}, {"a", "7", "8", "9"}}},
		{4, false, [][]string{{"1", "2", "3", "4"}, {"5", "6", "7", "8"}, {"9"}}},
	} {
		export.LimitSheets(t, c.rows)
		path := filepath.Join(t.TempDir(), "a.xlsx")
		o := options(nil)
		o.Header = c.header
		res, err := export.Run(context.Background(), db, w, path, o)
		require.NoError(t, err)
		require.Equal(t, int64(9), res.Rows)
		book, err := excelize.OpenFile(path)
		require.NoError(t, err)
		var got [][]string
		for _, sheet := range book.GetSheetList() {
			columns, err := book.GetCols(sheet)
			require.NoError(t, err)
			got = append(got, columns[0])
		}
		require.Equal(t, c.want, got)
		if len(c.want) == 1 {
			require.Empty(t, res.Notes)
			continue
		}
		require.Contains(t, res.Notes[0].What, fmt.Sprintf("the rows are on %d sheets, because one holds %d rows", len(c.want), c.rows))
	}
}

// TestParquetRefuses does not lose a value that its column cannot hold.
func TestParquetRefuses(t *testing.T) {
	db := museum(t, "CREATE TABLE find (a integer, b date)", "INSERT INTO find VALUES ('seven', '2026-01-01')")
	w, err := export.Table(context.Background(), db, "find")
	require.NoError(t, err)
	_, err = export.Run(context.Background(), db, w, filepath.Join(t.TempDir(), "a.parquet"), options(nil))
	require.EqualError(t, err, `column a is bigint, and "seven" is not: a Parquet file cannot hold it`)
}

package format

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/text/texttest"
)

// open opens a text as a source.
func open(t *testing.T, text string) *source.Source {
	t.Helper()
	path := filepath.Join(t.TempDir(), "loans.txt")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	src, err := new(source.Opener).Open(context.Background(), path, source.Options{})
	require.NoError(t, err)
	t.Cleanup(func() { src.Close() })
	return src
}

func layout(t *testing.T, text string) source.Layout { return Detect(open(t, text), nil) }

// read detects the layout of a text and reads it.
func read(t *testing.T, text string) (lay source.Layout, headings []string, rows []texttest.Row, skipped record.Skipped) {
	t.Helper()
	return readSource(t, open(t, text))
}

// readSource detects the layout of a source and reads it.
func readSource(t *testing.T, src *source.Source) (lay source.Layout, headings []string, rows []texttest.Row, skipped record.Skipped) {
	t.Helper()
	lay = Detect(src, nil)
	r, headings, err := Of(&lay).Open(src, lay)
	require.NoError(t, err)
	rows, skipped = texttest.Read(t, r, 1)
	return lay, headings, rows, skipped
}

// layoutOf says in a few words what was detected.
func layoutOf(l source.Layout) string {
	words := []string{fmt.Sprintf("%q", l.Delimiter)}
	if l.Quote != `"` {
		words = append(words, "quote "+cmp.Or(l.Quote, "none"))
	}
	if l.Escape != source.Doubled {
		words = append(words, "escape "+l.Escape)
	}
	if l.Columns != "" {
		words = append(words, "columns "+l.Columns)
	}
	if l.FillShort {
		words = append(words, "fill")
	}
	if l.SkipSpaces {
		words = append(words, "spaces")
	}
	if l.TextFormulas {
		words = append(words, "formulas")
	}
	if l.LineEnd != "lf" {
		words = append(words, l.LineEnd)
	}
	if l.Comment != "" {
		words = append(words, "comment "+l.Comment)
	}
	if l.Ruler {
		words = append(words, "ruler")
	}
	if l.HeaderLine > 0 {
		words = append(words, fmt.Sprintf("header %d", l.HeaderLine))
		if l.HeaderGuess {
			words = append(words, "guess")
		}
		return strings.Join(words, " ")
	}
	return strings.Join(append(words, fmt.Sprintf("data %d", l.FirstDataLine)), " ")
}

// TestDetect is a table of files as they arrive.
func TestDetect(t *testing.T) {
	for _, c := range []struct{ name, text, want string }{
		{"plain", "No,Name\n1,gnat\n2,fern\n", `"," header 1`},
		{"semicolons and decimal commas", "No;Mass;Note\n1;1,5;a\n2;2,75;b, c\n3;0,5;d\n", `";" header 1`},
		{"tabs with commas in text", "No\tNote\n1\ta, b\n2\tc, d\n3\te, f\n", `"\t" header 1`},
		{"pipes", "code|name\n007|north\n008|south\n", `"|" header 1`},
		{"colons", "curator:x:100:Kestrel\nguard:x:101:Bay\nkeeper:x:102:Quarry\n", `":" data 1`},
		{"carets", "No^Name\n1^a\n2^b\n", `"^" header 1`},
		{"unit separators", "No\x1fName\n1\x1fa\n2\x1fb\n", `"\x1f" header 1`},
		{"double pipes", "No||Name||Mass\n1||gnat||2.5\n2||fern||1\n", `"||" header 1`},
		{"tilde pipe tilde", "No~|~Name~|~Mass\n1~|~gnat~|~2.5\n2~|~fern~|~1\n", `"~|~" header 1`},
		{"columns of spaces", "No   Mass   Found\n1    2.50   2026-01-01\n12   3.75   2026-01-02\n7    1.00   2026-02-01\n", `"wide_spaces" header 1`},
		{"no header", "1,gnat,2.5\n2,fern,3.5\n3,moss,1\n", `"," data 1`},
		{"header of years", "Place,2024,2025\nHarrow,5,6\nMarl,7,8\n", `"," header 1`},
		{"all text", "name,colour\ngnat,honey\nfern,lemon\n", `"," header 1`},
		{"three titles", "Kestrel Bay Museum\nLoans, 2026\n\nNo,Name,Due\n1,gnat,2026-01-05\n2,fern,2026-01-06\n", `"," header 4`},
		{"titles padded with delimiters", "Kestrel Bay Museum,,\nLoans 2026,,\n,,\nNo,Name,Due\n1,gnat,2026-01-05\n2,fern,2026-01-06\n", `"," header 4`},
		{"three codes are no header", "Tern Islet;NW;104-X2-2281\nHarrow Sands;SE;233-Y0-0917\nMarl Point;NE;871-53-b114\n", `";" data 1`},
		{"one row in a drawn box", "+----+------+\n| no | name |\n+----+------+\n|  1 | ant  |\n+----+------+\n1 row in set (0.01 sec)\n", `"|" ruler header 2`},
		{"one row below crosses", " no | name | mass\n----+------+------\n  1 | ant  |  2.5\n(1 row)\n", `"|" ruler header 1`},
		{"equal rows are records", "ant,bee\nant,bee\nant,bee\n", `"," data 1`},
		{"numbers in headings", "Place;Masses 2025-2026;Remark\nTern Islet;two bags;x\nMarl Point;a tray;y\n", `";" header 1`},
		{"titles and no header", "Kestrel Bay Museum\n1,5,2026-01-05\n2,6,2026-01-06\n3,7,2026-01-07\n", `"," data 2`},
		{"ruler below the header", "No  Mass  Name\n--- ----- ------\n1   2.5   gnat\n2   3.5   fern\n", `"" quote none columns 1-4,5-10,11- ruler header 1`},
		{"ruler in pipes", "No|Name\n--|----\n1|gnat\n2|fern\n", `"|" ruler header 1`},
		{"comments", "# written by the scale\n# unit: gram\nNo,Mass\n1,2.5\n# pause\n2,3.5\n", `"," comment # header 3`},
		{"header with a number sign", "#,Name\n1,gnat\n2,fern\n", `"," header 1`},
		{"spaces after commas", "No, Name, Note\n1, \"gnat, big\", x\n2, \"fern\", y\n", `"," spaces header 1`},
		{"single quotes", "No,Name\n1,'gnat, big'\n2,'fern, small'\n3,'moss, old'\n", `"," quote ' header 1`},
		{"apostrophes are no quotes", "No,Name\n1,O'Hara's gnat\n2,Keeper's fern\n3,it's moss\n", `"," header 1`},
		{"backslash escapes", "No,Name\n1,\"the \\\"gnat\\\", big\"\n2,\"a \\\"fern\\\"\"\n", `"," escape backslash header 1`},
		{"quotes only where commas are", "No,Name,Note\n1,gnat,\"a, b\"\n2,fern,c\n3,moss,\"d, e\"\n", `"," header 1`},
		{"CRLF", "No,Name\r\n1,gnat\r\n2,fern\r\n", `"," crlf header 1`},
		{"CR", "No,Name\r1,gnat\r2,fern\r", `"," cr header 1`},
		{"CRCRLF", "No,Name\r\r\n1,gnat\r\r\n2,fern\r\r\n", `"," crcrlf header 1`},
		{"mixed line ends", "No,Name\n1,gnat\r2,fern\r\n3,moss\n", `"," mixed header 1`},
		{"one column", "name\ngnat\nfern\n", `"" header 1`},
		{"one column of numbers", "mass\n1.5\n2.5\n", `"" header 1`},
		{"sentences", "one, two and three\nfour and five\nsix, seven, eight\nnine\n", `"" header 1`},
		{"times are no colons", "Started,Ended\n10:30:00,11:00:00\n12:30:00,13:15:00\n", `"," header 1`},
		{"blank heading", "No,,Name\n1,x,gnat\n2,y,fern\n", `"," header 1`},
		{"columns of wide spaces", "code     locality              depth\n00001    Tern Island, north     1.50\n00002    Marl Point, south     12.50\n00003    Old Quarry, level 2    3.00\n", `"wide_spaces" header 1`},
		{"a log", "2026-01-01 10:01:00 INFO loaded 5 rows\n2026-01-02 10:02:00 WARN loaded 6 rows\n2026-01-03 10:03:00 INFO loaded 7 rows\n", `"spaces" data 1`},
		{"names of rows", "mass\tname\tfound\n1\t2.5\tgnat\t2026-01-01\n2\t3.5\tfern\t2026-01-02\n", `"\t" header 1`},
		{"text that recurs is no header", "gnat,honey,Bay\nfern,lemon,Quarry\ngnat,honey,Bay\nmoss,honey,Quarry\n", `"," data 1`},
		{"a word to the spreadsheet", "sep=;\nNo;Name\n1;gnat\n2;fern\n", `";" header 2`},
		{"formulas of texts", "No;Code\n1;=\"0012\"\n2;=\"0013\"\n", `";" formulas header 1`},
		{"formulas of texts in quotes", "\"No\",\"Code\"\n\"1\",\"=\"\"0012\"\"\"\n", `"," formulas header 1`},
		{"formulas of numbers, and texts in prose", "No;Code\n1;=12+3\n2;set a=\"12\" b\n", `";" header 1`},
		{"text with line breaks", "No,Note\n1,\"a\nb, c\nd\"\n2,\"e\"\n3,f\n", `"," header 1`},
	} {
		t.Run(c.name, func(t *testing.T) {
			require.Equal(t, c.want, layoutOf(layout(t, c.text)))
		})
	}
}

// TestHeaderRows joins the rows of a header where one of them is not enough, and
// takes no record for a part of it.
func TestHeaderRows(t *testing.T) {
	for _, c := range []struct{ text, lines, headings string }{
		{"Loans\n\n,Lent,,Returned,\nno,date,by,date,by\n1,2026-01-01,ann,2026-02-01,bob\n2,2026-01-02,ann,2026-02-03,cy\n", "3-4", "no|Lent date|Lent by|Returned date|Returned by"},
		{"Loan No,Dates,,Fee\n,lent,due,\n00312,2026-01-01,2026-02-01,5.5\n00313,2026-01-04,2026-02-01,7\n", "1-2", "Loan No|Dates lent|Dates due|Fee"},
		{"name,2025,,2026,\n,fees,loans,fees,loans\nHarrow,5,6,7,8\nSable,1,2,3,4\n", "1-2", "name|2025 fees|2025 loans|2026 fees|2026 loans"},
		{"no,name,mass,length\n,,g,mm\n1,ant,0.5,12\n2,bee,0.7,14\n", "1-2", "no|name|mass g|length mm"},
		{"no,name,mass\n,(short),(g)\n1,ant,0.5\n2,bee,0.7\n", "1-2", "no|name (short)|mass (g)"},
		{"name,kind,mass\nant,insect,lost\nbee,insect,0.7\ncat,mammal,5\n", "1", "name|kind|mass"},
		{"name,kind,found\nant,insect,lost\nbee,insect,2026-01-01\ncat,mammal,2026-01-02\n", "1", "name|kind|found"},
		{"Report,,,run on,2026-01-06\n\nNo,Name,Fee,Paid,On\n1,ant,5,true,2026-01-01\n2,bee,6,false,2026-01-02\n", "3", "No|Name|Fee|Paid|On"},
		{"Loan No,Lent,,Returned\n,on,by,on,by\n00312,2026-01-01,ann,2026-02-01,bob\n00313,2026-01-04,ann,2026-02-01,cy\n", "1-2", "Loan No|Lent on|Lent by|Returned on|Returned by"},
		{"no,,fee\n1,ant,5\n2,bee,6\n", "1", "no|column_2|fee"},
		{"a,,c\nx,y,z\nu,y,w\n", "1", "a|column_2|c"},
		{"Report:,Loans,,\nname,date,date,fee\nx,2026-01-01,2026-02-02,5\ny,2026-01-01,2026-02-02,6\n", "2", "name|date|date (2)|fee"},
		{"no,date,date\n1,2026-01-01,2026-01-02\n2,2026-01-01,2026-01-02\n", "1", "no|date|date (2)"},
	} {
		lay, headings, rows, _ := read(t, c.text)
		require.Equal(t, c.lines, lay.Header(), c.text)
		require.Equal(t, c.headings, strings.Join(headings, "|"))
		require.Equal(t, len(strings.Split(strings.TrimSpace(c.text), "\n"))-int(lay.HeaderLine+lay.HeaderLines-1), len(rows), "no record is lost")
	}
}

// TestFirstDataLine finds the first record below any number of titles, by the layout of a text with
// two of them.
func TestFirstDataLine(t *testing.T) {
	titles := []string{"Museum of amber\n", "Finds of the year, by room\n", "Printed by hand\n"}
	for name, c := range map[string]struct {
		title, first, next string
		columns            int
	}{
		"delimited":     {"Printed in 2026\n", numbered(10, 39, "@,gnat,1.@,hall\n"), numbered(50, 89, "@,bee,2.@,hall\n"), 4},
		"an extra cell": {"Printed in 2026\n", numbered(10, 24, "@,gnat,1.@,\n") + numbered(25, 49, "@,gnat,1.@\n"), numbered(10, 29, "@,bee,1.@\n") + numbered(30, 69, "@,gnat,1.@,\n"), 4},
		"one record":    {"Printed in 2026\n", numbered(10, 39, "@,gnat,1.@,hall\n"), "10,gnat,1.5,hall\n", 4},
		"fixed":         {"Printed in 2026\n", numbered(10, 39, "@     gnat  big   1.@ hall\n"), numbered(40, 59, "@     bee   small 1.@ hall\n"), 5},
	} {
		lay := layout(t, titles[0]+c.title+c.first)
		require.True(t, lay.FindFirstDataLine, name)
		for n := range len(titles) + 1 {
			text := strings.Join(titles[:n], "") + c.next
			require.EqualValues(t, n+1, FirstDataLine([]byte(text), true, &lay, c.columns), "%s, %d titles", name, n)
		}
	}
}

package format

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/record"
)

// detected says in one line how a text is laid out: its headings, how many
// records it has, and what is skipped.
func detected(t *testing.T, text string) string {
	t.Helper()
	lay, headings, rows, skipped := read(t, text)
	var left []string
	for _, rule := range record.Rules() {
		n := skipped[rule]
		if n > 0 {
			left = append(left, fmt.Sprintf("%d %s", n, rule))
		}
	}
	ragged := 0
	for _, row := range rows {
		if row.Broken || len(row.Cells) != len(headings) {
			ragged++
		}
	}
	return fmt.Sprintf("%s; %s; %d records, %d ragged; %s", layoutOf(lay), strings.Join(headings, "|"), len(rows), ragged, strings.Join(left, ", "))
}

// TestLayouts is a table of files as they arrive, which header, titles, footer and
// quotes are found in only by all columns together.
func TestLayouts(t *testing.T) {
	numbered := func(from, to int, f string) (s string) {
		for i := from; i <= to; i++ {
			s += strings.ReplaceAll(f, "@", fmt.Sprint(i))
		}
		return s
	}
	for _, c := range []struct{ name, text, want string }{
		{"commented header", "#Shelf code,Name,Mass\n" + numbered(10, 19, "A@,gnat @,@.5\n"),
			`"," comment # header 1; Shelf code|Name|Mass; 10 records, 0 ragged; `},
		{"commented header 2", "# made by the scale\n# No, Name, Mass\n" + numbered(10, 19, "@, gnat @, @.5\n"),
			`"," comment # header 2; No|Name|Mass; 10 records, 0 ragged; 1 comment`},
		{"one backslash before a quote, among quotes that are doubled", "No,Mass,Name,Loan\n1,1.5,\"the \"\"so\"\" gnat\",\"a\"\n2,2.5,\"e\\\"\"so\"\"e\",b\n3,3.5,d,\"k \"\"so\"\" line\nbreak\",4,4.5,\"e\"\n" + numbered(5, 9, "@,@.5,\"e \"\"so\"\"\",f\n"),
			`"," header 1; No|Mass|Name|Loan; 8 records, 1 ragged; `},
		{"statistics below a gap", "Name,Mass,Depth\n" + numbered(10, 19, "gnat @,@.5,@\n") + "\nMean,15.5,15\nStd. dev.,2.5,3\nMax,19.5,19\n",
			`"," header 1; Name|Mass|Depth; 10 records, 0 ragged; 1 blank line, 3 footer row`},
		{"two colons, among single ones", "No::Name::Mass\n" + numbered(10, 19, "@::gnat: @::@.5\n"),
			`"::" header 1; No|Name|Mass; 10 records, 0 ragged; `},
		{"headings of a letter", "year,t,n\n" + numbered(10, 19, "20@,yes,Y\n20@,no,N\n"),
			`"," header 1; year|t|n; 20 records, 0 ragged; `},
		{"truth values without a header", "Y,gnat\n" + numbered(10, 19, "N,fern @\n"),
			`"," data 1; column_1|column_2; 11 records, 0 ragged; `},
		{"commented letters", "# x y z\n" + numbered(10, 19, "@ @5 @.5\n"),
			`"spaces" comment # header 1; x|y|z; 10 records, 0 ragged; `},
		{"brackets delimit nothing", numbered(10, 19, "10.0.0.@ - [03/Mar/2026:13:55:@ +0000] \"GET /loans/@\" 200 @5\n"),
			`"spaces" data 1; column_1|column_2|column_3|column_4|column_5|column_6|column_7; 10 records, 0 ragged; `},
		{"one column of several words", "Name\n" + numbered(10, 19, "gnat @\n"),
			`"" header 1; Name; 10 records, 0 ragged; `},
		{"semicolon comments", "; scale 3\n; unit: g\nNo,Mass\n" + numbered(10, 19, "@,@.5\n"),
			`"," comment ; header 3; No|Mass; 10 records, 0 ragged; 2 comment`},
		{"slashes", "// scale 3\nNo,Mass\n" + numbered(10, 19, "@,@.5\n") + "  // indented\n20,1.5\n",
			`"," comment // header 2; No|Mass; 11 records, 0 ragged; 2 comment`},
		{"records with the sign of comments", "Name,Mass\n" + numbered(10, 19, "gnat @,@.5\n#@ fern,2.5\n"),
			`"," header 1; Name|Mass; 20 records, 0 ragged; `},
		{"comments among records only", "Name,Mass\n" + numbered(10, 14, "gnat @,@.5\n# on loan, from May, to June\nfern @,2.5\n"),
			`"," comment # header 1; Name|Mass; 10 records, 0 ragged; 5 comment`},
		{"quoted records with the sign of comments", "Name,Note\n" + numbered(10, 19, "\"gnat @\",\"a, b\nc\"\n#@ fern,\"x\n# y\"\n"),
			`"," header 1; Name|Note; 20 records, 0 ragged; `},
		{"timestamps", "Lent\n" + numbered(10, 39, "2026-01-12 10:@:00\n"),
			`"" header 1; Lent; 30 records, 0 ragged; `},
		{"one column of amounts", "Fee\n" + numbered(10, 19, "\"£1,@4.50\"\n£2,@4.50\n"),
			`"" header 1; Fee; 20 records, 0 ragged; `},
		{"one column of dates", "Lent\n" + numbered(10, 19, "@ MAY 2026\n"),
			`"" header 1; Lent; 10 records, 0 ragged; `},
		{"two columns of numbers", "Mass,Depth\n" + numbered(10, 19, "@,5\n"),
			`"," header 1; Mass|Depth; 10 records, 0 ragged; `},
		{"dates and times", "Lent At\n" + numbered(10, 19, "2026-01-@ 10:@:00\n"),
			`"spaces" header 1; Lent|At; 10 records, 0 ragged; `},
		{"one quoted column", "\"Note\"\n\"a b\"\n\"c d\"\n\"e f\"\n",
			`"" header 1; Note; 3 records, 0 ragged; `},
		{"percent", "% scale 3\n% room, east\nNo\tMass\n" + numbered(10, 19, "@\t@.5\n"),
			`"\t" comment % header 3; No|Mass; 10 records, 0 ragged; 2 comment`},
		{"comment two headers", "# x\nNo,,Fee\n,lent,g\n" + numbered(10, 19, "@,2026-01-@,@.5\n"),
			`"," comment # header 2; No|lent|Fee g; 10 records, 0 ragged; 1 comment`},
		{"type row", "No,Name,Lent\nnum,text,date\n" + numbered(10, 19, "@,gnat @,2026-01-@\n"),
			`"," header 1; No|Name|Lent; 10 records, 0 ragged; 1 description line`},
		{"type row text only", "Name\tCity\nstring\tstring\nAnn\tHarrow\nBob\tMarl\n",
			`"\t" header 1; Name|City; 2 records, 0 ragged; 1 description line`},
		{"type letters", "No,Name,Lent\nN,C,D\n" + numbered(10, 19, "@,gnat @,2026-01-@\n"),
			`"," header 1; No|Name|Lent; 10 records, 0 ragged; 1 description line`},
		{"dashes", "No,Name,Lent\n--,----,----\n" + numbered(10, 19, "@,gnat @,2026-01-@\n"),
			`"," ruler header 1; No|Name|Lent; 10 records, 0 ragged; 1 ruler line`},
		{"units", "No,Name,Light,Mass\n,,(in lux),(in grams)\n" + numbered(10, 19, "@,gnat @,@,@.5\n"),
			`"," header 1; No|Name|Light (in lux)|Mass (in grams); 10 records, 0 ragged; `},
		{"descriptions", "no,name,mass,found\nnumber on the label,what it is,as weighed,by the label\n" + numbered(10, 19, "@,gnat @,@.5,2026-01-@\n"),
			`"," header 1; no|name|mass|found; 10 records, 0 ragged; 1 description line`},
		{"short records", "a1,b1,c1,d1,e1,f1\n" + numbered(10, 19, "@,gnat @,@.5\n") + "20,x,1.5,x,y,z\n",
			`"," fill header 1; a1|b1|c1|d1|e1|f1; 11 records, 0 ragged; `},
		{"header wider, none full", "a1,b1,c1,d1,e1,f1\n" + numbered(10, 19, "@,gnat @,@.5,2026-01-@\n"),
			`"," fill header 1; a1|b1|c1|d1|e1|f1; 10 records, 0 ragged; `},
		{"row numbers", "Name,Mass\n" + numbered(10, 19, "@,gnat @,@.5\n"),
			`"," header 1; column_1|Name|Mass; 10 records, 0 ragged; `},
		{"row numbers quoted", "\"Name\",\"Mass\"\n" + numbered(10, 19, "\"@\",\"gnat @\",@.5\n"),
			`"," header 1; column_1|Name|Mass; 10 records, 0 ragged; `},
		{"optional last", "No,Name,Mass\n" + numbered(10, 19, "@,gnat @,@.5\n@,moss @,@.5,note @\n"),
			`"," header 1; No|Name|Mass|column_4; 20 records, 0 ragged; `},
		{"optional last named", "No,Name,Mass,Note\n" + numbered(10, 19, "@,gnat @,@.5\n@,moss @,@.5,note @\n"),
			`"," fill header 1; No|Name|Mass|Note; 20 records, 0 ragged; `},
		{"trailing delimiter", "No,Name,Mass\n" + numbered(10, 19, "@,gnat @,@.5,\n"),
			`"," header 1; No|Name|Mass|column_4; 10 records, 0 ragged; `},
		{"trailing in header", "No,Name,Mass,\n" + numbered(10, 19, "@,gnat @,@.5\n"),
			`"," fill header 1; No|Name|Mass|column_4; 10 records, 0 ragged; `},
		{"first record short", "No\tName\tMass\n9\t-\t9.5\n" + numbered(10, 19, "@\tgnat @\t@.5\t\n"),
			`"\t" header 1; No|Name|Mass|column_4; 11 records, 0 ragged; `},
		{"footer after blank", "No,Name,Mass\n" + numbered(10, 40, "@,gnat @,@.5\n") + "\n\"Source: scale 3\"\n\nINFO,cells were adjusted\n\n(c) the museum 2026\n",
			`"," header 1; No|Name|Mass; 31 records, 0 ragged; 3 blank line, 3 footer row`},
		{"trailer", "H,loans,2026\n" + numbered(10, 40, "D,@,gnat @,@.5,x,y\n") + "T,loans,31\n",
			`"," data 2; column_1|column_2|column_3|column_4|column_5|column_6; 31 records, 0 ragged; 1 title, 1 footer row`},
		{"END trailer", "START,loans,2026-01-01\nNo,Name,Mass,a,b,c\n" + numbered(10, 40, "@,gnat @,@.5,x,y,2\n") + "END,loans,31\n",
			`"," header 2; No|Name|Mass|a|b|c; 31 records, 0 ragged; 1 title, 1 footer row`},
		{"spread notes", "Loans,of,the,\nmuseum,,as of,today\nNo,Name,Fee,Lent\n" + numbered(10, 29, "@,gnat @,@.5,2026-01-@\n") + "All,in,all,fine\nsigned,,the,curator\n",
			`"," header 3; No|Name|Fee|Lent; 20 records, 0 ragged; 2 title, 2 footer row`},
		{"front matter", "---\ntitle: loans, of all\nkeys:\n  - no\n---\nNo,Mass\n" + numbered(10, 19, "@,@.5\n"),
			`"," header 6; No|Mass; 10 records, 0 ragged; 5 title`},
		{"key values", "Station: Bay, north\nScale: 3\nPrinted: 2026-01-01 10:30\n\nNo,Mass\n" + numbered(10, 19, "@,@.5\n"),
			`"," header 5; No|Mass; 10 records, 0 ragged; 3 title, 1 blank line`},
		{"key value data", "name: a\nmass: b\ncolour: c\nsize: d\n",
			`":" header 1 guess; name|a; 3 records, 0 ragged; `},
		{"never quotes", "No\tNote\tMass\n" + numbered(10, 15, "@\tgnat\t@.5\n") + "16\t\"Amber Days\", Ltd\t3\n17\t\"?\" written\t4\n18\t\"open\t5\n19\t\"so\t6\n",
			`"\t" header 1; No|Note|Mass; 10 records, 0 ragged; `},
		{"doubled at start", "No,Note,Mass\n" + numbered(10, 15, "@,\"gnat, big\",@.5\n") + "16,\"\"B\"\" gallery,3\n17,x,4\n",
			`"," header 1; No|Note|Mass; 8 records, 0 ragged; `},
		{"unescaped", "\"No\",\"Note\",\"Kind\"\n\"0\",\"she wrote:\"a fine piece.\"\",\"A\"\n\"1\",\"so\",\"B\"\n\"2\",\"\",\"B\"\n",
			`"," escape none header 1; No|Note|Kind; 3 records, 0 ragged; `},
		{"one cell spaced", "No,Name\n1,gnat\n2, fern\n3,moss\n4,ant\n",
			`"," header 1; No|Name; 4 records, 0 ragged; `},
		{"aligned", "code  locality         depth  found\nA1    Tern Island       1.50  2026-01-01\nA2    Marl Point       12.50  2026-01-02\nA3                      3.00\nA4    Old Quarry level  3.10  2026-01-04\n",
			`"" quote none columns 1-6,7-23,24-30,31- header 1; code|locality|depth|found; 4 records, 0 ragged; `},
		{"listing", "Kestrel Bay Museum                 page 1\n\nNo    Name        Mass\n----- ----------- -----\n    1 gnat, big     2.5\n    2               3.5\n   13 fern old      1.0\n",
			`"" quote none columns 1-6,7-18,19- ruler header 3; No|Name|Mass; 3 records, 0 ragged; 1 title, 1 blank line, 1 ruler line`},
		{"crcrcrlf", "No,Name\r\r\r\n1,gnat\r\r\r\n2,fern\r\r\r\n",
			`"," crcrlf header 1; No|Name; 2 records, 0 ragged; `},
		{"one column", "No\n" + numbered(10, 19, "@\n"),
			`"" header 1; No; 10 records, 0 ragged; `},
		{"single column text with commas", "note\nA fine piece, sold\nBroken\nTwo, three, and four\nwell\nold, but fine\n",
			`"" header 1 guess; note; 5 records, 0 ragged; `},
		{"no header text", "gnat,honey\nfern,lemon\ngnat,honey\n",
			`"," data 1; column_1|column_2; 3 records, 0 ragged; `},
		{"months last incomplete", "Month,Visitors,Income\nJan,5,6\nFeb,7,8\nMar,8,9\nApr,,\n",
			`"," header 1; Month|Visitors|Income; 4 records, 0 ragged; `},
		{"header only", "No,Name,y\n",
			`"," header 1; No|Name|y; 0 records, 0 ragged; `},
		{"wide header years", "Place,2024,2025,2026\nHarrow,5,6,7\nMarl,7,8,9\n",
			`"," header 1; Place|2024|2025|2026; 2 records, 0 ragged; `},
		{"title like record", "1,gnat,5,x\n" + numbered(10, 19, "@,gnat @,@.5,2026-01-@\n"),
			`"," data 1; column_1|column_2|column_3|column_4; 11 records, 0 ragged; `},
		{"section headings", "No,Name,Mass\n" + numbered(10, 19, "@,gnat @,@.5\n") + "Room two,,\n" + numbered(20, 29, "@,gnat @,@.5\n"),
			`"," header 1; No|Name|Mass; 21 records, 0 ragged; `},
		{"pipes both ends", "|No|Name|Mass|\n|1|gnat|2.5|\n|2|fern|3.5|\n",
			`"|" header 1; column_1|No|Name|Mass|column_5; 2 records, 0 ragged; `},
		{"percent header", "%,Name\n5,gnat\n6,fern\n",
			`"," header 1; %|Name; 2 records, 0 ragged; `},
		{"semicolon first blank", ";Jan;Feb\nHarrow;5;6\nMarl;7;8\n",
			`";" header 1; column_1|Jan|Feb; 2 records, 0 ragged; `},
		{"codes in all rows", "ED+4230-0131\tEast Dock\nMP-3310+0042\tMarl Point\nTI+2518-0512\tTern Island\nWB+4011-0007\tWest Bay\n",
			`"\t" data 1; column_1|column_2; 4 records, 0 ragged; `},
		{"signs in all rows", ":fern:,moss\n:gnat:,ant\n:big_eel:,fish\n:crab:,shell\n",
			`"," data 1; column_1|column_2; 4 records, 0 ragged; `},
		{"headings with numbers", "x1,x2\na1,b1\na2,b2\na3,b3\n",
			`"," header 1 guess; x1|x2; 3 records, 0 ragged; `},
		{"punctuation in headings", "\"Name, first\",Room\n\"Reed, Ann\",east\n\"Marsh, Bob\",west\n\"Dale, Cat\",north\n",
			`"," header 1; Name, first|Room; 3 records, 0 ragged; `},
		{"header like the records", "Ant,Harrow\nBee,Marl\nEel,Bay\nFern,Tern\n",
			`"," header 1 guess; Ant|Harrow; 3 records, 0 ragged; `},
		{"header repeated among words", "name,room\nAnt,East\nBee,West\nname,room\nEel,North\n",
			`"," header 1; name|room; 3 records, 0 ragged; 1 repeated header`},
		{"commented header below a long licence", strings.Repeat("# free to copy\n", 20) + "#code\tname of the room\nED\tEast\nMP\tMarl\nTI\tTern\nWB\tBay\n",
			`"\t" comment # header 21; code|name of the room; 4 records, 0 ragged; 20 comment`},
		{"prose above the first record", "# sorted by room, then shelf\nEast,Ant\nMarl,Bee\nTern,Eel\nBay,Fern\n",
			`"," comment # header 2 guess; East|Ant; 3 records, 0 ragged; 1 comment`},
		{"first record short, among codes", "A+4230\tEast\n" + numbered(100, 119, "B+@0\tEast room @\tof stone\nB+@5\tWest\n"),
			`"\t" data 1; column_1|column_2|column_3; 41 records, 0 ragged; `},
		{"years of several centuries", "1930,-0.5\n2020,1.5\n" + numbered(10, 19, "18@,-0.@\n19@,0.@\n"),
			`"," data 1; column_1|column_2; 22 records, 0 ragged; `},
		{"a first record of several lines, of other kinds", "7,\"on\nloan\",west\n" + numbered(10, 19, "@,@.5,2026-01-@\n"),
			`"," data 1; column_1|column_2|column_3; 11 records, 0 ragged; `},
		{"counts and classes above values without headings", "20,4,ant,bee,eel\n" + numbered(10, 29, "@,@.5,@.25,0.@,1\n"),
			`"," data 2; column_1|column_2|column_3|column_4|column_5; 20 records, 0 ragged; 1 title`},
		{"a column for each day", "room,1/22/26,1/23/26,1/24/26\nEast,5,6,7\nWest,1,4,3\nMarl,11,14,13\n",
			`"," header 1; room|1/22/26|1/23/26|1/24/26; 3 records, 0 ragged; `},
		{"a column for each hour", "day,0,1,2,3,4,5\n2026-01-01,5,6,7,8,9,9\n2026-01-02,1,4,3,9,9,9\n2026-01-03,11,14,13,19,1,1\n",
			`"," header 1; day|0|1|2|3|4|5; 3 records, 0 ragged; `},
		{"the numbers of the columns", ",0,1,2\n0,1.5,2.5,7\n1,2.5,3.5,8\n2,4.5,0.5,9\n",
			`"," header 1 guess; column_1|0|1|2; 3 records, 0 ragged; `},
		{"records that rise", "1,2,3\n4,5,6\n7,8,10\n9,4,1\n3,6,9\n",
			`"," data 1; column_1|column_2|column_3; 5 records, 0 ragged; `},
		{"wavelengths", "sample,350.5,351.2,351.9,352.8,353.4,354.1,355,356.2\n" + numbered(10, 19, "s@,0.@,0.2@,0.1@,0.3@,0.@,0.@,0.1@,0.@\n"),
			`"," header 1; sample|350.5|351.2|351.9|352.8|353.4|354.1|355|356.2; 10 records, 0 ragged; `},
		{"headings in single quotes above many records", "'no'\t'mass'\t'price'\n" + numbered(100, 399, "@\t@.5\t@\n"),
			`"\t" quote ' header 1; no|mass|price; 300 records, 0 ragged; `},
		{"headings with one space between them", "Days      Duration Weight No\n" + numbered(10, 79, "  @.0      1      1      @\n"),
			`"spaces" header 1; Days|Duration|Weight|No; 70 records, 0 ragged; `},
		{"a sentence above aligned words", "# This list gives the official names of the rooms in use: see the guide\nEas East Hall\n" + numbered(10, 39, "R@ Andover\nS@ Bay Hall\nT@ Clock Tower\n"),
			`"" quote none columns 1-4,5- comment # header 2; Eas|East Hall; 90 records, 0 ragged; 1 comment`},
		{"a header of the first columns", "Date\tTime\tNo\n" + numbered(10, 19, "@/01/26\t0900\t5\t7\t8.5\t9\t7.5\t3\n"),
			`"\t" header 1; Date|Time|No|column_4|column_5|column_6|column_7|column_8; 10 records, 0 ragged; `},
		{"a commented header of many words", "# made by hand\n#code\tname of the room, gallery, or part of it\nED\tEast\nMP\tMarl\nTI\tTern\nWB\tBay\n",
			`"\t" comment # header 2; code|name of the room, gallery, or part of it; 4 records, 0 ragged; 1 comment`},
		{"tabs and spaces", "month\tlow\thigh\tmean\nmay \t61\t\t42.2 \t7\njun \t57.7          69.2   \t8\njul \t61.7          68.4   \t9\naug \t74.9          84.7   \t9\n",
			`"spaces" header 1; month|low|high|mean; 4 records, 0 ragged; `},
		{"one row with figures", "Ant,12 Bay Street,4-5\n",
			`"," data 1; column_1|column_2|column_3; 1 records, 0 ragged; `},
		{"labels above two columns", "Museum:,Kestrel Bay\nPeriod:,2026\n\nword,weight\n" + numbered(10, 19, "gnat @,@\n"),
			`"," header 4; word|weight; 10 records, 0 ragged; 2 title, 1 blank line`},
		{"note with a delimiter", "No,Name,Mass\n" + numbered(10, 40, "@,gnat @,@.5\n") + "\nSource: museum office, 2026\n",
			`"," header 1; No|Name|Mass; 31 records, 0 ragged; 1 blank line, 1 footer row`},
		{"note as full as the records", "Name,No\n" + numbered(10, 40, "gnat @,@\n") + "\nSource: museum office, 2026\n",
			`"," header 1; Name|No; 31 records, 0 ragged; 1 blank line, 1 footer row`},
		{"decimal commas, one a line", "name;code;share\n" + numbered(10, 29, "gnat;g @;0,@\n"),
			`";" header 1; name|code|share; 20 records, 0 ragged; `},
		{"aligned, with wide spaces in cells", "No    Name            Mass\n" + numbered(10, 29, "@    gnat            @.5\n") + "99    big  gnat        9.5\n",
			`"" quote none columns 1-6,7-22,23- header 1; No|Name|Mass; 21 records, 0 ragged; `},
		{"aligned, a column without values", "Name     Remark  Mass\n" + numbered(10, 39, "gnat @           @.5\neel @            @.5\nfern             @.5\n"),
			`"" quote none columns 1-9,10-17,18- header 1; Name|Remark|Mass; 90 records, 0 ragged; `},
	} {
		t.Run(c.name, func(t *testing.T) { require.Equal(t, c.want, detected(t, c.text)) })
	}
}

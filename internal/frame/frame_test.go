package frame

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/record"
	"ambertray/internal/source"
)

// cut cuts lines at commas, leaving out what the rules say.
func cut(lines string, rules Rules) *record.Batch {
	rules.Delimiter = ','
	b := record.New('\n', nil)
	b.Data, b.Raw, b.FirstLine, b.FirstRecord = append([]byte(lines), make([]byte, record.Pad)...), len(lines), 1, 1
	at := 0
	for line := range strings.Lines(lines) {
		end := at + len(strings.TrimSuffix(line, "\n"))
		rule, ok := rules.Of(b.Data[at:end])
		if ok {
			b.Skip(rule, at, end)
		} else {
			from := at
			for cell := range strings.SplitSeq(lines[at:end], ",") {
				b.AddCell(record.Span{Start: uint32(from), End: uint32(from + len(cell))})
				from += len(cell) + 1
			}
			b.EndRecord(at, end)
		}
		at += len(line)
	}
	b.CountLines(b.Raw)
	return b
}

// TestRules says of each row whether it is a record.
func TestRules(t *testing.T) {
	rules := Rules{
		Delimiter: ',', Comment: []byte("#"), Ruler: true, Outside: "\x1c", Special: map[string]record.Rule{"\x1d": record.Hidden},
	}
	rules.LeaveOutHeader([][]byte{[]byte(",find"), []byte("no,name")})
	for row, want := range map[string]string{
		"": "blank line", " \t ": "blank line", ",,": "blank line", ", ,\r": "blank line", "# note": "comment", "  # note": "comment", "no,name": "repeated header", ",find": "repeated header",
		"---,---": "ruler line", "--": "", "- -": "", "1,ant": "", "no,name ": "", "a # b": "", "\x1c": "blank line", "\x1d": "hidden row",
	} {
		rule, ok := rules.Of([]byte(row))
		require.Equal(t, want != "", ok, "%q", row)
		if ok {
			require.Equal(t, want, rule.String(), "%q", row)
		}
	}
	tabs := Rules{Delimiter: '\t', Comment: []byte("#")}
	require.False(t, tabs.IsComment([]byte("\t# note")), "a blank cell comes before it")
}

// TestHeader finds the header, what describes the columns, and the first record.
func TestHeader(t *testing.T) {
	for _, c := range []struct {
		name, text                   string
		header, lines, first, titled int64
	}{
		{"a header", "no,name\n1,ant\n2,bee\n", 1, 1, 0, 0},
		{"titles", "Kestrel Bay Museum\n\nno,name\n1,ant\n2,bee\n", 3, 1, 0, 0},
		{"no header", "1,ant\n2,bee\n3,cat\n", 0, 1, 1, 0},
		{"two rows", "no,found,\n,on,by\n1,2026-01-01,ann\n2,2026-01-02,bob\n", 1, 2, 0, 0},
		{"types below", "no,name\ninteger,text\n1,ant\n2,bee\n", 1, 1, 0, 1},
		{"letters of types below", "no,name,paid\nN,C,L\n1,ant,T\n2,bee,F\n", 1, 1, 0, 1},
		{"words only", "name,colour\nant,red\nbee,blue\n", 1, 1, 0, 0},
		{"words that recur", "ant,red\nbee,red\nant,blue\n", 0, 1, 1, 0},
		{"delimiters after records of words", "name,donor,place\nant,Reed,,,\nbee,Bell,hall,,\nmoss,Hart,west,,\nfern,Reed,hall,,\n", 1, 1, 0, 0},
		{"delimiters after records", "no,name\n1,ant,,\n2,bee,,\n3,cat,,\n", 1, 1, 0, 0},
		{"titles with values", "By,Reed,,\nPrinted,2026,,\nLoans,,,\nspecimen,found,mass,fee\nKB-1,1931,2.5,4\nKB-2,1940,3.5,\n", 4, 1, 0, 0},
		{"records above texts", "KB-1,1931,2.5,4\nKB-2,1940,,\na,b,c,d\nKB-3,1950,4.5,6\nKB-4,1951,4,6\n", 0, 1, 1, 0},
		{"a single letter", "n,y\n1,Y\n2,N\n", 1, 1, 0, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			h := NewHead(cut(c.text, Rules{}))
			h.Widen()
			var lay source.Layout
			h.FindHeader(&lay)
			require.Equal(t, []int64{c.header, c.lines, c.first, c.titled}, []int64{lay.HeaderLine, lay.HeaderLines, lay.FirstDataLine, lay.DescriptionLines})
		})
	}
}

// TestBeside keeps the records of a table in a sheet with a smaller one beside it.
func TestBeside(t *testing.T) {
	h := NewHead(cut("no,mass,fee,,,,\n1,2.5,4,,room,no,fee\n2,3.5,5,,east,3,13\n3,4.5,6,,west,2,15\n"+strings.Repeat("4,5.5,7,,,,\n", 5), Rules{}))
	h.Sparse = true
	var lay source.Layout
	h.FindHeader(&lay)
	require.Equal(t, []int64{1, 1}, []int64{lay.HeaderLine, int64(h.First)}, "the header is as wide as its table")
}

// TestTotalsAmong finds records that look like totals: nothing else stands in their place, and they
// have fewer values than others.
func TestTotalsAmong(t *testing.T) {
	for text, want := range map[string][]int{
		"East,room 1,12\nSubtotal East,,12\nWest,room 1,5\nsub-total West,,5\n": {1, 3},
		"East,,12\n,TOTAL:,12\n , Grand total,17\n":                             {1, 2},
		"Total loss,gnat,2\nTotally new,,3\nSubtotal,,\nThe total,,4\n":         nil,
	} {
		require.Equal(t, want, TotalsAmong(cut(text, Rules{})), text)
	}
	b := cut("a,b,c\nTotal,,1\n\"x\ny\",,\nTotal,,2\n", Rules{})
	b.Oddities = []record.Oddity{{Record: 2, What: record.StrayQuote}}
	b.NoteRecords(TotalsAmong(b), record.Total)
	var records []int
	for _, o := range b.Oddities {
		records = append(records, o.Record)
	}
	require.IsNonDecreasing(t, records)
	require.Len(t, records, 3)
}

// TestCommentHeader takes a comment right above the records for the header.
func TestCommentHeader(t *testing.T) {
	h := NewHead(cut("# written by the scale\n#no,mass\n1,2.5\n2,3.5\n", Rules{Comment: []byte("#")}))
	h.Comments = Comments{"#", ",", func(text []byte) *record.Batch { return cut(string(text)+"\n", Rules{}) }}
	var lay source.Layout
	h.FindHeader(&lay)
	require.Equal(t, int64(2), lay.HeaderLine)
	require.Equal(t, "no,mass", string(h.Comments.Text([]byte(" ## no,mass"))))
	require.Equal(t, "no,mass", string(h.Comments.Text([]byte("no,mass"))))
}

// TestComment finds what comments begin with.
func TestComment(t *testing.T) {
	for text, want := range map[string]string{
		"# a\n1,2\n3,4\n": "#", "// a\n// b\n1,2\n": "//", "% a\n% b\n1,2\n": "%", "; a\n; b\n1,2\n": ";", "#1,2\n#3,4\n5,6\n": "", "#,name\n1,ant\n": "",
		"#no,name\n#1,ant\n#2,bee\n": "", ";no;name\n;1;ant\n": "", ";no;name\n;ant;East\n1;bee;West\n": "", "# a\n#1 b\n1,2\n3,4\n": "#",
		"1,2\n3,4\n": "", "a; b\n; c\nd; e\n": "",
	} {
		sign, above := CommentSign([]byte(text))
		require.Equal(t, want, sign, text)
		require.Equal(t, sign != "" && strings.HasPrefix(strings.TrimSpace(text), sign), above, text)
	}
	require.Equal(t, "1,2\n", string(WithoutComments([]byte("# a\n1,2\n  # b\n"), "#")))
	for text, lines := range map[string]int64{
		"---\ntitle: Loans\n---\nno,name\n1,ant\n": 3, "Museum: Kestrel Bay\nYear: 2026\nno,name\n1,ant\n2,bee\n": 2, "no,name\n1,ant\n": 0, "a: 1\nb: 2\nc: 3\n": 0, "": 0, "finds:\t2\nmass:\t7\nkind\tbee\n": 0,
	} {
		_, got := FrontMatter([]byte(text))
		require.Equal(t, lines, got, text)
	}
}

// TestFooter recognises totals and notes at the end, and no records.
func TestFooter(t *testing.T) {
	records := strings.Repeat("7,ant,2.5,2026-01-01\n", 30)
	for end, want := range map[string]int{
		"": 0, "Total,,75.0,\n": 1, "Subtotal,,75.0,\nGrand total,,75.0,\n": 2, "Source: the museum\n": 1, "\nprinted by hand,,,\n": 1, "8,bee,3.5,2026-01-02\n": 0,
		"mean,,2.5,\n": 1, "END,30\n": 1, "8,total eclipse,1.0,2026-01-02\n": 0, "9,,,\n": 0,
		"Sum,30,x,y\n": 1, "8,Sum,2.5,2026-01-01\n": 0,
	} {
		text := records + end
		f := Footer{Width: 4}
		require.Equal(t, maxFooterLines, f.HeldBack())
		f.Learn(cut(text, Rules{}), true)
		require.Equal(t, want, f.Of(cut(text, Rules{})), "%q", end)
	}
	texts := strings.Repeat("ant,KB-1,\n", 9)
	for text, want := range map[string]int{
		texts + "TRAILER,9\n": 1, texts + "TRAILER,8\n": 0, texts + "\nNotes\n1. Shelves are numbered from the door.\n": 2, texts + "\nNotes\n": 0,
		"ant,1,\nbee,2,\neel,3,\nfly,4,\n" + "gnat,5\n": 0, texts + "* lent again,,\n": 1, texts + "lent again,,\n": 0, "7,ant,x\n8,bee,y\n9,eel,z\n4,cat,x\nlent again,,\n": 1, "ant,7,\nbee,2,\neel,9,\nfly,4,\n" + "gnat,4\n": 0, "7,ant,x\n8,bee,y\n9,eel,z\n4,cat,x\n\n,owl,y\n": 0, "7,ant,x\n8,bee,y\n9,eel,z\n4,cat,x\n\n,checked,\n": 1,
	} {
		f := Footer{Width: 3}
		f.Learn(cut(text, Rules{}), true)
		require.Equal(t, want, f.Of(cut(text, Rules{})), "%q", text)
	}
	fixed := Footer{Rows: 2}
	require.Equal(t, []int{2, 2}, []int{fixed.Of(cut(records, Rules{})), fixed.HeldBack()})
	only := Footer{Width: 4}
	only.Learn(cut("Total,,1.0,\n", Rules{}), true)
	require.Zero(t, only.Of(cut("Total,,1.0,\n", Rules{})), "it is all that the source has")
}

// TestHeadings fits headings to the records below them.
func TestHeadings(t *testing.T) {
	for _, c := range []struct {
		name, text, want string
		sparse           bool
		fillLast         int
	}{
		{"as many", "a,b\n1,2\n3,4\n", "a|b", false, 0},
		{"names of rows", "a,b\nx,1,2\ny,3,4\n", "|a|b", false, 0},
		{"a trailing delimiter", "a,b\n1,2,\n3,4,\n", "a|b|", false, 3},
		{"an optional last cell", "a,b\n1,2\n3,4,x\n5,6,y\n", "a|b|", false, 3},
		{"one long record", "a,b\n1,2\n3,4\n5,6\n7,8,x\n", "a|b", false, 0},
		{"a header of the first columns", "a,b,c\n1,2,3,4,5,6\n4,5,6,7,8,9\n", "a|b|c|||", false, 6},
		{"cells that a delimiter cuts", "a,b\n1,2,3,4\n4,5,6,7,8\n", "a|b", false, 0},
		{"a blank heading", "a,\n1,2\n3\n", "a|", false, 2},
		{"rows of a sheet", "a,b\n1,2,3\n4\n", "a|b|", true, 0},
	} {
		b := cut(c.text, Rules{})
		headings, fillLast := FitHeadings(JoinHeadings(b, 0, 1), b, 1, c.sparse)
		require.Equal(t, c.want, strings.Join(headings, "|"), c.name)
		require.Equal(t, c.fillLast, fillLast, c.name)
	}
	require.Equal(t, []string{"a", "a (2)", "column_3", "a (3)"}, Distinct([]string{"a", "a", "", "a"}))
}

// TestSeekHeader finds the header by the headings that are wanted.
func TestSeekHeader(t *testing.T) {
	lay := source.Layout{HeaderLine: 1, HeaderLines: 1}
	for text, want := range map[string]int64{
		"no,name,fee\n1,ant,5\n": 1, "Loans 2026\nno,name,fee\n1,ant,5\n": 2, "x,y,z\n1,ant,5\n": 1, "Loans\n\n\nname,fee,no\nant,5,1\n": 4,
	} {
		found, _ := SeekHeader(cut(text, Rules{}), lay, []string{"no", "name", "fee"}, nil)
		require.Equal(t, want, found.HeaderLine, text)
	}
}

// TestShort fills records that lack the same cells, if they are many.
func TestShort(t *testing.T) {
	for text, want := range map[string]bool{
		"a,b,c\n1,x,2\n3,y,4\n5,z,6\n": false, "a,b,c\n1,x\n3,y\n5,z\n7,w,8\n": true, "a,b,c\n1,x,2\n3,y\n5,z,6\n7,w,8\n": false,
	} {
		h := NewHead(cut(text, Rules{}))
		h.Widen()
		var lay source.Layout
		h.FindHeader(&lay)
		h.FindShort(&lay)
		require.Equal(t, want, lay.FillShort, text)
	}
}

package format

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestTextAbove finds a table below a text, which may have more lines than the table, and takes no
// record for a line of a text.
func TestTextAbove(t *testing.T) {
	text := "Readings of the halls, by the night watch.\nHall:     East\nCase: 4\nUnit:\tlux\n\nSource: notes, printed\n1. heat (degC) of the hall\n2. light (lux) of the case\n"
	for name, table := range map[string]string{
		"commas":      "no,heat,light\n" + numbered(10, 29, "H@,@.5,7@\n"),
		"two commas":  "heat,light\n" + numbered(10, 29, "@.5,7@\n"),
		"tabs":        "no\theat\tlight\n" + numbered(10, 29, "H@\t@.5\t7@\n"),
		"spaces":      "no heat light\n" + numbered(10, 29, "H@ @.5 7@\n"),
		"wide spaces": "no     heat    light\n" + numbered(10, 29, "H@    @.5    7@\n"),
		"a label":     "Data:   heat   light\n" + numbered(10, 29, "        @.5    7@\n"),
	} {
		for repeated := 1; repeated <= 8; repeated *= 2 {
			above := strings.Repeat(text, repeated)
			lay, headings, rows, _ := read(t, above+table)
			require.EqualValues(t, strings.Count(above, "\n")+1, lay.HeaderLine, "%s, %d lines above", name, 8*repeated)
			require.Len(t, rows, 20, name)
			require.Contains(t, headings, "heat", name)
		}
	}
	_, _, rows, _ := read(t, numbered(10, 34, "@\n")+"hall|heat\n"+numbered(10, 19, "east|@\n"))
	require.Len(t, rows, 36, "values are no text")
	for _, records := range []string{
		"no,name,mass\n" + numbered(10, 12, "@,East, hall,2.5\n") + numbered(13, 40, "@,hall,1.5\n"),
		"no name mass\n" + numbered(10, 12, "@ East hall 2.5\n") + numbered(13, 60, "@ hall 1.5\n"),
		"no,name,place\n" + numbered(10, 14, "@,gnat\n") + numbered(15, 40, "@,gnat,hall\n"),
		"name,mass\n" + numbered(10, 12, "East, hall,@\n") + numbered(13, 40, "hall,@\n"),
		"no,name,kind,mass\nx,1,ant,small,2.5\n" + numbered(10, 40, "@,bee,small,2.5\n"),
	} {
		_, _, rows, _ := read(t, records)
		require.Len(t, rows, strings.Count(records, "\n")-1, records)
	}
}

// TestWordsAsHeadings finds headers with words that values may be too.
func TestWordsAsHeadings(t *testing.T) {
	for _, text := range []string{
		"id,day,no,case\n1,1970-12-28,false,amber\n2,2033-03-27,true,east\n3,1916-09-02,true,west\n",
		"id,no,kind\n1,true,amber\n2,false,east\n3,true,west\n",
		"Total,Void\n10,10:30\n20,11:45\n30,09:10\n",
		"Na,Mg\n1.5,2.5\n0.3,1.2\n0.7,3\n",
		"Hall:,Place:\n1,east\n2,west\n3,east\n",
		"hall,unknown\n7,2026-01-01\n8,2026-01-02\n",
	} {
		lay, _, rows, _ := read(t, text)
		require.EqualValues(t, 1, lay.HeaderLine, text)
		require.Len(t, rows, strings.Count(text, "\n")-1, text)
	}
	for _, text := range []string{
		"ant,unknown\nbee,2026-01-01\ngnat,2026-01-02\nfern,2026-01-03\n",
		"1,no,ant\n2,yes,bee\n3,no,gnat\n",
		"x,no\ny,yes\nz,no\n",
	} {
		lay, _, rows, _ := read(t, text)
		require.Zero(t, lay.HeaderLine, text)
		require.Len(t, rows, strings.Count(text, "\n"), text)
	}
}

// TestTitlesLikeHeaders takes labels, and titles with more cells than records, for what they are.
func TestTitlesLikeHeaders(t *testing.T) {
	for text, header := range map[string]int64{
		"Hall:,East\nHall,Mass\n1,2.5\n2,3.5\n3,1\n":                                                     2,
		"Instrument:\t-999\nmass\thall\n4.5\teast\n1.25\twest\n3\teast\n":                                2,
		"Loans 2024,\nHall:,East\n,\nHall,Mass\n1,2.5\n2,3.5\n3,1\n":                                     4,
		"written by the night watch and so on\nhall max kind avg\n" + numbered(10, 39, "H@ 2.@ A@ B@\n"): 2,
	} {
		lay, _, rows, _ := read(t, text)
		require.Equal(t, header, lay.HeaderLine, text)
		require.Len(t, rows, strings.Count(text, "\n")-int(header), text)
	}
}

// TestLoneValues takes a first row with a value in its first cell only for a record if records below
// have that value.
func TestLoneValues(t *testing.T) {
	for text, want := range map[string]int{
		"Vase,,\nVase,1,2\nBowl,2,\nCup,3,4\n":                   4,
		"Vase,,\nVase,red,East\nBowl,blue,\nCup,red,West\n":      4,
		"Vases,,\nVase,1,2\nBowl,2,\nCup,3,4\n":                  3,
		"Vases,,\nno,mass,hall\nVase,1,2\nBowl,2,\nCup,3,4\n":    3,
		"Vase,,\nno,colour,hall\nVase,red,East\nBowl,red,West\n": 2,
	} {
		_, _, rows, _ := read(t, text)
		require.Len(t, rows, want, text)
	}
}

// TestCommentHeaders cuts the header in a comment at another delimiter than the records have, if that
// makes as many cells.
func TestCommentHeaders(t *testing.T) {
	for _, c := range []struct{ comment, record, headings string }{
		{"#hall\tcase\t\tname", "H@\tC@\tthing @", "hall|case|name"},
		{"# no, heat, light", "@ 1.5 2@", "no|heat|light"},
		{"# no\theat\tlight", "@    1.5    2@", "no|heat|light"},
		{"# no; heat; light", "@,1.5,2@", "no|heat|light"},
		{"# no | heat | light", "@;1.5;2@", "no|heat|light"},
		{"#\tname\tmass", "@\tgnat\t2.5", "#|name|mass"},
		{"# | name | mass", "@ | gnat | 2.5", "#|name|mass"},
		{"#\twritten by the watch", "@\t2.5", "column_1|column_2"},
		{"# hall, case", "H@\tC@\t1.5", "column_1|column_2|column_3"},
		{"# written by the watch; at night; by hand", "@,1.5,2@,3", "column_1|column_2|column_3|column_4"},
	} {
		lay, headings, rows, _ := read(t, "# Museum of amber\n"+c.comment+"\n"+numbered(10, 29, c.record+"\n"))
		require.Equal(t, c.headings, strings.Join(headings, "|"), c.comment)
		require.Len(t, rows, 20)
		require.Equal(t, !strings.HasPrefix(c.headings, "column"), lay.HeaderLine == 2, c.comment)
	}
}

package fixed

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/text"
	"ambertray/internal/text/texttest"
)

// TestCut cuts lines at places that count characters, in pieces of any size.
func TestCut(t *testing.T) {
	for _, c := range []struct{ name, columns, lineEnd, text, want string }{
		{"plain", "1-3,4-6,7-", "lf", "a  b  c\nd  e  f\n", "1:a|b|c 2:d|e|f"},
		{"wide characters", "1-4,5-8,9-", "lf", "東の島 5   x\nØre 12  y\n", "1:東の島|5|x 2:Øre|12|y"},
		{"short lines", "1-3,4-6,7-", "lf", "a\nb  c\n", "1:a|| 2:b|c|"},
		{"gaps between columns", "1-2,6-7", "lf", "ab---cd!\n", "1:ab|cd"},
		{"a cell fills its column", "1-3,4-6", "lf", "abcdef\n", "1:abc|def"},
		{"CRLF and no last line end", "1-3,4-", "crlf", "a  b\r\nc  d", "1:a|b 2:c|d"},
		{"mixed line ends", "1-3,4-", "mixed", "a  b\rc  d\r\ne  f\n", "1:a|b 2:c|d 3:e|f"},
		{"quotes are text", "1-4,5-", "lf", "\"a  b\"\n", "1:\"a|b\""},
		{"blank lines", "1-3,4-", "lf", "a  b\n\n   \nc  d\n", "1:a|b 4:c|d"},
	} {
		t.Run(c.name, func(t *testing.T) {
			lay := source.Layout{LineEnd: c.lineEnd, Places: source.Places{Columns: c.columns}}
			for _, size := range []int{1, 3, 8, text.PieceSize} {
				cutter, err := newCutter(lay)
				require.NoError(t, err)
				var got []string
				for _, r := range texttest.ReadAll(t, cutter, c.text, size, 2) {
					got = append(got, fmt.Sprintf("%d:%s", r.Line, strings.Join(r.Cells, "|")))
				}
				require.Equal(t, c.want, strings.Join(got, " "), "pieces of %d bytes", size)
			}
		})
	}
}

// TestColumns refuses places that are not in order.
func TestColumns(t *testing.T) {
	for _, columns := range []string{"", "x", "3-1", "1-4,3-8", "1-,5-8", "0-4", "5-8,1-4"} {
		_, err := ParsePlaces(columns)
		require.Error(t, err, columns)
	}
	for _, columns := range []string{"1-8,9-20,21-", "1-1", "2-3,7-7"} {
		list, err := ParsePlaces(columns)
		require.NoError(t, err)
		require.Equal(t, columns, formatPlaces(list))
	}
}

// TestDetect finds places that are blank in nearly all lines, or that a ruler draws,
// and none in other text.
func TestDetect(t *testing.T) {
	listing := "code    locality            depth\n" +
		"00001   Tern Island north    1.50\n00002   Marl Point          12.50\n00003   Old Quarry level 2   3.00\n"
	for _, c := range []struct {
		name, text, columns string
		header              int64
	}{
		{"blank places", listing, "1-8,9-28,29-", 1},
		{"a title", "Kestrel Bay Museum\n\n" + listing, "1-8,9-28,29-", 3},
		{"a ruler", "No Name   Kg\n-- ------ ---\n 1 fern   2.5\n 2 moss   3\n", "1-3,4-10,11-", 1},
		{"a single blank place in many lines", strings.Repeat("ab cd 12\nxy z  7\n", 10), "1-3,4-6,7-", 0},
		{"headings wider than values", "Name     Cost of loan  Cost of repair\n" + strings.Repeat("gnat 12             5               7\neel 123             6               8\n", 30), "1-9,10-23,24-", 1},
		{"one column below words", "Loan No\n1\n2\n3\n", "", 0},
		{"words above narrow values", "Loan No Borrower  Total Fee\n" + strings.Repeat("      1 Bee               7\n     12 Moth             12\n", 3), "1-8,9-18,19-", 1},
		{"single blanks between headings", "Fee Paid  Due Back\ngnat      2026-05-01\neel fly   2026-06-01\n" + strings.Repeat("moth      2026-07-01\n", 4), "1-10,11-", 1},
		{"a blank between columns", "Loan   Due        Kind\n" + strings.Repeat("B-5936 2026-05-28 fly\nB-7367 2026-02-15 moth\n", 3), "1-7,8-18,19-", 1},
		{"values aligned at both sides of it", "No     Fee Kind\n" + strings.Repeat("B-59  7.50 fly\nB-73 12.00 moth\n", 3), "1-5,6-11,12-", 1},
		{"a heading that begins before its values", "Room  Date         Total Fee Paid\n" + strings.Repeat("hall  2026-05-28           7.50\nattic\n", 3), "1-6,7-19,20-", 1},
		{"a title like a header", "Loans of museum\n\nCity     Fee\n" + strings.Repeat("Tern     7\nMarl     82\n", 3), "1-9,10-", 3},
		{"texts far apart", "City     Kind\nTern     fly\nMarl\nQuarry   moth\nIsland   gnat\nPoint    eel\n", "1-9,10-", 1},
		{"headings of several words", "Hall                Size Used Share Kept in\nEast Hall            12G    0    0% lower room\nthe Bay Room         24G 5.2M    1% attic\nmodel_of_the_island 4.0K    0    0% yard\n", "1-20,21-25,26-30,31-36,37-", 1},
		{"blank cells between single blanks", " Qty Date kept    Mass Person    No group\n1881 2026-03-12 434.31               6573\n8948              6.47 Ann Moor      4994\n 503 2026-02-23  32.43 Bee Lee\n", "1-5,6-16,17-23,24-33,34-", 1},
		{"blanks between words below each other", "Title one           Mass Light group\n" + strings.Repeat("Flint             201.72      382.97\nCoin from the bay 762.63      740.83\nBell with lid     495.75      584.86\nAnt               949.24      940.92\n", 6), "1-18,19-25,26-", 1},
		{"sentences", "one and two\nthree or four\nfive and six\n", "", 0},
		{"delimited", "No,Name\n1,fern\n2,moss\n3,gnat\n", "", 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			lay, score := Detect([]byte(c.text), true, nil)
			if c.columns == "" {
				require.LessOrEqual(t, score, 0.0)
				return
			}
			require.Positive(t, score)
			require.Equal(t, c.columns, lay.Columns)
			require.Equal(t, c.header, lay.HeaderLine)
		})
	}
	set, score := Detect([]byte("ab12\ncd34\n"), true, func(l *source.Layout) { require.NoError(t, l.Set("columns", "1-2,3-")) })
	require.Greater(t, score, 1.0, "what is set wins")
	require.Equal(t, "1-2,3-", set.Columns)
	_, score = Detect([]byte(listing), true, func(l *source.Layout) { require.NoError(t, l.Set("delimiter", "spaces")) })
	require.Negative(t, score)
}

// opened opens a file with that text.
func opened(t *testing.T, content, header, columns string) (r record.Reader, headings []string) {
	path := filepath.Join(t.TempDir(), "finds.txt")
	require.NoError(t, os.WriteFile(path, []byte(content), 0o600))
	src, err := new(source.Opener).Open(context.Background(), path, source.Options{})
	require.NoError(t, err)
	t.Cleanup(func() { src.Close() })
	lay := source.DefaultLayout()
	require.NoError(t, lay.Set("header", header))
	require.NoError(t, lay.Set("columns", columns))
	r, headings, err = Format.Open(src, lay)
	require.NoError(t, err)
	return r, headings
}

// TestOpen names the columns by the header.
func TestOpen(t *testing.T) {
	r, headings := opened(t, "No   Name    No\n  1  fern    5\n  2  moss\n", "1", "1-5,6-13,14-")
	require.Equal(t, []string{"No", "Name", "No (2)"}, headings)
	rows, _ := texttest.Read(t, r, 2)
	require.Equal(t, []texttest.Row{{Number: 1, Line: 2, Cells: []string{"1", "fern", "5"}}, {Number: 2, Line: 3, Cells: []string{"2", "moss", ""}}}, rows)
}

// TestSevered notes text that crosses the end of a column, but not where the columns abut in most
// records.
func TestSevered(t *testing.T) {
	r, headings := opened(t, "001fern     5\n002moss    12\n003maidenhair spleenwort 7\n004         9\n", "none", "1-3,4-11,12-")
	var odd record.Occurrences
	err := record.Run(context.Background(), r, []record.Work[*record.Batch]{func(b *record.Batch) (*record.Batch, error) { return b, nil }}, func(b *record.Batch) error {
		odd.AddAll(b)
		return nil
	})
	require.NoError(t, err)
	require.Equal(t, record.Occurrence{N: 1, Line: 3, Cell: 2}, odd[record.Severed])
	require.Len(t, odd.Notes([]string{"finds.txt"}, headings), 1)
}

package sheet_test

import (
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/sheet"
)

// pageRows returns the rows of a table of a page, or nil if the page has none.
func pageRows(t testing.TB, text string, table int, v sheet.View) []string {
	t.Helper()
	book, err := sheet.OpenPage(strings.NewReader(text), int64(len(text)))
	require.NoError(t, err)
	if book == nil {
		return nil
	}
	var out strings.Builder
	_, err = book.Text(table, v, &out, nil)
	require.NoError(t, err)
	cells := strings.ReplaceAll(out.String(), string(sheet.CellEnd), "|")
	return strings.Split(strings.TrimSuffix(cells, string(sheet.RowEnd)), string(sheet.RowEnd))
}

// TestPage reads the tables of web pages, as well and as badly as these are written.
func TestPage(t *testing.T) {
	const rest = "<tr><td>1<td>2"
	for _, c := range []struct {
		page  string
		table int
		view  sheet.View
		want  string
	}{
		{"<html><table><tr><th>No</th><th>Name</th></tr><tr><td>1</td><td>gnat</td></tr></table>", 0, sheet.View{}, "No|Name;1|gnat"},
		{"<TABLE><TR><TD>No<TD>Name<TR><TD> 1 \n x <TD>a&amp;b &lt;c&gt;" + rest, 0, sheet.View{}, "No|Name;1 x|a&b <c>;1|2"},
		{"<table><tr><td>a<br>b</td><td><p>c</p><p><b>d</b>e</p></td></tr>" + rest, 0, sheet.View{}, "a\nb|c\nde;1|2"},
		{"<table><tr><td>&nbsp;</td><td>x&nbsp;y</td></tr>" + rest, 0, sheet.View{}, "|x y;1|2"},
		{"<table><tr><td>a<td><table><tr><td>in<td>side" + rest + "</table>b<tr><td>c<td>d", 0, sheet.View{}, "a|b;c|d"},
		{"<table><tr><td>a<td><table><tr><td>in<td>side" + rest + "</table>b<tr><td>c<td>d", 1, sheet.View{}, "in|side;1|2"},
		{"<p>x</p><table><tr><td>only</td></tr></table><table>" + rest + rest + "</table>", 1, sheet.View{}, "1|2;1|2"},
		{"<table><tr><td colspan=2>a<td>b<tr><td rowspan=2>c<td>d<td>e<tr><td>f", 0, sheet.View{}, "a||b;c|d|e;|f"},
		{"<table><tr><td colspan=2>a<td>b<tr><td rowspan=2>c<td>d<td>e<tr><td>f", 0, sheet.View{FillMerged: true}, "a|a|b;c|d|e;c|f"},
		{"<table>" + rest + "<tr style='DISPLAY: none'><td>h<td>h" + rest, 0, sheet.View{LeaveHidden: true}, "1|2;" + string(sheet.HiddenRow) + ";1|2"},
		{"<table>" + rest + "<tr><td><script>'<td>no'</script>5<style>td{}</style><td>6", 0, sheet.View{}, "1|2;5|6"},
		{"<meta charset=windows-1251><table><tr><td>\xec\xf3\xf5\xe0<td>2" + rest, 0, sheet.View{}, "муха|2;1|2"},
		{"<html><body><form><table><tr><td>User<td><input></table></form>", 0, sheet.View{}, ""},
		{"<html><body>no table", 0, sheet.View{}, ""},
	} {
		require.Equal(t, c.want, strings.Join(pageRows(t, c.page, c.table, c.view), ";"), c.page)
	}
	require.True(t, sheet.IsPage([]byte("\ufeff <!DOCTYPE html>")))
	require.False(t, sheet.IsPage([]byte("<no>,<name>\n")))
}

// TestRandomPages writes random tables with merged cells, and wants every value at its place.
func TestRandomPages(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 8))
	for range 500 {
		const rows, columns = 9, 6
		var taken [rows][columns]bool
		var want [rows][columns]string
		var page strings.Builder
		page.WriteString("<table>")
		for r := range rows {
			page.WriteString("<tr>")
			for c := 0; c < columns; c++ {
				if taken[r][c] {
					continue
				}
				across, down := 1, 1
				if rng.IntN(5) == 0 {
					down = 1 + rng.IntN(rows-r)
				}
				for rng.IntN(5) == 0 && c+across < columns && !taken[r][c+across] {
					across++
				}
				want[r][c] = []string{"", fmt.Sprintf("v%d.%d", r, c)}[rng.IntN(2)]
				fmt.Fprintf(&page, "<td colspan=%d rowspan=%d>%s</td>", across, down, want[r][c])
				for i := range down {
					for k := range across {
						taken[r+i][c+k] = true
					}
				}
			}
			page.WriteString("</tr>")
		}
		page.WriteString("<tr><td>end<td>end</table>")
		var lines []string
		for _, row := range want {
			lines = append(lines, strings.TrimRight(strings.Join(row[:], "|"), "|"))
		}
		got := pageRows(t, page.String(), 0, sheet.View{})
		if got == nil {
			continue // too few rows of two cells
		}
		require.Equal(t, lines, got[:rows], page.String())
	}
}

// FuzzPage reads any text as a web page.
func FuzzPage(f *testing.F) {
	f.Add("<table><tr><td rowspan=3 colspan=999>1<td>2<tr><td>3<td>4")
	f.Add("<table><td>1<table><tr></table></table></tr><script><table>")
	f.Fuzz(func(t *testing.T, text string) {
		book, err := sheet.OpenPage(strings.NewReader(text), int64(len(text)))
		if err != nil || book == nil {
			return
		}
		for i := range min(len(book.Sheets), 2) {
			_, _ = book.Text(i, sheet.View{FillMerged: true}, &limited{t: t, left: 8 << 20}, nil)
		}
	})
}

// TestXMLBook reads what the format of 2003 has of its own: formats with names, texts with tags,
// comments, merged and hidden cells.
func TestXMLBook(t *testing.T) {
	const styles = `<Styles><Style ss:ID="p"><NumberFormat ss:Format="Percent"/></Style><Style ss:ID="t"><NumberFormat ss:Format="Short Time"/></Style><Style ss:ID="d"><NumberFormat ss:Format="Short Date"/></Style><Style ss:ID="e"><NumberFormat ss:Format="0.00"/></Style></Styles>`
	cell := func(attributes, kind, value string) string {
		return "<Cell" + attributes + `><Data ss:Type="` + kind + `">` + value + "</Data></Cell>"
	}
	for _, c := range []struct {
		rows, want string
		view       sheet.View
	}{
		{"<Row>" + cell(` ss:StyleID="p"`, "Number", "0.125") + cell(` ss:StyleID="e"`, "Number", "5") + cell("", "Number", "1.3063999999999998") + "</Row>", "12.50%|5.00|1.3064", sheet.View{}},
		{"<Row>" + cell(` ss:StyleID="d"`, "DateTime", "2026-01-05T00:00:00.000") + cell("", "DateTime", "2026-01-05T08:30:00.000") + cell(` ss:StyleID="t"`, "DateTime", "1899-12-31T08:30:00.000") + "</Row>",
			"2026-01-05|2026-01-05 08:30:00|08:30:00", sheet.View{}},
		{`<Row><Cell><ss:Data ss:Type="String" xmlns="http://www.w3.org/TR/REC-html40"><B>a</B> &amp; <I>b</I></ss:Data><Comment><ss:Data xmlns="http://www.w3.org/TR/REC-html40">no</ss:Data></Comment></Cell>` +
			cell("", "Error", "#N/A") + "</Row>", "a & b|#N/A", sheet.View{}},
		{"<Row>" + cell(` ss:MergeAcross="1" ss:MergeDown="1"`, "String", "a") + cell("", "String", "b") + "</Row><Row>" + cell(` ss:Index="3"`, "String", "c") + "</Row>", "a||b;||c", sheet.View{}},
		{"<Row>" + cell(` ss:MergeAcross="1" ss:MergeDown="1"`, "String", "a") + cell("", "String", "b") + "</Row><Row>" + cell(` ss:Index="3"`, "String", "c") + "</Row>", "a|a|b;a|a|c", sheet.View{FillMerged: true}},
		{`<Column/><Column ss:Hidden="1" ss:Span="1"/><Row>` + cell("", "String", "a") + cell("", "String", "b") + cell("", "String", "c") + cell("", "String", "d") + `</Row><Row ss:Hidden="1">` + cell("", "String", "e") + "</Row>",
			"a|||d;" + string(sheet.HiddenRow), sheet.View{LeaveHidden: true}},
		{`<Row ss:Index="3">` + cell("", "String", "a") + "</Row>", ";;a", sheet.View{}},
	} {
		text := `<?xml version="1.0"?><ss:Workbook xmlns:ss="urn:schemas-microsoft-com:office:spreadsheet" xmlns="urn:schemas-microsoft-com:office:spreadsheet">` + styles +
			`<Worksheet ss:Name="S"><Table>` + c.rows + "</Table></Worksheet></ss:Workbook>"
		require.True(t, sheet.IsXMLBook([]byte(text)))
		book, err := sheet.OpenXMLBook(strings.NewReader(text), int64(len(text)))
		require.NoError(t, err)
		rows, _ := rowsOf(t, book, c.view)
		require.Equal(t, c.want, strings.Join(rows, ";"), c.rows)
		for cut := range len(text) - 1 {
			part, err := sheet.OpenXMLBook(strings.NewReader(text[:cut]), int64(cut))
			if err == nil {
				_, err = part.Text(0, c.view, io.Discard, nil)
			}
			require.ErrorIs(t, err, sheet.ErrBroken, "%d of %s", cut, text)
		}
	}
}

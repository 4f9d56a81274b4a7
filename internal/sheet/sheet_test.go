package sheet_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"ambertray/internal/sheet"
)

// packed makes an archive of parts.
func packed(t testing.TB, parts map[string]string) *zip.Reader {
	t.Helper()
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for name, text := range parts {
		f, err := w.Create(name)
		require.NoError(t, err)
		_, err = io.WriteString(f, text)
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	r, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	return r
}

// workbook makes an Office Open XML workbook of one sheet, with what stands
// between the tags of sheetData.
func workbook(t testing.TB, rows string) map[string]string {
	return map[string]string{
		"[Content_Types].xml":        "<Types/>",
		"_rels/.rels":                `<Relationships><Relationship Id="r1" Type="http://x/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
		"xl/workbook.xml":            `<workbook><workbookPr/><sheets><sheet name="Loans &amp; more" sheetId="1" r:id="r2"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="r2" Type="http://x/worksheet" Target="worksheets/one.xml"/><Relationship Id="r3" Type="http://x/styles" Target="/xl/styles.xml"/></Relationships>`,
		"xl/styles.xml": `<styleSheet><numFmts><numFmt numFmtId="170" formatCode="dd\.mm\.yyyy&quot; at &quot;hh:mm"/><numFmt numFmtId="171" formatCode="[$€-407] #,##0.00;[Red]-0"/>
			<numFmt numFmtId="172" formatCode="[h]:mm"/><numFmt numFmtId="173" formatCode="0.0 &quot;days&quot;"/></numFmts><cellStyleXfs><xf numFmtId="14"/></cellStyleXfs>
			<cellXfs><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="170"/><xf numFmtId="171"/><xf numFmtId="172"/><xf numFmtId="10"/><xf numFmtId="20"/><xf numFmtId="173"/></cellXfs></styleSheet>`,
		"xl/sharedStrings.xml":  `<sst><si><t>plain</t></si><si><r><t xml:space="preserve">rich </t></r><r><rPr><b/></rPr><t>text</t></r><rPh sb="0"><t>left out</t></rPh></si><si/><si><t>a_x000A_b_x001F_c</t></si></sst>`,
		"xl/worksheets/one.xml": `<worksheet><dimension ref="A1:H9"/><sheetData>` + rows + `</sheetData><drawing/></worksheet>`,
	}
}

// read returns the rows of a sheet, cells parted by |.
func read(t testing.TB, parts map[string]string, cells string) []string {
	t.Helper()
	rows, err := tryRead(t, parts, cells)
	require.NoError(t, err)
	return rows
}

func tryRead(t testing.TB, parts map[string]string, cells string) ([]string, error) {
	t.Helper()
	book, err := sheet.Open(packed(t, parts))
	if err != nil {
		return nil, err
	}
	part, err := sheet.ParseCells(cells)
	require.NoError(t, err)
	var out bytes.Buffer
	_, err = book.Text(0, sheet.View{Cells: part}, &out, nil)
	if err != nil {
		return nil, err
	}
	text := strings.ReplaceAll(out.String(), string(sheet.CellEnd), "|")
	return strings.Split(strings.TrimSuffix(text, string(sheet.RowEnd)), string(sheet.RowEnd)), nil
}

// TestCells reads every kind of cell as a person sees it.
func TestCells(t *testing.T) {
	for _, c := range []struct{ cell, want string }{
		{`<c r="A1" t="s"><v>0</v></c>`, "plain"}, {`<c r="A1" t="s"><v>1</v></c>`, "rich text"}, {`<c r="A1" t="s"><v>3</v></c>`, "a\nb c"},
		{`<c t="inlineStr"><is><t>in &lt;line&gt; &#233;&#x41;</t></is></c>`, "in <line> éA"}, {`<c t="inlineStr"><is><r><t>two</t></r><r><t xml:space="preserve"> runs</t></r></is></c>`, "two runs"},
		{`<c t="str"><f>A2&amp;"x"</f><v>from a formula</v></c>`, "from a formula"}, {`<c><f>A2*2</f><v>84</v></c>`, "84"}, {`<c><f>SUM(B1:B9)</f></c>`, "=SUM(B1:B9)"},
		{`<c><v>42</v></c>`, "42"}, {`<c><v>1.3063999999999998</v></c>`, "1.3064"}, {`<c><v>0.1</v></c>`, "0.1"}, {`<c><v>1.2345678901234567E+19</v></c>`, "12345678901234567000"}, {`<c><v>20731.117283950617</v></c>`, "20731.117283950617"}, {`<c><v>0.30000000000000004</v></c>`, "0.3"}, {`<c><v>4.4000000000000004</v></c>`, "4.4"},
		{`<c><v>123456789012345678</v></c>`, "123456789012345678"}, {`<c><v>1E-05</v></c>`, "0.00001"}, {`<c><v>3E300</v></c>`, "3e+300"}, {"<c><v>1\x1f2</v></c>", "1 2"}, {"<c t=\"str\"><v>1\x1e2</v></c>", "1 2"}, {`<c><v>-7.50</v></c>`, "-7.50"},
		{`<c t="b"><v>1</v></c>`, "TRUE"}, {`<c t="b"><v>0</v></c>`, "FALSE"}, {`<c t="e"><v>#N/A</v></c>`, "#N/A"}, {`<c t="d"><v>2026-01-31</v></c>`, "2026-01-31"},
		{`<c s="1"><v>46053</v></c>`, "2026-01-31"}, {`<c s="1"><v>46053.5</v></c>`, "2026-01-31 12:00:00"}, {`<c s="1"><v>1</v></c>`, "1900-01-01"},
		{`<c s="1"><v>59</v></c>`, "1900-02-28"}, {`<c s="1"><v>60</v></c>`, "1900-02-29"}, {`<c s="1"><v>61</v></c>`, "1900-03-01"}, {`<c s="1"><v>-1</v></c>`, "-1"},
		{`<c s="2"><v>46053.4375</v></c>`, "2026-01-31 10:30:00"}, {`<c s="2"><v>46053.999988426</v></c>`, "2026-01-31 23:59:59"}, {`<c s="3"><v>1234.5</v></c>`, "€1234.50"}, {`<c s="3"><v>-2</v></c>`, "-€2.00"},
		{`<c s="4"><v>1.5</v></c>`, "36:00:00"}, {`<c s="5"><v>0.125</v></c>`, "12.50%"}, {`<c s="6"><v>0.75</v></c>`, "18:00:00"}, {`<c s="7"><v>3</v></c>`, "3.0"}, {`<c s="7"><v>3.14159</v></c>`, "3.14159"}, {`<c s="99"><v>3</v></c>`, "3"},
		{`<x:c r="A1"><x:v>9</x:v></x:c>`, "9"}, {`<c r="A1" cm="1" note="a>b"><v>9</v></c>`, "9"}, {`<c><!-- <v>1</v> --><v>2</v><extLst><ext/></extLst></c>`, "2"},
	} {
		require.Equal(t, []string{c.want}, read(t, workbook(t, `<row r="1">`+c.cell+`</row>`), ""), c.cell)
	}
	later := workbook(t, `<row r="1"><c s="1"><v>44591</v></c></row>`)
	later["xl/workbook.xml"] = strings.Replace(later["xl/workbook.xml"], "<workbookPr/>", `<workbookPr date1904="1"/>`, 1)
	require.Equal(t, []string{"2026-01-31"}, read(t, later, ""))
	later["xl/workbook.xml"] = strings.Replace(later["xl/workbook.xml"], "</workbook>", `<extLst><ext xmlns:x14="http://example.org/14"><x14:workbookPr date1904="0"/><y xmlns="http://example.org/15"><workbookPr date1904="0"><sheets/></workbookPr></y></ext></extLst></workbook>`, 1)
	require.Equal(t, []string{"2026-01-31"}, read(t, later, ""), "names of another namespace are other names")
	for _, cut := range []string{"</sheetData>", "</worksheet>"} {
		short := workbook(t, `<row r="1"><c><v>1</v></c></row><row r="2"><c><v>2</v></c></row>`)
		short["xl/worksheets/one.xml"], _, _ = strings.Cut(short["xl/worksheets/one.xml"], cut)
		_, err := tryRead(t, short, "")
		require.ErrorIs(t, err, sheet.ErrBroken, "ends before %s", cut)
	}
}

// TestRows keeps every cell in its row and column, whatever is left out.
func TestRows(t *testing.T) {
	rows := `<row r="2"><c r="B2"><v>1</v></c><c r="C2" s="1"/><c r="D2"><v>2</v></c><c r="E2" s="1"/></row><row r="3" ht="9"/><row r="5"><c><v>3</v></c><c><v>4</v></c></row><row><c><v>5</v></c></row><row r="9"><c r="A9" s="1"/></row>`
	require.Equal(t, []string{"", "|1||2", "", "", "3|4", "5"}, read(t, workbook(t, rows), ""))
	require.Equal(t, []string{string(sheet.OutsideRow), "1||2"}, read(t, workbook(t, rows), "B2:D4"))
	require.Equal(t, []string{"", "1", "", "", "4"}, read(t, workbook(t, rows), "B:B"))
	for _, bad := range []string{"B3:A1", "3", "AAAA1", "B3:", "B0x"} {
		_, err := sheet.ParseCells(bad)
		require.Error(t, err, bad)
	}
}

// TestWritten reads what the usual library has written.
func TestWritten(t *testing.T) {
	f := excelize.NewFile()
	style, err := f.NewStyle(&excelize.Style{NumFmt: 22})
	require.NoError(t, err)
	rng := rand.New(rand.NewPCG(3, 5))
	var want []string
	for r := 1; r <= 200; r++ {
		text, n := fmt.Sprintf("ant %d & <co> \"x\"", rng.IntN(9)), float64(rng.IntN(1e9))/1000
		at := time.Date(1995, 3, 1, 0, 0, rng.IntN(1e9), 0, time.UTC)
		require.NoError(t, f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", r), &[]any{text, n, at, r%2 == 0}))
		require.NoError(t, f.SetCellStyle("Sheet1", fmt.Sprintf("C%d", r), fmt.Sprintf("C%d", r), style))
		want = append(want, strings.Join([]string{text, strconv.FormatFloat(n, 'f', -1, 64), at.Format("2006-01-02 15:04:05"), strings.ToUpper(fmt.Sprint(r%2 == 0))}, "|"))
	}
	b, err := f.WriteToBuffer()
	require.NoError(t, err)
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	parts := map[string]string{}
	for _, file := range z.File {
		r, err := file.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		parts[file.Name] = string(text)
	}
	require.Equal(t, want, read(t, parts, ""))
}

const document = `<office:document-content><office:automatic-styles><style:style style:name="ta2" style:family="table"><style:table-properties table:display="false"/></style:style></office:automatic-styles>
<office:body><office:spreadsheet><table:table table:name="Loans"><table:table-column/>%s</table:table><table:table table:name="Old" table:style-name="ta2"><table:table-row><table:table-cell/></table:table-row></table:table></office:spreadsheet></office:body></office:document-content>`

// TestOpenDocument reads typed values, and cells and rows that stand for many.
func TestOpenDocument(t *testing.T) {
	cell := func(attrs, text string) string {
		return "<table:table-cell " + attrs + "><text:p>" + text + "</text:p></table:table-cell>"
	}
	rows := "<table:table-row>" + cell(`office:value-type="string"`, `two<text:line-break/><text:span>lines</text:span><text:s text:c="2"/><text:tab/><![CDATA[<x>]]><office:annotation><text:p>no</text:p></office:annotation></text:p><text:p>&amp; more`) +
		cell(`office:value-type="float" office:value="1.3063999999999998"`, "1.31") + `<table:table-cell table:number-columns-repeated="2"/>` +
		cell(`office:value-type="date" office:date-value="2026-01-31T10:30:00"`, "31.1.") + "</table:table-row>" +
		`<table:table-row table:number-rows-repeated="3"><table:table-cell table:number-columns-repeated="16384"/></table:table-row>` +
		`<table:table-row table:number-rows-repeated="2">` + cell(`office:value-type="percentage" office:value="0.5" table:number-columns-repeated="2"`, "50 %") +
		cell(`office:value-type="time" office:time-value="PT08H30M00S"`, "8:30") + cell(`office:value-type="boolean" office:boolean-value="true"`, "yes") +
		cell(`office:value-type="currency" office:currency="EUR" office:value="5"`, "5 €") + `</table:table-row>` +
		`<table:table-row table:number-rows-repeated="1048570"><table:table-cell/></table:table-row>`
	parts := map[string]string{"content.xml": fmt.Sprintf(document, rows)}
	require.Equal(t, []string{"two\nlines  \t<x>\n& more|1.3064|||2026-01-31 10:30:00", "", "", "", "50%|50%|08:30:00|TRUE|EUR 5", "50%|50%|08:30:00|TRUE|EUR 5"}, read(t, parts, ""))
	book, err := sheet.Open(packed(t, parts))
	require.NoError(t, err)
	require.Equal(t, []bool{false, true}, []bool{book.Sheets[0].Empty, book.Sheets[1].Empty})
	require.True(t, book.Sheets[1].Hidden)
	_, err = tryRead(t, map[string]string{"content.xml": fmt.Sprintf(document, `<table:table-row table:number-rows-repeated="1048576">`+cell(`office:value-type="float" office:value="1" table:number-columns-repeated="16383"`, "1")+`</table:table-row>`)}, "")
	require.ErrorIs(t, err, sheet.ErrTooLarge, "17 billion cells")
	parts["META-INF/manifest.xml"] = "<m><encryption-data/></m>"
	_, err = sheet.Open(packed(t, parts))
	require.ErrorIs(t, err, sheet.ErrEncrypted)
}

// TestNames finds cells by the name of a range or a table, and says which names
// there are.
func TestNames(t *testing.T) {
	parts := workbook(t, `<row r="1"><c r="A1"><v>1</v></c></row>`)
	parts["xl/workbook.xml"] = strings.Replace(parts["xl/workbook.xml"], "</workbook>", `<definedNames><definedName name="Fees">'Loans &amp; more'!$B$3:$D$20</definedName>
		<definedName name="one">'Loans &amp; more'!$C$2</definedName><definedName name="_xlnm.Print_Area">'Loans &amp; more'!$A$1:$D$2</definedName>
		<definedName name="gone" hidden="1">'Loans &amp; more'!$A$1:$D$2</definedName><definedName name="sum">SUM(Other!$A$1)</definedName></definedNames></workbook>`, 1)
	parts["xl/worksheets/_rels/one.xml.rels"] = `<Relationships><Relationship Id="r1" Type="http://x/table" Target="../tables/t.xml"/></Relationships>`
	parts["xl/tables/t.xml"] = `<table id="1" name="T" displayName="Lent" ref="A4:C9" totalsRowCount="1"><autoFilter ref="A4:C8"/></table>`
	book, err := sheet.Open(packed(t, parts))
	require.NoError(t, err)
	for word, want := range map[string]string{"fees": "B3:D20", "ONE": "C2:C2", "Lent": "A4:C8", "B3:H200": "B3:H200", "b:c": "B:C", "B3": "B3", "": ""} {
		chosen, cells, err := book.Resolve("", word)
		require.NoError(t, err, word)
		require.Equal(t, []int{0}, chosen)
		require.Equal(t, want, cells.String(), word)
	}
	_, _, err = book.Resolve("", "gone")
	require.ErrorContains(t, err, "which has Fees (B3:D20 of Loans & more), one (C2:C2 of Loans & more), Lent (A4:C8 of Loans & more)")
}

// TestChoose finds sheets by name, number and pattern, and takes none in silence.
func TestChoose(t *testing.T) {
	sheets := []sheet.Sheet{{Name: "2026-01"}, {Name: "2026-02"}, {Name: "Lists", Hidden: true}, {Name: "2026-03", Empty: true}, {Name: "2"}}
	for word, want := range map[string][]int{"2026-*": {0, 1}, "all": {0, 1, 4}, "2": {4}, "1": {0}, "Lists": {2}, "": nil, "none": nil, "9": nil} {
		got, err := sheet.Choose(sheets, word)
		require.Equal(t, want, got, word)
		var choice *sheet.ChoiceError
		require.Equal(t, want == nil, err != nil)
		if err != nil {
			require.ErrorAs(t, err, &choice)
			require.ErrorContains(t, err, "2026-01, 2026-02, Lists (hidden), 2026-03 (empty), 2")
		}
	}
	got, err := sheet.Choose([]sheet.Sheet{{Name: "a"}, {Name: "b", Empty: true}, {Name: "c", Hidden: true}}, "")
	require.NoError(t, err)
	require.Equal(t, []int{0}, got)
}

// TestBroken says what is wrong with a workbook, and does not unpack bombs.
func TestBroken(t *testing.T) {
	for rows, says := range map[string]string{
		`<row r="1"><c t="s"><v>9</v></c></row>`: "missing shared string", `<row r="3"><c><v>1</v></c></row><row r="2"><c><v>1</v></c></row>`: "row 2 comes after row 3",
		`<row r="1"><c r="B1"><v>1</v></c><c r="A1"><v>1</v></c></row>`: "out of order", `<row r="1"><c r="B1"><v>1</v></c><c r="B1"><v>1</v></c></row>`: "out of order", `<row r="1"><c><v>1`: "cut off", `<row r="x"><c/></row>`: "row", `<row r="1"><c r="ZZZZ1"><v>1</v></c></row>`: "column",
		`<row r="9999999"><c><v>1</v></c></row>`: "row 9999999",
	} {
		parts := workbook(t, rows)
		if strings.HasSuffix(rows, "<v>1") {
			parts["xl/worksheets/one.xml"] = "<worksheet><sheetData>" + rows
		}
		_, err := tryRead(t, parts, "")
		require.ErrorIs(t, err, sheet.ErrBroken, rows)
		require.ErrorContains(t, err, says)
	}
	for _, part := range []string{"xl/workbook.xml", "xl/worksheets/one.xml"} {
		parts := workbook(t, "")
		delete(parts, part)
		_, err := tryRead(t, parts, "")
		require.ErrorIs(t, err, sheet.ErrBroken, part)
	}
	_, err := tryRead(t, workbook(t, `<row r="1"><c t="str"><v>`+strings.Repeat(" ", 80<<20)+`</v></c></row>`), "")
	require.ErrorIs(t, err, sheet.ErrBroken, "a cell of 80 MB")
}

// TestMergedBomb does not fill merged cells that stand for more than there can be.
func TestMergedBomb(t *testing.T) {
	parts := workbook(t, `<row r="1"><c r="A1" t="inlineStr"><is><t>all of it</t></is></c></row>`)
	parts["xl/worksheets/one.xml"] = strings.Replace(parts["xl/worksheets/one.xml"], "</sheetData>", `</sheetData><mergeCells><mergeCell ref="A1:XFD1048576"/></mergeCells>`, 1)
	book, err := sheet.Open(packed(t, parts))
	require.NoError(t, err)
	_, err = book.Text(0, sheet.View{FillMerged: true}, io.Discard, nil)
	require.ErrorIs(t, err, sheet.ErrTooLarge)
	facts, err := book.Text(0, sheet.View{}, io.Discard, nil)
	require.NoError(t, err)
	require.Equal(t, "A1:A1", facts.Used.String())
	require.Equal(t, "A1:XFD1048576", facts.Merged[0].String())
}

// FuzzRows reads whatever stands in a sheet without a panic or more text than
// there can be.
func FuzzRows(f *testing.F) {
	f.Add(`<row r="2"><c r="B2" t="s"><v>1</v></c><c t="inlineStr"><is><t>a</t></is></c></row>`)
	f.Add(`<row><c s="1"><f>A1</f><v>46053.5</v></c></row></sheetData>`)
	f.Add(`<table:table-row table:number-rows-repeated="9"><table:table-cell office:value-type="float" office:value="1"/></table:table-row>`)
	f.Fuzz(func(t *testing.T, rows string) {
		for _, parts := range []map[string]string{workbook(t, rows), {"content.xml": fmt.Sprintf(document, rows)}} {
			book, err := sheet.Open(packed(t, parts))
			if err == nil && len(book.Sheets) > 0 {
				_, _ = book.Text(0, sheet.View{}, &limited{t: t, left: 64 << 20}, nil)
			}
		}
	})
}

type limited struct {
	t    *testing.T
	left int
}

func (l *limited) Write(p []byte) (int, error) {
	l.left -= len(p)
	if l.left < 0 {
		return 0, io.ErrShortWrite
	}
	return len(p), nil
}

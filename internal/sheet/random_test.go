package sheet_test

import (
	"fmt"
	"html"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/require"

	"ambertray/internal/sheet"
)

// grid is a made-up sheet: what each cell has, by row and column; nil for none.
type grid [][]any

func randomGrid(rng *rand.Rand) grid {
	words := []string{"amber", "Søn & co", "☃", "𝄞 clef", "0012", " 7 ", "a\nb", "x_x", strings.Repeat("long ", 40)}
	g := make(grid, 1+rng.IntN(30))
	for r := range g {
		g[r] = make([]any, rng.IntN(12))
		for c := range g[r] {
			switch rng.IntN(6) {
			case 0:
				g[r][c] = float64(rng.IntN(2000)-1000) / 4
			case 1:
				g[r][c] = rng.NormFloat64() * 1e6
			case 2:
				g[r][c] = words[rng.IntN(len(words))]
			case 3:
				g[r][c] = rng.IntN(2) == 0
			}
		}
	}
	return g
}

// text is what the reader should make of the grid.
func (g grid) text(cells sheet.Cells) (rows []string) {
	for r, row := range g {
		line, last := "", 0
		for c := max(cells.FirstColumn, 1) - 1; c < len(row) && (cells.LastColumn == 0 || c < cells.LastColumn); c++ {
			if c >= cells.FirstColumn && c > max(cells.FirstColumn, 1)-1 {
				line += "|"
			}
			if row[c] != nil {
				line += shown(row[c])
				last = len(line)
			}
		}
		if r+1 < cells.FirstRow || cells.LastRow > 0 && r+1 > cells.LastRow {
			line, last = "", 0
		}
		rows = append(rows, line[:last])
	}
	for len(rows) > 0 && rows[len(rows)-1] == "" {
		rows = rows[:len(rows)-1]
	}
	return rows
}

func shown(v any) string {
	switch v := v.(type) {
	case float64:
		entered, _ := strconv.ParseFloat(strconv.FormatFloat(v, 'e', 14, 64), 64)
		if math.Abs(entered-v) > 3*(math.Nextafter(math.Abs(v), math.MaxFloat64)-math.Abs(v)) {
			entered = v // more than the noise of floating point
		}
		return strconv.FormatFloat(entered, 'f', -1, 64)
	case bool:
		return strings.ToUpper(fmt.Sprint(v))
	}
	return v.(string)
}

// xlsx, xlsb and xls write the grid in a format, each text in one of the ways
// that the format has.
func (g grid) xlsx(t testing.TB, rng *rand.Rand) *sheet.Book {
	rows, shared := "", ""
	n := 0
	for r, row := range g {
		rows += fmt.Sprintf(`<row r="%d">`, r+1)
		for c, v := range row {
			at := fmt.Sprintf(`r="%s%d"`, sheet.Letters(c+1), r+1)
			switch v := v.(type) {
			case float64:
				rows += fmt.Sprintf(`<c %s><v>%v</v></c>`, at, v)
			case bool:
				rows += fmt.Sprintf(`<c %s t="b"><v>%d</v></c>`, at, map[bool]int{true: 1}[v])
			case string:
				text := strings.ReplaceAll(html.EscapeString(v), "_x", "_x005F_x")
				switch rng.IntN(3) {
				case 0:
					rows += fmt.Sprintf(`<c %s t="inlineStr"><is><t xml:space="preserve">%s</t></is></c>`, at, text)
				case 1:
					rows += fmt.Sprintf(`<c %s t="str"><f>A1</f><v>%s</v></c>`, at, text)
				default:
					rows += fmt.Sprintf(`<c %s t="s"><v>%d</v></c>`, at, n)
					shared += "<si><t>" + text + "</t></si>"
					n++
				}
			default:
				rows += fmt.Sprintf(`<c %s s="1"/>`, at)
			}
		}
		rows += "</row>"
	}
	parts := workbook(t, rows)
	parts["xl/sharedStrings.xml"] = "<sst>" + shared + "</sst>"
	book, err := sheet.Open(packed(t, parts))
	require.NoError(t, err)
	return book
}

func (g grid) xlsb(t testing.TB, rng *rand.Rand) *sheet.Book {
	rows, shared := "", ""
	n := uint32(0)
	for r, row := range g {
		rows += binRecord(0, uint32(r), uint32(0), uint16(0), uint8(0), uint8(0))
		for c, v := range row {
			at := []any{uint32(c), uint32(0)}
			short := 0 // the kinds without a column follow the cell before
			if c > 0 && rng.IntN(2) == 0 {
				at, short = at[1:], 11
			}
			switch v := v.(type) {
			case float64:
				rows += binRecord(5+short, append(at, v)...)
			case bool:
				rows += binRecord(4+short, append(at, uint8(map[bool]int{true: 1}[v]))...)
			case string:
				if rng.IntN(2) == 0 {
					rows += binRecord(6+short, append(at, binText(v)...)...)
					continue
				}
				rows += binRecord(7+short, append(at, n)...)
				shared += binRecord(19, append([]any{uint8(0)}, binText(v)...)...)
				n++
			default:
				rows += binRecord(1+short, at...)
			}
		}
	}
	parts := binBook(rows)
	parts["xl/sharedStrings.bin"] = shared
	book, err := sheet.Open(packed(t, parts))
	require.NoError(t, err)
	return book
}

func (g grid) xls(t testing.TB, rng *rand.Rand) *sheet.Book {
	var cells []string
	shared, n := "", uint32(0)
	for r, row := range g {
		for c, v := range row {
			at := []any{uint16(r), uint16(c), uint16(0)}
			switch v := v.(type) {
			case float64:
				cells = append(cells, oldRecord(0x203, append(at, v)...))
			case bool:
				cells = append(cells, oldRecord(0x205, append(at, uint8(map[bool]int{true: 1}[v]), uint8(0))...))
			case string:
				units := uint16(len(utf16.Encode([]rune(v))))
				if rng.IntN(2) == 0 {
					cells = append(cells, oldRecord(0x204, append(at, units, uint8(1), wide(v))...))
					continue
				}
				cells = append(cells, oldRecord(0xfd, append(at, n)...))
				shared += string(le(units, uint8(1), wide(v)))
				n++
			}
		}
	}
	rng.Shuffle(len(cells), func(i, j int) { cells[i], cells[j] = cells[j], cells[i] })
	book, err := sheet.OpenOld(oldBook(oldRecord(0xfc, n, n, shared), strings.Join(cells, "")))
	require.NoError(t, err)
	return book
}

// xml writes the grid as a workbook in XML, as different programs do.
func (g grid) xml(t testing.TB, rng *rand.Rand) *sheet.Book {
	var text strings.Builder
	text.WriteString(`<?xml version="1.0"?><Workbook xmlns="urn:schemas-microsoft-com:office:spreadsheet" xmlns:ss="urn:schemas-microsoft-com:office:spreadsheet"><Worksheet ss:Name="S"><Table>`)
	last := 0
	for r, row := range g {
		if !slices.ContainsFunc(row, func(v any) bool { return v != nil }) && rng.IntN(2) == 0 {
			continue
		}
		fmt.Fprintf(&text, `<Row%s>`, index(rng, r+1, last+1))
		last = r + 1
		before := 0
		for c, v := range row {
			kind, value := "String", fmt.Sprint(v)
			switch v := v.(type) {
			case nil:
				if rng.IntN(2) == 0 {
					fmt.Fprintf(&text, `<Cell%s/>`, index(rng, c+1, before+1))
					before = c + 1
				}
				continue
			case float64:
				kind, value = "Number", strconv.FormatFloat(v, 'g', -1, 64)
			case bool:
				kind, value = "Boolean", map[bool]string{true: "1", false: "0"}[v]
			}
			value = strings.NewReplacer("&", "&amp;", "<", "&lt;", "\n", "&#10;").Replace(value)
			fmt.Fprintf(&text, `<Cell%s><Data ss:Type="%s">%s</Data></Cell>`, index(rng, c+1, before+1), kind, value)
			before = c + 1
		}
		text.WriteString("</Row>")
	}
	text.WriteString("</Table></Worksheet></Workbook>")
	book, err := sheet.OpenXMLBook(strings.NewReader(text.String()), int64(text.Len()))
	require.NoError(t, err)
	return book
}

// index is the attribute of a place, which may be left out where it is the next.
func index(rng *rand.Rand, at, next int) string {
	if at == next && rng.IntN(2) == 0 {
		return ""
	}
	return fmt.Sprintf(` ss:Index="%d"`, at)
}

// TestRandomSheets writes made-up sheets in three formats and reads them back,
// whole and in part.
func TestRandomSheets(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 13))
	for range 200 {
		g := randomGrid(rng)
		first := sheet.Cells{FirstColumn: 1 + rng.IntN(4), FirstRow: 1 + rng.IntN(4)}
		part := sheet.Cells{FirstColumn: first.FirstColumn, FirstRow: first.FirstRow, LastColumn: first.FirstColumn + rng.IntN(8), LastRow: first.FirstRow + rng.IntN(20)}
		for name, book := range map[string]*sheet.Book{"xlsx": g.xlsx(t, rng), "xlsb": g.xlsb(t, rng), "xls": g.xls(t, rng), "xml": g.xml(t, rng)} {
			for _, cells := range []sheet.Cells{{}, part} {
				rows, facts := rowsOf(t, book, sheet.View{Cells: cells})
				for i := range rows {
					rows[i] = strings.Trim(rows[i], string(sheet.OutsideRow))
				}
				want := g.text(cells)
				if len(want) == 0 {
					want = []string{""}
				}
				require.Equal(t, want, rows, "%s %s", name, cells)
				if want[0] != "" || len(want) > 1 {
					require.Equal(t, len(want), facts.Used.LastRow, "%s %s", name, cells)
				}
			}
		}
	}
}

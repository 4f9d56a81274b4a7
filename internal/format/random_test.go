package format

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/stretchr/testify/require"

	"ambertray/internal/text/texttest"
)

// TestRandomTables writes tables of random columns in random dialects, some of them below titles,
// and compares every heading and cell with what is read by the detected layout.
func TestRandomTables(t *testing.T) {
	for k := range 500 {
		r := rand.New(rand.NewPCG(30, uint64(k)))
		columns := randomColumns(r)
		d := []string{",", ";", "\t", "|", "^", "~", "||", "~|~"}[r.IntN(8)]
		quote := quoting(d, []string{`""`, `\"`}[r.IntN(2)], r.IntN(3))
		end := []string{"\n", "\r\n"}[r.IntN(2)]
		var text strings.Builder
		for range r.IntN(3) {
			text.WriteString([]string{"Kestrel Bay Museum, specimens", "Printed 2026-11-02"}[r.IntN(2)] + end)
		}
		write := func(cells []string, quotable bool) {
			for c := range cells {
				if c > 0 {
					text.WriteString(d)
				}
				text.WriteString(quote(cells[c], quotable || !columns[c].number))
			}
			text.WriteString(end)
		}
		table := randomTable(r, columns, 9+r.IntN(40))
		for i, cells := range table {
			write(cells, i == 0)
		}
		lay, headings, rows, _ := read(t, text.String())
		require.Equal(t, table, tableOf(headings, rows), "%s: %s", layoutOf(lay), text.String())
	}
}

// TestRandomFixed writes tables of random columns at fixed places, numbers to the right, with and
// without a header, a ruler and titles, and compares every heading and cell with what is read
// by the detected layout.
func TestRandomFixed(t *testing.T) {
	for k := range 350 {
		r := rand.New(rand.NewPCG(31, uint64(k)))
		columns := randomColumns(r)
		table := randomTable(r, columns, 12+r.IntN(40))
		gap, ruler := 1+r.IntN(3), r.IntN(3) == 0
		if gap == 1 {
			ruler = true // words are as far apart as columns
		}
		title := []string{"", "", "Kestrel Bay Museum, specimens\n", "SPECIMENS BY HALL\n\n", "Report 17\nPrinted 2026-11-02\n\n"}[r.IntN(5)]
		headless := r.IntN(4) == 0 && title == "" && !ruler && !slices.Contains(table[0], "place") // of two numbers
		text := title + aligned(table, columns, strings.Repeat(" ", gap), ruler, r.IntN(2) == 0)
		if headless {
			_, text, _ = strings.Cut(text, "\n")
			table[0] = nil
			for c := range columns {
				table[0] = append(table[0], fmt.Sprintf("column_%d", c+1))
			}
		}
		lay, headings, rows, _ := read(t, text)
		for _, row := range rows {
			for c := range row.Cells {
				row.Cells[c] = strings.TrimSpace(row.Cells[c])
			}
		}
		require.Equal(t, table, tableOf(headings, rows), "%s: %s", layoutOf(lay), text)
	}
}

// TestRandomHeaded writes small tables whose columns are a blank apart, with a heading of one word
// above each, values of several words and blank ones, some between titles and a footer, and
// compares every cell with what is read.
func TestRandomHeaded(t *testing.T) {
	words := strings.Fields("amber moss fern gnat beetle tray hall room label glass case lamp owl")
	for k := range 300 {
		r := rand.New(rand.NewPCG(32, uint64(k)))
		var columns []randomColumn
		var table [][]string
		headings := slices.Clone([]string{"Item", "Qty", "Room", "Price", "Remark", "Mass", "Place"}[:3+r.IntN(5)])
		if r.IntN(4) == 0 {
			headings[0] = ""
		}
		for range headings {
			columns = append(columns, randomColumn{number: len(columns)%2 == 1})
		}
		table = append(table, headings)
		for i := range 4 + r.IntN(9) {
			var row []string
			for c := range headings {
				cell := strconv.FormatFloat(r.Float64()*500, 'f', c-1, 64)
				if !columns[c].number {
					cell = strings.Join(words[i:min(len(words), i+1+r.IntN(3))], " ")
				}
				if c > 0 && r.IntN(9) == 0 {
					cell = ""
				}
				row = append(row, cell)
			}
			table = append(table, row)
		}
		text := []string{"", "", "Kestrel Bay Museum\n\n", "SPECIMENS BY HALL\n"}[r.IntN(4)] + aligned(table, columns, " ", false, false) +
			[]string{"", "", fmt.Sprintf("\n%d rows\n", len(table)-1), "\nEnd of report\n"}[r.IntN(4)]
		if headings[0] == "" {
			headings[0] = "column_1"
		}
		lay, headings, rows, _ := read(t, text)
		for _, row := range rows {
			for c := range row.Cells {
				row.Cells[c] = strings.TrimSpace(row.Cells[c])
			}
		}
		require.Equal(t, table, tableOf(headings, rows), "%s: %s", layoutOf(lay), text)
	}
}

// TestRandomEnds writes tables of random columns with what else a file has: comments above the
// header, blank lines and the header again between the records, and a total, notes, a count or
// a trailer below them. None of it is a record, and no record is taken for any of it.
func TestRandomEnds(t *testing.T) {
	for k := range 300 {
		r := rand.New(rand.NewPCG(50, uint64(k)))
		columns := randomColumns(r)
		table := randomTable(r, columns, 9+r.IntN(40))
		d := []string{",", ";", "\t", "|"}[r.IntN(4)]
		quote := quoting(d, `""`, r.IntN(3))
		line := func(cells []string, quotable bool) string {
			var quoted []string
			for c, cell := range cells {
				quoted = append(quoted, quote(cell, quotable || !columns[c].number))
			}
			return strings.Join(quoted, d) + "\n"
		}
		text := strings.Repeat([]string{"# made by the museum\n", "#\n", "# version: 3, 2026-11-02\n"}[r.IntN(3)], r.IntN(3)) + line(table[0], true)
		again := 4 + r.IntN(3*len(table))
		for i, cells := range table[1:] {
			text += line(cells, false)
			if i == again {
				text += line(table[0], true)
			}
			if r.IntN(60) == 0 {
				text += "\n"
			}
		}
		text += randomEnd(r, columns, len(table)-1, d, line)
		lay, headings, rows, _ := read(t, text)
		require.Equal(t, table, tableOf(headings, rows), "%s: %s", layoutOf(lay), text)
	}
}

// randomEnd returns what stands below the records.
func randomEnd(r *rand.Rand, columns []randomColumn, records int, d string, line func([]string, bool) string) string {
	switch r.IntN(7) {
	case 0:
		return line(randomTotal(r, columns), true)
	case 1:
		return "\nSource: the register of the museum, 2026\n"
	case 2:
		return "\nNotes\n1. Masses are in grams.\n2. Dates are as in the register; some are wrong.\n"
	case 3:
		return fmt.Sprintf("%d records\n", records)
	case 4:
		return fmt.Sprintf("TRAILER%s%d\n", d, records)
	case 5:
		return "*** END OF REPORT ***\n"
	}
	return ""
}

// randomTotal returns a total with a label in one of the first cells.
func randomTotal(r *rand.Rand, columns []randomColumn) []string {
	cells := make([]string, len(columns))
	label := r.IntN(2)
	cells[label] = []string{"Total", "TOTAL", "Sum", "Grand total"}[r.IntN(4)]
	for c := label + 1; c < len(columns); c++ {
		if columns[c].number && r.IntN(3) > 0 {
			cells[c] = fmt.Sprint(r.IntN(100_000))
		}
	}
	return cells
}

// tableOf returns the headings and the cells of rows, as randomTable does.
func tableOf(headings []string, rows []texttest.Row) [][]string {
	table := [][]string{headings}
	for _, row := range rows {
		table = append(table, row.Cells)
	}
	return table
}

// randomTable returns the headings of columns and rows of their values.
func randomTable(r *rand.Rand, columns []randomColumn, rows int) [][]string {
	table := make([][]string, 1+rows)
	for _, c := range columns {
		table[0] = append(table[0], c.heading)
		for i := range rows {
			table[1+i] = append(table[1+i], c.value(r, i))
		}
	}
	return table
}

// aligned writes a table with columns of one width each, which a ruler may show.
func aligned(table [][]string, columns []randomColumn, gap string, ruler, padded bool) string {
	widths := make([]int, len(columns))
	for _, cells := range table {
		for c, cell := range cells {
			widths[c] = max(widths[c], utf8.RuneCountInString(cell))
		}
	}
	text := ""
	for i, cells := range table {
		line, rule := "", ""
		for c, cell := range cells {
			blank := strings.Repeat(" ", widths[c]-utf8.RuneCountInString(cell))
			if columns[c].number {
				cell, blank = blank, cell
			}
			line += cell + blank + gap
			rule += strings.Repeat("-", widths[c]) + gap
		}
		if !padded {
			line = strings.TrimRight(line, " ")
		}
		text += line + "\n"
		if i == 0 && ruler {
			text += rule + "\n"
		}
	}
	return text
}

// quoting returns a function that quotes cells: only where necessary (0), texts (1) or all (2).
func quoting(delimiter, escaped string, which int) func(cell string, text bool) string {
	return func(cell string, text bool) string {
		if which == 0 && !strings.ContainsAny(cell, delimiter+`"`) || which == 1 && (!text || cell == "") {
			return cell
		}
		return `"` + strings.ReplaceAll(cell, `"`, escaped) + `"`
	}
}

type randomColumn struct {
	heading string
	number  bool
	value   func(r *rand.Rand, i int) string
}

// randomColumns returns three columns or more, the first of which is never blank.
func randomColumns(r *rand.Rand) []randomColumn {
	start := []int{0, 1, r.IntN(5000), 1880 + r.IntN(240), 100_000}[r.IntN(5)]
	words := func(r *rand.Rand, n int) string {
		list := strings.Fields("amber beetle fern gnat moss Kestrel Harrow Marl east drawer tray honey lemon cherry old broken two of the in near")
		r.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
		return strings.Join(list[:n], " ")
	}
	one := func(list ...string) func(*rand.Rand, int) string {
		return func(r *rand.Rand, _ int) string { return list[r.IntN(len(list))] }
	}
	numbers := func(format string, most int) func(*rand.Rand, int) string {
		return func(r *rand.Rand, _ int) string { return fmt.Sprintf(format, r.IntN(most)) }
	}
	all := []randomColumn{
		{"id", true, func(_ *rand.Rand, i int) string { return strconv.Itoa(start + i) }},
		{"code", false, func(r *rand.Rand, _ int) string { return fmt.Sprintf("%c-%04d", 'A'+r.IntN(4), r.IntN(9999)) }},
		{"name", false, func(r *rand.Rand, _ int) string { return words(r, 1+r.IntN(3)) }},
		{"donor", false, one("Ada Fern", "O'Neil, Sam", "Brown & Co.", "Lee", "Søren Ågård", "Dr. Moss, Ph.D.")},
		{"mass_g", true, func(r *rand.Rand, _ int) string {
			return strconv.FormatFloat(float64(r.IntN(100_000))/100, 'f', -1, 64)
		}},
		{"length mm", true, func(r *rand.Rand, _ int) string { return fmt.Sprintf("%.2f", r.Float64()*100) }},
		{"pieces", true, numbers("%d", 6000)},
		{"zip", true, numbers("%05d", 90_000)},
		{"share", true, numbers("%d.5%%", 99)},
		{"year", true, func(r *rand.Rand, _ int) string { return strconv.Itoa(1985 + r.IntN(40)) }},
		{"found on", false, func(r *rand.Rand, _ int) string {
			return fmt.Sprintf("19%02d-%02d-%02d", r.IntN(99), 1+r.IntN(12), 1+r.IntN(28))
		}},
		{"Date", false, func(r *rand.Rand, _ int) string { return fmt.Sprintf("%02d.%02d.2019", 1+r.IntN(28), 1+r.IntN(12)) }},
		{"seen", false, func(r *rand.Rand, _ int) string {
			return fmt.Sprintf("2026-%02d-28 %02d:%02d:03", 1+r.IntN(12), r.IntN(24), r.IntN(60))
		}},
		{"on loan", false, one("yes", "no")},
		{"Note", false, one("", "", "cracked", "see drawer 3, tray 2", `labelled "so"`, "2 wings; 1 leg", "to check: mass", "a | b")},
		{"Remarks", false, func(r *rand.Rand, _ int) string { return words(r, 4+r.IntN(6)) + "." }},
		{"price", false, func(r *rand.Rand, _ int) string { return fmt.Sprintf("$%d,%03d.50", 1+r.IntN(9), r.IntN(1000)) }},
		{"place", false, func(r *rand.Rand, _ int) string { return fmt.Sprintf("%.3f, %.3f", r.Float64()*90, -r.Float64()) }},
		{"link", false, func(r *rand.Rand, i int) string {
			return fmt.Sprintf("https://museum.example/%s?id=%d", words(r, 1), i)
		}},
		{"depth", true, one("", "-1.5", "-0.3", "-7.0")},
		{"comma", false, func(r *rand.Rand, _ int) string { return fmt.Sprintf("%d,%02d", r.IntN(900), r.IntN(100)) }},
	}
	first := all[:3][r.IntN(3)]
	r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	columns := []randomColumn{first}
	for _, c := range all[:2+r.IntN(6)] {
		if c.heading != first.heading {
			columns = append(columns, c)
		}
	}
	return append(columns, randomColumn{"hall", false, one("A", "B", "C")})
}

// words are what lines of random texts consist of.
var words = strings.Fields("a No Name total TOTAL, 1 12 0012 -0012 007- 1,5 2026-01-02 12:30 HDR DTL TRL # #x -- --- *** * / | || ; , ;; ÷ é :: key: x=1 http://x.example/ % (5) N/A null T F 1e5 0x1F 00FF")

// TestRandomLines reads lines of random words by the layout that is detected. Each line is the
// header, a record or skipped.
func TestRandomLines(t *testing.T) {
	for k := range 4000 {
		r := rand.New(rand.NewPCG(33, uint64(k)))
		d := []string{" ", ",", ";", "\t", "|", "  ", " ; "}[r.IntN(7)]
		some := make([]string, 1+r.IntN(6)) // few words recur
		for i := range some {
			some[i] = words[r.IntN(len(words))]
		}
		var text strings.Builder
		width := 1 + r.IntN(5)
		for range 1 + r.IntN(40) {
			cells := make([]string, max(0, width+r.IntN(8)/7-r.IntN(8)/7))
			for c := range cells {
				if r.IntN(3) > 0 {
					cells[c] = some[r.IntN(len(some))]
				}
			}
			text.WriteString(strings.Join(cells, d) + "\n")
		}
		checkLines(t, text.String())
	}
}

// FuzzLines is TestRandomLines with any text.
func FuzzLines(f *testing.F) {
	f.Add("# # a\n1,2 # b\n\nHDR\n  x  y\n")
	f.Fuzz(func(t *testing.T, text string) { checkLines(t, text) })
}

// checkLines reads a text by its detected layout, and counts its lines if none may be part of a
// quoted cell.
func checkLines(t *testing.T, text string) {
	if text == "" || strings.ContainsFunc(text, func(r rune) bool { return unicode.IsControl(r) && r != '\n' && r != '\t' }) {
		return
	}
	var document any
	err := json.NewDecoder(strings.NewReader(text)).Decode(&document)
	if strings.ContainsAny(text[:1], "[{ \t\n") && (err == nil || errors.Is(err, io.ErrUnexpectedEOF)) { // refused as JSON
		return
	}
	src := open(t, text)
	defer src.Close()
	lay := Detect(src, nil)
	r, _, err := Of(&lay).Open(src, lay)
	if err != nil { // of a quote that is never closed
		require.Contains(t, text, `"`, "%s: %s", layoutOf(lay), err)
		return
	}
	rows, skipped := texttest.Read(t, r, 1)
	if strings.ContainsAny(text, "\"'\\\r\x00\ufeff") || lay.LineEnd != "lf" || !utf8.ValidString(text) {
		return
	}
	header := int64(0)
	if lay.HeaderLine > 0 {
		header = lay.HeaderLines
	}
	lines := int64(strings.Count(strings.TrimSuffix(text, "\n"), "\n")) + 1
	require.Equal(t, lines, header+int64(len(rows))+skipped.Total(), "%s, %d lines of header, %d records, %v: %q", layoutOf(lay), header, len(rows), skipped, text)
}

package sheet_test

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/richardlehane/mscfb"
	"github.com/stretchr/testify/require"

	"ambertray/internal/sheet"
)

// openFile opens a workbook of the test data.
func openFile(t testing.TB, name string) *sheet.Book {
	t.Helper()
	data, err := os.ReadFile("testdata/" + name)
	require.NoError(t, err)
	if !strings.HasSuffix(name, ".xls") {
		archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err)
		book, err := sheet.Open(archive)
		require.NoError(t, err)
		return book
	}
	files, err := mscfb.New(bytes.NewReader(data))
	require.NoError(t, err)
	for {
		entry, err := files.Next()
		require.NoError(t, err)
		if entry.Name == "Workbook" {
			stream, err := io.ReadAll(entry)
			require.NoError(t, err)
			book, err := sheet.OpenOld(stream)
			require.NoError(t, err)
			return book
		}
	}
}

// rowsOf returns the rows of the first sheet, cells parted by |.
func rowsOf(t testing.TB, book *sheet.Book, v sheet.View) ([]string, sheet.Facts) {
	t.Helper()
	var out bytes.Buffer
	facts, err := book.Text(0, v, &out, nil)
	require.NoError(t, err)
	text := strings.ReplaceAll(out.String(), string(sheet.CellEnd), "|")
	return strings.Split(strings.TrimSuffix(text, string(sheet.RowEnd)), string(sheet.RowEnd)), facts
}

// TestFormats reads one table out of every format, as other programs have
// written it.
func TestFormats(t *testing.T) {
	want, wantFacts := rowsOf(t, openFile(t, "loans.xlsx"), sheet.View{})
	require.Equal(t, `00312|Harrow ☃ College 𝄞|2026-01-01|0.00|0.0%|2026-01-01 06:00:00|TRUE|0|0`, want[3])
	require.Equal(t, `00319|Müller & Søn, "conservators"|2026-01-08|7.70|87.5%|2026-01-01 07:45:00|FALSE|#N/A|15.4`, want[10])
	require.Equal(t, sheet.Facts{
		Used: sheet.Cells{FirstColumn: 1, FirstRow: 1, LastColumn: 9, LastRow: 43}, HiddenRows: 1, FirstHidden: 16, HiddenColumns: []int{5},
		Merged: []sheet.Cells{{FirstColumn: 1, FirstRow: 1, LastColumn: 5, LastRow: 1}, {FirstColumn: 2, FirstRow: 11, LastColumn: 2, LastRow: 13}},
		Mixed:  wantFacts.Mixed,
	}, wantFacts)
	require.Equal(t, sheet.Mixed{Numbers: 38, Texts: 1, FirstText: 9}, wantFacts.Mixed[7])
	for _, name := range []string{"loans.xlsb", "loans.xls", "loans.ods"} {
		book := openFile(t, name)
		if name != "loans.xlsb" { // whose writer leaves names out
			chosen, cells, err := book.Resolve("", "fees")
			require.NoError(t, err, name)
			require.Equal(t, "[0] D3:D20", fmt.Sprint(chosen, cells), name)
		}
		rows, facts := rowsOf(t, book, sheet.View{})
		if name == "loans.ods" { // whose writer had no truth values
			for i := range want {
				want[i] = strings.NewReplacer("|TRUE|", "|1|", "|FALSE|", "|0|").Replace(want[i])
			}
			facts.Mixed = wantFacts.Mixed
		}
		require.Equal(t, want, rows, name)
		require.Equal(t, wantFacts, facts, name)
		require.Equal(t, []bool{false, true, false}, []bool{book.Sheets[0].Empty, book.Sheets[1].Empty, book.Sheets[2].Empty}, name)
		require.Equal(t, []bool{false, false, true}, []bool{book.Sheets[0].Hidden, book.Sheets[1].Hidden, book.Sheets[2].Hidden}, name)

		left, _ := rowsOf(t, book, sheet.View{LeaveHidden: true, FillMerged: true})
		require.Equal(t, string(sheet.HiddenRow), left[15], name)
		require.Equal(t, "00319|"+strings.Split(want[10], "|")[1]+"|2026-01-08|7.70||2026-01-01 07:45:00", strings.Join(strings.Split(left[10], "|")[:6], "|"), name)
		for _, row := range left[11:13] {
			require.Equal(t, strings.Split(want[10], "|")[1], strings.Split(row, "|")[1], name)
		}
		cells, _ := rowsOf(t, book, sheet.View{Cells: sheet.Cells{FirstColumn: 2, FirstRow: 11, LastColumn: 3, LastRow: 12}, FillMerged: true})
		require.Equal(t, []string{strings.Split(want[10], "|")[1] + "|2026-01-08", strings.Split(want[10], "|")[1] + "|2026-01-09"}, cells[10:], name)
	}
	rows, _ := rowsOf(t, openFile(t, "long.xls"), sheet.View{})
	require.Len(t, rows, 120)
	for r, row := range rows {
		note := fmt.Sprintf("note %d %s", r, strings.Repeat("x", r*3%211))
		if r%5 == 0 {
			note = fmt.Sprintf("n☃te %d %s", r, strings.Repeat("é☃", r%97))
		}
		last := fmt.Sprint(r)
		if r == 5 {
			last = "again" // which was written over another value
		}
		require.Equal(t, fmt.Sprintf("%v|%s|%s", float64(r)*1.5, note, last), row)
	}
}

// le writes numbers, low bytes first, and texts as they are.
func le(values ...any) []byte {
	var b bytes.Buffer
	for _, v := range values {
		s, ok := v.(string)
		if ok {
			v = []byte(s)
		}
		err := binary.Write(&b, binary.LittleEndian, v)
		if err != nil {
			panic(err)
		}
	}
	return b.Bytes()
}

func wide(s string) string { return string(le(utf16.Encode([]rune(s)))) }

// oldRecord is a record of an older workbook.
func oldRecord(kind uint16, values ...any) string {
	data := le(values...)
	return string(le(kind, uint16(len(data)), data))
}

// oldBook is an older workbook of one sheet.
func oldBook(globals, cells string) []byte {
	begin := oldRecord(0x809, uint16(0x600), uint16(5), uint32(0)) + globals
	end := oldRecord(0x0a)
	at := len(begin) + len(oldRecord(0x85, uint32(0), uint16(0), uint8(1), uint8(0), "S")) + len(end)
	return []byte(begin + oldRecord(0x85, uint32(at), uint16(0), uint8(1), uint8(0), "S") + end + oldRecord(0x809, uint16(0x600), uint16(16), uint32(0)) + cells + end)
}

// rk packs a number as [MS-XLS] does.
func rk(x float64, whole, hundredth bool) uint32 {
	var flags uint32
	if hundredth {
		x, flags = x*100, 1
	}
	if whole {
		return uint32(int32(x))<<2 | 2 | flags
	}
	return uint32(math.Float64bits(x)>>32)&^3 | flags
}

const u0, u1 = uint16(0), uint16(1)

// TestOldCells reads every kind of cell that an older workbook has.
func TestOldCells(t *testing.T) {
	shared := oldRecord(0xfc, uint32(2), uint32(2), uint16(3), uint8(8), u1, "one", uint32(0), uint16(4), uint8(5), uint32(2), wide("☃w")) + oldRecord(0x3c, uint8(0), "oo", u0)
	globals := oldRecord(0x22, u1) + oldRecord(0x41e, uint16(170), uint16(10), uint8(0), "dd.mm.yyyy") + oldRecord(0xe0, u0, u0) + oldRecord(0xe0, u0, uint16(170)) + shared
	cells := oldRecord(0x27e, u0, u0, u0, rk(-7, true, false)) + oldRecord(0x27e, u0, u1, u0, rk(12.34, true, true)) + oldRecord(0x27e, u0, uint16(2), u0, rk(0.5, false, false)) +
		oldRecord(0xbd, u0, uint16(4), u0, rk(1, true, false), u1, rk(44591, true, false), uint16(5)) +
		oldRecord(0x203, u1, u0, u1, 44591.75) + oldRecord(0xfd, u1, u1, u0, uint32(0)) + oldRecord(0xfd, u1, uint16(2), u0, uint32(1)) +
		oldRecord(0x204, u1, uint16(3), u0, uint16(2), uint8(1), wide("ü☃")) + oldRecord(0x205, u1, uint16(4), u0, uint8(1), uint8(0)) + oldRecord(0x205, u1, uint16(5), u0, uint8(7), uint8(1)) +
		oldRecord(0x06, uint16(3), u1, u0, 2.5, u0, uint32(0)) + oldRecord(0x06, uint16(3), uint16(2), u0, uint8(0), [5]byte{}, uint16(0xffff), u0) + oldRecord(0x207, uint16(2), uint8(0), "ab") +
		oldRecord(0x06, uint16(3), uint16(3), u0, [3]byte{1, 0, 1}, [3]byte{}, uint16(0xffff)) + oldRecord(0x06, uint16(3), uint16(4), u0, [3]byte{2, 0, 0x17}, [3]byte{}, uint16(0xffff)) +
		oldRecord(0x06, uint16(3), uint16(5), u0, [3]byte{3}, [3]byte{}, uint16(0xffff)) +
		oldRecord(0x203, uint16(2), u0, u0, 9.0) + oldRecord(0x203, uint16(3), u0, u0, 1.0) // and not in order
	book, err := sheet.OpenOld(oldBook(globals, cells))
	require.NoError(t, err)
	rows, _ := rowsOf(t, book, sheet.View{})
	require.Equal(t, []string{"-7|12.34|0.5||1|2026-01-31", "2026-01-31 18:00:00|one|☃woo|ü☃|TRUE|#DIV/0!", "9", "1|2.5|ab|TRUE|#REF!"}, rows)
}

// TestOldBroken says what is wrong with an older workbook, wherever it is cut.
func TestOldBroken(t *testing.T) {
	text := oldRecord(0xfc, uint32(1), uint32(1), uint16(3), uint8(0), "one")
	whole := oldBook(text, oldRecord(0xfd, u0, u0, u0, uint32(0)))
	_, err := sheet.OpenOld(whole)
	require.NoError(t, err)
	for n := range whole {
		book, err := sheet.OpenOld(whole[:n])
		if err == nil {
			_, err = book.Text(0, sheet.View{}, io.Discard, nil)
		}
		require.ErrorIs(t, err, sheet.ErrBroken, "cut at %d", n)
	}
	_, err = sheet.OpenOld(oldBook(oldRecord(0x2f, u0), ""))
	require.ErrorIs(t, err, sheet.ErrEncrypted)
	_, err = sheet.OpenOld([]byte(oldRecord(0x809, uint16(0x500), uint16(5))))
	require.ErrorIs(t, err, errors.ErrUnsupported)
	book, err := sheet.OpenOld(oldBook(text, oldRecord(0xfd, u0, u0, u0, uint32(7))))
	require.NoError(t, err)
	_, err = book.Text(0, sheet.View{}, io.Discard, nil)
	require.ErrorContains(t, err, "row 1 refers to a missing shared string")
}

// binRecord is a record of a binary workbook of today.
func binRecord(kind int, values ...any) string {
	data := le(values...)
	head := []byte{byte(kind)}
	if kind > 0x7f {
		head = []byte{byte(kind&0x7f | 0x80), byte(kind >> 7)}
	}
	return string(head) + string([]byte{byte(len(data)&0x7f | 0x80), byte(len(data) >> 7)}) + string(data)
}

func binText(s string) []any { return []any{uint32(len(utf16.Encode([]rune(s)))), wide(s)} }

// binBook is a binary workbook of one sheet.
func binBook(records string) map[string]string {
	return map[string]string{
		"[Content_Types].xml":        "<Types/>",
		"_rels/.rels":                `<Relationships><Relationship Id="r1" Type="http://x/officeDocument" Target="xl/workbook.bin"/></Relationships>`,
		"xl/_rels/workbook.bin.rels": `<Relationships><Relationship Id="r2" Type="http://x/worksheet" Target="one.bin"/></Relationships>`,
		"xl/workbook.bin":            binRecord(153, uint32(1)) + binRecord(156, append([]any{uint32(0), uint32(1)}, append(binText("r2"), binText("Loans")...)...)...),
		"xl/styles.bin":              binRecord(44, append([]any{uint16(170)}, binText("yyyy-mm-dd")...)...) + binRecord(617, uint32(2)) + binRecord(47, u0, u0) + binRecord(47, u0, uint16(170)) + binRecord(618),
		"xl/sharedStrings.bin":       binRecord(19, append([]any{uint8(0)}, binText("shared ☃")...)...),
		"xl/one.bin":                 records,
	}
}

// TestBinaryCells reads every kind of cell that a binary workbook of today has.
func TestBinaryCells(t *testing.T) {
	u := func(n int) uint32 { return uint32(n) }
	records := binRecord(0, u(1), u(0), uint16(0), uint8(0), uint8(0)) + binRecord(2, u(0), u(0), rk(-3, true, false)) + binRecord(5, u(1), u(1), 44591.0) + binRecord(4, u(2), u(0), uint8(1)) +
		binRecord(3, u(3), u(0), uint8(0x24)) + binRecord(6, append([]any{u(5), u(0)}, binText("in cell")...)...) + binRecord(7, u(6), u(0), u(0)) +
		binRecord(0, u(2), u(0), uint16(0), uint8(0), uint8(0x10)) + binRecord(9, u(0), u(0), 1.5) + binRecord(10, u(1), u(0), uint8(0)) + binRecord(11, u(2), u(0), uint8(0x2a)) +
		binRecord(8, append([]any{u(3), u(0)}, binText("from a formula")...)...) + binRecord(62, append([]any{u(4), u(0), uint8(0)}, binText("rich")...)...) +
		binRecord(0, u(3), u(0), uint16(0), uint8(0), uint8(0)) + binRecord(1, u(0), u(0)) + binRecord(13, u(0), rk(4, true, false)) + binRecord(12, u(0)) + binRecord(18, u(0), u(0)) + binRecord(176, u(3), u(4), u(1), u(1))
	book, err := sheet.Open(packed(t, binBook(records)))
	require.NoError(t, err)
	rows, facts := rowsOf(t, book, sheet.View{FillMerged: true})
	require.Equal(t, []string{"", "-3|2026-01-31|TRUE|#NUM!||in cell|shared ☃", "1.5|FALSE|#N/A|from a formula|rich", "|4||shared ☃", "|4"}, rows)
	require.Equal(t, 1, facts.HiddenRows)
	named := binBook(records)
	nameRecord := func(name string, flags uint32, formula ...any) string {
		return binRecord(39, append(append([]any{flags, uint8(0), uint32(1<<32 - 1)}, binText(name)...), formula...)...)
	}
	area := []any{u(13), uint8(0x3b), u1, u(1), u(2), u0, uint16(0xc001)}
	named["xl/workbook.bin"] += nameRecord("Fees", 0, area...) + nameRecord("secret", 1, area...) + nameRecord("two", 0, u(3), uint8(0x17)) + nameRecord("none", 0, u(0)) +
		binRecord(362, u(2), u(0), int32(-2), int32(-2), u(0), u(0), u(0))
	named["xl/_rels/one.bin.rels"] = `<Relationships><Relationship Id="t1" Type="http://x/table" Target="table.bin"/></Relationships>`
	named["xl/table.bin"] = binRecord(343, append(append([]any{u(1), u(9), u(0), u(1), u(0), u(1), u(1), u(1), [32]byte{}}, binText("Table1")...), binText("Lent")...)...)
	book, err = sheet.Open(packed(t, named))
	require.NoError(t, err)
	require.Equal(t, []sheet.Name{{Name: "Lent", Cells: sheet.Cells{FirstColumn: 1, FirstRow: 2, LastColumn: 2, LastRow: 9}}, {Name: "Fees", Cells: sheet.Cells{FirstColumn: 1, FirstRow: 2, LastColumn: 2, LastRow: 3}}}, book.Names)
	for n := range records {
		book, err := sheet.Open(packed(t, binBook(records[:n])))
		if err == nil {
			_, err = book.Text(0, sheet.View{}, io.Discard, nil)
		}
		if err != nil {
			require.ErrorIs(t, err, sheet.ErrBroken, "cut at %d", n)
		}
	}
}

// FuzzBinary reads whatever stands in a binary workbook, old or new, without a
// panic or more text than there can be.
func FuzzBinary(f *testing.F) {
	f.Add([]byte(oldRecord(0xbd, u0, u0, u0, uint32(1), u1)), true)
	f.Add([]byte(oldRecord(0xfc, uint32(1), uint32(9), uint16(3), uint8(13), u1, uint32(5))+oldRecord(0xe5, u1, u0, u1, u0, u1)), false)
	f.Add([]byte(binRecord(0, uint32(0), uint32(0), uint32(0))+binRecord(6, uint32(0), uint32(0), uint32(1), wide("a"))), true)
	f.Fuzz(func(t *testing.T, data []byte, cells bool) {
		books := []func() (*sheet.Book, error){
			func() (*sheet.Book, error) { return sheet.Open(packed(t, binBook(string(data)))) },
			func() (*sheet.Book, error) { return sheet.OpenOld(data) },
			func() (*sheet.Book, error) {
				if cells {
					return sheet.OpenOld(oldBook("", string(data)))
				}
				return sheet.OpenOld(oldBook(string(data), oldRecord(0x203, u0, u0, u0, 1.0)))
			},
		}
		for _, open := range books {
			book, err := open()
			if err == nil {
				_, _ = book.Text(0, sheet.View{FillMerged: cells, LeaveHidden: !cells}, &limited{t: t, left: 64 << 20}, nil)
			}
		}
	})
}

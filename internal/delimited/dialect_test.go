package delimited

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"context"

	"github.com/stretchr/testify/require"

	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/text"
	"ambertray/internal/text/texttest"
)

var lineEnds = map[string]string{"lf": "\n", "crlf": "\r\n", "crcrlf": "\r\r\n", "cr": "\r"}

// TestEveryDialect writes random records in every dialect and reads them back,
// in pieces of any size.
func TestEveryDialect(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for _, delimiter := range []string{",", ";", "\t", "|", ":", "^", "\x1f", "||", "~|~", source.Spaces, source.WideSpaces, ""} {
		for _, quote := range []string{`"`, "'", ""} {
			for _, escape := range []string{source.Doubled, source.Backslash, source.ServerEscapes} { // in quotes that are not escaped some cells cannot be written
				if escape == source.ServerEscapes && strings.HasSuffix(delimiter, "spaces") {
					continue // servers do not escape spaces
				}
				for _, lineEnd := range append(source.LineEnds, "mixed") {
					for _, skip := range []bool{false, true} {
						lay := source.Layout{LineEnd: lineEnd, Delimiting: source.Delimiting{Delimiter: delimiter, Quote: quote, Escape: escape, SkipSpaces: skip}}
						checkDialect(t, rng, lay)
					}
				}
			}
		}
	}
}

func checkDialect(t *testing.T, rng *rand.Rand, lay source.Layout) {
	t.Helper()
	c, err := newCutter(lay)
	require.NoError(t, err)
	width := 1 + rng.IntN(4)
	if lay.Delimiter == "" {
		width = 1
	}
	var text strings.Builder
	var want [][]string
	for range 12 {
		var cells, written []string
		for range width {
			cell := randomCell(rng, lay)
			written = append(written, writeCell(rng, lay, cell))
			if lay.SkipSpaces && lay.Delimiter != source.Spaces && lay.Delimiter != source.WideSpaces {
				cell = strings.Trim(cell, " ")
			}
			cells = append(cells, cell)
		}
		delimiter := lay.Delimiter
		switch {
		case delimiter == source.Spaces, delimiter == source.WideSpaces:
			delimiter = strings.Repeat(" ", 2+rng.IntN(2))
		case lay.SkipSpaces && delimiter != "":
			delimiter += strings.Repeat(" ", rng.IntN(3))
		}
		want = append(want, cells)
		end, ok := lineEnds[lay.LineEnd]
		if !ok {
			end = []string{"\n", "\r\n", "\r"}[rng.IntN(3)]
		}
		text.WriteString(strings.Join(written, delimiter) + end)
	}
	for _, size := range []int{1 + rng.IntN(8), 1 + rng.IntN(100), pieceSize} {
		var got [][]string
		for _, r := range texttest.ReadAll(t, c, text.String(), size, 2) {
			got = append(got, r.Cells)
		}
		require.Equal(t, want, got, "%+v, pieces of %d bytes: %q", lay, size, text.String())
	}
}

// randomCell returns a cell that the dialect can hold; the first is never
// blank, so that no row is.
func randomCell(rng *rand.Rand, lay source.Layout) string {
	parts := []string{"a", "ü", "7", "."}
	if lay.Quote != "" {
		parts = append(parts, ",", ";", " ", "|", "x y", lay.Quote, lay.Delimiter, "^", ":")
		if lay.LineEnd == "lf" {
			parts = append(parts, "\n")
		}
		if lay.Escape == source.Backslash {
			parts = append(parts, `\\`[:1])
		}
	}
	if lay.Escape == source.ServerEscapes {
		parts = append(parts, `\`, "\n", "\r\n", "\t", "\b", "N", "t", `"`, lay.Delimiter)
	}
	cell := "c"
	for range rng.IntN(6) {
		cell += parts[rng.IntN(len(parts))]
	}
	return cell
}

func writeCell(rng *rand.Rand, lay source.Layout, cell string) string {
	q := lay.Quote
	if lay.Escape == source.ServerEscapes {
		cell = writeEscapes(rng, lay, cell)
		return []string{cell, q + cell + q}[rng.IntN(2)]
	}
	if q == "" || rng.IntN(2) == 0 && strings.Trim(cell, "cau7.ü") == "" {
		return cell
	}
	if lay.Escape == source.Backslash {
		return q + strings.NewReplacer(`\`, `\\`, q, `\`+q).Replace(cell) + q
	}
	return q + strings.ReplaceAll(cell, q, q+q) + q
}

// writeEscapes escapes a cell as servers do: some write a letter for a tab or a line end, others
// the sign itself after the backslash.
func writeEscapes(rng *rand.Rand, lay source.Layout, cell string) string {
	letters := []string{"\n", `\n`, "\r", `\r`, "\t", `\t`, "\b", `\b`}
	signs := []string{"\r\n", "\\\r\n", "\n", "\\\n"}
	escapes := []string{`\`, `\\`}
	switch {
	case rng.IntN(2) == 0:
		escapes = append(escapes, letters...)
	case lay.LineEnd == "lf":
		escapes = append(escapes, signs...)
	default:
		escapes = append(escapes, letters...)
	}
	for _, sign := range []string{lay.Quote, lay.Delimiter} {
		if sign != "" {
			escapes = append(escapes, sign[:1], `\`+sign[:1])
		}
	}
	return strings.NewReplacer(escapes...).Replace(cell)
}

// TestEscapes shows what becomes of each escape of a server, and what is noted of those that mean
// nothing, or nothing that can be loaded.
func TestEscapes(t *testing.T) {
	for _, c := range []struct{ cell, want, noted string }{
		{`\N`, `\N`, ""},
		{`a\Nb`, `a\Nb`, "backslash that begins no escape, read as text"},
		{`\\N`, `\N`, `the text \N, which would be read as NULL`},
		{`\\\\N`, `\\N`, ""},
		{`C:\\new\\temp`, `C:\new\temp`, ""},
		{`C:\Users`, `C:\Users`, "backslash that begins no escape, read as text"},
		{`a\`, `a\`, "backslash that begins no escape, read as text"},
		{`\b\f\n\r\t\v\Z`, "\b\f\n\r\t\v\x1a", ""},
		{`a\0b`, "a\x00b", "a NUL character"},
		{"a\\\nb\\\tc\\\\", "a\nb\tc\\", ""},
		{`"a\"b"`, `"a"b"`, ""},
	} {
		for _, skip := range []bool{false, true} { // by marks, and byte by byte
			cutter, err := newCutter(source.Layout{LineEnd: "lf", Delimiting: source.Delimiting{Delimiter: "\t", Escape: source.ServerEscapes, SkipSpaces: skip}})
			require.NoError(t, err)
			b := text.CutText(cutter, []byte("x\n\\N\t"+c.cell), true)
			noted := ""
			for _, o := range b.Oddities {
				require.Equal(t, []int{1, 1}, []int{o.Record, o.Cell}, c.cell)
				noted += o.What.String()
			}
			require.Equal(t, []string{`\N`, c.want, c.noted}, []string{string(b.Cell(1, 0)), string(b.Cell(1, 1)), noted}, "%q, byte by byte %t", c.cell, skip)
		}
	}
}

// TestOpenAbove counts what stands above the records, and gives them the lines
// that they have in the file.
func TestOpenAbove(t *testing.T) {
	path := filepath.Join(t.TempDir(), "loans.csv")
	content := "Kestrel Bay Museum\n\n# draft\nNo, Name ,No,\n---,---,---,---\n1,gnat,5,x\nNo, Name ,No,\n2,fern\nTotal,,2,\n"
	require.NoError(t, os.WriteFile(path, []byte(content), 0o600))
	for _, size := range []int{1, 2, 7, 8, 40, 41, pieceSize, pieceSize + 1} {
		src, err := new(source.Opener).Open(context.Background(), path, source.Options{})
		require.NoError(t, err)
		lay := source.DefaultLayout()
		footer := []string{"1", source.Found}[size%2]
		for key, val := range map[string]string{"header": "4", "comment": "#", "ruler": "true", "footer": footer, "fill_short": "true"} {
			require.NoError(t, lay.Set(key, val))
		}
		c, err := newCutter(lay)
		require.NoError(t, err)
		r, headings, err := text.OpenPieces(src, lay, c, size)
		require.NoError(t, err)
		require.Equal(t, []string{"No", "Name", "No (2)", "column_4"}, headings)
		rows, skipped := texttest.Read(t, r, 2)
		require.Equal(t, "6:1|gnat|5|x 8:2|fern||", show(rows))
		require.Equal(t, record.Skipped{1, 1, 1, 1, 1, 1, 0, 0}, skipped)
		require.NoError(t, src.Close())
	}
}

// TestWidePieces checks that a source with long lines has many records in a batch, because some
// work is done once for each column of a batch.
func TestWidePieces(t *testing.T) {
	path := filepath.Join(t.TempDir(), "readings.csv")
	line := strings.Repeat("amber,", 2_000) + "\n"
	require.NoError(t, os.WriteFile(path, []byte(strings.Repeat(line, 400)), 0o600))
	src, err := new(source.Opener).Open(context.Background(), path, source.Options{})
	require.NoError(t, err)
	defer src.Close()
	lay := source.DefaultLayout()
	require.NoError(t, lay.Set("header", "none"))
	require.NoError(t, lay.Set("footer", source.Found))
	c, err := newCutter(lay)
	require.NoError(t, err)
	r, _, err := text.Open(src, lay, c)
	require.NoError(t, err)
	for range 3 {
		piece, err := r.Next()
		require.NoError(t, err)
		b, err := piece.Cut(context.Background())
		require.NoError(t, err)
		require.Greater(t, b.Len(), 64)
	}
}

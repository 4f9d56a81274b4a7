package delimited

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/require"

	"ambertray/internal/frame"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/text"
	"ambertray/internal/text/texttest"
)

const pieceSize = text.PieceSize

var csvCutter = &cutter{delimiter: ',', quote: '"', newline: '\n', limit: text.MaxRecord, rules: frame.Rules{Delimiter: ','}}

// TestCut shows records as cell|cell, ! before a broken one, with the line on
// which each begins.
func TestCut(t *testing.T) {
	for _, c := range []struct{ name, text, want string }{
		{"plain", "a,b\n1,2\n", "1:a|b 2:1|2"},
		{"no line end at the end", "a,b\n1,2", "1:a|b 2:1|2"},
		{"CRLF", "a,b\r\n1,2\r\n", "1:a|b 2:1|2"},
		{"empty cells", "a,\n,,b\n", "1:a| 2:||b"},
		{"rows without any value are blank", ",\n , ,\r\na,\n", "3:a|"},
		{"trailing delimiter at the end", "a,b,", "1:a|b|"},
		{"blank lines are skipped but counted", "a\n\n  \nb\n", "1:a 4:b"},
		{"quoted", "\"a,b\",\"c\"\n", "1:a,b|c"},
		{"doubled quotes", "\"a \"\"b\"\"\",\"\"\"\"\n", "1:a \"b\"|\""},
		{"quoted and empty is a record", "\"\"\nx\n", "1: 2:x"},
		{"line break in quotes", "\"a\nb\",c\nd,e\n", "1:a\nb|c 3:d|e"},
		{"CRLF after a quote", "\"a\",\"b\"\r\nc,d\r\n", "1:a|b 2:c|d"},
		{"quote in an unquoted cell is text", "5\" nail,a\"b\n", "1:5\" nail|a\"b"},
		{"stray quote on one line is text", "\"say \"hi\" now\",x\n", "1:say \"hi\" now|x"},
		{"quote never closed at the end", "a,\"b\nc,d\n", "1:!a,\"b 2:c|d"},
		{"quote never closed before other quotes", "a,\"b\nc,\"d\"\ne,f\n", "1:!a,\"b 2:c|d 3:e|f"},
		{"quote at the very end", "a,\"", "1:!a,\""},
		{"quote closed at the very end", "a,\"b\"", "1:a|b"},
		{"line break in quotes closed at the very end", "\"a\nb\"", "1:a\nb"},
		{"quote, return, end", "\"b\"\r", "1:b"},
		{"ragged", "a,b\n1\n1,2,3\n", "1:a|b 2:1 3:1|2|3"},
		{"only line ends", "\n\r\n\n", ""},
		{"bytes next to the delimiter's value", "a-.,+/\n", "1:a-.|+/"},
	} {
		t.Run(c.name, func(t *testing.T) {
			rows := texttest.ReadAll(t, csvCutter, c.text, pieceSize, 1)
			require.Equal(t, c.want, show(rows))
			for size := 1; size <= len(c.text); size++ {
				again := texttest.ReadAll(t, csvCutter, c.text, size, 2)
				require.Equal(t, rows, again, "pieces of %d bytes", size)
			}
		})
	}
}

// TestByMarks cuts random texts by their marks as byte by byte, which delimiters of several
// characters need: with quotes that are never closed, and lines that are then cut with
// their quotes as text.
func TestByMarks(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	const signs = "\"\",,\n\nab"
	for range 2_000 {
		whole := make([]byte, rng.IntN(150))
		for i := range whole {
			whole[i] = signs[rng.IntN(len(signs))]
		}
		byMarks := *csvCutter
		byMarks.Width = rng.IntN(4)
		byBytes := byMarks
		byBytes.delimiter, byBytes.long = 0, []byte{byMarks.delimiter}
		byBytes.setEnds()
		require.Equal(t, texttest.ReadAll(t, &byBytes, string(whole), pieceSize, 1), texttest.ReadAll(t, &byMarks, string(whole), pieceSize, 1), "%q, %d cells", whole, byMarks.Width)
	}
}

// TestCutText cuts random texts in many dialects. Detection relies on two properties: the bytes
// after a text have no effect, and the usual number of cells has none unless quotes are misplaced.
func TestCutText(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 10))
	const signs = "\"\",,\n\n\r\t  ;#\\ab=="
	clean := 0
	pick := func(words ...string) string { return words[rng.IntN(len(words))] }
	for range 8_000 {
		in := make([]byte, 200)
		for i := range in {
			in[i] = signs[rng.IntN(len(signs))]
		}
		in = in[:rng.IntN(100)]
		c, err := newCutter(source.Layout{
			LineEnd: pick("lf", "cr", "mixed"), Comment: pick("", "#"), Delimiting: source.Delimiting{
				Delimiter: pick("", ",", "\t", ",;", source.Spaces, source.WideSpaces), Quote: pick("", `"`),
				Escape: pick(source.Doubled, source.Backslash, source.Unescaped), SkipSpaces: rng.IntN(2) == 0, TextFormulas: rng.IntN(2) == 0,
			},
		})
		require.NoError(t, err)
		first := text.CutText(c, slices.Clip(in), true)
		want := texttest.RowsOf(first)
		require.Equal(t, want, texttest.RowsOf(text.CutText(c, in, true)), "%q, %+v", in, c)
		if len(first.Oddities) == 0 && first.Skipped.Total() == 0 {
			clean++
			c.Width = 1 + rng.IntN(4)
			require.Equal(t, want, texttest.RowsOf(text.CutText(c, in, true)), "%q, %+v", in, c)
		}
	}
	require.Greater(t, clean, 1_000)
}

// TestManyQuotes cuts long texts in which no quote closes a cell. Time that grew with the
// square of their length would not end.
func TestManyQuotes(t *testing.T) {
	const many = 100_000
	pairs := *csvCutter
	pairs.Width = 2
	for _, c := range []struct {
		text    string
		records int
	}{
		{strings.Repeat("1\",\"x\n", many), many},
		{strings.Repeat("\"\"a\"\",1\n", many), many},
		{strings.Repeat("\"\"a\"\"\n", many), many},
		{strings.Repeat("\"a\n", many), many},
		{strings.Repeat("\"", 2*many), 1},
		{"\"" + strings.Repeat("a\"b", many), 1},
	} {
		require.Equal(t, c.records, text.CutText(&pairs, []byte(c.text), true).Len(), c.text[:8])
	}
}

func show(rows []texttest.Row) string {
	var out []string
	for _, r := range rows {
		text := strings.Join(r.Cells, "|")
		if r.Broken {
			text = "!" + text
		}
		out = append(out, fmt.Sprintf("%d:%s", r.Line, text))
	}
	return strings.Join(out, " ")
}

// reference cuts text one character at a time, in the plainest way: it is what
// the dialect means.
func reference(text string) (rows []texttest.Row) {
	number, line := int64(1), int64(1)
	for len(text) > 0 {
		cells, used, ok := referenceRecord(text)
		if !ok { // an open quote: the line on which it opens is a record of its own
			used = referenceOpenLine(text)
		}
		taken := text[:used]
		raw := strings.TrimSuffix(strings.TrimSuffix(taken, "\n"), "\r")
		if !ok {
			raw = strings.TrimSuffix(taken, "\n")
			cells = []string{raw}
		}
		if !ok || strings.Trim(raw, ", \t\r") != "" {
			rows = append(rows, texttest.Row{Number: number, Line: line, Cells: cells, Broken: !ok})
			number++
		}
		line += int64(strings.Count(taken, "\n"))
		text = text[used:]
	}
	return rows
}

// referenceRecord returns the cells of the first record and its length.
func referenceRecord(s string) (cells []string, used int, ok bool) {
	for i := 0; ; {
		cell, n, ok := referenceCell(s[i:])
		if !ok {
			return nil, 0, false
		}
		cells, i = append(cells, cell), i+n
		if i >= len(s) {
			return cells, i, true
		}
		i++
		if s[i-1] == '\n' {
			return cells, i, true
		}
	}
}

// referenceCell returns the first cell and the offset of what ends it.
func referenceCell(s string) (cell string, n int, ok bool) {
	if !strings.HasPrefix(s, `"`) {
		n = strings.IndexAny(s, ",\n")
		if n < 0 {
			n = len(s)
		}
		cell = s[:n]
		if n == len(s) || s[n] == '\n' {
			cell = strings.TrimRight(cell, "\r")
		}
		return cell, n, true
	}
	var text strings.Builder
	stray := false
	for i := 1; i < len(s); i++ {
		rest := s[i+1:]
		spans := strings.Contains(s[:i], "\n")
		switch {
		case s[i] != '"':
			text.WriteByte(s[i])
		case strings.HasPrefix(rest, `"`):
			text.WriteByte('"')
			i++
		case strings.HasPrefix(rest, ",") || referenceLineEnd(rest) >= 0:
			if stray && spans {
				return "", 0, false
			}
			return text.String(), i + 1 + max(referenceLineEnd(rest), 0), true
		case !stray && !spans && referencePadding(rest) > 0:
			return text.String(), i + 1 + referencePadding(rest), true
		case spans:
			return "", 0, false
		default:
			stray = true
			text.WriteByte('"')
		}
	}
	return "", 0, false
}

// referencePadding returns how many bytes of spaces, and carriage returns after them, stand
// before what ends a cell; 0 if something else is there.
func referencePadding(s string) int {
	rest := strings.TrimLeft(s, " ")
	n := len(s) - len(rest)
	switch {
	case n > 0 && strings.HasPrefix(rest, ","):
		return n
	case n > 0 && referenceLineEnd(rest) >= 0:
		return n + referenceLineEnd(rest)
	}
	return 0
}

// referenceLineEnd returns the offset of the line end or the end of the text,
// when only carriage returns stand before it.
func referenceLineEnd(s string) int {
	n := len(s) - len(strings.TrimLeft(s, "\r"))
	if n < len(s) && s[n] != '\n' {
		return -1
	}
	return n
}

// referenceOpenLine returns the length of the text up to the end of the line
// on which the first record's open quote stands.
func referenceOpenLine(s string) int {
	i := 0
	for {
		_, n, ok := referenceCell(s[i:])
		if !ok {
			k := strings.IndexByte(s[i:], '\n')
			if k >= 0 {
				return i + k + 1
			}
			return len(s)
		}
		i += n + 1
	}
}

// FuzzCut holds the cutter, in pieces of any size, against the reference.
func FuzzCut(f *testing.F) {
	for _, text := range []string{
		"a,b\n1,2\n", "\"a\n\"\"b\",c\r\n\r\n,\n", "a,\"b\nc,\"d\"\ne", "\"x\"y\",\"\n\"", "\"\r", "5\",\"6\n\"7\"\"\n8\",9",
	} {
		f.Add(text, uint8(3))
	}
	f.Fuzz(func(t *testing.T, text string, size uint8) {
		want := reference(text)
		for _, n := range []int{int(size) + 1, pieceSize} {
			got := texttest.ReadAll(t, csvCutter, text, n, 2)
			require.Equal(t, want, got, "pieces of %d bytes", n)
		}
	})
}

// TestRandomText runs the fuzz target over texts made of the characters that
// matter, for more than 64 bytes at a time.
func TestRandomText(t *testing.T) {
	const alphabet = "a,\"\n\r,\" ,bc é\n"
	seed := uint32(1)
	for range 3000 {
		var text strings.Builder
		for n := seed % 190; n > 0; n-- {
			seed = seed*1664525 + 1013904223
			text.WriteByte(alphabet[int(seed>>16)%len(alphabet)])
		}
		seed = seed*1664525 + 1013904223
		want := reference(text.String())
		got := texttest.ReadAll(t, csvCutter, text.String(), int(seed>>20)%80+1, 2)
		require.Equal(t, want, got, "%q", text.String())
	}
}

// TestLongCells has cells longer than many pieces, one of them in quotes.
func TestLongCells(t *testing.T) {
	long := strings.Repeat("amber\n", 400_000)
	rows := texttest.ReadAll(t, csvCutter, "a,\""+long+"\"\n"+strings.ReplaceAll(long, "\n", ";")+",b\nc,d\n", pieceSize, 2)
	require.Len(t, rows, 3)
	require.Equal(t, long, rows[0].Cells[1])
	require.Equal(t, int64(400_003), rows[2].Line)
	require.Equal(t, []string{"c", "d"}, rows[2].Cells)
}

// TestOpenQuoteInLargeText has a quote that is never closed in a text that is
// far longer than a record may be: all but its line is still cut.
func TestOpenQuoteInLargeText(t *testing.T) {
	c := *csvCutter
	c.limit = 1 << 20
	text := "a,\"b\n" + strings.Repeat("c,d\n", 1<<20)
	rows := texttest.ReadAll(t, &c, text, pieceSize, 2)
	require.Len(t, rows, 1<<20+1)
	require.True(t, rows[0].Broken)
	require.Equal(t, texttest.Row{Number: 2, Line: 2, Cells: []string{"c", "d"}}, rows[1])
}

// TestReadErrors passes on what the source says, and ends.
func TestReadErrors(t *testing.T) {
	r := text.NewReader(iotest.TimeoutReader(iotest.OneByteReader(strings.NewReader("a,b\nc,d\n"))), csvCutter, frame.Footer{}, 4, 1)
	works := []record.Work[int]{func(b *record.Batch) (int, error) { return b.Len(), nil }}
	require.ErrorIs(t, record.Run(context.Background(), r, works, func(int) error { return nil }), iotest.ErrTimeout)

	r = text.NewReader(bytes.NewReader(bytes.Repeat([]byte("x"), 3*text.MaxRecord)), csvCutter, frame.Footer{}, pieceSize, 1)
	require.ErrorIs(t, record.Run(context.Background(), r, works, func(int) error { return nil }), text.ErrTooLong)

	ctx, cancel := context.WithCancel(context.Background())
	r = text.NewReader(strings.NewReader(strings.Repeat("a,b\n", 1000)), csvCutter, frame.Footer{}, 8, 1)
	err := record.Run(ctx, r, works, func(int) error { cancel(); return nil })
	require.ErrorIs(t, err, context.Canceled)
}

// The processor's own way of marking and the portable one must agree.
func TestMarks(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	for range 20_000 {
		var block [64]byte
		var want uint64
		for i := range block {
			block[i] = ",\n\"a\xac\x8a\x00\xff"[rng.IntN(8)]
			if block[i] == ',' || block[i] == '\n' {
				want |= 1 << i
			}
		}
		require.Equal(t, want, marks(&block, ',', '\n'), "%q", block)
		require.Equal(t, want, marksPortable(&block, ',', '\n'), "%q", block)
	}
}

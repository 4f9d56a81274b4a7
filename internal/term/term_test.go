package term

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestWords(t *testing.T) {
	for number, want := range map[string]string{
		"0": "0", "1234567": "1,234,567", "-1234.50": "-1,234.50", "-0.5": "-0.5", "12345678901234567890123.1": "12,345,678,901,234,567,890,123.1", "": "", "n/a": "n/a",
	} {
		require.Equal(t, want, Grouped(number))
	}
	require.Equal(t, "1 record", Amount(1, "record"))
	require.Equal(t, "1,200 records", Amount(1200, "record"))
	require.Equal(t, "2 ms", Seconds(0.0021))
	require.Equal(t, "12.30 s", Seconds(12.3))
	require.Equal(t, "amb…", Shorten("amber", 4))
	require.Equal(t, "漢…", Shorten("漢字", 3))
	require.Equal(t, "a⏎b", Printable("a\nb"))
	var out bytes.Buffer
	p := NewPrinter(&out)
	p.colour = true
	p.Line("%s %s", p.Red("\x1b[31m\x1b[2J"), "a\u202eb\x9b\xff\x07\u200fü")
	require.Equal(t, p.Red("␛[31m␛[2J")+" a<U+202E>b\uFFFD\uFFFD␇<U+200F>ü\n", out.String(), "data cannot steer the terminal")
}

// TestTable aligns without colour where there is no terminal.
func TestTable(t *testing.T) {
	var out bytes.Buffer
	p := NewPrinter(&out)
	p.Table([]Column{{Title: "column"}, {Title: "rows", Right: true}, {Title: "example", Max: 6}}, [][]string{
		{p.Amber("名前"), "1,200", "long\ntext"}, {"b", "7", ""}, {"short"},
	})
	require.Equal(t, "  column   rows  example\n  名前    1,200  long⏎…\n  b           7\n  short\n", out.String())
}

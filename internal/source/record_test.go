package source_test

import (
	"context"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/source"
)

// TestRecordLength reads fixed-length records without line endings as lines.
func TestRecordLength(t *testing.T) {
	var records []string
	for i := range 30_000 { // more than is read at once
		records = append(records, fmt.Sprintf("%07d琥é %c", i, 'A'+i%26))
	}
	const length = 11
	text, want := strings.Join(records, ""), strings.Join(records, "\n")
	for name, c := range map[string]struct{ encoding, text, want, says string }{
		"utf-8":           {"utf-8", text, want, ""},
		"utf-16":          {"utf-16le", text, want, ""},
		"a last line end": {"utf-8", text + "\r\n", want, ""},
		"an end of file":  {"utf-8", text + "\x1a", want, ""},
		"a long end":      {"utf-8", text + strings.Repeat("\n\x1a", 1<<17), want, ""},
		"a late record":   {"utf-8", text + strings.Repeat("\n", 1<<17) + "x", "", "record 30001 has a line end at its character 1 of 11"},
		"too short":       {"utf-8", text + "abc", "", "the last one, 30001, has 3 characters of 11"},
		"lines":           {"utf-8", want, "", "record 2 has a line end at its character 1 of 11"},
		"mainframe":       {"ibm037", strings.ReplaceAll(strings.ReplaceAll(text, "琥", "x"), "é", "y"), strings.ReplaceAll(strings.ReplaceAll(want, "琥", "x"), "é", "y"), ""},
	} {
		enc, err := source.EncodingByName(c.encoding)
		require.NoError(t, err)
		raw, err := enc.Encode([]byte(c.text))
		require.NoError(t, err, name)
		got, err := readText(&source.Opener{}, write(t, "records.dat", raw), source.Options{Encoding: c.encoding, RecordLength: length})
		if c.says != "" {
			require.ErrorIs(t, err, source.ErrRecordLength, name)
			require.ErrorContains(t, err, c.says, name)
			continue
		}
		require.NoError(t, err, name)
		require.True(t, c.want == got, "%s: %d bytes, not %d", name, len(got), len(c.want))
	}
}

// TestMainframe detects EBCDIC text and encodes it without loss.
func TestMainframe(t *testing.T) {
	lines := "No;Name;Found\n1;gnat, \"small\";2026-01-05\n2;beetle (red);1999-12-31\n"
	for _, name := range []string{"ibm037", "ibm1047"} {
		enc, err := source.EncodingByName(name)
		require.NoError(t, err)
		raw, err := enc.Encode([]byte(lines))
		require.NoError(t, err)
		got, s := readAll(t, &source.Opener{}, write(t, "a.csv", raw), source.Options{})
		require.Equal(t, []string{lines, name}, []string{got, s.Encoding.Name})
		require.NotContains(t, string(raw), "\n")
	}
	for _, plain := range []string{"zmk/azmk,", "éé"} { // bytes that are letters and signs in EBCDIC
		plain = strings.Repeat(plain, 1000)
		got, s := readAll(t, &source.Opener{}, write(t, "a.csv", []byte(plain)), source.Options{})
		require.Equal(t, []string{plain, "utf-8"}, []string{got, s.Encoding.Name})
	}
	enc, err := source.EncodingByName("cp1140")
	require.NoError(t, err)
	raw, err := enc.Encode([]byte(strings.Repeat("000017GNAT    €", 30)))
	require.NoError(t, err)
	_, err = readText(&source.Opener{}, write(t, "a.dat", raw), source.Options{Encoding: "ibm1140"})
	require.ErrorIs(t, err, source.ErrNoLines)
}

// readText reads a whole source, or returns why it cannot be read.
func readText(o *source.Opener, name string, opts source.Options) (string, error) {
	s, err := o.Open(context.Background(), name, opts)
	if err != nil {
		return "", err
	}
	defer s.Close()
	text, err := io.ReadAll(s)
	return string(text), err
}

package tabbed_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/tabbed"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// fields reads a row as the manuals of MySQL and MariaDB say that LOAD DATA does with FIELDS
// TERMINATED BY '\t' ESCAPED BY '\\' LINES TERMINATED BY '\n'. A nil field is NULL.
func fields(row []byte) (list [][]byte) {
	field, escaped := []byte{}, false
	for i := 0; i < len(row); i++ {
		c := row[i]
		switch {
		case c == '\\' && i+1 < len(row):
			i++
			unescaped, special := map[byte]byte{'0': 0, 'b': '\b', 'n': '\n', 'r': '\r', 't': '\t', 'Z': 26}[row[i]]
			if special {
				field = append(field, unescaped)
			} else {
				field = append(field, row[i])
			}
			escaped = true
		case c == '\t':
			if escaped && string(field) == "N" && bytes.HasSuffix(row[:i], []byte(`\N`)) && len(field) == 1 {
				field = nil
			}
			list, field, escaped = append(list, field), []byte{}, false
		case c == '\n':
			return append(list, []byte("a row ends here"))
		default:
			field = append(field, c)
		}
	}
	return list
}

// FuzzText writes texts that another reader of the format gives back byte by byte.
func FuzzText(f *testing.F) {
	for _, text := range []string{"", "amber", "\\N", "N", "\\", "\\\\", "\t", "\r\n", "tab\tin", "ends in \\", "\\t", "ü漢😀", "\x00\x1a\b"} {
		f.Add(text, "next")
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		var e tabbed.Encoder
		put := e.Column(0, table.Type{Kind: table.Text})
		row := put(e.AppendRecord(nil), &value.Value{Text: []byte(a)})
		row = put(e.AppendNull(row, 1), &value.Value{Text: []byte(b)})
		require.Equal(t, [][]byte{[]byte(a), nil, []byte(b)}, fields(row), "%q", row)
	})
}

// TestValues writes values of every kind in the form that the servers read without a guess.
func TestValues(t *testing.T) {
	for _, c := range []struct {
		typ  string
		v    value.Value
		want string
	}{
		{"timestamp with time zone, offset", value.Value{Int: 0}, "1970-01-01 00:00:00+00:00"},
		{"smallint", value.Value{Int: -32768}, "-32768"},
		{"boolean", value.Value{Int: 1}, "1"},
		{"decimal(7,2)", value.Value{Int: -5, Scale: 2}, "-0.05"},
		{"decimal(38,10)", value.Value{Wide: true, Negative: true, Text: []byte("12345678901234567890123456780123456789"), Scale: 10}, "-1234567890123456789012345678.0123456789"},
		{"double", value.Value{Float: 1e300}, "1e+300"},
		{"double", value.Value{Float: 0.1}, "0.1"},
		{"date", value.Value{Int: -1}, "1969-12-31"},
		{"time", value.Value{Int: 86399_500_000}, "23:59:59.500000"},
		{"timestamp", value.Value{Int: -500_000}, "1969-12-31 23:59:59.500000"},
		{"timestamp with time zone", value.Value{Int: 0}, "1970-01-01 00:00:00"},
		{"char(3)", value.Value{Text: []byte("a\tb")}, `a\tb`},
	} {
		name, offset := strings.CutSuffix(c.typ, ", offset")
		typ, err := table.ParseType(name)
		require.NoError(t, err)
		row := tabbed.Encoder{Offset: offset}.Column(0, typ)(nil, &c.v)
		require.Equal(t, c.want+"\t", string(row), c.typ)
		require.NotContains(t, strings.TrimSuffix(string(row), "\t"), "\n")
	}
}

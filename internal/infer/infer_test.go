package infer_test

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"context"

	"ambertray/internal/convert"
	"ambertray/internal/delimited"
	"ambertray/internal/dialect"
	"ambertray/internal/infer"
	"ambertray/internal/record"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// profile profiles one column of values with so many workers.
func profile(t testing.TB, values []string, workers int) *infer.Column {
	t.Helper()
	columns := make([]infer.Column, workers)
	var works []record.Work[int]
	for i := range columns {
		works = append(works, func(b *record.Batch) (int, error) { columns[i].Add(b, 0, 2); return 0, nil })
	}
	require.NoError(t, record.Run(context.Background(), open(t, values), works, func(int) error { return nil }))
	for i := range columns[1:] {
		columns[0].Merge(&columns[i+1])
	}
	return &columns[0]
}

// open opens a file of two columns, the first of the values.
func open(t testing.TB, values []string) record.Reader {
	t.Helper()
	var text bytes.Buffer
	for _, v := range values {
		fmt.Fprintf(&text, "\"%s\",x\n", strings.ReplaceAll(v, `"`, `""`))
	}
	path := filepath.Join(t.TempDir(), "column.csv")
	require.NoError(t, os.WriteFile(path, text.Bytes(), 0o600))
	src, err := new(source.Opener).Open(context.Background(), path, source.Options{})
	require.NoError(t, err)
	t.Cleanup(func() { src.Close() })
	r, _, err := delimited.Open(src, source.Layout{Delimiter: ",", Quote: `"`})
	require.NoError(t, err)
	return r
}

func list(s string) []string { return strings.Split(s, "|") }

func repeat(s string, n int) []string { return list(strings.Repeat(s+"|", n-1) + s) }

// TestChoose is a table of columns and what becomes of them.
func TestChoose(t *testing.T) {
	for _, c := range []struct {
		name, typ, format string
		values            []string
		says              string // in the evidence, or what stands in the way
	}{
		{"whole numbers", "integer", "", list("1|20|-300"), "3 whole numbers; -300 to 20"},
		{"beyond 32 bits", "bigint", "", list("1|3000000000"), ""},
		{"beyond 64 bits", "decimal(21,0)", "", list("1|12345678901234567890"), ""},
		{"money", "decimal(7,2)", "", list("0.12|4,310.00|12.5"), "',' is a thousands separator in 1"},
		{"thousands only", "integer", "", list("1,234|5,678"), "',' is a thousands separator"},
		{"decimal comma", "decimal(6,2)", "", list("12,5|1,25|100"), "',' is the decimal sign"},
		{"points for thousands", "decimal(7,2)", "", list("1.234,50|2,25"), "'.' is a thousands separator in 1"},
		{"exponents", "double", "", list("1e5|2.5"), "1 with an exponent"},
		{"too many digits", "text", "", []string{strings.Repeat("9", 41), "1"}, ""},
		{"codes of one width", "char(5)", "", list("00123|45678|00001"), "5 digits in all 3 values, 2 begin with 0: a code, not a number"},
		{"codes of many widths", "varchar(10)", "", list("07|123"), "1 value begins with 0"},
		{"zero and one", "integer", "", list("0|1|1"), "write type: boolean if 1 means true"},
		{"true words", "boolean", "", list("Yes|no|NO"), `"yes" or "no"`},
		{"two pairs of words", "varchar(10)", "", list("yes|true"), ""},
		{"ISO dates", "date", "yyyy-MM-dd", list("2026-01-31|1999-12-01"), "1999-12-01 to 2026-01-31"},
		{"day first", "date", "dd/MM/yyyy", list("01/02/2026|13/02/2026"), `day first: "13/02/2026" on line 2`},
		{"month first", "date", "MM/dd/yyyy", list("01/02/2026|02/13/2026"), `month first: "02/13/2026" on line 2`},
		{"ambiguous", "date", "dd.MM.yyyy", list("01.02.2026|03.04.2026"), "ambiguous"},
		{"both orders", "char(10)", "", list("13/02/2026|02/13/2026"), "dates in two orders"},
		{"dates and times", "timestamp", "yyyy-MM-dd HH:mm:ss", list("2026-01-31 10:00:01|2026-01-31"), "2 timestamps"},
		{"times", "time", "HH:mm:ss", list("10:00|11:30:05"), ""},
		{"one impossible date", "date", "dd/MM/yyyy", append(repeat("13/01/2026", 150), "31/02/2026"), `"31/02/2026" on line 151; write type: char(10)`},
		{"one text among numbers", "varchar(20)", "", append(repeat("12", 150), "about a dozen"), `write type: integer to reject it`},
		{"null words", "integer", "", list("12|n/a|7|N/A"), `2 are "n/a", read as no value`},
		{"only null words", "char(3)", "", list("n/a|n/a"), ""},
		{"country codes with NA", "char(2)", "", list("DE|NA|FR"), ""},
		{"blank", "text", "", list("| |"), "blank in every record"},
		{"UUIDs", "uuid", "", list("123e4567-e89b-12d3-a456-426614174000"), ""},
		{"words", "varchar(10)", "", list("ant|beetle"), "text of 3 to 6 characters; room for 10"},
		{"characters, not bytes", "char(5)", "", list("Größe|Süßes"), "5 characters in every value"},
		{"long text", "text", "", []string{strings.Repeat("x", 1700), "y"}, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := profile(t, c.values, 1).Choose()
			require.Equal(t, c.typ, got.Type.String())
			require.Equal(t, c.format, got.Format)
			require.Contains(t, got.Evidence+got.Way, c.says)
			convertAll(t, c.values, got)
		})
	}
}

// convertAll holds the promise of a choice: every value converts, but for
// those that it said would be rejected.
func convertAll(t *testing.T, values []string, c infer.Choice) {
	t.Helper()
	tab := &table.Table{Columns: []table.Column{{
		From: "a", Name: "a", Type: c.Type, Format: c.Format, Nullable: c.Nullable,
		Thousands: c.Thousands, Decimal: c.Decimal, NullWords: c.NullWords,
	}}}
	for _, d := range dialect.All() {
		conv, err := convert.New(tab, []string{"a", "b"}, d, nil)
		require.NoError(t, err)
		var rejects []convert.Reject
		err = record.Run(context.Background(), open(t, values), []record.Work[*convert.Block]{conv.Worker()}, func(k *convert.Block) error {
			rejects = append(rejects, k.Rejects...)
			return nil
		})
		require.NoError(t, err)
		require.Len(t, rejects, int(c.Rejects), "%v", rejects)
	}
}

// TestParallel profiles more than the exact count holds, serially and in
// parallel, and wants the same from both.
func TestParallel(t *testing.T) {
	var many, few []string
	for i := range 90_000 {
		many = append(many, fmt.Sprintf("%d.%02d", i%70_001, i%100))
		few = append(few, []string{"12", "n/a", "a", "07", "13/01/2026", "yes", ""}[i*i%7])
	}
	for _, values := range [][]string{many, few} {
		serial, parallel := profile(t, values, 1), profile(t, values, 4)
		require.Equal(t, serial.Choose(), parallel.Choose())
		require.Equal(t, serial.Examples(), parallel.Examples())
		require.Equal(t, serial.Blanks, parallel.Blanks)
	}
	c := profile(t, many, 2).Choose()
	require.False(t, c.Sure)
	require.InEpsilon(t, 90_000, c.Distinct, 0.05)
	require.Equal(t, "0.00", c.Min)
	require.Equal(t, "70000.00", c.Max)
}

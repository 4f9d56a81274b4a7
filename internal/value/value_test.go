package value

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestScan(t *testing.T) {
	for _, c := range []struct {
		cell  string
		kind  Kind
		n     int64 // Int
		scale int
	}{
		{"0", Integer, 0, 0}, {"42", Integer, 42, 0}, {"-7", Integer, -7, 0}, {"+7", Integer, 7, 0}, {" 12 ", Integer, 12, 0},
		{"999999999999999999", Integer, 999999999999999999, 0}, {"1,234", Integer, 1234, 0}, {"1,234,567", Integer, 1234567, 0},
		{"1.50", Decimal, 150, 2}, {"-0.05", Decimal, -5, 2}, {".5", Decimal, 5, 1}, {"1,234.56", Decimal, 123456, 2},
		{"1234,5", Decimal, 12345, 1}, {"1.234,56", Decimal, 123456, 2}, {"0.000000000000000001", Decimal, 1, 18},
		{"007", Code, 0, 0}, {"00", Code, 0, 0}, {"01.5", Code, 0, 0}, {"1e5", Exponent, 0, 0}, {"1.5E-7", Exponent, 0, 0},
		{"1,2,3", Text, 0, 0}, {"12,34", Decimal, 1234, 2}, {"1.2.3", Text, 0, 0}, {"1,23,456", Text, 0, 0}, {"-", NullWord, 0, 0},
		{"1e", Text, 0, 0}, {"e5", Text, 0, 0}, {".", Text, 0, 0}, {"5.", Decimal, 5, 0}, {"12 34", Text, 0, 0}, {"1e999", Text, 0, 0},
		{"2026-01-31", Date, 20484, 0}, {"1970-01-01", Date, 0, 0}, {"2024/02/29", Date, 19782, 0}, {"31.12.1969", Date, -1, 0},
		{"2023-02-29", Impossible, 0, 0}, {"31/02/2026", Impossible, 0, 0}, {"13/13/2026", Impossible, 0, 0}, {"0000-01-01", Impossible, 0, 0},
		{"2026-1-5", Date, 20458, 0}, {"2026-01", Text, 0, 0}, {"2026-01/31", Text, 0, 0}, {"1/2/3/4", Text, 0, 0}, {"01/02/68", Date, 35825, 0},
		{"1970-01-01 00:00:01", Timestamp, 1e6, 0}, {"1970-01-02T00:00", Timestamp, 86400e6, 0}, {"1970-01-01 00:00:00.25", Timestamp, 250000, 0},
		{"1970-01-01 24:00", Text, 0, 0}, {"1970-01-01 10:00:00.1234567", Text, 0, 0}, {"12:30", Time, 45000e6, 0}, {"23:59:59", Time, 86399e6, 0},
		{"25:00", Text, 0, 0}, {"yes", Boolean, 1, 0}, {"FALSE", Boolean, 0, 0}, {"N", Boolean, 0, 0}, {"no way", Text, 0, 0},
		{"n/a", NullWord, 0, 0}, {"NULL", NullWord, 0, 0}, {"123e4567-e89b-12d3-a456-426614174000", UUID, 0, 0},
		{"123e4567-e89b-12d3-a456-42661417400g", Text, 0, 0}, {"amber", Text, 0, 0}, {"Größe", Text, 0, 0},
	} {
		t.Run(c.cell, func(t *testing.T) {
			var v Value
			shape := Scan([]byte(c.cell), &v)
			require.Equal(t, shape, ScanLike(Date, []byte(c.cell), &v))
			require.Equal(t, c.kind, shape.Kind)
			if c.kind != Text && c.kind != Code && c.kind != Impossible {
				require.Equal(t, c.n, v.Int)
				require.Equal(t, c.scale, v.Scale)
			}
		})
	}
}

// TestWide keeps every digit of numbers beyond 64 bits.
func TestWide(t *testing.T) {
	var v Value
	require.Equal(t, Decimal, Scan([]byte("-12,345,678,901,234,567,890.125"), &v).Kind)
	require.True(t, v.Wide)
	require.Equal(t, "-12345678901234567890.125", string(v.AppendDecimal(nil)))
	require.Equal(t, Integer, Scan([]byte("9223372036854775807"), &v).Kind)
	require.True(t, v.Narrow())
	require.Equal(t, int64(9223372036854775807), v.Int)
}

// TestFormats reads each pattern back, and finds it in what it would write.
func TestFormats(t *testing.T) {
	require.Len(t, formats, 3+3*5*(1+2*3))
	for pattern, f := range formats {
		again, err := ParseFormat(pattern, f.Shape.Kind)
		require.NoError(t, err)
		require.Equal(t, pattern, again.String())
	}
	_, err := ParseFormat("dd/mm/yyyy", Date)
	require.ErrorContains(t, err, "dd/MM/yyyy")
}

// FuzzScan looks for texts that make a scanner fail or disagree with itself.
func FuzzScan(f *testing.F) {
	for _, s := range []string{"1,234.5", "-.e1", "31/12/99 1:00", "2026-02-30T23:59:59.999999", "1.2,3", "- 1", "yes"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if Blank([]byte(s)) {
			return
		}
		var v, w Value
		shape := Scan([]byte(s), &v)
		require.Equal(t, shape, Scan([]byte(" "+s+"\t"), &w), "white space changes nothing")
		if shape.Kind == Integer || shape.Kind == Decimal {
			plain := string(v.AppendDecimal(nil))
			again := Scan([]byte(plain), &w)
			require.Equal(t, Plain, again.Notation, plain)
			require.Equal(t, plain, string(w.AppendDecimal(nil)))
		}
	})
}

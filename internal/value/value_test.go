package value

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"strings"
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
		{"007", Code, 7, 0}, {"00", Code, 0, 0}, {"01.5", Code, 15, 1}, {"-007.50", Code, -750, 2}, {"00000000012", Code, 12, 0},
		{"+0012", Code, 12, 0}, {"0012-", Code, -12, 0}, {"0012+", Code, 12, 0}, {"(007)", Code, -7, 0}, {"65+", Text, 0, 0}, {"+000000001", Code, 1, 0}, {"1e5", Exponent, 100000, 0}, {"1.5E-7", Exponent, 15, 8}, {"1e50", Exponent, 0, 0},
		{",5", Decimal, 5, 1}, {"-,25", Decimal, -25, 2}, {"9,57e-04", Exponent, 957, 6}, {",", Text, 0, 0}, {"1,2e", Text, 0, 0}, {"1.2,3e5", Text, 0, 0},
		{"1,2,3", Text, 0, 0}, {"12,34", Decimal, 1234, 2}, {"1.2.3", Text, 0, 0}, {"1,23,456", Integer, 123456, 0}, {"-", NullWord, 0, 0},
		{"1e", Text, 0, 0}, {"e5", Text, 0, 0}, {".", NullWord, 0, 0}, {"5.", Decimal, 5, 0}, {"12 34", Text, 0, 0}, {"1e999", Text, 0, 0},
		{"2026-01-31", Date, 20484, 0}, {"1970-01-01", Date, 0, 0}, {"2024/02/29", Date, 19782, 0}, {"31.12.1969", Date, -1, 0},
		{"2023-02-29", Impossible, 0, 0}, {"31/02/2026", Impossible, 0, 0}, {"13/13/2026", Impossible, 0, 0}, {"0000-01-01", Impossible, 0, 0}, {"0000-00-00", NullWord, 0, 0}, {"00/00/0000", NullWord, 0, 0},
		{"2026-1-5", Date, 20458, 0}, {"2026-01", Text, 0, 0}, {"2026-01/31", Text, 0, 0}, {"1/2/3/4", Text, 0, 0}, {"01/02/68", Date, 35825, 0},
		{"1970-01-01 00:00:01", Timestamp, 1e6, 0}, {"1970-01-02T00:00", Timestamp, 86400e6, 0}, {"1970-01-01 00:00:00.25", Timestamp, 250000, 0},
		{"1970-01-01 24:00", Text, 0, 0}, {"1970-01-01 10:00:00.1234567", Timestamp, 36000123456, 0}, {"12:30", Time, 45000e6, 0}, {"23:59:59", Time, 86399e6, 0},
		{"25:00", Text, 0, 0}, {"yes", Boolean, 1, 0}, {"FALSE", Boolean, 0, 0}, {"N", Boolean, 0, 0}, {"no way", Text, 0, 0},
		{"n/a", NullWord, 0, 0}, {"NULL", NullWord, 0, 0}, {"123e4567-e89b-12d3-a456-426614174000", UUID, 0, 0}, {"{123E4567-e89b-12d3-a456-426614174000}", UUID, 0, 0}, {"{123E4567-e89b-12d3-a456-426614174000", Text, 0, 0},
		{"£1,234.50", Decimal, 123450, 2}, {"(12.50)", Decimal, -1250, 2}, {"-€5", Integer, -5, 0}, {"5,00 €", Decimal, 500, 2},
		{"EUR 1.234,56", Decimal, 123456, 2}, {"12.50-", Decimal, -1250, 2}, {"(£5)", Integer, -5, 0}, {"−3.5", Decimal, -35, 1},
		{"12.5%", Decimal, 125, 3}, {"7 %", Decimal, 7, 2}, {"1 234 567", Integer, 1234567, 0}, {"1\u202f234,5", Decimal, 12345, 1},
		{"1'234.50", Decimal, 123450, 2}, {"12,34,567.8", Decimal, 12345678, 1}, {"1.234.567", Integer, 1234567, 0}, {"$", Text, 0, 0},
		{"--5", Text, 0, 0}, {"(-5)", Text, 0, 0}, {"£05", Text, 0, 0}, {"12 34", Text, 0, 0}, {"£5%", Text, 0, 0}, {"kr 12", Integer, 12, 0},
		{"PEN1", Text, 0, 0}, {"5CAD", Text, 0, 0}, {"$5", Integer, 5, 0}, {"+4420794600", Text, 0, 0}, {"+44 207 946 000", Text, 0, 0},
		{"20260131", Integer, 20260131, 0}, {"5 Mar 2026", Date, 20517, 0}, {"March 5, 2026", Date, 20517, 0}, {"05-MAR-26", Date, 20517, 0},
		{"2026-Mar-05", Date, 20517, 0}, {"Thu, 5th Mar. 2026", Date, 20517, 0}, {"5Mar2026", Date, 20517, 0}, {"31 Feb 2026", Impossible, 0, 0},
		{"Mar 2026", Text, 0, 0}, {"May Day", Text, 0, 0}, {"March of 1900", Text, 0, 0}, {"26/03/05", Date, 12868, 0}, {"05 03 2026", Date, 20517, 0},
		{"1970-01-01T01:00:00+01:00", Instant, 0, 0}, {"1970-01-01 00:00Z", Instant, 0, 0}, {"1970/01/01 1:00:00 AM GMT+1", Instant, 0, 0}, {"1970-01-01 00:00 UTC-05:30", Instant, 19800e6, 0}, {"1970-01-01 00:00 +1", Text, 0, 0}, {"1970-01-01 00:00:01 -0030", Instant, 1801e6, 0},
		{"1/1/1970 1:05 pm", Timestamp, 47100e6, 0}, {"12:00 AM", Time, 0, 0}, {"12:00am", Time, 0, 0}, {"13:00 pm", Text, 0, 0},
		{"1970-01-01 00:00:00.2500000", Timestamp, 250000, 0}, {"1970-01-01 00:00:00,25", Timestamp, 250000, 0}, {"1970-01-01 10:00+19:00", Text, 0, 0},
		{"20260305 10:15:00", Timestamp, 20517*86400e6 + 36900e6, 0}, {"20260305T101500", Timestamp, 20517*86400e6 + 36900e6, 0}, {"20260305 101500", Timestamp, 20517*86400e6 + 36900e6, 0},
		{"20260305T101500+0100", Instant, 20517*86400e6 + 33300e6, 0}, {"20260305101500Z", Instant, 20517*86400e6 + 36900e6, 0}, {"20260305 9:15", Timestamp, 20517*86400e6 + 33300e6, 0},
		{"1970-01-01-10.15.00.250000", Timestamp, 36900.25e6, 0}, {"1970-01-01-05:00", Text, 0, 0}, {"01-JAN-70 12.00.01.250000000 AM", Timestamp, 1.25e6, 0}, {"01-JAN-70 01.00.00 PM +01:00", Instant, 43200e6, 0},
		{"Jan  1 1970  1:05PM", Timestamp, 47100e6, 0}, {"Jan  1 1970 12:00:01:250AM", Timestamp, 1.25e6, 0}, {"1970-01-01 00:00:01:25", Text, 0, 0}, {"01/Jan/1970:01:00:00 +0100", Instant, 0, 0},
		{"01JAN1970:00:00:01.25", Timestamp, 1.25e6, 0}, {"01JAN1970:00.01", Text, 0, 0}, {"12.05 AM", Time, 300e6, 0}, {"12.05", Decimal, 1205, 2}, {"NaT", NullWord, 0, 0},
		{"20261305 101500", Impossible, 0, 0}, {"20260305 246000", Text, 0, 0}, {"20260305 1015", Text, 0, 0}, {"20260305X101500", Text, 0, 0}, {"99990305 101500", Text, 0, 0},
		{"5. Mar 2026", Date, 20517, 0}, {"5. 3. 2026", Date, 20517, 0}, {"5. MÄRZ 2026", Date, 20517, 0}, {"5 marzo 2026", Date, 20517, 0}, {"05-mrt-2026", Date, 20517, 0},
		{"1er mars 2026", Date, 20513, 0}, {"Do 05.03.2026", Date, 20517, 0}, {"donnerstag, 5. märz 2026", Date, 20517, 0}, {"mar. 3 mars 2026", Date, 20515, 0}, {"Mar 3, 2026", Date, 20515, 0}, {"Quinta-feira, 5 de março de 2026", Date, 20517, 0},
		{"Thu 2026-03-05 00:00Z", Instant, 20517 * 86400e6, 0}, {"2026年3月5日(木)", Date, 20517, 0}, {"2026年3月5日 星期四", Date, 20517, 0}, {"2026年3月5日x", Text, 0, 0}, {"5 марта 2026 г.", Date, 20517, 0}, {"5 września 2026", Date, 20701, 0}, {"2026. 03. 05.", Date, 20517, 0}, {"05.03.2026.", Text, 0, 0},
		{"Thu Mar  5 00:00:01 2026", Timestamp, 20517*86400e6 + 1e6, 0}, {"Thu Mar 5 01:00:00 +0100 2026", Instant, 20517 * 86400e6, 0}, {"Mar 5 00:00 2026", Text, 0, 0}, {"Mar 5 00:00:01 26", Text, 0, 0}, {"So 12-10-2026", Text, 0, 0}, {"SO 4/10/2026", Date, 20730, 0}, {"Thu Mar 05 2026 01:00:00 GMT+0100 (Central European Time)", Instant, 20517 * 86400e6, 0}, {"Thu, 5 Mar 2026 00:00:00 +0000 (UTC)", Instant, 20517 * 86400e6, 0}, {"2026-03-05 01:00:00 +0100 CET", Instant, 20517 * 86400e6, 0}, {"2026-03-05 01:00 +0100 cet", Text, 0, 0}, {"2026-03-05 01:00 +0100 (a) b", Text, 0, 0}, {"Thu 5", Text, 0, 0}, {"Sat 12/12", Text, 0, 0}, {"so 10:30", Text, 0, 0},
		{"5. 3. 26", Text, 0, 0}, {"5. 3 2026", Text, 0, 0}, {"5 jui 2026", Text, 0, 0}, {"- 5", Integer, -5, 0}, {"- 1.234,5", Decimal, -12345, 1}, {"- -5", Text, 0, 0},
		{"no data", NullWord, 0, 0}, {"–", NullWord, 0, 0}, {"nein", Boolean, 0, 0}, {"Sí", Boolean, 1, 0},
		{"123e4567-e89b-12d3-a456-42661417400g", Text, 0, 0}, {"amber", Text, 0, 0}, {"Größe", Text, 0, 0},
	} {
		t.Run(c.cell, func(t *testing.T) {
			var v Value
			shape := Scan([]byte(c.cell), &v)
			require.Equal(t, shape, ScanLike(Date, []byte(c.cell), &v))
			if shape.Kind.HasDate() {
				v.Resolve(shape, shape.Orders()[0])
			}
			require.Equal(t, c.kind, shape.Kind)
			if c.kind != Text && c.kind != Impossible {
				require.Equal(t, c.n, v.Int)
				require.Equal(t, c.scale, v.Scale)
			}
		})
	}
}

// TestPlain reads numbers and dates of all forms near to the plain ones, and their values are
// those that the general scanners read, which a space before a cell leads to.
func TestPlain(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	plain := 0
	for range 60_000 {
		form := []string{"9999999", "99999999", "9999.99", "9.99999", "999.999", "99.999.9", "9", "0.999", "0999", "00", "2099-19-39", "2099-19-39 29:69:69", "2099-19-39T29:69:69"}[rng.IntN(13)]
		cell := []byte("9.9-9.9-9.9-9.9-9.9-9.9-9.9-9.9-")[:0] // what follows a cell is no part of it
		for _, c := range []byte(form)[rng.IntN(2)*rng.IntN(len(form)):] {
			switch {
			case rng.IntN(60) == 0:
				c = "-/ .:Tx9"[rng.IntN(8)]
			case isDigit(c):
				c = '0' + byte(rng.IntN(int(c-'0')+1))
			}
			cell = append(cell, c)
		}
		if Blank(cell) {
			continue
		}
		var quick, general Value
		_, ok := scanPlain(cell, &quick)
		s := Scan(append([]byte{' '}, cell...), &general)
		if !ok {
			continue
		}
		plain++
		require.Equal(t, s, Scan(cell, &quick), "%q", cell)
		require.Equal(t, general, quick, "%q", cell)
		for i, order := range s.Orders() {
			if !s.Kind.HasDate() {
				break
			}
			_, exists := quick.Rank(s, i)
			require.Equal(t, general.Resolve(s, order), exists, "%q", cell)
		}
	}
	require.Greater(t, plain, 25_000)
}

// TestRank orders moments by their rank as by their number.
func TestRank(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for range 20_000 {
		var v [2]Value
		var rank [2]int64
		form := []string{"%04d-%02d-%02d %02d:%02d:%02d", "%04d-%02d-%02dT%02d:%02d:%02dZ"}[rng.IntN(2)]
		for i := range v {
			text := fmt.Sprintf(form, 1+rng.IntN(9999), 1+rng.IntN(12), 13+rng.IntN(16), rng.IntN(24), rng.IntN(60), rng.IntN(60))
			s := Scan([]byte(text), &v[i])
			require.True(t, v[i].Resolve(s, YearMonthDay), text)
			n, ok := v[i].Rank(s, 0)
			require.True(t, ok, text)
			rank[i] = n
		}
		require.Equal(t, cmp.Compare(v[0].Int, v[1].Int), cmp.Compare(rank[0], rank[1]), "%s, %s", v[0].Text, v[1].Text)
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

// TestFormats writes one moment in every pattern that there is, and reads the
// pattern and the text back.
func TestFormats(t *testing.T) {
	write := strings.NewReplacer("EEE", "Thu", "yyyy", "2026", "yy", "26", "MMM", "Mar", "MM", "03", "dd", "05", "HH", "14", "hh", "02",
		"mm", "07", "SSSSSS", "250000", "ss", "09", "a", "PM", "XXX", "+01:00", "'T'", "T", "'", "")
	const day = 20517
	seen := 0
	for layout := range uint32(layoutsCount) {
		for separator := uint32(0); separator < separatorsEnd; separator += separatorSlash {
			for _, rest := range []uint32{0, weekday, shortYear, jointT, jointColon, halfDays, jointT | halfDays, pointClock, weekday | pointClock, jointDash | pointClock, shortYear | pointClock | halfDays, weekday | clockInside} {
				for clock := noClock; clock <= clockFraction; clock += clockMinutes {
					for _, kind := range []Kind{Date, Timestamp, Instant} {
						shape := Shape{kind, layout | separator | rest | clock}
						for _, order := range shape.Orders() {
							pattern := Format{shape, order}.String()
							f, err := ParseFormat(pattern, kind)
							if err != nil || f.Shape != shape {
								continue // a notation that does not exist, such as a date with a clock
							}
							require.Equal(t, pattern, f.String())
							var v Value
							got := Scan([]byte(write.Replace(pattern)), &v)
							got = v.Redate(got, []byte(write.Replace(pattern)))
							require.True(t, f.Takes(got), "%s: %s is %+v", pattern, write.Replace(pattern), got)
							require.True(t, v.Resolve(got, f.Order), pattern)
							micros := map[uint32]int64{clockMinutes: 50820e6, clockSeconds: 50829e6, clockFraction: 50829250000}[clock]
							want := map[Kind]int64{Date: day, Timestamp: day*microsPerDay + micros, Instant: day*microsPerDay + micros - 3600e6}[kind]
							require.Equal(t, want, v.Int, pattern)
							if kind == Date {
								want *= microsPerDay
							}
							written := NewPattern(pattern).Append(nil, want)
							again := v.Redate(Scan(written, &v), written)
							require.True(t, f.Takes(again) && v.Resolve(again, f.Order), "%s: %s", pattern, written)
							seen++
						}
					}
				}
			}
		}
	}
	require.Greater(t, seen, 500)
	for pattern, says := range map[string]string{"dd/mm/yyyy": "dd/MM/yyyy", "yyyy": "yyyy-MM-dd", "dd/MM": "dd", "MM/yyyy/dd": "dd", "yyyyMMdd HH:mm": "dd", "yyyy-MM-dd-HH:mm": "dd", "yyyyMMdd:HH:mm": "dd"} {
		_, err := ParseFormat(pattern, Date)
		require.ErrorContains(t, err, says, pattern)
	}
	for _, pattern := range []string{"hh:mm:ss a", "hh.mm a"} {
		f, err := ParseFormat(pattern, Time)
		require.NoError(t, err)
		require.Equal(t, pattern, f.String())
	}
}

// TestPatterns writes a moment as a person may write a pattern, and reads it back.
func TestPatterns(t *testing.T) {
	const moment = 20517*microsPerDay + 32829_250_000
	for pattern, want := range map[string]string{
		"d MMMM yyyy H:mm": "5 March 2026 9:07", "EEEE, d. MMM yy HH:mm": "Thursday, 5. Mar 26 09:07", "yyyy-MM-dd'T'HH:mm:ss.SSSX": "2026-03-05T09:07:09.250Z",
		"E M/d/yyyy h:mm a": "Thu 3/5/2026 9:07 AM", "dd MMM yyyy HH:mm:ss ZZZZ": "05 Mar 2026 09:07:09 +00:00", "yyyyMMdd'T'HHmmssXXX": "20260305T090709Z",
	} {
		written := NewPattern(pattern).Append(nil, moment)
		require.Equal(t, want, string(written))
		var v Value
		shape := Scan(written, &v)
		f, err := ParseFormat(pattern, shape.Kind)
		require.NoError(t, err, pattern)
		require.True(t, f.Takes(shape) && v.Resolve(shape, f.Order), pattern)
		require.Equal(t, int64(moment)/60e6, v.Int/60e6, pattern)
	}
}

// TestAffixes scans all short texts of the signs that stand around numbers. A number has a
// digit, or is the dash of accounts beside a currency.
func TestAffixes(t *testing.T) {
	signs := []string{"(", ")", "-", "+", "$", "€", "%", " ", ".", "5"}
	texts := []string{""}
	for range 5 {
		var longer []string
		for _, text := range texts {
			for _, sign := range signs {
				longer = append(longer, text+sign)
			}
		}
		texts = longer
		for _, text := range texts {
			cell := Trim([]byte(text))
			if len(cell) == 0 {
				continue
			}
			var v Value
			s := Scan(cell, &v)
			if s.Kind != Integer && s.Kind != Decimal {
				continue
			}
			dash := s.Notation&Dash == Dash
			require.Equal(t, !dash, strings.Contains(text, "5"), text)
			require.Equal(t, dash, v.Int == 0, text)
			require.Equal(t, !dash && strings.ContainsAny(text, "(-"), v.Int < 0, text)
			require.Equal(t, strings.ContainsAny(text, "$€"), s.Currency() != 0, text)
		}
	}
}

// FuzzScan looks for texts that make a scanner fail or disagree with itself.
func FuzzScan(f *testing.F) {
	for _, s := range []string{"1,234.5", "-.e1", "31/12/99 1:00", "2026-02-30T23:59:59.999999", "1.2,3", "- 1", "yes", "(£1,2)", "( )", "$ -", "5th May 26 1 pm", "1e-99", "€ 5 %", "\u3000"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if Blank([]byte(s)) {
			return
		}
		var v, w Value
		shape := Scan([]byte(s), &v)
		require.Equal(t, shape, Scan([]byte(" "+s+"\t"), &w), "white space changes nothing")
		require.Equal(t, v, w, "white space changes nothing")
		if shape.Kind == Integer || shape.Kind == Decimal {
			plain := string(v.AppendDecimal(nil))
			again := Scan([]byte(plain), &w)
			require.Zero(t, again.Notation&^(LonePoint|CompactDate), plain)
			require.Equal(t, plain, string(w.AppendDecimal(nil)))
		}
	})
}

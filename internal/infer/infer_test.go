package infer_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
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
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/template"
)

// profile profiles one column of values with so many workers.
func profile(t testing.TB, values []string, workers int) *infer.Column {
	t.Helper()
	columns := make([]infer.Column, workers)
	var works []record.Work[int]
	for i := range columns {
		works = append(works, func(b *record.Batch) (int, error) { add(&columns[i], b, nil); return 0, nil })
	}
	require.NoError(t, record.Run(context.Background(), open(t, values), works, func(int) error { return nil }))
	for i := range columns[1:] {
		columns[0].Merge(&columns[i+1])
	}
	return &columns[0]
}

// add profiles the first of two columns.
func add(p *infer.Column, b *record.Batch, hashes []uint64) []uint64 {
	var rows infer.Rows
	rows.Of(b, 2)
	return p.Add(&rows, 0, hashes)
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
	r, _, err := delimited.Format.Open(src, source.Layout{Delimiting: source.Delimiting{Delimiter: ",", Quote: `"`}})
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
		{"decimal comma", "decimal(6,2)", "", list("12,5|1,25|100"), "',' is the decimal separator"},
		{"points for thousands", "decimal(7,2)", "", list("1.234,50|2,25"), "'.' is a thousands separator in 1"},
		{"three decimals after a point", "decimal(5,3)", "", list("1.234|0.5"), "2 numbers of up to 3 decimals"},
		{"groups after points, decided by another", "integer", "", list("1.234|1.234.567"), "'.' is a thousands separator in 2"},
		{"groups after points with decimals", "decimal(6,1)", "", list("1.234|12,5"), "',' is the decimal separator; '.' is a thousands separator in 1"},
		{"one comma before three digits", "integer", "", list("1,234|567"), "ambiguous: ',' was read as the thousands separator"},
		{"decided by a shorter one", "decimal(5,3)", "", list("1,234|0,5"), "',' is the decimal separator"},
		{"spaces for thousands", "decimal(9,1)", "", list("1 234 567,5|12"), "a space is a thousands separator in 1"},
		{"NULL as servers dump it", "varchar(10)", "", list(`ant|\N|bee`), `1 is "\\N", read as no value`},
		{"apostrophes", "decimal(7,2)", "", list("1'234.50|2"), "an apostrophe is a thousands separator"},
		{"Indian groups", "integer", "", list("12,34,567|1,000"), "',' is a thousands separator in 2"},
		{"two decimal signs", "varchar(10)", "", append(repeat("1.5", 60), "1.234,5"), "60 of 61 are numbers, but 1 is not: \"1.234,5\" on line 61"},
		{"pounds", "decimal(7,2)", "", list("£1,200|£3.50|(£4)|7"), "4 amounts in GBP; (£4) to £1,200; 1 has no currency"},
		{"euros", "decimal(6,2)", "", list("12,50 €|EUR 100"), "2 amounts in EUR"},
		{"two currencies", "varchar(10)", "", list("£5|€6|£7"), "2 of 3 are amounts in GBP, but 1 is not: \"€6\" on line 2; write type: decimal(4,2), currency: GBP"},
		{"accounts", "integer", "", list("(12)|5-|7"), "2 are negative, written as in accounts"},
		{"accounts with currencies", "decimal(7,2)", "", list("$ 1,234.50|$ (5.00)|($7.25)|$ -|- $"), "2 are negative, written as in accounts; 2 are a dash, which is zero in accounts"},
		{"apostrophes", "decimal(7,2)", "", list("1'234.50|7.25"), "an apostrophe is a thousands separator in 1"},
		{"words of one length", "varchar(10)", "", list("an ant|a bee "), "text of 6 characters; room for 10"},
		{"percent", "decimal(5,3)", "", list("12.5%|7 %"), "stored as a fraction"},
		{"some percent", "varchar(10)", "", list("12%|7|8%"), "2 of 3 are percentages, but 1 is not"},
		{"exponents", "double", "", list("1e5|2.5e-7|1"), "2 with an exponent"},
		{"one exponent", "decimal(9,1)", "", list("1E+06|2.5|7"), "no digit is lost"},
		{"exponents too far apart", "double", "", list("1e30|2e-30|5|6|7"), ""},
		{"whole numbers of a program that thinks in decimals", "integer", "", list("1.0|25.0|3"), "2 end in .0"},
		{"prices in whole pounds", "decimal(5,2)", "", list("1.00|25.00"), ""},
		{"one half", "decimal(4,1)", "", list("1.0|25.5"), ""},
		{"floating point, printed", "double", "", list("0.30000000000000004|51.50735100000001|2"), "as floating point is printed"},
		{"many digits that it would lose", "decimal(22,18)", "", list("0.300000000000000041|511.507351"), ""},
		{"telephone numbers", "varchar(20)", "", list("612 345 678|699 000 111"), "more likely a telephone number"},
		{"sort codes", "char(8)", "", list("20-01-15|45-67-89|12-34-56"), ""},
		{"addresses of machines", "varchar(20)", "", list("192.168.100.100|10.0.0.1"), ""},
		{"twenty digits each", "char(20)", "", list("12345678901234567890|12345678901234567891"), ""},
		{"too many digits", "text", "", []string{strings.Repeat("9", 41), "1"}, ""},
		{"codes that lost their zeros", "varchar(10)", "", list("00123|45678|312|00001"), "some without their leading zeros, such as \"312\" on line 3; pad_zeros: 5 restores them"},
		{"numbers with zeros before them and signs", "integer", "", list("000123|-000045|000007-|+001200"), "4 whole numbers; -000045 to +001200; 4 begin with 0, and some have a sign: not codes"},
		{"amounts with zeros before them and signs", "decimal(6,2)", "", list("000123,50|000045,10-"), "2 numbers of up to 2 decimals; 000045,10- to 000123,50; ',' is the decimal separator; 2 begin with 0, and some have a sign: not codes; 1 is negative, written as in accounts"},
		{"codes with a point", "char(5)", "", list("01.11|01.50|99.00"), "5 digits and signs in all 3 values, 2 begin with 0: a code, not a number"},
		{"codes of one width", "char(5)", "", list("00123|45678|00001"), "5 digits in all 3 values, 2 begin with 0: a code, not a number"},
		{"codes of many widths", "varchar(10)", "", list("07|123"), "1 value begins with 0"},
		{"zero and one", "integer", "", list("0|1|1"), "write type: boolean if 1 means true"},
		{"true words", "boolean", "", list("Yes|no|NO"), `"Yes" or "NO"`},
		{"true only", "boolean", "", list("TRUE||TRUE"), `every value is "TRUE"`},
		{"yes only", "varchar(10)", "", list("yes|yes"), ""},
		{"two pairs of words", "varchar(10)", "", list("yes|true"), ""},
		{"ISO dates", "date", "yyyy-MM-dd", list("2026-01-31|1999-12-01"), "1999-12-01 to 2026-01-31"},
		{"day first", "date", "dd/MM/yyyy", list("01/02/2026|13/02/2026"), `day first: "13/02/2026" on line 2`},
		{"month first", "date", "MM/dd/yyyy", list("01/02/2026|02/13/2026"), `month first: "02/13/2026" on line 2`},
		{"ambiguous", "date", "dd.MM.yyyy", list("01.02.2026|03.04.2026"), "ambiguous"},
		{"both orders", "char(10)", "", list("13/02/2026|02/13/2026"), "1 of 2 are dates, but 1 is not: \"02/13/2026\" on line 2"},
		{"mostly day first", "date", "dd/MM/yyyy", append(repeat("25/01/2026", 150), "02/13/2026"), "1 value is not a valid date and is rejected: \"02/13/2026\" on line 151"},
		{"two-digit years", "date", "dd.MM.yy", list("31.12.68|01.02.69"), "69 to 99 are 1969 to 1999"},
		{"two-digit years or days first", "date", "dd.MM.yy", list("05.01.26|13.01.26"), "ambiguous: no number is over 31, so it is read day first"},
		{"two-digit years first", "date", "yy-MM-dd", list("99-12-31|25-01-02"), "year, month, day: \"99-12-31\" on line 1"},
		{"year, day, month", "date", "yyyy/dd/MM", list("2026/31/01|2026/02/03"), "year, day, month: \"2026/31/01\" on line 1"},
		{"names of months", "date", "dd MMM yyyy", list("5 Mar 2026|31 December 1999"), "2 dates"},
		{"Spanish and Portuguese", "date", "dd 'de' MMM 'de' yyyy", list("5 de enero de 2026|31 de Dezembro de 1999"), "2 dates"},
		{"Japanese and Chinese", "date", "yyyy'年'MM'月'dd'日'", list("2026年1月5日|2026年03月04日|1999年12月31日|2026年5月31日"), "4 dates"},
		{"a month that does not exist", "varchar(20)", "", list("2026年13月5日|2026年1月5日|2026年1月6日"), "1 is not"},
		{"Japanese times", "timestamp(0)", "yyyy'年'MM'月'dd'日' HH:mm", list("2026年1月5日 10:15|2026年12月31日 23:59"), "2 timestamps"},
		{"American names", "date", "MMM dd, yyyy", list("Mar 5, 2026|December 31, 1999"), ""},
		{"shouted", "date", "dd-MMM-yy", list("05-MAR-26|31-DEC-99"), ""},
		{"compact", "date", "yyyyMMdd", list("20260305|19991231"), "all 2 numbers are dates written yyyyMMdd"},
		{"nearly compact", "integer", "", list("20260305|19991331"), ""},
		{"compact times", "timestamp(0)", "yyyyMMddHHmmss", list("20260305101500|19991231235959"), ""},
		{"am and pm", "timestamp(0)", "MM/dd/yyyy hh:mm a", list("3/25/2026 1:05 PM|3/5/2026 12:00 AM"), "month first"},
		{"offsets", "timestamp(0) with time zone", "yyyy-MM-dd'T'HH:mm:ssXXX", list("2026-03-05T10:00:00Z|2026-03-05T10:00:00+01:00"), "kept as the moment in UTC"},
		{"times of Oracle", "timestamp(2)", "dd-MMM-yy hh.mm.ss.SSSSSS a", list("05-MAR-26 01.30.00.250000 PM|31-DEC-99 12.00.00.000000 AM"), "2 timestamps"},
		{"times of DB2", "timestamp", "yyyy-MM-dd-HH.mm.ss.SSSSSS", list("2026-03-05-13.30.00.250001|1999-12-31-00.00.00.000000"), "2 timestamps"},
		{"times of SQL Server", "timestamp(0)", "MMM dd, yyyy hh:mm a", list("Mar  5 2026  1:30PM|Dec 31 1999 12:00AM"), "2 timestamps"},
		{"times of SAS", "timestamp(0)", "ddMMMyyyy:HH:mm:ss", list("05MAR2026:13:30:00|31DEC1999:00:00:00"), "2 timestamps"},
		{"dates with offsets", "char(16)", "", list("2026-03-05-05:00|1999-12-31+01:00"), "16 characters in every value"},
		{"billionths of a second", "varchar(40)", "", list("2026-03-05T13:30:00.123456789Z|1999-12-31T00:00:00Z|1999-12-31T00:00:00.500000000Z"),
			`1 value has more digits of a second than timestamp with time zone keeps: "2026-03-05T13:30:00.123456789Z" on line 1; write type: timestamp with time zone, format: yyyy-MM-dd'T'HH:mm:ss.SSSSSSXXX, round: true to round them down`},
		{"ten-millionths of a second", "char(16)", "", list("13:30:00.1234567|23:59:59.9999999"), "2 values have more digits of a second than time keeps"},
		{"some offsets", "varchar(30)", "", list("2026-03-05T10:00:00Z|2026-03-05T10:00:00|2026-03-05T11:00:00Z"), "2 of 3 are dates, but 1 is not"},
		{"times of half days", "time(0)", "hh:mm a", list("1:05 pm|12:00 AM"), ""},
		{"dates and times", "timestamp(0)", "yyyy-MM-dd HH:mm:ss", list("2026-01-31 10:00:01|2026-01-31"), "2 timestamps"},
		{"dates at midnight", "date", "yyyy-MM-dd", list("2026-01-31 00:00:00|1999-12-01"), "every time of day is midnight"},
		{"not all at midnight", "timestamp(0)", "yyyy-MM-dd HH:mm:ss", list("2026-01-31 00:00:00|1999-12-01 00:00:01"), ""},
		{"zeros for no date without separators", "date", "yyyyMMdd", list("20260131|00000000|20260228|99991231|00000000"), `all 3 numbers are dates written yyyyMMdd; 20260131 to 99991231; 2 are "00000000", read as no value`},
		{"zeros among codes", "char(8)", "", list("20260131|00000000|20260228|00000017"), `begin`},
		{"zeros for no date", "date", "yyyy-MM-dd", list("2026-01-31|0000-00-00|0000-00-00"), `2 are "0000-00-00", read as no value`},
		{"thousandths of a second", "timestamp(3)", "yyyy-MM-dd HH:mm:ss.SSSSSS", list("2026-01-31 10:00:01.120|2026-01-31 10:00:01.125000|2026-01-31 10:00"), ""},
		{"tenths of a second", "time(1)", "HH:mm:ss.SSSSSS", list("10:00|11:30:05.500"), ""},
		{"offsets with microseconds", "timestamp with time zone", "yyyy-MM-dd'T'HH:mm:ss.SSSSSSXXX", list("2026-03-05T00:00:00.000001+01:00"), ""},
		{"times", "time(0)", "HH:mm:ss", list("10:00|11:30:05"), ""},
		{"one impossible date", "date", "dd/MM/yyyy", append(repeat("13/01/2026", 150), "31/02/2026"), `"31/02/2026" on line 151; write type: char(10)`},
		{"one text among numbers", "varchar(20)", "", append(repeat("12", 150), "about a dozen"), `write type: integer to reject it`},
		{"null words", "integer", "", list("12|n/a|7|N/A"), `2 are "n/a", read as no value`},
		{"null words with spaces", "integer", "", list("12| NULL|7|  null"), `2 are "NULL", read as no value`},
		{"only null words", "varchar(10)", "", list("n/a|n/a"), ""},
		{"country codes with NA", "char(2)", "", list("DE|NA|FR"), ""},
		{"blank", "text", "", list("| |"), "blank in every record"},
		{"nothing but NULL", "text", "", list(`\N||\N`), `NULL in every record: nothing says what it is; 2 are "\\N", read as no value`},
		{"UUIDs", "uuid", "", list("123e4567-e89b-12d3-a456-426614174000"), ""},
		{"one word again and again", "varchar(10)", "", append(repeat("12", 15), "lent", "lent"), `null_words: ["lent"] to read them as no value`},
		{"a null word in text", "varchar(10)", "", list("ant|beetle|n/a"), `1 is "n/a": null_words would read it as no value`},
		{"null words in text", "varchar(10)", "", append(list("ant|-|?|n/a|n/a|?|?|gnat|elk|fox"), "tbd"), `3 are "?", 2 are "n/a", 1 is "-", 1 more word is like these: null_words would read them as no value`},
		{"two words only", "varchar(10)", "", list("paid|unpaid|paid|paid|paid"), `only "paid" and "unpaid": with true_words`},
		{"words of another language", "boolean", "", list("oui|non|Oui"), `"Oui" or "non"`},
		{"tags of one length", "char(6)", "", list("KB-001|KB-002"), "6 characters in every value"},
		{"words of one length", "varchar(10)", "", list("amber|resin"), "text of 5 characters"},
		{"words", "varchar(10)", "", list("ant|beetle"), "text of 3 to 6 characters; room for 10"},
		{"spaces before most", "varchar(10) trim", "", list(" ant| beetle|gnat"), ""},
		{"a space before one", "varchar(10)", "", list(" ant|beetle"), ""},
		{"a space before the only one", "varchar(10)", "", list(" ant"), ""},
		{"codes that end with spaces", "varchar(10)", "", list(strings.Repeat("AB-1|", 30) + "CD- |AB-2"), "text of 4 characters"},
		{"characters, not bytes", "varchar(10)", "", list("Größe|Süßes"), "text of 5 characters"},
		{"long text", "text", "", []string{strings.Repeat("x", 1700), "y"}, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := profile(t, c.values, 1).Choose(infer.Options{})
			typ := got.Type.String()
			if got.Trim {
				typ += " trim"
			}
			require.Equal(t, c.typ, typ)
			require.Equal(t, c.format, got.Format)
			require.Contains(t, got.Evidence+got.Obstacle, c.says)
			convertAll(t, c.values, got)
		})
	}
}

// planned returns the table that a choice makes of the first column.
func planned(c infer.Choice) *table.Table {
	return &table.Table{Columns: []table.Column{{
		From: "a", Name: "a", Type: c.Type, Format: c.Format, Nullable: c.Nullable,
		Thousands: c.Thousands, Decimal: c.Decimal, Currency: c.Currency, Percent: c.Percent, NullWords: c.NullWords, Trim: c.Trim,
	}}}
}

// convertAll holds the promise of a choice: every value converts, but for
// those that it said would be rejected.
func convertAll(t *testing.T, values []string, c infer.Choice) {
	t.Helper()
	for _, d := range dialect.All() {
		conv, err := convert.New(planned(c), []string{"a", "b"}, template.Origin{}, d, nil)
		require.NoError(t, err)
		var rejects []reject.Reject
		err = record.Run(context.Background(), open(t, values), []record.Work[*convert.Block]{conv.Worker()}, func(k *convert.Block) error {
			rejects = append(rejects, k.Rejects...)
			return nil
		})
		require.NoError(t, err)
		require.Len(t, rejects, int(c.Rejects), "%v", rejects)
	}
}

// TestOptions settles by the policy on headroom and by other columns what the
// values leave open.
func TestOptions(t *testing.T) {
	snug := infer.Options{Fit: infer.Snug}
	for values, typ := range map[string]string{"1|300": "smallint", "1|70000": "integer", "1.25|300": "decimal(5,2)", "ant|beetle": "varchar(6)"} {
		require.Equal(t, typ, profile(t, list(values), 1).Choose(snug).Type.String(), values)
	}
	other := infer.Options{Conventions: infer.Conventions{MonthFirst: true, DecimalComma: true, From: "Due back"}}
	c := profile(t, list("01/02/2026|03/04/2026"), 1).Choose(other)
	require.Equal(t, "MM/dd/yyyy", c.Format)
	require.Contains(t, c.Evidence, `ambiguous on its own; month first as in "Due back"`)
	c = profile(t, list("25/02/2026|03/04/2026"), 1).Choose(other)
	require.Equal(t, "dd/MM/yyyy", c.Format)
	require.Equal(t, "decimal(5,3)", profile(t, list("1,234|2,500"), 1).Choose(other).Type.String())
	require.Equal(t, "integer", profile(t, list("1.234|250"), 1).Choose(other).Type.String())
	require.Equal(t, "decimal(5,3)", profile(t, list("1.234|2.5"), 1).Choose(other).Type.String())

	c = profile(t, list("01/1/2026|02/1/2026|03/1/2026|04/1/2026|05/1/2026|06/1/2026"), 1).Choose(infer.Options{})
	require.Equal(t, "MM/dd/yyyy", c.Format)
	require.Contains(t, c.Guess, "no number is over 12, and all second ones are the same, so it is read month first; if it is day first, write format: dd/MM/yyyy")

	monthFirst, dayFirst := profile(t, list("25/02/2026|03/04/2026"), 1).DayOrder()
	require.False(t, monthFirst)
	require.True(t, dayFirst)
	for values, want := range map[string][2]bool{"1,5": {true, false}, "1.5|2": {false, true}, "1,500": {}, "1.500|7": {}, "1.234.567": {true, false}, "1,5|2.5": {true, true}} {
		comma, point := profile(t, list(values), 1).DecimalSign()
		require.Equal(t, want, [2]bool{comma, point}, values)
	}
}

// TestAnyValue chooses types for random columns of all sorts of values, and
// every value must convert.
func TestAnyValue(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 9))
	pool := list("1|-20|3.5|1,234|1.234|1.234,5|1 000|£3|12 €|5%|(4)|7-|1e5|1e-9|007|yes|no|n|2026-01-31|2026-13-01|31/12/2025|1/2/26|" +
		"20260131|5 Mar 2026|2026-01-31 10:00|2026-01-31T10:00Z|10:15|3 pm|n/a|-|tbc|amber|KB-1|123e4567-e89b-12d3-a456-426614174000| ")
	for range 200 {
		var values []string
		some := make([]string, 1+rng.IntN(3))
		for i := range some {
			some[i] = pool[rng.IntN(len(pool))]
		}
		for range 2 + rng.IntN(8) {
			values = append(values, some[rng.IntN(len(some))])
		}
		for _, fit := range []infer.Fit{infer.Roomy, infer.Snug} {
			convertAll(t, values, profile(t, values, 1).Choose(infer.Options{Fit: fit}))
		}
	}
}

// TestKeys finds what identifies records, also where there are more values
// than are counted.
func TestKeys(t *testing.T) {
	for _, c := range []struct {
		batches [][]string
		want    bool
	}{
		{[][]string{list("1|2|3"), list("4"), list("9|10")}, true},
		{[][]string{list("3|2"), list("1"), list("0|-1")}, true},
		{[][]string{list("1|2"), list("2|3")}, false},
		{[][]string{list("1|2"), list("9|8")}, false},
		{[][]string{list("5"), list("6"), list("4")}, false},
		{[][]string{list("1|x")}, false},
	} {
		keys := infer.NewKeys(1)
		for _, values := range c.batches {
			var hashes []uint64
			p := new(infer.Column)
			require.NoError(t, record.Run(context.Background(), open(t, values), []record.Work[int]{func(b *record.Batch) (int, error) {
				hashes = add(p, b, hashes)
				return 0, nil
			}}, func(int) error { return nil }))
			require.Len(t, hashes, len(values))
			keys.Add([]infer.Run{p.Rising()}, [][]uint64{hashes})
		}
		require.Equal(t, c.want, keys.Unique(0), "%v", c.batches)
	}
	keys := infer.NewKeys(3)
	keys.Add(make([]infer.Run, 3), [][]uint64{{1, 1, 2, 2}, {7, 8, 7, 8}, {5, 5, 5, 6}})
	require.Equal(t, []infer.Pair{{A: 0, B: 1, Sure: true, Dense: true}}, keys.Pairs([]int{0, 1, 2}, []int64{2, 2, 2}))
	keys.Add(make([]infer.Run, 3), nil)
	require.Equal(t, []infer.Pair{{A: 0, B: 1, Dense: true}}, keys.Pairs([]int{0, 1, 2}, []int64{2, 2, 2}))
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
		require.Equal(t, serial.Choose(infer.Options{}), parallel.Choose(infer.Options{}))
		require.Equal(t, serial.Examples(), parallel.Examples())
		require.Equal(t, serial.Blanks, parallel.Blanks)
	}
	c := profile(t, many, 2).Choose(infer.Options{})
	require.False(t, c.Sure)
	require.InEpsilon(t, 90_000, c.Distinct, 0.05)
	require.Equal(t, "0.00", c.Min)
	require.Equal(t, "70000.00", c.Max)
}

// TestManyColumns checks that fewer values are counted exactly if a source has many columns,
// because their sets would take too much memory.
func TestManyColumns(t *testing.T) {
	values := make([]string, 5_000)
	for i := range values {
		values[i] = fmt.Sprintf("tray %d", i*7919%5_000)
	}
	for columns, sure := range map[int]bool{1: true, 64: true, 1_000: false} {
		p := &infer.NewColumns(columns)[0]
		require.NoError(t, record.Run(context.Background(), open(t, values), []record.Work[int]{func(b *record.Batch) (int, error) {
			add(p, b, nil)
			return 0, nil
		}}, func(int) error { return nil }))
		c := p.Choose(infer.Options{})
		require.Equal(t, sure, c.Sure, columns)
		require.InEpsilon(t, 5_000, c.Distinct, 0.03)
	}
}

// TestMerge divides the batches of several files among columns in every way, and wants what
// one column has: of a survey nothing may depend on which processor was faster.
func TestMerge(t *testing.T) {
	random := rand.New(rand.NewPCG(11, 7))
	some := list("1|1.0|01|1,5|1.5|12|-|n/a|NULL|ant|BEE|yes|no|2026-01-02|02/01/2026|13/01/2026|31/02/2026|1e3|1000|10:30|")
	for range 300 {
		columns := make([]infer.Column, 1+random.IntN(3))
		var whole infer.Column
		titles := list("a.csv|b.csv|c.csv|d.csv")
		kinds := 1 + random.IntN(len(some))
		for part := range titles {
			values := make([]string, 1+random.IntN(4))
			for i := range values {
				values[i] = some[random.IntN(kinds)]
			}
			b := cut(t, values)
			b.Part = part
			for _, p := range []*infer.Column{&whole, &columns[random.IntN(len(columns))]} {
				p.Origin.Parts = titles
				add(p, b, nil)
			}
		}
		random.Shuffle(len(columns), func(i, j int) { columns[i], columns[j] = columns[j], columns[i] })
		merged := &columns[0]
		for i := range columns[1:] {
			merged.Merge(&columns[i+1])
		}
		require.Equal(t, whole.Choose(infer.Options{}), merged.Choose(infer.Options{}))
		require.Equal(t, whole.Kinds(), merged.Kinds())
		require.Equal(t, whole.Examples(), merged.Examples())
		require.Equal(t, whole.NullWords(&infer.Choice{}), merged.NullWords(&infer.Choice{}))
	}
}

// TestForms profiles numbers of a few forms. Most lie between two others and are not scanned. The
// profile must be the same as if all were.
func TestForms(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 8))
	groups := list("dd 0dd|d.d dd|0.ddd d.ddd|-d.dd -0.dd|d,ddd 0,ddd|-d,ddd -0,ddd|dd,d d%|$d.ddd $0.ddd (d.d)|€d.ddd €0.ddd|0000000d dddddddd|20dddddd|" +
		"dddddddddd +ddddddddd|d'ddd dd-|dddddddd.dddddd|9dddddddd.dd 1ddddddddd.d|-d.dd +d.dd|d.z|d.de0d|zd/zd/2d|dd:dd|20ddddddzddddd")
	for round := range 3 * len(groups) {
		some := strings.Fields(groups[round%len(groups)])
		values := make([]string, 200)
		for i := range values {
			form := []byte(one(random, some...))
			for at, c := range form {
				if c == 'd' || c == 'z' && random.IntN(50) == 0 {
					form[at] = byte('0' + random.IntN(10))
				} else if c == 'z' {
					form[at] = '0'
				}
			}
			values[i] = string(form)
		}
		whole := profile(t, values, 1)
		var alone infer.Column
		for i := 0; i < len(values); i += 5 { // too few to learn a form
			b := cut(t, values[i:i+5])
			b.FirstRecord, b.FirstLine = int64(i+1), int64(i+1)
			var some infer.Column
			add(&some, b, nil)
			alone.Merge(&some)
		}
		for _, fit := range []infer.Fit{infer.Roomy, infer.Snug} {
			require.Equal(t, alone.Choose(infer.Options{Fit: fit}), whole.Choose(infer.Options{Fit: fit}), "%q", values)
		}
		require.Equal(t, alone.Kinds(), whole.Kinds())
		require.Equal(t, [4]any{alone.Shortest, alone.Longest, string(alone.First), string(alone.Last)},
			[4]any{whole.Shortest, whole.Longest, string(whole.First), string(whole.Last)})
	}
}

// cut returns the only batch of a file of the values.
func cut(t testing.TB, values []string) *record.Batch {
	t.Helper()
	piece, err := open(t, values).Next()
	require.NoError(t, err)
	b, err := piece.Cut(context.Background())
	require.NoError(t, err)
	return b
}

// TestSorts names what most values of a part are, whatever batches they come in.
func TestSorts(t *testing.T) {
	for want, cells := range map[string][]string{
		"numbers": {"1", "2.5", "1e3", "n/a", "", "lost"}, "codes": {"007", "12", "13"}, "text": {"ant", "bee", "5"}, "dates": {"2026-01-01", "31/02/2026", "2026-01-01 10:00:00"},
		"times": {"10:30", "11:45"}, "booleans": {"true", "false"}, "UUIDs": {"8c1f5d3e-6a52-4b39-9d5e-0f6a1c2b3d4e"}, "": {"n/a", "", "-"},
	} {
		whole := profile(t, cells, 2)
		s := whole.Sorts()
		require.Equal(t, want, s.Main(), "%q", cells)
		var sum infer.Sorts
		for _, cell := range cells {
			part := profile(t, []string{cell}, 1)
			sum.Add(part.Sorts())
		}
		require.Equal(t, s, sum)
		require.Equal(t, infer.Sorts{}, s.Since(s))
	}
	mixed := profile(t, []string{"1", "2", "ant", "bee"}, 1)
	s := mixed.Sorts()
	require.Empty(t, s.Main(), "as many of one sort as of the other")
}

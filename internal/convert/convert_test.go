package convert_test

import (
	"bytes"
	"context"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/figures"
	"ambertray/internal/intake"
	"ambertray/internal/record"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/template"
	"ambertray/internal/value"
)

// words is an encoder that writes what it gets as text, to be examined.
type words struct{}

func (words) AppendRecord(dst []byte) []byte      { return append(dst, '[') }
func (words) AppendNull(dst []byte, _ int) []byte { return append(dst, "null "...) }
func (words) Column(_ int, t table.Type) func([]byte, *value.Value) []byte {
	return func(dst []byte, v *value.Value) []byte {
		switch {
		case t.Textual() || t.Kind == table.UUID:
			dst = append(dst, v.Text...)
		case t.Kind == table.Double:
			dst = append(dst, figures.FormatFloat(v.Float)...)
		default:
			dst = v.AppendDecimal(dst)
		}
		return append(dst, ' ')
	}
}

// run converts the records of a text with the given columns.
func run(t *testing.T, text string, d *dialect.Dialect, cols ...table.Column) (out string, rejects []reject.Reject, figures []table.Figures) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "a.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	in, err := intake.Open(context.Background(), &source.Opener{}, []string{path}, source.DefaultLayout(), intake.Expected{}, false)
	require.NoError(t, err)
	defer in.Close()
	conv, err := convert.New(&table.Table{Columns: cols}, in.Headings, template.Origin{
		Load: "0007", Files: []template.File{{Name: path, Named: map[string]string{"year": "2026"}}},
	}, d, words{})
	require.NoError(t, err)
	totals := conv.Totals()
	err = record.Run(context.Background(), in, []record.Work[*convert.Block]{conv.Worker()}, func(k *convert.Block) error {
		out += string(k.Data)
		rejects = append(rejects, k.Rejects...)
		totals.Add(k.Totals())
		return nil
	})
	require.NoError(t, err)
	return out, rejects, totals.Figures()
}

// TestCells is a table of cells, the type that they are read as, and what
// becomes of them: a value, or a reason.
func TestCells(t *testing.T) {
	for _, c := range []struct{ typ, rule, cell, want, reason string }{
		{"smallint", "", "32768", "", "does not fit smallint"},
		{"double", "", "-0", "0", ""},
		{"double", "", "9007199254740993", "9.007199254740992e+15", ""},
		{"double", "exact", "9007199254740993", "", "double would not give it back unchanged"},
		{"double", "exact", "-9007199254740992", "-9.007199254740992e+15", ""},
		{"double", "exact", "12345678901234567", "", "double would not give it back unchanged"},
		{"double", "exact", "123456789012345600000", "1.234567890123456e+20", ""},
		{"double", "exact", "0.10000000000000001", "0.1", ""},
		{"double", "exact", "0.1234567890123456", "0.1234567890123456", ""},
		{"double", "exact", "1234567.890123456", "1.234567890123456e+06", ""},
		{"double", "exact", "9007199254740.993", "", "double would not give it back unchanged"},
		{"double", "exact", "1.123456789012345678", "", "double would not give it back unchanged"},
		{"double", "exact", "1.50000000000000000000", "1.5", ""},
		{"timestamp with time zone", "", "0001-01-01 00:00:00+01:00", "", "outside the years 1 to 9999 in UTC"},
		{"timestamp with time zone", "", "9999-12-31 23:59:59-01:00", "", "outside the years 1 to 9999 in UTC"},
		{"integer", "", "5.00", "5", ""},
		{"integer", "", "5.5", "", "not a whole number"},
		{"integer", "", "1e3", "1000", ""},
		{"integer", "", "1e99", "", "does not fit integer"},
		{"integer", "", "1e-3", "", "not a whole number"},
		{"integer", "", "£5", "", "not a whole number"},
		{"decimal(5,2)", "GBP", "(£5)", "-5.00", ""},
		{"decimal(5,2)", "GBP", "€5", "", "not a number"},
		{"decimal(5,4)", "percent", "12.5 %", "0.1250", ""},
		{"decimal(5,4)", "percent", "12.5", "", "not a number"},
		{"decimal(5,4)", "percent, comma", "12,5 %", "0.1250", ""},
		{"decimal(5,4)", "percent, comma", "12.5 %", "", "not a number"},
		{"decimal(5,4)", "percent, comma", "50 %", "0.5000", ""},
		{"integer", "", "007", "7", ""},
		{"integer", "", "-00", "0", ""},
		{"integer", "", "1,234", "", "not a whole number"},
		{"integer", "thousands", "1,234", "1234", ""},
		{"bigint", "", "9223372036854775808", "", "does not fit bigint"},
		{"bigint", "", "about 5", "", "not a whole number"},
		{"decimal(5,2)", "", "123.4", "123.40", ""},
		{"decimal(5,2)", "", "123.400", "123.40", ""},
		{"decimal(5,2)", "", "123.456", "", "does not fit decimal(5,2)"},
		{"decimal(5,2)", "", "1234", "", "does not fit decimal(5,2)"},
		{"decimal(5,2)", "comma", "12,5", "12.50", ""},
		{"decimal(6,3)", "comma", "1,234", "1.234", ""},
		{"decimal(5,2)", "comma", "12.5", "", "not a number"},
		{"decimal(30,10)", "", "-12345678901234567890.5", "-12345678901234567890.5000000000", ""},
		{"double", "", "1e400", "", "not a number"},
		{"double", "", "-1e-400", "", "not a number"},
		{"double", "", "0." + strings.Repeat("0", 400) + "1", "", "does not fit double"},
		{"double", "", "0e-400", "0", ""},
		{"double", "thousands", "1,234.5", "1234.5", ""},
		{"boolean", "", "YES", "1", ""},
		{"boolean", "", "0", "0", ""},
		{"boolean", "", "2", "", "neither true nor false"},
		{"date", "", "2026-02-29", "", "no such date"},
		{"date", "", "2026-02-28 10:00", "", "has a time of day, which a date cannot hold"},
		{"date", "", "28/02/2026", "", "not a date written yyyy-MM-dd"},
		{"date", "dd/MM/yyyy", "28/02/2026", "20512", ""},
		{"date", "MM/dd/yyyy", "28/02/2026", "", "no such date"},
		{"date", "", "20260228", "", "not a date written yyyy-MM-dd"},
		{"date", "yyyyMMdd", "20260228", "20512", ""},
		{"date", "yyyyMMdd", "20260230", "", "not a date written yyyyMMdd"},
		{"date", "dd MMM yy", "28 February 2026", "", "not a date written dd MMM yy"},
		{"date", "d MMM yyyy", "28 Feb. 2026", "20512", ""},
		{"timestamp", "", "1970-01-01", "0", ""},
		{"timestamp", "", "1970-01-01 00:00:00Z", "", "has an offset from UTC, which a timestamp cannot hold"},
		{"timestamp with time zone", "", "1970-01-01 01:00+01:00", "0", ""},
		{"timestamp(3)", "", "1970-01-01 00:00:00.0010", "1000", ""},
		{"timestamp(3)", "", "1970-01-01 00:00:00.0001", "", "has more digits of a second than timestamp(3) keeps"},
		{"time(0)", "", "10:00:00.5", "", "has more digits of a second than time(0) keeps"},
		{"timestamp with time zone", "", "1970-01-01 01:00", "", "has no offset from UTC"},
		{"timestamp", "", "1970-01-01 00:00:00.0000019", "", "has more digits of a second than timestamp keeps"},
		{"timestamp", "round", "1970-01-01 00:00:00.0000019", "1", ""},
		{"timestamp(3)", "round", "1969-12-31 23:59:59.9990009", "-1000", ""},
		{"time(0)", "round", "23:59:59.9999999", "86399000000", ""},
		{"time", "", "24:00", "", "not a time of day"},
		{"char(3)", "", "ab   ", "ab", ""},
		{"varchar(3)", "", "größ", "", "longer than varchar(3)"},
		{"text", "", " as it stands ", " as it stands ", ""},
		{"uuid", "", "123", "", "not a UUID"},
		{"uuid", "", "{123E4567-e89b-12d3-a456-426614174000}", "123e4567-e89b-12d3-a456-426614174000", ""},
	} {
		t.Run(c.typ+" "+c.cell, func(t *testing.T) {
			typ, err := table.ParseType(c.typ)
			require.NoError(t, err)
			col := table.Column{From: "a", Name: "a", Type: typ}
			switch c.rule {
			case "thousands":
				col.Thousands = ","
			case "GBP":
				col.Currency = c.rule
			case "percent":
				col.Percent = true
			case "percent, comma":
				col.Percent, col.Decimal = true, ","
			case "comma":
				col.Decimal = ","
			case "round":
				col.Round = true
			case "exact":
				col.Exact = true
			default:
				col.Format = c.rule
			}
			out, rejects, _ := run(t, "a,b\n\""+c.cell+"\",x\n", dialect.PostgreSQL, col)
			if c.reason == "" {
				require.Empty(t, rejects)
				require.Equal(t, "["+c.want+" ", out)
				return
			}
			require.Empty(t, out)
			require.Len(t, rejects, 1)
			require.Equal(t, c.reason, rejects[0].Reason)
			require.Equal(t, []string{c.cell, "x"}, rejects[0].Cells)
		})
	}
}

// TestRecords rejects a record once with all that is wrong in it, and lets it
// leave no trace in the figures.
func TestRecords(t *testing.T) {
	number := table.Column{From: "n", Name: "n", Type: table.Type{Kind: table.Integer}}
	day := table.Column{From: "d", Name: "d", Type: table.Type{Kind: table.Date}, Nullable: true, NullWords: []string{"-"}}
	text := "n,d\n1,2026-01-01\nx,y\n,2026-01-02\n5,-\n7\n9, \n"
	out, rejects, figures := run(t, text, dialect.SQLite, number, day)
	require.Equal(t, "[1 2026-01-01 [5 null [9 null ", out)
	var reported []string
	for _, r := range rejects {
		reported = append(reported, strings.Join(append([]string{r.Column, r.Reason}, r.More...), ": "))
	}
	require.Equal(t, []string{
		`n: not a whole number: d "y": not a date written yyyy-MM-dd`, "n: no value, but the column is not nullable", ": 1 cell, not 2",
	}, reported)
	require.Equal(t, int64(6), rejects[2].Line)
	require.Equal(t, "7", rejects[2].Text)
	require.Equal(t, []table.Figures{
		{Nulls: 0, Min: "1", Max: "9", Sum: "15"}, {Nulls: 2, Min: "2026-01-01", Max: "2026-01-01", Sum: "10"},
	}, figures)
}

// TestRules changes cells by rules, and makes columns of other things.
func TestRules(t *testing.T) {
	text, date := table.Type{Kind: table.Text}, table.Type{Kind: table.Date}
	zero := "0"
	for _, c := range []struct {
		col        table.Column
		cell, want string
	}{
		{table.Column{Type: text, Trim: true}, "  ant ", "ant"},
		{table.Column{Type: text, Words: map[string]string{"brn": "brown"}}, " BRN", "brown"},
		{table.Column{Type: text, PadZeros: 5}, "123", "00123"},
		{table.Column{Type: text, PadZeros: 5}, " 12 ", "00012"},
		{table.Column{Type: text, PadZeros: 5}, " 12-3 ", " 12-3 "},
		{table.Column{Type: text, LetterCase: "upper"}, "söre", "SÖRE"},
		{table.Column{Type: text, LetterCase: "lower", PadZeros: 4}, "12", "0012"},
		{table.Column{Type: text, Words: map[string]string{"none": ""}, Nullable: true}, "none", "null"},
		{table.Column{Type: table.Type{Kind: table.Integer}, Default: &zero}, "", "0"},
		{table.Column{Type: table.Type{Kind: table.Integer}, Default: &zero, NullWords: []string{"-"}}, "-", "0"},
		{table.Column{Type: table.Type{Kind: table.Boolean}, TrueWords: []string{"lent"}, FalseWords: []string{"here"}}, "LENT", "1"},
		{table.Column{Type: text, Value: "{file}:{line}:{record}:{load}:{{b}}={b}"}, "x", "a.csv:2:1:0007:{b}=y"},
		{table.Column{Type: date, Value: "{a} Mar {year}", Format: "d MMM yyyy"}, "5", "20517"},
	} {
		c.col.Name = "a"
		if c.col.Value == "" {
			c.col.From = "a"
		}
		out, rejects, _ := run(t, "a,b\n\""+c.cell+"\",y\n", dialect.PostgreSQL, c.col)
		require.Empty(t, rejects)
		require.Equal(t, "["+c.want+" ", out, "%+v", c.col)
	}
	for _, bad := range []table.Column{
		{Name: "a", Type: text, Value: "{nothing}"}, {Name: "a", Type: text, Value: "{"}, {From: "a", Type: text, LetterCase: "odd"},
		{From: "a", Type: date, Default: &zero}, {From: "a", Type: table.Type{Kind: table.Boolean}, TrueWords: []string{"x"}},
	} {
		_, err := convert.New(&table.Table{Columns: []table.Column{bad}}, []string{"a"}, template.Origin{}, dialect.SQLite, nil)
		require.Error(t, err, "%+v", bad)
	}
	parts, err := template.NameParts("loans-{year}-{month}.csv", "/tmp/loans-2026-03.csv")
	require.NoError(t, err)
	require.Equal(t, map[string]string{"year": "2026", "month": "03"}, parts)
	_, err = template.NameParts("loans-{year}.csv", "gifts-2026.csv")
	require.ErrorContains(t, err, "loans-{year}.csv")
}

// TestRefusals holds the runs of refused records against a plain list of them.
func TestRefusals(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 7))
	for range 50 {
		var list refusal.List
		want := map[refusal.Where]string{}
		for i := range int64(400) {
			at := refusal.Where{Part: int(i / 150), Record: i%150 + 1}
			reason := []string{"", "", "key", "key", "check"}[rng.IntN(5)]
			if reason != "" {
				list.Add(refusal.Refusal{Where: at, Columns: []string{"a"}, Reason: reason})
				want[at] = reason
			}
		}
		last := refusal.Where{Part: rng.IntN(3), Record: int64(rng.IntN(160))}
		if rng.IntN(2) == 0 {
			list.DropAfter(last)
			maps.DeleteFunc(want, func(w refusal.Where, _ string) bool { return w.Compare(last) > 0 })
		}
		var text bytes.Buffer
		_, err := list.WriteTo(&text)
		require.NoError(t, err)
		back, err := refusal.Read(&text)
		require.NoError(t, err)
		require.Equal(t, len(want), back.Len())
		from := refusal.Where{Part: rng.IntN(3), Record: int64(rng.IntN(150))}
		cursor := back.Cursor(from)
		for i := range int64(450) {
			at := refusal.Where{Part: int(i / 150), Record: i%150 + 1}
			if at.Compare(from) < 0 {
				continue
			}
			reason := ""
			why := cursor.At(at)
			if why != nil {
				reason = why.Reason
			}
			require.Equal(t, want[at], reason, at)
		}
	}
}

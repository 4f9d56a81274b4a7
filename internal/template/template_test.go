package template_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/record"
	"ambertray/internal/reject"
	"ambertray/internal/template"
)

// batch is one record on line 7, which is the second of the second part.
func batch(cells ...string) *record.Batch {
	b := record.New('\n', nil)
	text, at := "", 0
	for _, c := range cells {
		text += c + ","
	}
	b.Data, b.FirstRecord, b.FirstLine, b.Part = []byte(text), 2, 7, 1
	for _, c := range cells {
		b.AddCell(record.Span{Start: uint32(at), End: uint32(at + len(c))})
		at += len(c) + 1
	}
	b.EndRecord(0, len(text))
	return b
}

// TestBind computes columns from cells, names and places.
func TestBind(t *testing.T) {
	from := template.Origin{Load: "0007", Files: []template.File{
		{Name: "in/loans-2026-01.csv", Named: map[string]string{"month": "01"}}, {Name: "in/loans-2026-02.xlsx", Sheet: "May", Named: map[string]string{"month": "02"}},
	}}
	for text, want := range map[string]string{
		"plain": "plain", "{file}": "loans-2026-02.xlsx", "{sheet}, line {line}": "May, line 7", "{record}/{load}": "2/0007", "{month}": "02",
		"{No} {{{Name}}}": "12 {ant}", "": "", "}}{{": "}{",
	} {
		tpl, err := template.Parse(text)
		require.NoError(t, err, text)
		compose, err := tpl.Bind([]string{"No", "Name"}, from)
		require.NoError(t, err, text)
		require.Equal(t, want, string(compose(nil, batch("12", "ant"), 0)), text)
	}
	for _, text := range []string{"{", "}", "a {b", "{}", "{a{b}}"} {
		_, err := template.Parse(text)
		require.ErrorContains(t, err, "write a name between { and }", text)
	}
	tpl, err := template.Parse("{Fee} {No}")
	require.NoError(t, err)
	require.Equal(t, []string{"Fee", "No"}, tpl.Refs())
	_, err = tpl.Bind([]string{"No"}, from)
	var missing *template.MissingError
	require.ErrorAs(t, err, &missing)
	require.Equal(t, "Fee", missing.Column)
	require.ErrorContains(t, err, "No")
}

// TestBindKept takes names and places from the cells of a file of rejects.
func TestBindKept(t *testing.T) {
	from := template.Origin{Load: "0007", Kept: true, Files: []template.File{{Name: "in/a.xlsx", Named: map[string]string{"year": "2026"}}}}
	headings := append(reject.Header([]string{"No"})[:reject.FirstCell], "No", "original")
	tpl, err := template.Parse("{file} {sheet} {line} {record} {year} {No} {load}")
	require.NoError(t, err)
	compose, err := tpl.Bind(headings, from)
	require.NoError(t, err)
	require.Equal(t, "a.xlsx May 9 8 2026 12 0007", string(compose(nil, batch("in/a.xlsx"+record.SheetSign+"May", "8", "9", "No", "x", "not a number", "12", ""), 0)))
}

// TestNameParts takes the name of a file apart.
func TestNameParts(t *testing.T) {
	parts, err := template.NameParts("loans-{year}-{month}.csv", "in/loans-2026-01.csv")
	require.NoError(t, err)
	require.Equal(t, map[string]string{"year": "2026", "month": "01"}, parts)
	_, err = template.NameParts("loans-{year}.csv", "finds.csv")
	require.EqualError(t, err, "the name of finds.csv is not of the form loans-{year}.csv, which name_parts gives")
	_, err = template.NameParts("{", "finds.csv")
	require.Error(t, err)
}

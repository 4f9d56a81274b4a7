package survey_test

import (
	"encoding/csv"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/survey"
)

// remarks returns records of which every 50th, far below what is read to detect the layout, has
// one of the remarks, in turn.
func remarks(write func(b *strings.Builder, no int, remark string), odd ...string) string {
	b := &strings.Builder{}
	b.WriteString("no\tremark\n")
	for i := range 60_000 {
		remark := fmt.Sprintf("seen %d", i%900)
		if i > 40_000 && i%50 == 0 && len(odd) > 0 {
			remark = odd[i/50%len(odd)]
		}
		write(b, i, remark)
	}
	return b.String()
}

// TestQuotesAsText reads quotes as text if the whole of a source shows that they do not go
// around cells, and around cells if a program or a person wrote them there.
func TestQuotesAsText(t *testing.T) {
	asText := func(b *strings.Builder, no int, remark string) { fmt.Fprintf(b, "%d\t%s\n", no, remark) }
	minimal := func(b *strings.Builder, no int, remark string) {
		w := csv.NewWriter(b)
		w.Comma = '\t'
		_ = w.Write([]string{fmt.Sprint(no), remark})
		w.Flush()
	}
	always := func(b *strings.Builder, no int, remark string) {
		fmt.Fprintf(b, "%d\t\"%s\"\n", no, strings.ReplaceAll(remark, `"`, `""`))
	}
	broken := func(write func(*strings.Builder, int, string)) func(*strings.Builder, int, string) {
		return func(b *strings.Builder, no int, remark string) {
			if no > 40_000 && no%5000 == 1 {
				asText(b, no, `"broken" off`)
				return
			}
			write(b, no, remark)
		}
	}
	natural := []string{`"whole"`, `"Ox" label`, `a "b"`, `"x" and "y"`, `"""triple"""`, `"only`, `"`}
	for _, c := range []struct {
		name, text string
		plain      bool
	}{
		{"natural text", remarks(asText, natural...), true},
		{"few that only begin with one", remarks(asText, append([]string{`"Ox" label`}, strings.Split(strings.Repeat(`"whole"|`, 20), "|")...)...), false},
		{"none encloses a cell", remarks(asText, `"Ox" label`), false},
		{"written where they are needed", remarks(minimal, natural...), false},
		{"written where they are needed, and some broken", remarks(broken(minimal), append([]string{"a\tb", "c\nd"}, natural...)...), false},
		{"around delimiters", remarks(broken(minimal), "a\tb"), false},
		{"around line ends", remarks(broken(minimal), "a\nb"), false},
		{"around quotes", remarks(broken(minimal), `a "b" c`), false},
		{"around all cells, and some broken", remarks(broken(always)), false},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := run(t, survey.Options{}, c.text)
			require.Equal(t, c.plain, s.Layout.Unquoted())
			require.EqualValues(t, 60_000, s.Records)
			if c.plain {
				require.Zero(t, s.OddityCount)
				require.Contains(t, s.Notes[len(s.Notes)-1].What, "quotes are read as text")
			}
		})
	}
}

// TestEmbedded notes lines in a quoted cell that look like records, and no others.
func TestEmbedded(t *testing.T) {
	rows := func(middle string) string {
		return "no,name,place\n1,\"a, b\",x\n" + middle + strings.Repeat("7,\"c, d\",y\n8,e,z\n", 40)
	}
	for middle, want := range map[string]bool{
		"2,\"ant,x\n3,bee,y\n4,cat,z\n5,6\",x\n":         true, // the quote belongs to a size in inches
		"2,\"ant,x\n3,bee,y\n4,6\",x\n":                  false,
		"2,\"ant,x\n3,bee\n4,cat,z\n5,6\",x\n":           false,
		"2,ant,\"Mill Lane 5\nBriar Quay\nThe North\"\n": false,
		"2,\"ant, bee\n cat, dog\n elk, fox\",x\n":       false,
		"2,\"ant\n\n\n\n\n\n\n\n\n\",x\n":                false,
	} {
		s := run(t, survey.Options{}, rows(middle))
		require.False(t, s.Layout.Unquoted(), middle)
		noted := 0
		for _, n := range s.Notes {
			if strings.Contains(n.What, "look like records") {
				require.EqualValues(t, 3, n.Line)
				require.Equal(t, "name", *n.Column)
				noted++
			}
		}
		require.Equal(t, want, noted == 1, "%q: %v", middle, s.Notes)
	}
}

package intake_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/intake"
	"ambertray/internal/record"
	"ambertray/internal/source"
)

// readAll returns the cells of every record with the part that it comes from.
func readAll(t *testing.T, in *intake.Intake) (rows []string) {
	t.Helper()
	work := func(b *record.Batch) (list []string, _ error) {
		for r := range b.Len() {
			cells := []string{fmt.Sprint(b.Part)}
			for c := range b.Width(r) {
				cells = append(cells, string(b.Cell(r, c)))
			}
			list = append(list, strings.Join(cells, "|"))
		}
		return list, nil
	}
	err := record.Run(context.Background(), in, []record.Work[[]string]{work, work}, func(list []string) error {
		rows = append(rows, list...)
		return nil
	})
	require.NoError(t, err)
	return rows
}

// TestParts writes a table as files with titles, totals, columns in any order and
// some of them missing, and reads every record back under the headings of all.
func TestParts(t *testing.T) {
	rng := rand.New(rand.NewPCG(17, 19))
	all := []string{"no", "name", "fee", "lent", "due", "note"}
	for range 60 {
		dir := t.TempDir()
		var files, want []string
		var records [][]map[string]string
		headings := append([]string{}, all[:3+rng.IntN(4)]...) // of the first
		seen := append([]string{}, headings...)
		for part := range 1 + rng.IntN(4) {
			own := append([]string{}, headings...)
			if part > 0 {
				own = append([]string{}, all[:3+rng.IntN(4)]...)
				rng.Shuffle(len(own), func(i, j int) { own[i], own[j] = own[j], own[i] })
			}
			text := strings.Repeat("Loans of the museum\n", rng.IntN(3)) + strings.Join(own, ",") + "\n"
			if part == 0 {
				text = "Loans\n" + strings.Join(own, ",") + "\n"
			}
			var list []map[string]string
			for n := range rng.IntN(300) {
				row := map[string]string{}
				var cells []string
				for _, h := range own {
					row[h] = fmt.Sprintf("%s %d.%d", h, part, n)
					cells = append(cells, row[h])
				}
				list = append(list, row)
				text += strings.Join(cells, ",") + "\n"
			}
			if len(list) > 0 && rng.IntN(2) == 0 {
				text += "Total\n"
			}
			for _, h := range own {
				if !strings.Contains(strings.Join(seen, ","), h) {
					seen = append(seen, h)
				}
			}
			records = append(records, list)
			files = append(files, filepath.Join(dir, fmt.Sprintf("part-%d.csv", part)))
			require.NoError(t, os.WriteFile(files[part], []byte(text), 0o600))
		}
		for part, list := range records {
			for _, row := range list {
				cells := []string{fmt.Sprint(part)}
				for _, h := range seen {
					cells = append(cells, row[h])
				}
				want = append(want, strings.Join(cells, "|"))
			}
		}
		lay := source.DefaultLayout()
		for key, val := range map[string]string{"header": "2", "footer": "found", "drift": "fill"} {
			require.NoError(t, lay.Set(key, val))
		}
		in, err := intake.Open(context.Background(), &source.Opener{}, files, lay, intake.Expected{}, true)
		require.NoError(t, err)
		require.Equal(t, seen, in.Headings)
		require.Equal(t, want, readAll(t, in))
		_, err = in.Next()
		require.True(t, errors.Is(err, io.EOF))
		for i := range in.Parts {
			read := in.Parts[i].Content
			in.Parts[i].Content = ""
			again, err := in.ContentOf(context.Background(), i)
			require.NoError(t, err)
			require.Equal(t, read, again, "of the same bytes")
			require.Equal(t, in.Parts[i].SHA256, again, "of a plain file")
		}
		require.NoError(t, in.Close())
	}
}

// TestDriftReport says how the columns of parts differ from the first. One with another layout is never
// read.
func TestDriftReport(t *testing.T) {
	for headings, want := range map[string]string{
		"no,name,fee": "", "name,no,fee": "columns in another order", "no,name": "missing column fee", "no,name,fee,due": "extra column due",
		"no,title,fee": "title in place of name", "no,title,due,fee": "title in place of name; extra column due", // and fee is only moved
		"no,lent,due": "lent in place of name; due in place of fee", "fee,no,title": "title in place of name",
		"no;name;fee\n2;bee;7": "delimiter semicolon", "fee\tno\tname\n7\t2\tbee": "delimiter tab",
		"Loans\n\nno;name;fee;due\n2;bee;7;8": "delimiter semicolon, header 3; extra column due", "no|title|fee\n2|bee|7": "delimiter pipe; title in place of name",
	} {
		dir := t.TempDir()
		files := []string{filepath.Join(dir, "a.csv"), filepath.Join(dir, "b.csv")}
		require.NoError(t, os.WriteFile(files[0], []byte("no,name,fee\n1,ant,5\n"), 0o600))
		require.NoError(t, os.WriteFile(files[1], []byte(headings+"\n"), 0o600))
		lay := source.DefaultLayout()
		in, err := intake.Open(context.Background(), &source.Opener{}, files, lay, intake.Expected{}, false)
		if want == "" {
			require.NoError(t, err)
			require.NoError(t, in.Close())
			continue
		}
		var drift *intake.DriftError
		require.ErrorAs(t, err, &drift, headings)
		require.Equal(t, want, drift.Parts[0].String(), headings)
		lay.Drift = source.DriftFill
		filled, err := intake.Open(context.Background(), &source.Opener{}, files, lay, intake.Expected{}, false)
		require.Equal(t, drift.Parts[0].WrittenAs != nil, err != nil, headings)
		if err == nil {
			require.NoError(t, filled.Close())
			continue
		}
		_, err = intake.Open(context.Background(), &source.Opener{}, []string{files[1], files[0]}, source.DefaultLayout(), intake.Expected{Headings: []string{"no", "name", "fee"}}, false)
		require.ErrorAs(t, err, &drift, headings)
		require.Equal(t, want, drift.Parts[0].String(), "the first one differs from the plan")
	}
}

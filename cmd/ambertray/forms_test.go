package main_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// forms are ways in which people write values, each a function that writes a random one.
var forms = map[string]func(rng *rand.Rand) string{
	"continental amounts": func(rng *rand.Rand) string { return amount(rng, ".", ",") },
	"English amounts":     func(rng *rand.Rand) string { return amount(rng, ",", ".") },
	"Swiss amounts":       func(rng *rand.Rand) string { return amount(rng, "'", ".") },
	"French amounts":      func(rng *rand.Rand) string { return amount(rng, " ", ",") },
	"plain amounts":       func(rng *rand.Rand) string { return amount(rng, "", ".") },
	"percentages":         func(rng *rand.Rand) string { return fmt.Sprintf("%d.%d%%", rng.IntN(100), rng.IntN(10)) },
	"continental dates":   dates("02.01.2006"),
	"British dates":       dates("02/01/2006"),
	"American dates":      dates("01/02/2006"),
	"packed dates":        dates("20060102"),
	"month names":         dates("02 Jan 2006"),
	"short months":        dates("02-Jan-2006"),
	"American months":     dates("Jan 02, 2006"),
	"two digits":          dates("02.01.06"),
	"continental times":   dates("02.01.2006 15:04"),
	"American times":      dates("01/02/2006 03:04 PM"),
	"instants":            dates("2006-01-02T15:04:05Z"),
	"microseconds":        dates("2006-01-02 15:04:05.000000"),
	"clock":               dates("15:04"),
	"noon":                dates("03:04 PM"),
	"codes":               func(rng *rand.Rand) string { return fmt.Sprintf("%06d", rng.IntN(1e6)) },
	"words":               func(rng *rand.Rand) string { return []string{"resin", "fern; moss", "a \"b\"", "Ö"}[rng.IntN(4)] },
}

// amount writes a number with two decimals.
func amount(rng *rand.Rand, thousands, decimal string) string {
	whole := strconv.Itoa(rng.IntN(1 << rng.IntN(30)))
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + thousands + whole[i:]
	}
	return []string{"", "-"}[rng.IntN(2)] + whole + decimal + fmt.Sprintf("%02d", 1+rng.IntN(99))
}

// dates writes moments of the years 1970 to 2037 by a layout of package time.
func dates(layout string) func(rng *rand.Rand) string {
	return func(rng *rand.Rand) string {
		return time.UnixMicro(1e6*rng.Int64N(1<<31) + rng.Int64N(1e6)).UTC().Format(layout)
	}
}

// TestForms loads tables whose values are written as people write them, and wants the table
// written like its source to be the same bytes: nothing was misread, lost or rounded.
func TestForms(t *testing.T) {
	t.Parallel()
	const tables = 40
	servers := targets(t)
	engines, names := slices.Sorted(maps.Keys(servers)), slices.Sorted(maps.Keys(forms))
	for seed := range uint64(tables) {
		rng := rand.New(rand.NewPCG(seed, 9))
		d, to := newDesk(t), servers[engines[rng.IntN(len(engines))]]
		heads := []string{"No"}
		for i := range 1 + rng.IntN(5) {
			heads = append(heads, names[rng.IntN(len(names))]+strconv.Itoa(i))
		}
		text := strings.Join(heads, ";") + "\n"
		for no := range 40 + rng.IntN(100) {
			text += strconv.Itoa(no)
			for _, h := range heads[1:] {
				cell := ""
				if rng.IntN(8) > 0 {
					cell = forms[strings.TrimRight(h, "0123456789")](rng)
				}
				if strings.ContainsAny(cell, ";\"") {
					cell = `"` + strings.ReplaceAll(cell, `"`, `""`) + `"`
				}
				text += ";" + cell
			}
			text += "\n"
		}
		d.write("way.csv", text)
		d.run(0, "load", "way.csv", "--to", to, "--table", uniqueTable(t))
		d.run(0, "export", "way.tray", "--from", to, "--out", "again.csv")
		require.Equal(t, text, d.read("again.csv"), "seed %d", seed)
	}
}

// TestOtherTop loads a file by the plan of another one that begins with other lines: no record is
// lost above the first data line or in place of a line that describes the columns, or a note says so.
func TestOtherTop(t *testing.T) {
	records := func(from int) (s string) {
		for i := range 30 {
			s += fmt.Sprintf("M%d;%d.5;%d\n", from+i, from+i, i)
		}
		return s
	}
	for name, c := range map[string]struct {
		first, next string
		loaded      int
		note        string
		options     []string
	}{
		"fewer comments":      {"# a\n# b\n# c\n", "# a\n", 30, "", nil},
		"more comments":       {"# a\n", "# a\n# b\n# c\n", 30, "", nil},
		"no titles":           {"Finds of the year\nprinted\n", "", 30, "", nil},
		"another title":       {"Finds of the year\nprinted\n", "Finds\nof the year\n\nprinted\n", 30, "finds.csv, line 5: the records begin here (first_data_line: found)", nil},
		"a line that is set":  {"Finds of the year\nprinted\n", "", 28, "finds.csv, line 1: skipped as a title, but looks like a record; --first-data-line 1 reads it", []string{"--first-data-line", "3"}},
		"no description":      {"No;Mass;Pieces\ntext;g;int\n", "No;Mass;Pieces\n", 30, "finds.csv, line 2: read as a record, although the plan skips the line (description_lines: 1)", nil},
		"the same":            {"No;Mass;Pieces\ntext;g;int\n", "No;Mass;Pieces\ntext;g;int\n", 30, "", nil},
		"a header of one row": {"No;Mass;Pieces\n;old;new\n", "No;Mass old;Pieces new\n", 30, "", nil},
		"a title":             {"No;Mass;Pieces\n", "Finds\nof the year\nNo;Mass;Pieces\n", 30, "", nil},
		"a commented header":  {"# finds\n#No;Mass;Pieces\n", "# finds\n# of the year\n#No;Mass;Pieces\n", 30, "", nil},
	} {
		d := newDesk(t)
		d.write("first.csv", c.first+records(10))
		d.write("finds.csv", c.next+records(50))
		d.run(0, append([]string{"draft", "first.csv"}, c.options...)...)
		r := d.json(0, "load", "first.tray", "finds.csv", "--to", "museum.db")
		require.EqualValues(t, c.loaded, r["counts"].(map[string]any)["loaded"], name)
		out, _ := d.run(0, "check", "first.tray", "finds.csv")
		require.Contains(t, out, c.note, name)
		require.NotContains(t, out, "columns differ", name)
		require.Equal(t, strings.Contains(c.note, " as a "), strings.Contains(out, "as a record") || strings.Contains(out, "as a title"), name)
		require.Equal(t, strings.Contains(c.first, ";"), strings.Contains(out, " after the header"), name)
	}
}

// TestUnplannedColumn loads a file with one more column than the plan has. A column without a heading
// and, as far as the beginning shows, without a value is no obstacle: a record with a value there is
// rejected, and loaded once that is removed.
func TestUnplannedColumn(t *testing.T) {
	d := newDesk(t)
	d.write("first.csv", "No;Name\n1;ant\n2;bee\n")
	d.run(0, "draft", "first.csv")
	text := "No;Name;\n"
	for i := range 1500 {
		text += fmt.Sprintf("%d;gnat;\n", i)
	}
	d.write("next.csv", text+"1500;fly;x\n")
	r := d.json(3, "load", "first.tray", "next.csv", "--to", "museum.db")
	require.EqualValues(t, 1500, r["counts"].(map[string]any)["loaded"])
	require.Contains(t, fmt.Sprint(r["notes"]), "columns without a heading or a value that the plan does not have: column_3")
	const rejects = "first.tray/loads/0001/rejects.csv"
	out, _ := d.run(3, "mend", "first.tray", "--to", "museum.db")
	require.Contains(t, out, `column_3  has a value, but the plan does not have this column  "x"`)
	d.write(rejects, strings.ReplaceAll(d.read(rejects), "1500,fly,x,", "1500,fly,,"))
	d.run(0, "mend", "first.tray", "--to", "museum.db")
	d.run(0, "verify", "first.tray", "next.csv", "--to", "museum.db")

	d.write("other.csv", "No;Name;\n1;ant;x\n")
	_, errs := d.run(1, "load", "first.tray", "other.csv", "--to", "museum.db", "--table", "other")
	require.Contains(t, errs, "extra column column_3")
}

package main_test

import (
	"encoding/csv"
	"fmt"
	"maps"
	"math/big"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/databasetest"
	"ambertray/internal/dialect"
)

// sort is a type of a column and how random values of it are written by every export.
type sort struct {
	name  string
	value func(rng *rand.Rand) string
}

// letters are what random texts consist of, by the encodings that have them.
var letters = map[string][]string{
	"ascii":  strings.Split("a|b|Z|0|7| |\"|'|,|;|\t|\\|\n|\r\n|=|-|#|x|$|%|/|.|:|NULL|\\N|n/a|Total", "|"),
	"latin":  {"a", "é", "ß", "Ö", "€", "ñ", " ", "\"", ";", "\n", "–"},
	"beyond": {"a", "é", "жук", "琥珀", "🐜", "e\u0301", " ", ",", "\t", "\u200b", "\u2028"},
}

func randomText(alphabet []string) func(*rand.Rand) string {
	return func(rng *rand.Rand) string {
		for {
			text := ""
			for range 1 + rng.IntN(8) {
				text += alphabet[rng.IntN(len(alphabet))]
			}
			if strings.TrimSpace(text) == text && text != `\N` { // which is NULL, as spaces alone are
				return text
			}
		}
	}
}

func sorts(alphabet []string) []sort {
	digits := func(rng *rand.Rand, n int) string { return strconv.Itoa(rng.IntN(n)) }
	day := func(rng *rand.Rand) string {
		return fmt.Sprintf("%04d-%02d-%02d", 1000+rng.IntN(9000), 1+rng.IntN(12), 1+rng.IntN(28))
	}
	clock := func(rng *rand.Rand) string {
		return fmt.Sprintf("%02d:%02d:%02d", rng.IntN(24), rng.IntN(60), rng.IntN(60))
	}
	return []sort{
		{"smallint", func(rng *rand.Rand) string { return strconv.Itoa(rng.IntN(1<<16) - 1<<15) }},
		{"bigint", func(rng *rand.Rand) string { return strconv.FormatInt(int64(rng.Uint64()), 10) }},
		{"decimal(30,3)", func(rng *rand.Rand) string {
			return []string{"", "-"}[rng.IntN(2)] + digits(rng, 1<<rng.IntN(62)) + fmt.Sprintf(".%03d", 1+rng.IntN(999))
		}},
		{"double", func(rng *rand.Rand) string {
			return strconv.FormatFloat(rng.NormFloat64()*[]float64{1, 1e-7, 1e30}[rng.IntN(3)], 'g', 15, 64) // as many digits as a workbook keeps
		}},
		{"boolean", func(rng *rand.Rand) string { return strconv.FormatBool(rng.IntN(2) == 0) }},
		{"date", day},
		{"timestamp", func(rng *rand.Rand) string { return day(rng) + " " + clock(rng) }},
		{"time", clock},
		{"timestamp", func(rng *rand.Rand) string {
			return day(rng) + " " + clock(rng) + fmt.Sprintf(".%06d", 1+rng.IntN(999_999))
		}},
		{"time", func(rng *rand.Rand) string { return clock(rng) + fmt.Sprintf(".%03d000", 1+rng.IntN(999)) }},
		{"char(3)", func(rng *rand.Rand) string {
			return fmt.Sprintf("%c%c%c", 'A'+rng.IntN(26), 'A'+rng.IntN(26), 'A'+rng.IntN(26))
		}},
		{"text", func(rng *rand.Rand) string { return strings.Repeat(digits(rng, 10)+"ä\n", 1+rng.IntN(4000)) + "." }},
		{"uuid", func(rng *rand.Rand) string {
			return fmt.Sprintf("%08x-%04x-4%03x-a%03x-%012x", rng.Uint32(), rng.IntN(1<<16), rng.IntN(1<<12), rng.IntN(1<<12), rng.Uint64()>>16)
		}},
		{"varchar(40)", func(rng *rand.Rand) string { return fmt.Sprintf("%05d", rng.IntN(100_000)) }},
		{"varchar(200)", randomText(alphabet)},
		{"text", randomText(alphabet)},
	}
}

// journey is a table that is exported from one server and loaded into the next.
type journey struct {
	*desk
	rng     *rand.Rand
	table   string
	columns []string // headings, of which the first is the key
	numbers []bool   // of the columns
	types   []string // what --change sets
	rows    map[string][]string
}

// newJourney writes the first file, way.csv. Reach chooses the letters of its texts.
func newJourney(t *testing.T, seed uint64) (j *journey, reach string) {
	j = &journey{desk: newDesk(t), rng: rand.New(rand.NewPCG(seed, 3)), table: uniqueTable(t)}
	reach = []string{"ascii", "latin", "beyond"}[j.rng.IntN(3)]
	j.write("way.csv", j.pack(reach))
	return j, reach
}

func (j *journey) pack(reach string) (text string) {
	all := sorts(letters[reach])
	j.columns, j.numbers, j.types, j.rows = []string{"no"}, []bool{true}, []string{"--change", "key=no", "--change", "no.type=integer"}, map[string][]string{}
	var drawn []sort
	for i := range 2 + j.rng.IntN(6) {
		s := all[j.rng.IntN(len(all))]
		drawn = append(drawn, s)
		j.numbers = append(j.numbers, s.name == "double" || strings.HasPrefix(s.name, "decimal"))
		name := fmt.Sprintf("c%d", i)
		j.columns = append(j.columns, name)
		j.types = append(j.types, "--change", name+".type="+s.name, "--change", name+".nullable=true")
	}
	var b strings.Builder
	w := csv.NewWriter(&b)
	require.NoError(j, w.Write(j.columns))
	for no := range 30 + j.rng.IntN(100) {
		row := []string{strconv.Itoa(no)}
		for _, s := range drawn {
			cell := ""
			if j.rng.IntN(6) > 0 {
				cell = s.value(j.rng)
			}
			row = append(row, cell)
		}
		require.NoError(j, w.Write(row))
		j.rows[row[0]] = row
	}
	w.Flush()
	return b.String()
}

// form returns the name of a file and the options of a random form of it, and the options
// that a person gives to read it.
func (j *journey) form(reach string) (name string, write, read []string) {
	any := func(list ...string) string { return list[j.rng.IntN(len(list))] }
	if j.rng.IntN(4) == 0 {
		return "way.xlsx", nil, nil
	}
	name = "way" + any(".csv", ".tsv", ".txt") + any("", "", ".gz", ".zst", ".xz")
	delimiter := any(",", ";", "tab", "|", "~|~")
	write = []string{"--delimiter", delimiter, "--line-end", any("lf", "crlf")}
	if j.rng.IntN(3) == 0 {
		write = append(write, "--quote-all")
	}
	encoding := any("utf-8", "utf-8", "utf-16le", "windows-1252")
	if encoding == "windows-1252" && reach != "beyond" || encoding == "utf-16le" {
		write = append(write, "--encoding", encoding)
		read = append(read, "--encoding", encoding)
	}
	if j.rng.IntN(4) == 0 {
		escapes := [][]string{{"--escape", "server"}, {"--escape", "server", "--quote", "none"}}[j.rng.IntN(2)]
		write = append(append(write, escapes...), "--null", `\N`)
		if delimiter != "tab" { // else a backslash and a letter is most likely no escape
			read = append(read, escapes...)
		}
	}
	return name, write, read
}

// arrive compares the table with the first file.
func (j *journey) arrive(to string) {
	j.Helper()
	j.run(0, "export", j.table, "--from", to, "--out", "arrived.csv", "--replace")
	records, err := csv.NewReader(strings.NewReader(j.read("arrived.csv"))).ReadAll()
	require.NoError(j, err)
	require.Equal(j, j.columns, records[0])
	rows := map[string][]string{}
	for _, r := range records[1:] {
		rows[r[0]] = r
	}
	require.Len(j, records, len(j.rows)+1)
	for no, want := range j.rows {
		for c := range want {
			// encoding/csv reads CRLF in cells as LF.
			got, want := rows[no][c], strings.ReplaceAll(want[c], "\r\n", "\n")
			if got != want && !(j.numbers[c] && sameNumber(got, want)) {
				require.Failf(j, "another value", "row %s, column %s, %v: %q is %q", no, j.columns[c], j.types, want, got)
			}
		}
	}
}

func sameNumber(a, b string) bool {
	x, okX := new(big.Rat).SetString(a)
	y, okY := new(big.Rat).SetString(b)
	return okX && okY && x.Cmp(y) == 0
}

// journeys is how many tables travel; their seeds are 0 and up.
const journeys = 5

// TestJourney moves random tables from server to server in files of random forms, whose
// layout is found by the program. What goes into the first one comes out of every other.
func TestJourney(t *testing.T) {
	t.Parallel()
	servers := targets(t)
	names := slices.Sorted(maps.Keys(servers))
	for seed := range uint64(journeys) {
		j, reach := newJourney(t, seed)
		file, from, drafted := "way.csv", "", j.rng.IntN(2) == 0
		var write, read []string
		for leg, n := range j.rng.Perm(len(names)) {
			to := servers[names[n]]
			if leg > 0 {
				file, write, read = j.form(reach)
				j.run(0, append([]string{"export", j.table, "--from", from, "--out", file, "--replace"}, write...)...)
			}
			t.Logf("seed %d: %s %v to %s, drafted %v", seed, file, write, names[n], drafted)
			args := []string{"load", file, "--to", to, "--table", j.table, "--tray", filepath.Join("trays", strconv.Itoa(leg)+".tray")}
			if leg == 0 || !drafted {
				args = append(args, j.types...)
			}
			r := j.json(0, append(args, read...)...)
			require.Equal(t, float64(len(j.rows)), r["counts"].(map[string]any)["loaded"])
			j.arrive(to)
			from = to
		}
	}
}

// TestByHand hands random tables over to people who have only the client of their server. What
// they load is what the file has, and the queries that they are given say so.
func TestByHand(t *testing.T) {
	t.Parallel()
	servers := targets(t)
	for d, to := range map[*dialect.Dialect]string{dialect.PostgreSQL: servers["postgres"], dialect.MySQL: servers["mysql"], dialect.SQLite: "museum.db"} {
		for seed := range uint64(journeys) {
			j, _ := newJourney(t, seed)
			how := [][]string{nil, {"--inserts"}, {"--part-rows", "40"}}[j.rng.IntN(3)]
			t.Logf("seed %d: %s %v", seed, d.Name, how)
			j.run(0, slices.Concat([]string{"handover", "way.csv", "--table", j.table, "--dialect", d.Name, "--out", "hand"}, how, j.types)...)
			file, folder := filepath.Join(j.dir, "museum.db"), filepath.Join(j.dir, "hand")
			databasetest.Script(t, d, file, filepath.Join(folder, "load.sql"))
			answer := databasetest.Script(t, d, file, filepath.Join(folder, "verify.sql"))
			require.Equal(t, len(j.columns)+1, strings.Count(answer, "agrees"), answer)
			require.Equal(t, len(j.columns)+1, strings.Count(answer, "\n"), answer)
			j.arrive(to)
		}
	}
}

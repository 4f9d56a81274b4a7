package tighten_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/database/sqlite"
	"ambertray/internal/tighten"
)

// sorts of values: as they stand in a text column, and as the table has them when the column
// is retyped.
var sorts = []func(rng *rand.Rand, n int) (was, tight string){
	func(rng *rand.Rand, n int) (string, string) { // whole numbers
		text := fmt.Sprint(rng.IntN(70_000) - 100)
		return text, text
	},
	func(rng *rand.Rand, n int) (string, string) { // decimals, with the comma
		a, b := rng.IntN(900), 10*rng.IntN(10)+1+rng.IntN(9)
		return fmt.Sprintf("%d,%02d", a, b), fmt.Sprintf("%d.%02d", a, b)
	},
	func(rng *rand.Rand, n int) (string, string) { // days
		d, m, y := 1+rng.IntN(28), 1+rng.IntN(12), 1990+rng.IntN(40)
		if n == 0 {
			d = 28 // which no month is
		}
		return fmt.Sprintf("%02d.%02d.%d", d, m, y), fmt.Sprintf("%d-%02d-%02d", y, m, d)
	},
	func(rng *rand.Rand, n int) (string, string) { // moments
		text := fmt.Sprintf("20%02d-%02d-%02d %02d:%02d:%02d", rng.IntN(30), 1+rng.IntN(12), 1+rng.IntN(28), rng.IntN(24), rng.IntN(60), 1+rng.IntN(59))
		return text, text
	},
	func(rng *rand.Rand, n int) (string, string) { // whole numbers with zeros before them and signs
		i := rng.IntN(90_000) - 9999*min(n, 1) - 1
		return fmt.Sprintf("%+07d", i), fmt.Sprint(i)
	},
	func(rng *rand.Rand, n int) (string, string) { // whole numbers with a sign at the end
		text := fmt.Sprintf("%d-", 1+rng.IntN(9000))
		return text, text
	},
	func(rng *rand.Rand, n int) (string, string) { // codes with zeros before them
		text := fmt.Sprintf("%05d", rng.IntN(9000))
		return text, text
	},
	func(rng *rand.Rand, n int) (string, string) { // words
		text := []string{"amber ", "copal", "Bernstein 'klar'", "漢字", "a\tb"}[rng.IntN(5)] + fmt.Sprint(rng.IntN(50))
		return text, text
	},
}

// TestKeepsValues tightens random tables of texts, in which some values are of no sort, blank
// or NULL. Every row keeps what it says, a column that would lose something stays, and what
// was tightened once is tight.
func TestKeepsValues(t *testing.T) {
	ctx := context.Background()
	retyped := 0
	for seed := range uint64(20) {
		rng := rand.New(rand.NewPCG(seed, 3))
		to, err := sqlite.Open(filepath.Join(t.TempDir(), "museum.db"), true)
		require.NoError(t, err)
		exec := func(statement string) {
			_, err := to.Exec(ctx, statement)
			require.NoError(t, err, statement)
		}
		columns := 1 + rng.IntN(6)
		var names []string
		for c := range columns {
			names = append(names, fmt.Sprintf("c%d", c))
		}
		exec("CREATE TABLE finds (id integer PRIMARY KEY, " + strings.Join(names, " varchar(250) NULL, ") + " varchar(250) NULL)")
		of, odd, bad := make([]int, columns), make([]int, columns), make([]bool, columns)
		for c := range columns {
			of[c], odd[c] = rng.IntN(len(sorts)), rng.IntN(3)*rng.IntN(12)
		}
		was, tight := map[string][]string{}, map[string][]string{}
		for r := range 30 + rng.IntN(200) {
			values := []string{fmt.Sprint(r)}
			for c, name := range names {
				a, b := sorts[of[c]](rng, r)
				switch {
				case odd[c] == 0 || rng.IntN(40) >= odd[c] || r < 5:
				case rng.IntN(2) == 0:
					a, b = "NULL", "NULL"
				case rng.IntN(3) == 0:
					a, b, bad[c] = "so-called "+a, "so-called "+a, true
				default: // a blank
					a, b = "", "NULL"
				}
				was[name], tight[name] = append(was[name], a), append(tight[name], b)
				if a == "NULL" {
					values = append(values, a)
				} else {
					values = append(values, "'"+strings.ReplaceAll(a, "'", "''")+"'")
				}
			}
			exec("INSERT INTO finds VALUES (" + strings.Join(values, ", ") + ")")
		}
		p, err := tighten.Propose(ctx, to, "finds", tighten.Options{})
		require.NoError(t, err)
		require.NoError(t, p.Apply(ctx, to))
		live, err := database.Columns(ctx, to, "finds")
		require.NoError(t, err)
		for c, name := range names {
			textual := strings.Contains(strings.ToLower(live[c+1].Native), "char") || strings.EqualFold(live[c+1].Native, "text")
			want := tight[name]
			if textual {
				want = was[name]
			} else {
				retyped++
				require.False(t, bad[c] || of[c] >= 5, "seed %d: %s became %s", seed, name, live[c+1].Native)
			}
			rows, err := to.Query(ctx, "SELECT coalesce(cast("+name+" AS text), 'NULL') FROM finds ORDER BY id")
			require.NoError(t, err)
			var got []string
			for _, row := range rows {
				got = append(got, row[0])
			}
			require.Equal(t, want, got, "seed %d: %s is %s now", seed, name, live[c+1].Native)
		}
		again, err := tighten.Propose(ctx, to, "finds", tighten.Options{})
		require.NoError(t, err)
		require.Empty(t, again.Statements, "seed %d", seed)
		require.NoError(t, to.Close())
	}
	require.Greater(t, retyped, 8)
}

// TestWords refuses what cannot be proposed, and names what there is.
func TestWords(t *testing.T) {
	ctx := context.Background()
	to, err := sqlite.Open(filepath.Join(t.TempDir(), "museum.db"), true)
	require.NoError(t, err)
	defer to.Close()
	_, err = to.Exec(ctx, "CREATE TABLE empty (a text, b text)")
	require.NoError(t, err)
	p, err := tighten.Propose(ctx, to, "empty", tighten.Options{})
	require.NoError(t, err)
	require.Zero(t, p.Changes(), "nothing is known of a table without rows")
	require.Empty(t, p.Statements)
	require.NoError(t, p.Apply(ctx, to))
	require.False(t, p.Applied)
	_, err = tighten.Propose(ctx, to, "none", tighten.Options{})
	require.ErrorContains(t, err, "none")
}

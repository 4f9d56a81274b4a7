package dialect

import (
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

// update writes the golden files again: go test ./internal/dialect -update
var update = flag.Bool("update", false, "write the golden files")

// everyColumn is a table with a column of every type, rules, comments and indexes.
func everyColumn(t *testing.T) *table.Table {
	tab := &table.Table{Name: "museum.loan", Key: []string{"loan_no", "part"}, Indexes: [][]string{{"order"}, {"date_9", "text_12"}}, Comment: "Loans, it's\nall of them"}
	for i, text := range []string{"integer", "varchar(20)", "smallint", "bigint", "decimal(7,2)", "decimal(38,0)", "double", "boolean", "date", "date", "time",
		"timestamp", "text", "timestamp with time zone", "char(5)", "uuid", "varchar(16000)"} {
		typ, err := table.ParseType(text)
		require.NoError(t, err)
		c := table.Column{Name: strings.Split(text, "(")[0] + "_" + string(rune('0'+i%10)), Type: typ, Nullable: i > 1}
		c.Name = strings.ReplaceAll(c.Name, " ", "_")
		tab.Columns = append(tab.Columns, c)
	}
	tab.Columns[0].Name, tab.Columns[1].Name, tab.Columns[2].Name = "loan_no", "part", "order"
	tab.Columns[9].Name, tab.Columns[12].Name = "date_9", "text_12"
	for i, text := range map[int]string{2: "(7)", 4: "1,5", 5: "12345678901234567890123", 6: "5%", 7: "da", 8: "2026-01-05", 9: "05/02/2026", 10: "8:05", 11: "2026-01-05", 12: "it's\nlate", 13: "2026-01-05 10:00+02:00"} {
		tab.Columns[i].Default = &text
	}
	tab.Columns[4].Decimal, tab.Columns[6].Percent, tab.Columns[9].Format = ",", true, "dd/MM/yyyy"
	tab.Columns[7].TrueWords, tab.Columns[7].FalseWords = []string{"da"}, []string{"net"}
	tab.Columns[11].Type.Characters, tab.Columns[12].Type.Characters = table.Latin1, table.Unicode
	tab.Columns[3].Comment = "counts\nby 'ones'"
	return tab
}

// TestDefine holds the definition of a table with everything, for every server.
func TestDefine(t *testing.T) {
	for _, d := range All() {
		tab := everyColumn(t)
		text := strings.Join(append(append(d.ScriptHead(), d.Define(tab, true)...), d.ScriptTail()...), ";\n") + ";\n" + d.AddKey(tab) + ";\n-- " + d.Columns(tab) + "\n"
		path := filepath.Join("testdata", d.Name+".sql")
		if *update {
			require.NoError(t, os.MkdirAll("testdata", 0o755))
			require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
		}
		want, err := os.ReadFile(path)
		require.NoError(t, err)
		require.Equal(t, string(want), text, "if it should differ: go test ./internal/dialect -update")
		same, err := ByName(d.Name)
		require.NoError(t, err)
		require.Same(t, d, same)
	}
	require.Equal(t, []string{"museum", "", ""}, []string{PostgreSQL.Schema("museum.loan"), PostgreSQL.Schema("loan"), SQLite.Schema("museum.loan")})
	require.Equal(t, []string{`"order"`, "loan", `"a""b"`, "`order`", "[order]"},
		[]string{PostgreSQL.Quote("order"), PostgreSQL.Quote("loan"), PostgreSQL.Quote(`a"b`), MySQL.Quote("order"), SQLServer.Quote("order")})
	require.Contains(t, ReservedWords(), "order")
}

// TestBreaks writes line breaks in a way that survives the servers' own clients.
func TestBreaks(t *testing.T) {
	text := value.Value{Text: []byte("a\r\nb\nc\\")}
	for d, want := range map[*Dialect]string{
		PostgreSQL: `E'a\r\nb\nc\\'`,
		MySQL:      `'a\r\nb\nc\\'`,
		SQLite:     `REPLACE(REPLACE('a|b~c\', '|', char(13) || char(10)), '~', char(10))`,
		Oracle:     `REPLACE(REPLACE('a|b~c\', '|', CHR(13) || CHR(10)), '~', CHR(10))`,
		SQLServer:  `REPLACE(REPLACE(N'a|b~c\' COLLATE Latin1_General_BIN2, N'|', NCHAR(13) + NCHAR(10)), N'~', NCHAR(10))`,
	} {
		require.Equal(t, want, string(d.AppendLiteral(nil, table.Type{Kind: table.Text}, &text)), d.Name)
	}
	full := value.Value{Text: []byte("|~^%*+=<>_^0^1\r")}
	require.Equal(t, `REPLACE('|~^%*+=<>_^0^1^2', '^2', char(13))`, string(SQLite.AppendLiteral(nil, table.Type{Kind: table.Text}, &full)))
	require.Equal(t, `'it''s'`, PostgreSQL.Literal("it's"))
}

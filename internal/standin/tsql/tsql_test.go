package tsql

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestParse reads what it should and says where a batch is wrong.
func TestParse(t *testing.T) {
	list, err := Parse(`SELECT [a]]b], "c d", N'it''s' -- a remark
		FROM dbo.[order] AS o /* another */ WHERE x <> 1.5e-3 AND [y] IS NOT NULL;;
		INSERT BULK [#t] ([a] nvarchar(max), b datetime2(0)) WITH (TABLOCK, ROWS_PER_BATCH = 5)`)
	require.NoError(t, err)
	require.Len(t, list, 2)
	q := list[0].(*Select)
	require.Equal(t, []Item{{X: &Col{[]string{"a]b"}}}, {X: &Col{[]string{"c d"}}}, {X: &Lit{'N', "it's"}}}, q.Items)
	require.Equal(t, []Source{{Name: []string{"dbo", "order"}, Alias: "o"}}, q.From)
	b := list[1].(*InsertBulk)
	require.Equal(t, []Column{{Name: "a", Type: Type{Name: "nvarchar", Max: true}}, {Name: "b", Type: Type{Name: "datetime2", Sized: true}}}, b.Columns)
	require.Equal(t, map[string]string{"TABLOCK": "", "ROWS_PER_BATCH": "5"}, b.Options)
	for batch, want := range map[string]string{
		"SELECT 1\nFRO x y": "2: Incorrect syntax near 'x'.", "SELECT": "1: Incorrect syntax near 'end of batch'.", "SELECT 'x": "1: Incorrect syntax near '''.",
		"SELECT /* x": "1: Missing end comment mark '*/'.", "CREATE TABLE t (x wide)": "1: Cannot find data type wide.", "SELECT (SELECT 1": "1: Incorrect syntax near 'end of batch'.",
		"SELECT * FROM (SELECT 1 AS x)": "1: Incorrect syntax near 'end of batch'.", "SELECT a = 1 FROM t": "1: Incorrect syntax near '='.", "SELECT ? FROM t": "1: Incorrect syntax near '?'.",
	} {
		_, err := Parse(batch)
		var syntax *SyntaxError
		require.ErrorAs(t, err, &syntax, batch)
		require.Equal(t, want, strings.Join([]string{string(rune('0' + syntax.Line)), syntax.Error()}, ": "), batch)
	}
	x, err := ParseCondition("(a > 0 OR (b) = 1) AND NOT (c + 1) * 2 = 3")
	require.NoError(t, err)
	require.Equal(t, "AND", x.(*Binary).Op)
	_, err = ParseExpr("a > 0")
	require.Error(t, err, "a condition is no value")
}

// FuzzParse wants an error or statements of any text, and no panic.
func FuzzParse(f *testing.F) {
	for _, seed := range []string{"SELECT 1", "CREATE TABLE t (x int CHECK ((x) > 0))", "IF 1 = 1 BEGIN SELECT 1 END ELSE DROP TABLE t", "EXEC @r = p @a = -1, N'x' OUTPUT", "DELETE x OUTPUT deleted.a FROM t x", "[", "0x", "@@"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, batch string) {
		list, err := Parse(batch)
		if err != nil {
			require.Empty(t, list)
			require.NotEmpty(t, err.Error())
		}
	})
}

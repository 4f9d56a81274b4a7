package dialect

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/table"
	"ambertray/internal/value"
)

func TestNames(t *testing.T) {
	for heading, want := range map[string]string{
		"Loan No": "loan_no", "Mass (g)": "mass_g", "Clarity %": "clarity_percent", "Value £": "value_gbp", "#": "no",
		"R&D": "r_and_d", "Größe": "grosse", "Søn": "son", "naïve café": "naive_cafe", "2026 total": "_2026_total",
		"foundOn": "found_on", "  ": "column_1", "漢字": "漢字", "Название": "nazvanie", "µg/m³": "ug_m3", "loanID": "loan_id", "URLPath": "url_path", "№": "no", "±": "plus_minus",
		"Temp. °C": "temp_degrees_c", "IDs": "ids", "Οδός": "odos", "한국": "한국", "a;DROP TABLE x--": "a_drop_table_x", "O'Brien": "obrien",
	} {
		require.Equal(t, []string{want}, Names([]string{heading}, 63), heading)
	}
	require.Equal(t, []string{"a", "a_2", "a_3", "column_4", "column_5"}, Names([]string{"a", "A", "a!", "", "?"}, 63))
	require.Equal(t, []string{"a", "a_3", "a_2"}, Names([]string{"a", "a", "a_2"}, 63))
	long := strings.Repeat("specimen ", 20)
	for _, n := range Names([]string{long, long + "x", long + "y"}, 30) {
		require.LessOrEqual(t, len(n), 30)
	}
}

func TestCreateTable(t *testing.T) {
	tab := &table.Table{Name: "museum.order", Key: []string{"loan_no"}}
	for _, typ := range []string{"char(5)", "decimal(7,2)", "decimal(20,3)", "double", "timestamp", "uuid"} {
		parsed, err := table.ParseType(typ)
		require.NoError(t, err)
		tab.Columns = append(tab.Columns, table.Column{Name: "c_" + typ[:3] + typ[len(typ)-1:], Type: parsed, Nullable: true})
	}
	tab.Columns[0].Name, tab.Columns[0].Nullable = "loan_no", false
	tab.Columns[1].LeaveOut = true
	tab.Columns[3].Name = `say "when"`
	require.Equal(t, `CREATE TABLE museum."order" (
    loan_no         char(5)          NOT NULL,
    "c_dec)"        numeric(20,3),
    "say ""when"""  double precision,
    c_timp          timestamp,
    c_uuid          uuid,
    PRIMARY KEY (loan_no)
)`, PostgreSQL.CreateTable(tab))
	require.Equal(t, `CREATE TABLE "museum.order" (
    loan_no         char(5)                  NOT NULL,
    "c_dec)"        text /* decimal(20,3) */,
    "say ""when"""  double,
    c_timp          timestamp,
    c_uuid          char(36),
    PRIMARY KEY (loan_no)
)`, SQLite.CreateTable(tab))
	_, err := ByName("cobol")
	require.ErrorContains(t, err, "sqlite, postgresql, mysql, sqlserver, oracle, ansi")
}

// TestLiterals writes the same record for every server.
func TestLiterals(t *testing.T) {
	var values []value.Value
	types := []table.Type{{Kind: table.Decimal, Size: 5, Scale: 2}, {Kind: table.Boolean}, {Kind: table.Date}, {Kind: table.Timestamp}, {Kind: table.TimestampTZ}, {Kind: table.Text}}
	values = append(values, value.Value{Int: -105, Scale: 2}, value.Value{Int: 1}, value.Value{Int: 0}, value.Value{Int: 1_500_000}, value.Value{Int: 0}, value.Value{Text: []byte(`it's \`)})
	for d, want := range map[*Dialect]string{
		PostgreSQL: `-1.05 true DATE '1970-01-01' TIMESTAMP '1970-01-01 00:00:01.500000' TIMESTAMPTZ '1970-01-01 00:00:00+00:00' 'it''s \'`,
		SQLServer:  `-1.05 1 '1970-01-01' '1970-01-01T00:00:01.500000' '1970-01-01T00:00:00+00:00' N'it''s \'`,
		Oracle:     `-1.05 1 DATE '1970-01-01' TIMESTAMP '1970-01-01 00:00:01.500000' TIMESTAMP '1970-01-01 00:00:00+00:00' 'it''s \'`,
		ANSI:       `-1.05 TRUE DATE '1970-01-01' TIMESTAMP '1970-01-01 00:00:01.500000' TIMESTAMP '1970-01-01 00:00:00+00:00' 'it''s \'`,
	} {
		var got []byte
		for i, typ := range types {
			got = append(d.AppendLiteral(got, typ, &values[i]), ' ')
		}
		require.Equal(t, want+" ", string(got), d.Name)
	}
	long := value.Value{Text: []byte(strings.Repeat("ä'", 2000))}
	text := string(Oracle.AppendLiteral(nil, table.Type{Kind: table.Text}, &long))
	require.Equal(t, 7, strings.Count(text, "TO_CLOB("))
	require.Equal(t, string(long.Text), strings.NewReplacer("') || TO_CLOB('", "", "') || '", "", "TO_CLOB('", "", "''", "'").Replace(strings.TrimSuffix(text, "'")))
}

// TestCheck names what a server cannot have.
func TestCheck(t *testing.T) {
	tab := &table.Table{Name: "loan", Key: []string{"note"}, Columns: []table.Column{{Name: "note", Type: table.Type{Kind: table.Text}}}}
	require.ErrorContains(t, MySQL.Check(tab), "give note a shorter type")
	require.NoError(t, PostgreSQL.Check(tab))
	tab.Name = strings.Repeat("ä", 40)
	require.ErrorContains(t, PostgreSQL.Check(tab), "has 80 bytes; PostgreSQL takes 63")
	for d, most := range map[*Dialect]int{PostgreSQL: 1600, MySQL: 1017, SQLite: 2000, SQLServer: 1024, Oracle: 1000} {
		many := &table.Table{Name: "answer"}
		for i := range most {
			many.Columns = append(many.Columns, table.Column{Name: fmt.Sprint("question_", i), Type: table.Type{Kind: table.Integer}})
		}
		require.NoError(t, d.Check(many), d.Title)
		many.Columns = append(many.Columns, table.Column{Name: "more"})
		require.ErrorContains(t, d.Check(many), "columns; "+d.Title+" takes ", d.Title)
		many.Columns[0].LeaveOut = true
		require.NoError(t, d.Check(many), d.Title)
	}
}

package dialect

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/table"
)

func TestNames(t *testing.T) {
	for heading, want := range map[string]string{
		"Loan No": "loan_no", "Mass (g)": "mass_g", "Clarity %": "clarity_percent", "Value £": "value_gbp", "#": "no",
		"R&D": "r_and_d", "Größe": "grosse", "Søn": "son", "naïve café": "naive_cafe", "2026 total": "_2026_total",
		"foundOn": "found_on", "  ": "column_1", "漢字": "column_1", "a;DROP TABLE x--": "a_drop_table_x", "O'Brien": "obrien",
	} {
		require.Equal(t, []string{want}, Names([]string{heading}, 63), heading)
	}
	require.Equal(t, []string{"a", "a_2", "a_3", "column_4", "column_5"}, Names([]string{"a", "A", "a!", "", "?"}, 63))
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
    loan_no         char(5) NOT NULL,
    "c_dec)"        numeric(20,3),
    "say ""when"""  double precision,
    c_timp          timestamp,
    c_uuid          uuid,
    PRIMARY KEY (loan_no)
)`, PostgreSQL.CreateTable(tab))
	require.Equal(t, `CREATE TABLE "museum.order" (
    loan_no         char(5) NOT NULL,
    "c_dec)"        text /* decimal(20,3) */,
    "say ""when"""  double,
    c_timp          timestamp,
    c_uuid          char(36),
    PRIMARY KEY (loan_no)
)`, SQLite.CreateTable(tab))
	_, err := ByName("cobol")
	require.ErrorContains(t, err, "sqlite and postgresql")
}

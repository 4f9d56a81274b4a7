package table_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/table"
)

// TestTypes reads types as they are written, and says what is wrong with others.
func TestTypes(t *testing.T) {
	for text, want := range map[string]string{
		"integer": "integer", " BIGINT ": "bigint", "decimal(7, 2)": "decimal(7,2)", "decimal(5)": "decimal(5,0)", "Timestamp  With Time Zone": "timestamp with time zone",
		"char(1)": "char(1)", "varchar( 40 )": "varchar(40)", "uuid": "uuid", "double": "double", "time": "time",
		"time(0)": "time(0)", "timestamp( 3 )": "timestamp(3)", "timestamp(6)": "timestamp", "TIMESTAMP(2) with  time zone": "timestamp(2) with time zone",
	} {
		typ, err := table.ParseType(text)
		require.NoError(t, err, text)
		require.Equal(t, want, typ.String())
		again, err := table.ParseType(typ.String())
		require.NoError(t, err)
		require.Equal(t, typ, again)
	}
	for text, want := range map[string]string{
		"": "unknown type", "number": `unknown type "number"; the types are smallint`, "decimal": "write decimal(p,s) with p from 1 to 38",
		"decimal(39,2)": "write decimal(p,s)", "decimal(5,6)": "write decimal(p,s)", "char": "write char(n)", "varchar(0)": "write varchar(n)",
		"varchar(5,2)": "write varchar(n)", "date(3)": "date takes no size", "text(9)": "text takes no size", "char(9": "unknown type",
		"time(7)": "write time(3) with the digits of a second, from 0 to 6", "timestamp(1,2)": "write timestamp(3)", "timestamp(9) with time zone": "write timestamp(3) with time zone",
		"date with time zone": "unknown type",
	} {
		_, err := table.ParseType(text)
		require.ErrorContains(t, err, want, text)
	}
	require.Len(t, table.KindNames(), 14)
}

// TestAllowance compares rejects with a number or a share of the records.
func TestAllowance(t *testing.T) {
	for _, c := range []struct {
		text             string
		rejects, records int64
		exceeded         bool
	}{
		{"any", 1 << 40, 1, false}, {"0", 0, 9, false}, {"0", 1, 9, true}, {"10", 10, 10, false}, {"10", 11, 1 << 40, true},
		{"0.5%", 5, 1000, false}, {"0.5%", 6, 1000, true}, {"100%", 9, 9, false}, {"0%", 1, 1000, true},
	} {
		a, err := table.ParseAllowance(c.text)
		require.NoError(t, err)
		require.Equal(t, c.text, a.String())
		require.Equal(t, c.exceeded, a.Exceeded(c.rejects, c.records), c)
	}
	require.False(t, table.Allowance{}.Exceeded(1, 1), "the zero value allows any number")
	for _, text := range []string{"", "-1", "1.5", "1e3", "101%", "many", "%", "5 %"} {
		_, err := table.ParseAllowance(text)
		require.ErrorContains(t, err, "write any, a number of records", text)
	}
}

func of(nulls int64, least, greatest, sum string) table.Figures {
	return table.Figures{Nulls: nulls, Min: least, Max: greatest, Sum: sum}
}

// TestFigures adds figures up by the type of their values.
func TestFigures(t *testing.T) {
	for _, c := range []struct {
		typ        string
		a, b, want table.Figures
	}{
		{"integer", of(1, "-5", "9", "4"), of(2, "-12", "7", "-5"), of(3, "-12", "9", "-1")},
		{"decimal(9,2)", of(0, "1.10", "20.00", "21.10"), of(0, "-0.05", "3.00", "2.95"), of(0, "-0.05", "20.00", "24.05")},
		{"varchar(9)", of(0, "9", "ant", "4"), of(0, "10", "bee", "5"), of(0, "10", "bee", "9")},
		{"date", of(0, "2026-01-05", "2026-02-01", "9"), of(1, "2025-12-31", "2026-01-31", "7"), of(1, "2025-12-31", "2026-02-01", "16")},
		{"double", of(0, "-1e300", "2", "18446744073709551615"), of(0, "0.5", "1e-5", "1"), of(0, "-1e300", "2", "18446744073709551616")},
	} {
		typ, err := table.ParseType(c.typ)
		require.NoError(t, err)
		require.Equal(t, c.want, c.a.Plus(c.b, typ), c.typ)
		require.Equal(t, c.want, c.b.Plus(c.a, typ), "in the other order")
	}
}

// TestTable finds the columns that are loaded.
func TestTable(t *testing.T) {
	tab := &table.Table{Columns: []table.Column{{Name: "a"}, {Name: "b", LeaveOut: true}, {Name: "c"}}}
	require.Len(t, tab.Loaded(), 2)
	require.Equal(t, "c", tab.Column("c").Name)
	require.Nil(t, tab.Column("b"))
	for _, word := range []string{"refuse", "append", "empty", "rebuild", "merge"} {
		e, err := table.ParseExisting(word)
		require.NoError(t, err)
		require.Equal(t, word, e.String())
	}
	_, err := table.ParseExisting("apend")
	require.ErrorContains(t, err, "write refuse, append, empty, rebuild or merge")
}

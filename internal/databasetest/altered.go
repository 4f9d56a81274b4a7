package databasetest

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/differ"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// alteredColumns reads columns of each type as every type, because a column may have been changed
// since its table was loaded. No value is read as another value.
func alteredColumns(t *testing.T, to database.Target) {
	ctx := context.Background()
	d := to.Dialect()
	for text, natives := range map[string][]string{
		"12":         {"smallint", "integer", "bigint", "decimal(9,2)", "double", "varchar(40)", "char(2)", "text"},
		"2026-01-31": {"date", "timestamp", "varchar(40)", "text"},
		"10:30:00":   {"time", "varchar(40)"},
	} {
		for _, native := range natives {
			is, err := table.ParseType(native)
			require.NoError(t, err)
			execAll(t, to, "CREATE TABLE altered (v "+d.TypeName(is)+")", "INSERT INTO altered VALUES ('"+text+"')", "INSERT INTO altered VALUES (NULL)")
			for _, c := range types {
				typ, err := table.ParseType(c.typ)
				require.NoError(t, err)
				var got []string
				write := differ.NewCellWriter(d.Stored(typ))
				err = to.Rows(ctx, &table.Table{Name: "altered", Columns: []table.Column{{Name: "v", From: "v", Type: typ}}}, func(row []value.Value) error {
					got = append(got, plainCell(write(&row[0])))
					return nil
				})
				require.NoError(t, err, "%s as %s", native, typ)
				require.ElementsMatch(t, []string{text, "NULL"}, got, "%s as %s", native, typ)
			}
			execAll(t, to, "DROP TABLE altered")
		}
	}
}

// plainCell returns a value as it is written most simply.
func plainCell(cell string) string {
	cell = strings.TrimRight(strings.Trim(cell, "'"), " ")
	if strings.Contains(cell, ".") {
		cell = strings.TrimRight(strings.TrimRight(cell, "0"), ".")
	}
	cell = strings.TrimSuffix(cell, " 00:00:00")
	return cell
}

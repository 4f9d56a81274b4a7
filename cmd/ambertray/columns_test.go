package main_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/dialect"
)

// questionnaire writes records of whole numbers from some number on.
func questionnaire(columns, first, records int) string {
	var text strings.Builder
	for r := -1; r < records; r++ {
		for c := range columns {
			switch {
			case r < 0:
				fmt.Fprintf(&text, "question_%d,", c+1)
			case c == 0:
				fmt.Fprintf(&text, "%d,", first+r)
			default:
				fmt.Fprintf(&text, "%d,", (first+r*c)%7)
			}
		}
		text.WriteString("end\n")
	}
	return text.String()
}

// TestManyColumns loads as many columns as each server takes, and refuses one more.
func TestManyColumns(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		most := map[string]*dialect.Dialect{"sqlite": dialect.SQLite, "postgres": dialect.PostgreSQL, "mysql": dialect.MySQL, "sqlserver": dialect.SQLServer}[name].MaxColumns
		d.write("a.csv", questionnaire(most-1, 1, 20))
		d.write("b.csv", questionnaire(most-1, 21, 20))
		d.run(0, "draft", "a.csv", "--table", table, "--change", "key=question_1")
		d.run(0, "load", "a.tray", "--to", to)
		d.run(0, "load", "a.tray", "b.csv", "--to", to)
		d.run(0, "verify", "a.tray", "--to", to)
		d.write("again.csv", questionnaire(most-1, 20, 2))
		out, _ := d.run(3, "load", "a.tray", "again.csv", "--to", to)
		require.Contains(t, out, "2 read = 0 loaded + 2 rejected")
		d.run(0, "export", table, "--from", to, "--out", "back.csv")
		require.Equal(t, d.read("a.csv")+strings.SplitAfterN(d.read("b.csv"), "\n", 2)[1], d.read("back.csv"))

		d.write("more.csv", questionnaire(most, 1, 1))
		_, errOut := d.run(1, "load", "more.csv", "--to", to, "--table", table+"_more")
		require.Contains(t, errOut, "leave some out in the tray")
	})
}

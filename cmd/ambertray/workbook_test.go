package main_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/demo"
)

// TestWorkbook brings the museum's loans, a sheet a month, into every target.
func TestWorkbook(t *testing.T) {
	book, err := demo.Files.ReadFile("loans-2026.xlsx")
	require.NoError(t, err)
	for name, to := range targets(t) {
		t.Run(name, func(t *testing.T) {
			d, table := newDesk(t), uniqueTable(t)
			d.write("lent.xlsx", string(book))
			out, _ := d.run(0, "survey", "lent.xlsx")
			require.Contains(t, out, "6 sheets")
			require.Contains(t, out, "header on row 4")
			require.Contains(t, out, "row 18, footer row: Total")
			require.Len(t, d.json(0, "survey", "lent.xlsx")["sources"], 4, "each that is visible and not empty")
			_, errOut := d.run(1, "load", "lent.xlsx", "--to", to)
			require.Contains(t, errOut, "2026-04, 2026-05 (empty), Borrowers (hidden)")
			require.Contains(t, errOut, "--sheet all")
			_, errOut = d.run(1, "load", "lent.xlsx", "--to", to, "--sheet", "June")
			require.Contains(t, errOut, `no sheet "June"`)

			d.run(0, "draft", "lent.xlsx", "--sheet", "2026-*", "--table", table)
			plan := d.read("lent.tray/tray.yaml")
			require.Contains(t, plan, "- from: column_3\n    leave_out: true")
			require.Contains(t, plan, "54 of 55 are dates, but 1 is not: \"after Easter\" on line 15")
			d.write("lent.tray/tray.yaml", strings.Replace(plan, "type: varchar(20) # text of 10 to 12", "type: date\n    format: yyyy-MM-dd # text of 10 to 12", 1))
			r := d.json(3, "load", "lent.tray", "--to", to)
			require.Equal(t, 54.0, r["counts"].(map[string]any)["loaded"])
			require.Equal(t, "2026-03", r["source"].([]any)[2].(map[string]any)["sheet"])
			rejects := d.read("lent.tray/loads/0001/rejects.csv")
			require.Contains(t, rejects, "lent.xlsx · 2026-03,11,15,due_back,after Easter,no date")
			d.write("lent.tray/loads/0001/rejects.csv", strings.ReplaceAll(rejects, "after Easter", "2026-04-07"))
			out, _ = d.run(0, "mend", "lent.tray", "--to", to)
			require.Contains(t, out, "table 54 → 55")
			out, _ = d.run(0, "verify", "lent.tray", "--to", to)
			require.Contains(t, out, "7 of 7 columns agree")
			_, errOut = d.run(1, "load", "lent.tray", "--to", to)
			require.Contains(t, errOut, "was loaded into "+table+" already")
			if name == "sqlite" {
				require.Equal(t, "2026-01|13|2026-02|14|2026-03|15|2026-04|13", d.query("SELECT sheet, count(*) FROM "+table+" GROUP BY sheet ORDER BY sheet"))
				require.Equal(t, "0", d.query("SELECT count(*) FROM "+table+" WHERE fee <> round(fee, 1)"), "no float noise")
			}
		})
	}
}

// TestOldWorkbook says what to do with a workbook that cannot be read.
func TestOldWorkbook(t *testing.T) {
	d := newDesk(t)
	require.NoError(t, os.WriteFile(filepath.Join(d.dir, "old.xls"), append([]byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"), make([]byte, 600)...), 0o600))
	_, errOut := d.run(1, "survey", "old.xls")
	require.Contains(t, errOut, "save it as a workbook of today")
	d.write("half.xlsx", "PK\x03\x04 and no more")
	_, errOut = d.run(1, "survey", "half.xlsx")
	require.Contains(t, errOut, "open half.xlsx")
}

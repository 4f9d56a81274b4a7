package main_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// checked are cells of many kinds, and types that do not take all of them.
var (
	checked = []string{
		"1", "-3", "1.5", "1,234", "abc", "", "  ", "2026-01-31", "2026-02-30", "true", "no", "12345678901", "0.001", "é", "漢字", "a b", "it's", "1e5", "00012", "10:00", "24:00", "ab ", " ab", ".5", "(3)", "5%",
	}
	checkedTypes = []string{"smallint", "bigint", "decimal(5,2)", "double", "boolean", "date", "time", "timestamp", "char(2)", "varchar(3)", "text"}
)

// checkedFile writes random records. Some have the key of another.
func checkedFile(d *desk, rng *rand.Rand, columns int) {
	var text strings.Builder
	text.WriteString("id,part")
	for c := range columns {
		fmt.Fprintf(&text, ",c%d", c)
	}
	records := 5 + rng.IntN(30)
	for range records {
		fmt.Fprintf(&text, "\n%d,%q", rng.IntN(2*records), []string{"a", "b", "a "}[rng.IntN(3)])
		for range columns {
			text.WriteString(`,"` + checked[rng.IntN(len(checked))] + `"`)
		}
	}
	d.write("finds.csv", text.String()+"\n")
}

// TestCheck compares the rows and rejects that a check predicts with those of the load, in new
// and in existing tables.
func TestCheck(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		for seed := range uint64(5) {
			rng, table := rand.New(rand.NewPCG(seed, 1)), uniqueTable(t)
			columns := 1 + rng.IntN(3)
			plan := []string{"draft", "finds.csv", "--tray", table + ".tray", "--table", table, "--delimiter", "comma", "--header", "1", "--change", "part.type=varchar(5)", "--change", "part.trim=false"}
			plan = append(plan, "--change", []string{"key=id", "key=[id,part]"}[rng.IntN(2)])
			for c := range columns {
				plan = append(plan, "--change", fmt.Sprintf("c%d.type=%s", c, checkedTypes[rng.IntN(len(checkedTypes))]), "--change", fmt.Sprintf("c%d.nullable=%t", c, rng.IntN(2) == 0))
			}
			for i, existing := range []string{"refuse", "append", "merge", "empty", "rebuild"} {
				checkedFile(d, rng, columns)
				if i == 0 {
					d.run(0, plan...)
				}
				args := []string{table + ".tray", "finds.csv", "--to", to, "--existing", existing}
				predicted, status := d.outcome("check", args...)
				rolledBack, tried := d.outcome("check", append(args, "--by-loading")...)
				loaded, exit := d.outcome("load", args...)
				require.Equal(t, exit, status, "seed %d, %s", seed, existing)
				require.Equal(t, exit, tried, "seed %d, %s", seed, existing)
				for _, c := range []map[string]any{predicted, rolledBack} {
					require.Equal(t, loaded["counts"].(map[string]any)["loaded"], c["would_load"], "seed %d, %s", seed, existing)
					require.ElementsMatch(t, reasons(loaded["rejects"].(map[string]any)["by_reason"]), reasons(c["would_reject"]), "seed %d, %s", seed, existing)
				}
			}
			checkedFile(d, rng, columns)
			bare := []string{"finds.csv", "--table", table, "--to", to, "--existing", "append", "--delimiter", "comma", "--header", "1"}
			predicted, status := d.outcome("check", bare...) // by a plan without the key of the table
			loaded, exit := d.outcome("load", append(bare, "--tray", table+".bare.tray")...)
			require.Equal(t, exit, status, "seed %d", seed)
			if exit != 1 {
				require.Equal(t, loaded["counts"].(map[string]any)["loaded"], predicted["would_load"], "seed %d", seed)
			}
		}
	})
}

// TestByLoading tests that a check constraint refuses rows and that the target is unchanged afterwards.
func TestByLoading(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("finds.csv", "no,mass\n1,2.5\n2,-1.0\n3,4.0\n4,x\n")
		d.write("first.csv", "no,mass\n3,3.0\n5,5.5\n")
		d.run(0, "load", "first.csv", "--to", to, "--table", table+"_made", "--tray", "made.tray") // SQLite then has a file
		on(t, to, "CREATE TABLE "+table+" (no integer PRIMARY KEY, mass decimal(6,2), CONSTRAINT heavy_"+table+" CHECK (mass > 0))")
		d.run(0, "load", "first.csv", "--to", to, "--table", table, "--existing", "append")
		_, plain := d.run(2, "check", "finds.csv", "--by-loading")
		require.Contains(t, plain, "add --to TARGET")
		out, _ := d.run(3, "check", "finds.csv", "--to", to, "--table", table, "--existing", "append")
		require.Contains(t, out, "these may refuse rows too, and --by-loading shows which: ")
		for existing, loaded := range map[string]float64{"append": 1, "merge": 2, "empty": 2} {
			c := d.json(3, "check", "finds.csv", "--to", to, "--table", table, "--existing", existing, "--by-loading")
			require.Equal(t, []any{4.0, loaded}, []any{c["records"], c["would_load"]}, existing)
			if existing == "merge" {
				merge := c["by_loading"].(map[string]any)["merge"].(map[string]any)
				require.Equal(t, []any{1.0, 1.0, 0.0}, []any{merge["inserted"], merge["updated"], merge["unchanged"]})
			}
			d.run(0, "verify", "first.tray", "--to", to, "--whole")
		}
		require.NoDirExists(t, filepath.Join(d.dir, "finds.tray"))
		d.run(0, "check", "first.csv", "--to", to, "--table", table+"_new", "--by-loading")
		d.run(0, "load", "first.csv", "--to", to, "--table", table+"_new", "--again")
		if name == "mysql" {
			on(t, to, "CREATE TABLE "+table+"_my (no integer PRIMARY KEY, mass decimal(6,2)) ENGINE = MyISAM")
			_, why := d.run(1, "check", "first.csv", "--to", to, "--table", table+"_my", "--existing", "append", "--by-loading")
			require.Contains(t, why, "the engine of the table has no transactions")
			d.run(0, "load", "first.csv", "--to", to, "--table", table+"_my", "--existing", "append", "--no-rollback", "--again")
		}
	})
}

// outcome returns the result of a command, and its exit status.
func (d *desk) outcome(command string, args ...string) (result map[string]any, status int) {
	d.Helper()
	c := d.command(append([]string{command, "--json"}, args...)...)
	out, _ := c.Output()
	require.NoError(d, json.Unmarshal(out, &result), string(out))
	return result, c.ProcessState.ExitCode()
}

// reasons lists what is at fault, and how often.
func reasons(groups any) (list []string) {
	for _, g := range groups.([]any) {
		g := g.(map[string]any)
		list = append(list, fmt.Sprint(g["column"], ": ", g["reason"], ": ", g["count"]))
	}
	return list
}

// TestCannot does not suggest a load that would fail.
func TestCannot(t *testing.T) {
	d := newDesk(t)
	d.write("finds.csv", "no,found\n1,2026-01-31 10:00:00\n")
	d.run(0, "load", "finds.csv", "--to", "museum.db")
	d.write("finds.csv", "no,found\n1,2026-01-31 10:00:00+01:00\n")
	out, _ := d.run(1, "check", "finds.csv", "--to", "museum.db", "--tray", "other.tray", "--existing", "append")
	require.Contains(t, out, `would load nothing: the columns marked "cannot" do not fit the table`)
	require.Contains(t, out, "A load would fail: change the plan, or the table.")
	require.NotContains(t, out, "ambertray load")
}

// TestDraftOtherSettings tests that a setting removes those of the tray that it excludes when a plan is drafted again.
func TestDraftOtherSettings(t *testing.T) {
	d := newDesk(t)
	d.write("finds.csv", "no;name\n1;ant\n2;bee\n")
	for _, c := range [][3]string{
		{"--first-data-line", "2", "  delimiter: \";\"\n  header: none\n  first_data_line: 2\ntable:"},
		{"--header", "1", "  delimiter: \";\"\n  header: 1\ntable:"},
		{"--delimiter", "semicolon", "  delimiter: \";\"\n  header: 1\ntable:"},
		{"--columns", "1-2,3-", "  header: 1\n  format: fixed\n  columns: 1-2,3-\ntable:"},
		{"--delimiter", "semicolon", "  header: 1\n  delimiter: \";\"\ntable:"},
	} {
		d.run(0, "draft", "finds.csv", c[0], c[1])
		require.Contains(t, d.read("finds.tray/tray.yaml"), "  encoding: utf-8\n"+c[2], c[0])
	}
}

// TestTypesOfTable drafts for a table that rows are added to: its types, key and names replace those of the
// draft, as they do with draft --to.
func TestTypesOfTable(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t) + "_lent" // numbers at the end of the name of a file are not in that of its table
		d.write("first.csv", "no,phone,lent,seen,lent_out\n1,0555x,early,2026-01-05 10:00:00,yes\n2,0556x,late,2026-01-06 11:30:00,no\n")
		d.run(0, "load", "first.csv", "--to", to, "--table", table)
		d.write("next.csv", "no,phone,lent,seen,lent_out\n3,5551234,31/01/2026,31/01/2026,0\n4,5551235,15/02/2026,15/02/2026,1\n")
		d.run(0, "draft", "next.csv", "--tray", "drafted.tray", "--to", to, "--table", table)
		require.Equal(t, 2.0, d.json(0, "check", "drafted.tray", "--to", to)["would_load"])
		args := []string{"next.csv", "--to", to, "--table", table, "--existing", "append"}
		require.Equal(t, 2.0, d.json(0, append([]string{"check"}, args...)...)["would_load"])
		out, _ := d.run(0, append([]string{"load"}, args...)...)
		require.Contains(t, out, "types of the table that differ from those of the draft: phone varchar(10), not integer; ")
		d.run(0, "verify", "next.tray", "--to", to)
		d.run(0, "export", "--query", "SELECT no, phone, lent, seen FROM "+table+" WHERE no > 2", "--from", to, "--out", "back.csv")
		back := "no,phone,lent,seen\n3,5551234,31/01/2026,2026-01-31 00:00:00\n4,5551235,15/02/2026,2026-02-15 00:00:00\n"
		if name == "sqlite" { // whose dates are texts anyway
			back = strings.NewReplacer("31/01/2026", "2026-01-31", "15/02/2026", "2026-02-15").Replace(back)
		}
		require.Equal(t, back, strings.ReplaceAll(d.read("back.csv"), "\r", ""))
		month := "months/" + table + ".csv"
		d.write(month, "no,phone,lent,seen,lent_out\n5,5551236,28/02/2026,28/02/2026,1\n")
		d.age(month)
		each := d.json(0, "load", "months", "--each", "--to", to, "--existing", "append")["each"].([]any)
		require.Equal(t, 1.0, each[0].(map[string]any)["loaded"])

		blank := uniqueTable(t)
		d.write("full.csv", "no,price,lent,tag\n0,,,\n1,2.50,2026-01-05,9123456789\n")
		d.run(0, "load", "full.csv", "--to", to, "--table", blank)
		d.write("blank.csv", "no,price,lent,tag\n2,,\\N,9123456789123456789\n3,,\\N,8123456789123456789\n")
		out, _ = d.run(0, "load", "blank.csv", "--to", to, "--table", blank, "--existing", "append")
		require.Contains(t, out, "; tag bigint, not char(19)", "columns without a value, and numbers that look like identifiers")

		named := uniqueTable(t)
		d.write("named.csv", "Loan No,Fee,Sent\n1,2,0\n2,3,1\n4,3,7\n")
		d.run(0, "load", "named.csv", "--to", to, "--table", named, "--change", "Loan No.name=Loan No")
		d.write("more.csv", "Loan No,Fee,Sent\n5,4,Y\n6,5,N\n2,5,N\n")
		out, _ = d.run(3, "load", "more.csv", "--to", to, "--table", named, "--existing", "append")
		require.Contains(t, out, "· key Loan No\n", "columns that are named like the headings")
		require.Contains(t, out, "true and false are loaded as 1 and 0, as the table has columns of numbers: sent\n")
		d.run(0, "verify", "more.tray", "--to", to)
		d.run(0, "draft", "more.csv", "--tray", "words.tray", "--to", to, "--table", named)
		require.Equal(t, 3.0, d.json(5, "check", "words.tray", "--to", to)["records"], "it can be read again")
		d.run(0, "export", "--query", "SELECT sum(sent) AS n FROM "+named, "--from", to, "--out", "sum.csv")
		require.Equal(t, "n\n9\n", strings.ReplaceAll(d.read("sum.csv"), "\r", ""))
		d.run(0, "export", "more.tray", "--from", to, "--out", "words.csv")
		require.Contains(t, d.read("words.csv"), "5,4,Y\n6,5,N\n", "booleans are written as in the source")
	})
}

// TestLocalTimes loads times without an offset as those of a time zone, and exports them as they were.
// A time that the clocks showed twice is rejected.
func TestLocalTimes(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("seen.csv", "no,seen\n1,05/01/2026 10:00\n2,15/07/2026 10:00\n3,25/10/2026 02:30\n")
		out, _ := d.run(3, "load", "seen.csv", "--to", to, "--table", table, "--change", "seen.type=timestamp with time zone", "--change", "seen.zone=Europe/Berlin")
		require.Contains(t, out, `1  seen  ambiguous in Europe/Berlin: clocks were set back  "25/10/2026 02:30" on line 4`)
		d.run(0, "verify", "seen.tray", "--to", to)
		d.run(0, "export", table, "--from", to, "--out", "utc.csv")
		require.Contains(t, d.read("utc.csv"), "1,2026-01-05 09:00:00")
		require.Contains(t, d.read("utc.csv"), "2,2026-07-15 08:00:00")
		d.run(0, "export", "seen.tray", "--from", to, "--out", "back.csv")
		require.Equal(t, "no,seen\n1,05/01/2026 10:00\n2,15/07/2026 10:00\n", d.read("back.csv"))
	})
}

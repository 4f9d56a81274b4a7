package main_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ambertray/internal/connect"
)

// TestTightenScript runs the printed statements on every server. Only the types change.
func TestTightenScript(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("wide.csv", "no,lent,fee,lit\n1,01/02/2026,12.50,yes\n2,28/02/2026,1.00,no\n3,,7.5,yes\n")
		wide := []string{"load", "wide.csv", "--to", to, "--table", table, "--change", "key="}
		for _, column := range []string{"no", "lent", "fee", "lit"} {
			wide = append(wide, "--change", column+".type=varchar(40)")
		}
		d.run(0, wide...)
		p := d.json(0, "tighten", table, "--to", to)
		on(t, to, statements(p)...)
		d.run(0, "export", "--from", to, table, "--out", "out.csv")
		require.Equal(t, "no,lent,fee,lit\n1,2026-02-01,12.50,true\n2,2026-02-28,1.00,false\n3,,7.50,true\n", d.read("out.csv"))
		out, _ := d.run(0, "tighten", table, "--to", to)
		require.Contains(t, out, "Nothing can be tightened.")
	})
}

// TestTightenLater runs the statements after another session has written a value that does not fit.
// SQLite keeps it, the other servers refuse it, and nothing is changed.
func TestTightenLater(t *testing.T) {
	columns := []struct{ wide, first, second, later, unchanged string }{
		{"varchar(60)", "01/02/2026", "28/02/2026", "12/03/2026 tbc", ""},
		{"varchar(60)", "01/02/2026", "28/02/2026", "12/03/2026 10:00", ""},
		{"varchar(60)", "01/02/2026", "28/02/2026", "12x03x2026", ""},
		{"varchar(60)", "01/02/2026", "28/02/2026", "soon", ""},
		{"varchar(60)", "1/2/2026", "28/2/2026", "12/3/2026 tbc", "sqlite sqlserver"},
		{"varchar(60)", "1/2/2026 0:00", "28/2/2026 0:00", "12/3/2026 10:00", "sqlite sqlserver"},
		{"varchar(60)", "01/02/2026 00:00", "28/02/2026 00:00", "12/03/2026 10:00", ""},
		{"varchar(60)", "1-Feb-2026", "28-Feb-2026", "12-Mar-2026 tbc", "sqlite sqlserver"},
		{"varchar(60)", "2026-02-01", "2026-02-28", "2026-03-12 10:00", ""},
		{"varchar(60)", "2026-02-01T10:00", "2026-02-28T11:00", "2026-02-28T10:00:01", ""},
		{"varchar(60)", "2026-02-01 10:00:01.25", "2026-02-28 11:00:00.5", "2026-02-28 10:00:01.123", "sqlite"},
		{"varchar(60)", "2026-02-01T10:00:00+01:00", "2026-02-28T10:00:00Z", "2026-03-12T10:00:00Z tbc", "sqlite sqlserver mysql"},
		{"timestamp(6)", "2026-02-01 10:00:00.5", "2026-02-28 11:00:00", "2026-02-28 10:00:00.25", ""},
		{"varchar(60)", "10:15", "11:30", "11:30:20", ""},
		{"varchar(60)", "12.50", "1.25", "1.239", ""},
		{"varchar(60)", "12.50", "1.25", "12.5 tbc", ""},
		{"varchar(60)", "1.234,50", "1,25", "1.5", ""},
		{"varchar(60)", "1.234,50", "1,25", "ca. 1,5", ""},
		{"varchar(60)", "1,234.50", "2.25", "1.5,000", ""},
		{"varchar(60)", "12", "99", "12.7", ""},
		{"varchar(60)", "1,234", "1,234,567", "1,5", ""},
		{"varchar(60)", "1.5e3", "1e-7", "1e3x", ""},
		{"decimal(18,4)", "12.50", "1.25", "1.239", ""},
		{"varchar(60)", "yes", "no", "on", ""},
	}
	var head, first, second strings.Builder
	head.WriteString("no")
	first.WriteString("1")
	second.WriteString("2")
	for i, c := range columns {
		fmt.Fprintf(&head, ";c%d", i)
		first.WriteString(";" + c.first)
		second.WriteString(";" + c.second)
	}
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("wide.csv", head.String()+"\n"+first.String()+"\n"+second.String()+"\n")
		wide := []string{"load", "wide.csv", "--to", to, "--table", table, "--change", "key="}
		for i, c := range columns {
			wide = append(wide, "--change", fmt.Sprintf("c%d.type=%s", i, c.wide))
		}
		d.run(0, wide...)
		p := d.json(0, "tighten", table, "--to", to)
		rows := func() string {
			out, _ := d.run(0, "export", "--from", to, "--query", "SELECT * FROM "+table+" ORDER BY no", "--out", "-")
			return out
		}
		before := rows()
		script := statements(p)
		for i, c := range columns {
			changes := p["columns"].([]any)[i+1].(map[string]any)["changes"].(bool)
			require.Equal(t, !strings.Contains(c.unchanged, name), changes, "%v", c)
			write := fmt.Sprintf("UPDATE %s SET c%d = '%%s' WHERE no = 1", table, i)
			on(t, to, fmt.Sprintf(write, c.later))
			if name == "sqlite" {
				continue
			}
			if !changes {
				on(t, to, fmt.Sprintf(write, c.first))
				continue
			}
			require.Error(t, try(t, to, script...), "%v", c)
			on(t, to, fmt.Sprintf(write, c.first))
			require.Equal(t, before, rows(), "%v", c)
		}
		if name == "sqlite" {
			on(t, to, script...)
			for i, c := range columns {
				require.Equal(t, c.later, d.query(fmt.Sprintf("SELECT c%d FROM %s WHERE no = 1", i, table)), "%v", c)
			}
			return
		}
		d.run(0, "tighten", table, "--to", to, "--apply")
	})
}

// TestTightenGoesOn writes a value that does not fit and then runs every statement, as a client does
// that continues after errors. All rows stay.
func TestTightenGoesOn(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("wide.csv", "no,lent,fee\n1,01/02/2026,12.50\n2,11/02/2026,1.00\n3,28/02/2026,7.5\n")
		d.run(0, "load", "wide.csv", "--to", to, "--table", table, "--change", "key=", "--change", "no.type=varchar(40)", "--change", "lent.type=varchar(40)", "--change", "fee.type=varchar(40)", "--change", "fee.nullable=true")
		script := statements(d.json(0, "tighten", table, "--to", to))
		rows := func() string {
			out, _ := d.run(0, "export", "--from", to, "--query", "SELECT no, lent, fee FROM "+table+" ORDER BY no, fee", "--out", "-")
			return out
		}
		for _, later := range []string{"'4', '12/03/2026', NULL", "'x4', '12/03/2026', '2.5'"} {
			on(t, to, "INSERT INTO "+table+" VALUES ("+later+")")
			before := rows()
			require.Equal(t, 5, strings.Count(before, "\n"))
			client, err := connect.Open(context.Background(), to, connect.Options{})
			require.NoError(t, err)
			failed := 0
			for _, s := range script {
				_, err := client.Exec(context.Background(), s)
				if err != nil {
					failed++
				}
			}
			client.Close()
			require.NotZero(t, failed)
			require.Equal(t, before, rows(), later)
			on(t, to, "DELETE FROM "+table+" WHERE no = "+later[:strings.Index(later, ",")])
			undo := regexp.MustCompile(`(?s)-- (ALTER TABLE .*?);\n`).FindStringSubmatch(strings.Join(script, ";\n"))
			if undo != nil && strings.Contains(later, "NULL") { // the server commits at every definition
				on(t, to, strings.ReplaceAll(undo[1], "\n-- ", "\n"))
			}
		}
		on(t, to, script...)
	})
}

// TestTightenForms tightens columns of numbers, dates and times in many forms. A column stays if the
// server does not read a form of it, so that all others can be changed.
func TestTightenForms(t *testing.T) {
	forms := []struct{ texts, stays string }{
		{"Jan 1 2000|Jan 13, 2001", "sqlite sqlserver"},
		{"1 January 2000|13 May 2001", "sqlite mysql sqlserver"},
		{"5. März 2026|13. Mai 2026", "sqlite postgres mysql sqlserver"},
		{"5 de marzo de 2026|13 de mayo de 2026", "sqlite postgres mysql sqlserver"},
		{"2026年3月5日|2026年3月15日", "sqlite postgres mysql sqlserver"},
		{"Monday, 5 January 2026|Tuesday, 13 January 2026", "sqlite mysql sqlserver"},
		{"05JAN2026|13FEB2026", "sqlite sqlserver"},
		{"2026-Jan-05|2026-Feb-13", "sqlite sqlserver"},
		{"1-Sep-26|13-Oct-99", "sqlite sqlserver"},
		{"Sept 5, 2026|Jan. 13, 2026", "sqlite postgres mysql sqlserver"},
		{"5.1.26|13.1.98", "sqlite sqlserver"},
		{"2026-1-5|2026-01-13", "sqlite sqlserver"},
		{"5/1/2026|13/01/2026", "sqlite sqlserver"},
		{"5/1/2026 0:00|13/1/2026 0:00", "sqlite sqlserver"},
		{"2026-01-05|2026-01-13 00:00", "sqlite"},
		{"2026-01-05|2026-01-13T11:15", "sqlite sqlserver"},
		{"20260105 101500|20260113 111500", ""},
		{"20260105T101500Z|20260113T111500Z", "sqlite mysql sqlserver"},
		{"1/5/2026 3:04 PM|1/13/2026 3:05 AM", "sqlite sqlserver"},
		{"1/5/2026 3:04:05 p.m.|1/13/2026 3:05:06 a.m.", "sqlite postgres mysql sqlserver"},
		{"Mon Jan 05 10:15:00 2026|Tue Jan 13 10:15:00 2026", "sqlite sqlserver"},
		{"Sun, 01 Feb 2026 10:00:00 +0100|Mon, 02 Feb 2026 11:00:00 GMT", "sqlite mysql sqlserver"},
		{"2026-01-05 10:15:00 UTC|2026-01-13 10:15:00Z", "sqlite mysql sqlserver"},
		{"2026-01-05T10:15:00,5|2026-01-13T10:15:00,25", "sqlite postgres mysql sqlserver"},
		{"2026-01-05T10:15|2026-01-13 11:15", ""},
		{"01/02/2026 10:00:00Z|13/02/2026 10:00:00+01:00", "sqlite mysql sqlserver"},
		{"3:04 PM|12:06 AM", "sqlite sqlserver"},
		{"3:04:05.1|13:05:06.25", "sqlite"},
		{"24:00|10:15", ""},
		{"1e3|2.5|3|4", "postgres mysql sqlserver"},
		{"1e3|2e-5|3", ""},
		{"50%|12.5%", "sqlite postgres mysql sqlserver"},
		{"£5|£1,200.50", "sqlite postgres mysql sqlserver"},
		{"+5|-6", ""},
		{"12-|13", "sqlite postgres mysql sqlserver"},
		{"1 234|2 345 678", ""},
		{"1'234|2'345'678", ""},
		{"0.1234567890123456789|1", "sqlite"},
		{"12345678901234567890|2", ""},
		{".5|-.25", ""},
		{"5.|7.5", ""},
		{"−5|6", "sqlite postgres mysql sqlserver"},
		{"n/a|6|7|8|9|10|11|12|13|14|15|16|17|18|19|20|21|22|23|24|25", ""},
		{"9999-12-31|0001-01-01", ""},
		{"1,234|5,678,901", ""},
		{"1,5|2,25", ""},
	}
	var text strings.Builder
	text.WriteString("no")
	for i := range forms {
		fmt.Fprintf(&text, ";c%d", i)
	}
	for row := range 24 {
		fmt.Fprintf(&text, "\n%d", row)
		for _, form := range forms {
			values := strings.Split(form.texts, "|")
			text.WriteString(";" + values[row%len(values)])
		}
	}
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("wide.csv", text.String()+"\n")
		wide := []string{"load", "wide.csv", "--to", to, "--table", table, "--change", "key="}
		for i := range forms {
			wide = append(wide, "--change", fmt.Sprintf("c%d.type=varchar(60)", i), "--change", fmt.Sprintf("c%d.null_words=", i), "--change", fmt.Sprintf("c%d.characters=unicode", i))
		}
		d.run(0, wide...)
		for i, c := range d.json(0, "tighten", table, "--to", to, "--apply")["columns"].([]any)[1:] {
			column := c.(map[string]any)
			require.Equal(t, strings.Contains(forms[i].stays, name), !column["changes"].(bool), "%v: %v", forms[i], column["unchanged_because"])
		}
		out, _ := d.run(0, "tighten", table, "--to", to)
		require.Contains(t, out, "Nothing can be tightened.")
	})
}

func statements(proposal map[string]any) (list []string) {
	for _, s := range proposal["statements"].([]any) {
		list = append(list, s.(string))
	}
	return list
}

// TestTighten tightens a table of wide texts, and kills the program at random moments
// before: the table is unchanged, or changed completely.
func TestTighten(t *testing.T) {
	const records = 20_000
	var text strings.Builder
	text.WriteString("no,lent,fee\n")
	for i := range records {
		fmt.Fprintf(&text, "%d,%02d/%02d/2026,%d.50\n", i, 1+i%28, 1+i%12, i%1000)
	}
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.write("wide.csv", text.String())
		d.run(0, "load", "wide.csv", "--to", to, "--table", table, "--change", "no.type=bigint", "--change", "lent.type=varchar(100)", "--change", "fee.type=varchar(100)", "--change", "key=")
		state := func() (tight bool) {
			p := d.json(0, "tighten", table, "--to", to)
			require.Equal(t, float64(records), p["rows"])
			changes := 0
			for _, c := range p["columns"].([]any) {
				if c.(map[string]any)["changes"].(bool) {
					changes++
				}
			}
			require.Contains(t, []int{0, 3}, changes, "all columns, or none")
			return changes == 0
		}
		require.False(t, state())
		usual := time.Second
		tight := false
		for range 6 {
			if tight {
				break
			}
			c := d.command("tighten", table, "--to", to, "--apply")
			require.NoError(t, c.Start())
			time.Sleep(time.Duration(rand.Float64() * float64(usual)))
			_ = c.Process.Kill()
			_ = c.Wait()
			d.settle(table, to)
			tight = state()
		}
		if !tight {
			out, _ := d.run(0, "tighten", table, "--to", to, "--apply")
			require.Contains(t, out, "3 columns, every row proved to keep its values")
		}
		require.True(t, state())
		out, _ := d.run(0, "tighten", table, "--to", to)
		require.Contains(t, out, "Nothing can be tightened.")
		if name == "postgres" || name == "mysql" {
			on(t, to, "CREATE VIEW "+table+"_view AS SELECT * FROM "+table)
			_, errOut := d.run(1, "tighten", table+"_view", "--to", to)
			require.Contains(t, errOut, "not a table: it is a view")
			on(t, to, "DROP VIEW "+table+"_view")
		}
		out, _ = d.run(0, "survey", table, "--from", to)
		require.Contains(t, out, "20,000 rows")
		require.Contains(t, out, "2026-01-01")
	})
}

// TestTightenLoses leaves columns unchanged that would lose their default or a null word, and counts
// rows without any value.
func TestTightenLoses(t *testing.T) {
	onEach(t, func(t *testing.T, d *desk, name, to string) {
		table := uniqueTable(t)
		d.run(0, "load", "specimens.csv", "--to", to, "--table", table+"_other") // makes the database
		on(t, to, "CREATE TABLE "+table+" (no varchar(20), due varchar(20) DEFAULT '05/02/2026', fee varchar(20), rate decimal(30,10) DEFAULT 0.125)")
		for _, row := range []string{"'17', '28/03/2026', '7.50', 1", "NULL, NULL, NULL, NULL", "'18', '29/03/2026', 'n/a', 2", "'19', '30/03/2026', '8.25', 3"} {
			on(t, to, "INSERT INTO "+table+" VALUES ("+row+")")
		}
		out, _ := d.run(0, "tighten", table, "--to", to, "--apply")
		require.Regexp(t, `unchanged +due: has a default`, out)
		require.Regexp(t, `unchanged +fee: "n/a" would become NULL; set the type to accept that`, out)
		require.Regexp(t, `"n/a" in fee, row 3: not a number`, out)
		if name != "sqlite" {
			require.Regexp(t, `unchanged +rate: has a default`, out)
		}
		on(t, to, "INSERT INTO "+table+" (no) VALUES (20)")
		out, _ = d.run(0, "export", "--from", to, "--query", "SELECT due FROM "+table+" WHERE no = 20", "--out", "-")
		require.Equal(t, "due\n05/02/2026\n", out)
		out, _ = d.run(0, "tighten", table, "--to", to, "--apply", "--change", "fee.type=decimal(5,2)")
		require.Contains(t, out, `fee: "n/a" becomes NULL`)

		on(t, to, "CREATE TABLE "+table+"_one (no varchar(20))")
		on(t, to, "INSERT INTO "+table+"_one VALUES ('17'), (NULL), ('18')")
		out, _ = d.run(0, "survey", table+"_one", "--from", to)
		require.Regexp(t, `read +3 rows`, out)
		d.run(0, "tighten", table+"_one", "--to", to, "--apply")
		out, _ = d.run(0, "export", table+"_one", "--from", to, "--out", "one.csv")
		require.Contains(t, out, "1 row has no value, and programs skip such lines; --null WORD writes a word for NULL")
	})
}

// settle waits until a server has noticed that the program is gone, and drops the column
// that it may have left.
func (d *desk) settle(table, to string) {
	d.Helper()
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		c := d.command("tighten", table, "--to", to)
		out, err := c.CombinedOutput()
		if err == nil {
			return
		}
		require.True(d, time.Now().Before(end), string(out))
		_, statement, found := strings.Cut(string(out), "drop it first: ")
		if found {
			db, err := connect.Open(context.Background(), to, connect.Options{})
			require.NoError(d, err)
			_, err = db.Exec(context.Background(), strings.TrimSpace(statement))
			require.NoError(d, err)
			require.NoError(d, db.Close())
		}
	}
}

// TestTightenMistakes says what is wrong, and changes nothing.
func TestTightenMistakes(t *testing.T) {
	d := newDesk(t)
	d.run(3, "load", "loans.csv", "--to", "museum.db")
	for _, c := range []struct {
		status        int
		command, want string
	}{
		{1, "tighten loan --to museum.db", "did you mean loans?"},
		{1, "tighten loans --to museum.db --change lost.type=date", "table loans has no column lost; columns: loan_no, specimen_no, borrower"},
		{2, "tighten loans --to museum.db --change fee.name=charge", "write COLUMN.type=TYPE, COLUMN.format=PATTERN"},
		{2, "tighten loans --to museum.db --change fee.type=money", `unknown type "money"`},
		{1, "tighten loans --to museum.db --change borrower.type=date --apply", "is unchanged: column borrower has"},
		{2, "survey loans --from museum.db --each", "exclude each other"},
		{2, "survey --query SELECT", "--query needs --from"},
		{1, "survey --from museum.db --query SELEKT", "syntax error"},
	} {
		_, errOut := d.run(c.status, strings.Fields(c.command)...)
		require.Contains(t, errOut, c.want, c.command)
	}
	require.Equal(t, "175", d.query("SELECT count(borrower) FROM loans"))
	on(t, filepath.Join(d.dir, "museum.db"), "CREATE TABLE unused (no integer)")
	out, _ := d.run(0, "survey", "unused", "--from", "museum.db")
	require.Contains(t, out, "0 rows")
	require.NotContains(t, out, "--header", "of a file")
}

package main_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"ambertray/internal/connect"
)

// TestTightenScript runs the printed statements on every server. Only the types change.
func TestTightenScript(t *testing.T) {
	for name, to := range targets(t) {
		t.Run(name, func(t *testing.T) {
			d, table := newDesk(t), uniqueTable(t)
			if name == "sqlite" {
				to = filepath.Join(d.dir, to)
			}
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
}

// TestTightenLater runs the statements after another session has written a text that is not a
// number. SQLite keeps the text.
func TestTightenLater(t *testing.T) {
	d := newDesk(t)
	d.write("wide.csv", "no,fee\n1,12.50\n2,1.25\n")
	d.run(0, "load", "wide.csv", "--to", "museum.db", "--change", "fee.type=text")
	p := d.json(0, "tighten", "wide", "--to", "museum.db")
	script := append([]string{"UPDATE wide SET fee = '12.5 tbc' WHERE no = 2"}, statements(p)...)
	on(t, filepath.Join(d.dir, "museum.db"), script...)
	require.Equal(t, "12.5|real|12.5 tbc|text", d.query("SELECT fee, typeof(fee) FROM wide ORDER BY no"))
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
	for name, to := range targets(t) {
		t.Run(name, func(t *testing.T) {
			d, table := newDesk(t), uniqueTable(t)
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
		{2, "tighten loans --to museum.db --change fee.name=charge", "only types can be set here"},
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
}

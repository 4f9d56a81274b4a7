package load_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/load"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// TestMatchHeadings matches headings to the columns of a table by name, by likeness, and by
// values that fit one column only.
func TestMatchHeadings(t *testing.T) {
	for _, c := range []struct {
		name, columns, headings string // headings with their types
		want, without, unfilled string
	}{
		{"by name, whatever the case", "no integer, name text", "NO integer, Name varchar(9)", "NO=no name, Name=name name", "", ""},
		{"by likeness", "loan_no integer, borrower_name text", "Loan_Number integer, Borrower varchar(9)", "Loan_Number=loan_no values, Borrower=borrower_name likeness", "", ""},
		{"in another order", "a integer, b date, c text", "C text, A integer, B date", "C=c name, A=a name, B=b name", "", ""},
		{"by values", "no integer, due date, amount decimal(7,2)", "ref integer, when date, charge decimal(5,2)", "ref=no values, when=due values, charge=amount values", "", ""},
		{"two columns that fit", "lent date, due date", "when date", "", "when: lent due", ""},
		{"two headings that fit", "due date", "when date, then date", "", "when: due|then: due", ""},
		{"texts are no evidence", "note text", "colour varchar(9)", "", "colour: note", ""},
		{"no column takes it", "no integer", "colour varchar(9)", "", "colour: ", ""},
		{"an identity column stays free", "id integer PRIMARY KEY, number integer NOT NULL", "ref integer", "ref=number values", "", ""},
		{"one that needs a value", "no integer, branch text NOT NULL, room text NOT NULL DEFAULT 'x'", "no integer", "no=no name", "", "branch"},
		{"by position", "x integer, y text GENERATED ALWAYS AS (z) VIRTUAL, z text", "z integer, a varchar(9), b date", "z=x position, a=z position", "b: ", ""},
		{"a likeness of another type", "due_back date, room text", "due_back_note varchar(9), room text", "room=room name", "due_back_note: ", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			d := newDesk(t)
			d.exec("CREATE TABLE loan (" + c.columns + ")")
			tr := d.plan(table.Refuse, "1,ant")
			tr.Table = table.Table{Name: "loan"}
			for _, h := range strings.Split(c.headings, ", ") {
				heading, typ, _ := strings.Cut(h, " ")
				parsed, err := table.ParseType(typ)
				require.NoError(t, err)
				tr.Table.Columns = append(tr.Table.Columns, table.Column{From: heading, Name: strings.ToLower(heading), Type: parsed})
			}
			tr.Table.ByPosition = strings.Contains(c.want, "position")
			m, err := load.MatchTable(context.Background(), tr, d.db)
			if c.want == "" { // such a plan would leave out everything
				var none *load.NoMatchError
				require.ErrorAs(t, err, &none)
			} else {
				require.NoError(t, err)
			}
			require.False(t, tr.Table.ByPosition, "the plan has the names of the table")
			var matched, without []string
			for _, x := range m.Columns {
				matched = append(matched, fmt.Sprintf("%s=%s %s", x.Heading, x.Column, x.By))
			}
			for _, x := range m.Without {
				without = append(without, x.Heading+": "+strings.Join(x.Nearest, " "))
			}
			require.Equal(t, []string{c.want, c.without, c.unfilled}, []string{strings.Join(matched, ", "), strings.Join(without, "|"), strings.Join(m.Unfilled, " ")})
			require.Equal(t, table.Append, tr.Table.Existing)
			require.Len(t, tr.Table.Loaded(), len(m.Columns), "the others are left out")
		})
	}
}

// TestTighter matches columns that a draft holds back for a few values to those of a table that
// takes most of them, which stay written as they are.
func TestTighter(t *testing.T) {
	d, ctx := newDesk(t), context.Background()
	d.exec("CREATE TABLE loan (due_back date, fee decimal(7,2), opened date, room varchar(9))")
	for _, match := range []func(*tray.Tray) error{
		func(tr *tray.Tray) error { _, err := load.MatchTable(ctx, tr, d.db); return err },
		func(tr *tray.Tray) error { _, err := load.MatchNames(ctx, tr, d.db); return err },
	} {
		tr := d.plan(table.Refuse, "1,ant")
		tr.Table = table.Table{Name: "loan"}
		for _, heading := range []string{"Due_Back", "Fee", "Opened", "Room"} {
			tr.Table.Columns = append(tr.Table.Columns, table.Column{From: heading, Name: strings.ToLower(heading), Type: table.Type{Kind: table.Text}, NullWords: []string{"n/k"}})
		}
		tr.Tighter = map[string]table.Column{
			"Due_Back": {From: "Due_Back", Type: table.Type{Kind: table.Date}, Format: "dd/MM/yyyy"},
			"Fee":      {From: "Fee", Type: table.Type{Kind: table.Decimal, Size: 4, Scale: 1}, Thousands: ".", Decimal: ","},
			"Opened":   {From: "Opened", Type: table.Type{Kind: table.Time}}, // not what the table has
			"Room":     {From: "Room", Type: table.Type{Kind: table.Date}, Format: "yyyy"},
		}
		require.NoError(t, match(tr))
		var got []string
		for _, c := range tr.Table.Columns {
			require.Equal(t, []string{"n/k"}, c.NullWords, c.From)
			got = append(got, strings.TrimSpace(strings.Join([]string{c.From, c.Name, c.Type.String(), c.Format, c.Thousands, c.Decimal}, " ")))
		}
		require.Equal(t, []string{"Due_Back due_back date dd/MM/yyyy", "Fee fee decimal(7,2)  . ,", "Opened opened date", "Room room varchar(9)"}, got)
	}
}

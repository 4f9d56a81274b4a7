package load_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/load"
	"ambertray/internal/table"
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
			m, err := load.MatchTable(context.Background(), tr, d.db)
			require.NoError(t, err)
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

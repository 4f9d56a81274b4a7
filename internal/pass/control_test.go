package pass_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/dialect"
	"ambertray/internal/pass"
	"ambertray/internal/refusal"
	"ambertray/internal/table"
)

// TestControls holds what stands below the records against what was read and what
// converts: one record is rejected, and one the server has refused.
func TestControls(t *testing.T) {
	const records = "no,name,fee\n1,ant,\"1,000.50\"\n2,bee,-0.25\nx,cat,2\n4,dog,3\n"
	const fee = " 1005.25 1000.25"
	for footer, want := range map[string]string{
		"Total,,1005.25":                     "fee@6 1005.25" + fee,
		"Total,,\"1,005.25\"":                "fee@6 1005.25" + fee,
		"Grand total:,,1005.2":               "fee@6 1005.20" + fee,
		",,1005.25":                          "fee@6 1005.25" + fee,
		"Sum,,99999999999999999999999999999": "fee@6 99999999999999999999999999999.00" + fee,
		"4 records,,":                        "@6 4 4 2",
		"\"Records: 1,204\",,":               "@6 1204 4 2",
		"Number of records: 3,,":             "@6 3 4 2",
		"TRAILER,4,":                         "@6 4 4 2",
		"Average,,251.31":                    "",
		"Total,,n/a":                         "",
		"Printed 2026,,5":                    "",
		"Subtotal,,5\nTotal,,1005.25":        "fee@7 1005.25" + fee,
		"Total,,1005.25\n4 rows,,":           "fee@6 1005.25" + fee + "|@7 4 4 2",
	} {
		tr := plan(t, records+footer+"\n")
		tr.Layout.Footer, tr.Layout.FindFooter = int64(1+strings.Count(footer, "\n")), false
		tr.Table.Columns = append(tr.Table.Columns, table.Column{From: "fee", Name: "fee", Thousands: ",", Type: table.Type{Kind: table.Decimal, Size: 9, Scale: 2}})
		refused := &refusal.List{}
		refused.Add(refusal.Refusal{Where: refusal.Where{Record: 4}, Reason: "room"})
		for _, noFigures := range []bool{false, true} {
			out, err := open(t, tr).Run(context.Background(), pass.Options{Dialect: dialect.PostgreSQL, Refused: refused, NoFigures: noFigures})
			require.NoError(t, err)
			var got []string
			for _, c := range out.Parts[0].Controls {
				got = append(got, fmt.Sprintf("%s@%d %s %s %s", c.Column, c.Line, c.Stated, c.Read, c.Loaded))
				require.Equal(t, []bool{c.Stated == c.Read, c.Stated == c.Loaded}, []bool{c.Agrees(), c.Complete()})
			}
			if noFigures { // then columns are not added up
				require.NotContains(t, strings.Join(got, "|"), "fee")
				continue
			}
			require.Equal(t, want, strings.Join(got, "|"), footer)
		}
	}
}

package databasetest

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
	"ambertray/internal/table"
)

// Addresses compares the texts of addresses that are sent to a column of each type with the
// server's. cast returns a term with the text that the server makes of another.
func Addresses(t *testing.T, to database.Target, cast func(text, native string) string, natives ...string) {
	ctx := context.Background()
	for i, native := range natives {
		name := fmt.Sprintf("hosts_%d", i)
		_, err := to.Exec(ctx, "CREATE TABLE "+name+" (at "+native+")")
		require.NoError(t, err)
		columns, err := database.Columns(ctx, to, name)
		require.NoError(t, err)
		require.True(t, columns[0].Known, native)
		addresses(t, native, columns[0].Limit, func(text string) (string, bool) {
			found, err := to.Query(ctx, "SELECT "+cast(to.Dialect().Literal(text), native))
			if err != nil || found[0][0] == "" {
				return "", false
			}
			return found[0][0], true
		})
	}
}

func addresses(t *testing.T, native string, limit *table.Limit, server func(text string) (stored string, ok bool)) {
	texts := []string{
		"10.0.0.1", "10.0.0.1/8", "10.0.0.0/8", "010.0.0.1", "10.0.0", "256.0.0.1", "::", "::1", "::5", "::1.2.3.4", "::ffff:1.2.3.4", "::1:2", "0:0:1::", "1::2:0:0:3", "FE80::1",
		"fe80::1%eth0", "2001:db8::/32", "2001:db8::1/32", "::/0", "0.0.0.0/0", "1.2.3.4/33", "1:2:3:4:5:6:7:8", "1:0:3:4:5:6:7:8", "", "x", "1::2::3",
	}
	random := rand.New(rand.NewPCG(9, 9))
	for range 300 {
		words := make([]string, 8)
		for i := range words {
			words[i] = fmt.Sprintf("%x", random.IntN(2)*random.IntN(0x10000)>>(4*random.IntN(4)))
		}
		texts = append(texts, strings.Join(words, ":"))
	}
	for _, text := range texts {
		stored, ok := server(text)
		sent, why := limit.Text([]byte(text))
		switch {
		case why == "": // we reject some texts that the server accepts
			require.True(t, ok, "%s %s", native, text)
			require.Equal(t, stored, string(sent), "%s %s", native, text)
		case ok:
			require.NotRegexp(t, `^[0-9a-f:]*$`, text, "%s: %s", native, why)
		}
	}
}

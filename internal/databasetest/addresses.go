package databasetest

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database"
)

// Addresses compares the texts of addresses that are sent to a column of a type with what the
// server makes of the same texts.
func Addresses(t *testing.T, native string, info database.ColumnInfo, server func(text string) (kept string, err error)) {
	require.True(t, info.Known, native)
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
		kept, err := server(text)
		canonical, why := info.Limit.Text([]byte(text))
		switch {
		case why == "": // some of what we refuse the server would take
			require.NoError(t, err, "%s %s", native, text)
			require.Equal(t, kept, string(canonical), "%s %s", native, text)
		case err == nil:
			require.NotRegexp(t, `^[0-9a-f:]*$`, text, "%s: %s", native, why)
		}
	}
}

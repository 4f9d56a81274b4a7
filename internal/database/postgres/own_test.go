package postgres_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database/postgres"
	"ambertray/internal/databasetest"
	"ambertray/internal/dialect"
)

// TestJSON compares the JSON that is sent to columns with the server's.
func TestJSON(t *testing.T) {
	to := open(t)
	server := func(text string) (string, error) {
		return databasetest.Ask(to, "SELECT "+dialect.PostgreSQL.Literal(text)+"::jsonb")
	}
	databasetest.JSON(t, postgres.LimitJSON, 1000, server, "-0", "-0.0", "0e9", "-0e-3", "1e131071", "1e131072", "10e131071", "1e-16383", "1e-16384", "0e-16384", "0e999999",
		"1e99999999999", "12.50E-1", "0.00120e3")
}

// TestOwnTypes compares what is sent to columns of bytes, addresses of hardware, intervals and arrays
// with what the server makes of the same texts. It accepts more texts than we do.
func TestOwnTypes(t *testing.T) {
	ctx, to, random := context.Background(), open(t), rand.New(rand.NewPCG(4, 4))
	texts := map[string][]string{
		"bytea":   {`\x`, `\x00`, `\xFF0a`, `\x0`, `\xzz`, "abc", ""},
		"macaddr": {"08:00:2b:01:02:03", "08-00-2B-01-02-03", "0800.2b01.0203", "08002b:010203", "08:00:2b:01:02", "08:00:2b:01:02:0g", "08:00:2b:ff:fe:01:02:03", ""},
		"interval": {"1 day", "01:02", "30:15:00", "-00:00:00.5", "00:00:00", "P", "PT", "P1", "PT2H", "P1Y2M3W4DT5H6M7.000008S", "P-1Y2M", "1 mon -1 day", "-1 mon 1 day",
			"-1 day +00:00:01", "13 months", "-13 months", "90 minutes", "1.5 seconds", "1.5 hours", "1 fortnight", "25:61", "1", "", "day", "1 day 2", "2147483647 days", "2147483648 days",
			"178956970 years 7 mons", "178956971 years", "-0.5 sec", "2000000000 hours", "999999999999 hours", "1 day 1 day", "@ 1 day", "00:00:59.9999999"},
	}
	units := []string{"years", "mons", "days", "hours", "minutes", "seconds", "week"}
	for range 300 {
		text := ""
		for range random.IntN(4) {
			text += fmt.Sprintf("%d %s ", random.IntN(60)-30, units[random.IntN(len(units))])
		}
		if random.IntN(2) == 0 {
			text += fmt.Sprintf("%s%02d:%02d:%02d.%0*d", []string{"", "-", "+"}[random.IntN(3)], random.IntN(40), random.IntN(60), random.IntN(60), 1+random.IntN(6), random.IntN(10))
		}
		texts["interval"] = append(texts["interval"], text)
	}
	pieces := strings.Split(`{|}|,|"|\"|\\| |NULL|null|a|é|'|7|-12|+3|40000|99999999999|;|	`, "|")
	for _, native := range []string{"text[]", "character varying[]", "smallint[]", "integer[]", "bigint[]"} {
		texts[native] = []string{"{}", " { } ", "{NULL}", `{""}`, "{1,-2, +3 ,NULL}", `{"a b", c d ,"\"\\{},"}`, "{1,}", "{,}", "{{1},{2}}", "[2:3]={1,2}", "{a\\,b}", `{"a"b}`, `{a"b"}`, "{1", "1", "", `{"a}`, `{"\`}
		for range 300 {
			text := "{"
			for range random.IntN(5) {
				text += pieces[random.IntN(len(pieces))]
			}
			for range random.IntN(3) {
				text += []string{",", ` , "`, `",`}[random.IntN(3)] + pieces[random.IntN(len(pieces))]
			}
			texts[native] = append(texts[native], text+[]string{"}", `"}`}[random.IntN(2)])
		}
	}
	for native, all := range texts {
		accepted := 0
		for _, text := range all {
			sent, hashed, why := postgres.Field(native, text)
			if why != "" {
				continue
			}
			accepted++
			found, err := to.Query(ctx, "SELECT "+dialect.PostgreSQL.Literal(text)+"::"+native+"::text")
			require.NoError(t, err, "%s %q", native, text)
			require.Equal(t, []string{found[0][0], sent}, []string{sent, hashed}, "%s %q", native, text)
		}
		require.Greater(t, accepted, map[string]int{"bytea": 2, "macaddr": 2, "interval": 150, "text[]": 60}[native], native)
	}
	for _, text := range []string{"1.5 hours", "2147483648 days", "178956971 years", "999999999999 hours", "00:00:59.9999999", "1 fortnight", "P", "day"} {
		_, _, why := postgres.Field("interval", text)
		require.NotEmpty(t, why, text)
	}
}

// TestAddresses compares addresses with the server's.
func TestAddresses(t *testing.T) {
	cast := func(text, native string) string { return text + "::" + native + "::text" }
	databasetest.Addresses(t, open(t), cast, "inet", "cidr")
}

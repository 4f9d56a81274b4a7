package postgres_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"ambertray/internal/database/postgres"
	"ambertray/internal/databasetest"
	"ambertray/internal/dialect"
)

// TestJSON compares what is sent to a column of type jsonb with what the server makes of the
// same text.
func TestJSON(t *testing.T) {
	ctx, to := context.Background(), open(t)
	server := func(text string) (kept string, err error) {
		found, err := to.Query(ctx, "SELECT "+dialect.PostgreSQL.Literal(text)+"::jsonb")
		if err != nil {
			return "", err
		}
		return found[0][0], nil
	}
	texts := []string{
		"-0", "-0.0", "0e9", "-0e-3", "1e131071", "1e131072", "10e131071", "1e-16383", "1e-16384", "0e-16384", "0e999999", "1e99999999999", "12.50E-1", "0.00120e3",
		`"\u00e9\/\b\f\n\r\t\"\\\u001f\u007f"`, `"\ud83d\ude00"`, `"\ud83d"`, `"\ude00"`, `"\ud83dx"`, `"\ud83d\n"`, `"\ud83d\u0041"`, `"\u0000"`, `"\\u0000"`,
		" [ ] ", "{}", `{"bb":1,"a":[{},null,true,false],"é":2,"":3,"B":4}`, "", "nul", "[1,]", `{"a"}`, "1 2", "01", "+1", "1.", ".5", "NaN", `"a`, "[" + `"tab	"` + "]",
		strings.Repeat("[", 1000) + strings.Repeat("]", 1000),
	}
	random := rand.New(rand.NewPCG(7, 7))
	var value func(depth int) string
	value = func(depth int) string {
		var parts []string
		n := random.IntN(10)
		switch {
		case n < 4:
			return fmt.Sprintf("%d.%0*de%d", random.IntN(3000)-1500, 1+random.IntN(9), random.IntN(10), random.IntN(40)-20)
		case n < 6 || depth == 0:
			return strconv.Quote(string([]rune{rune(' ' + random.IntN(90)), rune(0xa1 + random.IntN(900)), 'x'}))
		case n < 8:
			for range random.IntN(4) {
				parts = append(parts, value(depth-1))
			}
			return "[ " + strings.Join(parts, " ,") + "]"
		}
		for i := range random.IntN(5) {
			parts = append(parts, fmt.Sprintf("%q : %s", strings.Repeat(string(rune('a'+random.IntN(20))), 1+random.IntN(3))+fmt.Sprint(i), value(depth-1)))
		}
		return "{" + strings.Join(parts, ",\n") + "}"
	}
	for range 300 {
		texts = append(texts, value(4))
	}
	for _, text := range texts {
		kept, err := server(text)
		canonical, why := postgres.CanonicalJSON([]byte(text))
		if err != nil {
			require.NotEmpty(t, why, "%s: %v", text, err)
			continue
		}
		require.Empty(t, why, text)
		require.Equal(t, kept, string(canonical), text)
	}
	for _, text := range []string{`{"a": 1, "b": 2, "\u0061": 3}`, strings.Repeat("[", 1001) + strings.Repeat("]", 1001)} {
		_, why := postgres.CanonicalJSON([]byte(text))
		require.NotEmpty(t, why, "what would lose a value or end the load")
	}
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

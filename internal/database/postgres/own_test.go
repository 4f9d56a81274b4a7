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
	texts["macaddr8"] = []string{"08:00:2b:01:02:03:04:05", "08-00-2B-01-02-03-04-05", "08:00:2b:01:02:03", ""}
	texts["bit(4)"] = []string{"0101", "1111", "101", "10101", "01x1", "", "B'0101'"}
	texts["bit varying(9)"] = []string{"", "1", "010110111", "0101101110", "2"}
	texts["bit varying"] = []string{"", "10101010101010101", "x"}
	texts["time with time zone"] = []string{"10:00:00+01", "10:00Z", "23:59:59.999999-15:59", "00:00:00.50+0530", "10:00:00-00", "10:00:00-00:30", "24:00:00+00", "10:00:00", "10:00:00+16", "1:00+01", ""}
	texts["time(0) with time zone"] = []string{"10:00:00.000+01", "10:00:00.5+01"}
	moments := []string{"2026-01-31", "0001-01-01", "9999-12-31", "2026-02-30", "0000-01-01", "1969-12-31", "infinity"}
	clocks := []string{" 10:00:00", " 10:00:00.50", " 23:59:59.999999", " 24:00:00", "T10:00:00", " 10:00:00.0000001", ""}
	for _, day := range moments {
		texts["date[]"] = append(texts["date[]"], "{"+day+",NULL}")
		for _, clock := range clocks {
			texts["timestamp without time zone[]"] = append(texts["timestamp without time zone[]"], `{"`+day+clock+`"}`)
			texts["timestamp(1) without time zone[]"] = append(texts["timestamp(1) without time zone[]"], `{"`+day+clock+`"}`)
			for _, offset := range []string{"", "Z", "+01", "-05:30", "+1"} {
				texts["timestamp with time zone[]"] = append(texts["timestamp with time zone[]"], `{"`+day+clock+offset+`"}`)
			}
		}
	}
	for _, number := range []string{"0", "-0", "-0.00", "+1", "1.50", "007", "-12.345", "123456.78", "1234567.1", "1.234", ".5", "1.", "1e3", "NaN", "0.000000000000000000000001", "-0.0000000000000000000000", "123456789012345678901234567890.123", "10000", "0.0001", "99999999.99"} {
		for _, native := range []string{"numeric[]", "numeric(8,2)[]"} {
			texts[native] = append(texts[native], "{"+number+",1}")
		}
	}
	texts["boolean[]"] = []string{"{t,f,TRUE,False,NULL}", "{yes}", `{""}`, "{1}", "{tr}"}
	texts["uuid[]"] = []string{"{A0EEBC99-9c0b-4ef8-bb6d-6bb9bd380a11}", "{a0eebc999c0b4ef8bb6d6bb9bd380a11}", "{x}"}
	texts["character varying(3)[]"] = []string{"{abc,é}", "{abcd}", `{"ab "}`, `{"abc "}`}
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
		require.Greater(t, accepted, map[string]int{"bytea": 2, "macaddr": 2, "interval": 150, "text[]": 60, "bit varying(9)": 2, "time with time zone": 5, "date[]": 3, "timestamp without time zone[]": 11,
			"timestamp with time zone[]": 30, "timestamp(1) without time zone[]": 7, "numeric[]": 14, "numeric(8,2)[]": 6}[native], native)
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

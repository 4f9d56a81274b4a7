package postgres

import (
	"context"
	"fmt"
	"math/big"
	"math/rand/v2"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/proof"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// RowHash implements database.Summer. A server that lacks the function, is not
// Unicode or hashes otherwise than we do, such as one of the other byte order, gives
// its rows to be hashed here.
func (x *tx) RowHash(ctx context.Context, tab *table.Table) (proof.RowHash, error) {
	if !x.t.hashTried {
		works, err := x.t.tryHash(ctx)
		if err != nil {
			return nil, err
		}
		x.t.hashTried, x.t.hashWorks = true, works
	}
	if !x.t.hashWorks || len(tab.Loaded()) == 0 {
		return nil, nil
	}
	return rowHash(typesOf(tab), x.t.hashSeed), nil
}

func typesOf(tab *table.Table) (types []table.Type) {
	for _, c := range tab.Loaded() {
		types = append(types, c.Type)
	}
	return types
}

// sample is a value of each type that is hashed, as text that the server takes and
// as the values that we have of it.
var sample = []struct {
	typ  string
	text string
	val  value.Value
}{
	{"smallint", "-3", value.Value{Int: -3}},
	{"integer", "70000", value.Value{Int: 70000}},
	{"bigint", "-9000000000", value.Value{Int: -9000000000}},
	{"decimal(9,2)", "-12345.67", value.Value{Int: -1234567, Scale: 2}},
	{"double", "0.1", value.Value{Float: 0.1}},
	{"boolean", "true", value.Value{Int: 1}},
	{"date", "2000-01-02", value.Value{Int: epochDays + 1}},
	{"time", "00:00:01", value.Value{Int: 1_000_000}},
	{"timestamp", "2000-01-01 00:00:01", value.Value{Int: epochMicros + 1_000_000}},
	{"timestamp with time zone", "2000-01-01 00:00:01+00", value.Value{Int: epochMicros + 1_000_000}},
	{"varchar(20)", "beetle in amber", value.Value{Text: []byte("beetle in amber")}},
	{"char(9)", "ant", value.Value{Text: []byte("ant")}},
	{"uuid", "123e4567-e89b-12d3-a456-426614174000", value.Value{Text: []byte("123e4567-e89b-12d3-a456-426614174000")}},
}

// tryHash compares the hash of a row of every type with ours.
func (t *Target) tryHash(ctx context.Context) (bool, error) {
	t.hashSeed = rand.Uint64() >> 1 // which the server takes as a positive bigint
	found, err := t.Query(ctx, "SELECT count(*) FROM pg_proc WHERE proname = 'hash_record_extended'")
	if err != nil || found[0][0] == "0" || !t.unicode {
		return false, err
	}
	tab, row, terms := &table.Table{}, []value.Value{}, []string{}
	for _, s := range sample {
		typ, err := table.ParseType(s.typ)
		if err != nil {
			return false, err
		}
		tab.Columns = append(tab.Columns, table.Column{Type: typ})
		row, terms = append(row, s.val), append(terms, hashTerm("'"+s.text+"'::"+strings.Replace(s.typ, "double", "double precision", 1), typ))
	}
	answer, err := t.Query(ctx, "SELECT "+t.hashOf(terms))
	if err != nil {
		return false, err
	}
	return answer[0][0] == fmt.Sprint(int64(rowHash(typesOf(tab), t.hashSeed)(nil, encodeRow(encoder{len(row)}, typesOf(tab), row)))), nil
}

// encodeRow encodes values of columns of these types.
func encodeRow(enc convert.Encoder, types []table.Type, row []value.Value) []byte {
	data := enc.AppendRecord(nil)
	for i, t := range types {
		if row[i].Null {
			data = enc.AppendNull(data, i)
		} else {
			data = enc.Column(i, t)(data, &row[i])
		}
	}
	return data
}

// hashOf is the hash of a row of terms.
func (t *Target) hashOf(terms []string) string {
	seed := fmt.Sprint(t.hashSeed)
	return spreadTerm("hash_record_extended(ROW("+strings.Join(terms, ", ")+"), "+seed+")", seed)
}

// Sum implements database.Summer.
func (x *tx) Sum(ctx context.Context, tab *table.Table, rows int64, added bool) (s proof.Sum, err error) {
	var terms []string
	for _, c := range tab.Loaded() {
		terms = append(terms, hashTerm(dialect.PostgreSQL.Quote(c.Name), c.Type))
	}
	condition := ""
	if added {
		condition, err = x.addedCondition(ctx, tab, rows)
		if err != nil {
			return s, err
		}
	}
	answer, err := x.t.Query(ctx, fmt.Sprintf("SELECT count(*), coalesce(sum(%s), 0) FROM %s%s", x.t.hashOf(terms), dialect.PostgreSQL.QuoteTable(tab.Name), condition))
	if err != nil {
		return s, err
	}
	sum, _ := new(big.Int).SetString(answer[0][1], 10)
	if sum == nil {
		return s, x.t.fail("sum the rows of "+tab.Name, fmt.Errorf("unexpected answer %q", answer[0][1]))
	}
	_, err = fmt.Sscan(answer[0][0], &s.Rows)
	s.Hash = new(big.Int).And(sum, new(big.Int).SetUint64(^uint64(0))).Uint64() // modulo 2^64, also of a negative sum
	return s, err
}

package postgres

import (
	"context"
	"encoding/hex"
	"math/big"
	"slices"
	"strconv"
	"strings"

	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/figures"
	"ambertray/internal/table"
)

// perColumn is how many expressions a column is asked for: the number of its
// values, the least and greatest as text, and the sum in one or two parts.
const perColumn = 5

// columnsPerQuery keeps a query within the 1,664 expressions that the server takes.
const columnsPerQuery = maxColumns / perColumn

// Figures implements database.Target.
func (t *Target) Figures(ctx context.Context, tab *table.Table) (rows int64, figures []table.Figures, err error) {
	if len(tab.Loaded()) == 0 {
		return t.figuresOf(ctx, tab.Name, nil)
	}
	for cols := range slices.Chunk(tab.Loaded(), columnsPerQuery) {
		var some []table.Figures
		if rows, some, err = t.figuresOf(ctx, tab.Name, cols); err != nil {
			return 0, nil, err
		}
		figures = append(figures, some...)
	}
	return rows, figures, nil
}

// figuresOf asks for some columns with one query.
func (t *Target) figuresOf(ctx context.Context, name string, cols []table.Column) (rows int64, figures []table.Figures, err error) {
	terms := []string{"count(*)"}
	for _, c := range cols {
		e := t.expressions(dialect.PostgreSQL.Quote(c.Name), c.Type)
		terms = append(terms, e[:]...)
	}
	sql := "SELECT " + strings.Join(terms, ", ") + " FROM " + dialect.PostgreSQL.QuoteTable(name)
	counts := make([]int64, len(cols))
	texts := make([]*string, 4*len(cols))
	into := []any{&rows}
	for i := range cols {
		into = append(into, &counts[i], &texts[4*i], &texts[4*i+1], &texts[4*i+2], &texts[4*i+3])
	}
	if err := t.conn.QueryRow(ctx, sql).Scan(into...); err != nil {
		return 0, nil, t.fail("ask for the figures of "+name, err)
	}
	for i, c := range cols {
		if !t.unicode && c.Type.Textual() {
			unhex(texts[4*i : 4*i+2])
		}
		figures = append(figures, parseFigures(c.Type, rows-counts[i], texts[4*i:4*i+4]))
	}
	return rows, figures, nil
}

// unhex decodes the least and the greatest text of a database that is not
// Unicode, which are compared as bytes of UTF-8 in hexadecimal.
func unhex(texts []*string) {
	for _, text := range texts {
		if text == nil {
			continue
		}
		if plain, err := hex.DecodeString(*text); err == nil {
			*text = string(plain)
		}
	}
}

// expressions asks for a column in the cheapest way that is exact: a date is
// summed as days, a timestamp as days and microseconds of the day, text by
// its bytes.
func (to *Target) expressions(name string, t table.Type) [perColumn]string {
	count := "count(" + name + ")"
	if t.Kind == table.TimestampTZ {
		name = "(" + name + " AT TIME ZONE 'UTC')"
	}
	least, greatest := "min("+name+")::text", "max("+name+")::text"
	none := "NULL::text"
	switch t.Kind {
	case table.Boolean:
		return [...]string{count, "bool_and(" + name + ")::int::text", "bool_or(" + name + ")::int::text", "sum(" + name + "::int)::text", none}
	case table.Date:
		return [...]string{count, least, greatest, "sum(" + name + " - date '1970-01-01')::text", none}
	case table.Time:
		return [...]string{count, least, greatest, none, clockSum(name)}
	case table.Timestamp, table.TimestampTZ:
		return [...]string{count, least, greatest, "sum(" + name + "::date - date '1970-01-01')::text", clockSum(name + "::time")}
	case table.Double:
		least, greatest, name = "min("+name+")::float8::text", "max("+name+")::float8::text", name+"::float8"
		return [...]string{count, least, greatest, "sum(('x' || encode(float8send(" + name + "), 'hex'))::bit(64)::bigint)::text", none}
	case table.UUID:
		return [...]string{count, "min(" + name + "::text)", "max(" + name + "::text)", "(36 * count(" + name + "))::text", none}
	case table.Char, table.Varchar, table.Text:
		if t.Kind == table.Char { // its padding counts for nothing
			name += "::text"
		}
		if !to.unicode {
			utf8 := "convert_to(" + name + ", 'UTF8')"
			return [...]string{count, "min(encode(" + utf8 + ", 'hex'))", "max(encode(" + utf8 + ", 'hex'))", "sum(octet_length(" + utf8 + "))::text", none}
		}
		return [...]string{count, `min(` + name + ` COLLATE "C")::text`, `max(` + name + ` COLLATE "C")::text`, "sum(octet_length(" + name + "))::text", none}
	}
	return [...]string{count, least, greatest, "sum(" + name + ")::text", none}
}

func clockSum(name string) string {
	return "sum(round(date_part('epoch', " + name + ") * 1e6)::bigint)::text"
}

const microsPerDay = 86400 * 1_000_000

func parseFigures(t table.Type, nulls int64, texts []*string) table.Figures {
	f := table.Figures{Nulls: nulls, Min: database.Text(texts[0]), Max: database.Text(texts[1]), Sum: "0"}
	switch t.Kind {
	case table.Time, table.Timestamp, table.TimestampTZ:
		sum := database.Number(texts[2])
		sum.Mul(sum, big.NewInt(microsPerDay)).Add(sum, database.Number(texts[3]))
		f.Sum = sum.String()
		f.Min, f.Max = padFraction(f.Min), padFraction(f.Max)
	case table.Double:
		f.Min, f.Max = reformat(f.Min), reformat(f.Max)
		f.Sum = database.Number(texts[2]).String()
	default:
		if texts[2] != nil {
			f.Sum = *texts[2]
		}
	}
	return f
}

// padFraction gives a fraction of a second all six decimals.
func padFraction(s string) string {
	if i := strings.IndexByte(s, '.'); i >= 0 {
		return s + strings.Repeat("0", 6-(len(s)-i-1))
	}
	return s
}

func reformat(s string) string {
	f, err := strconv.ParseFloat(s, 64)
	if err != nil {
		return s
	}
	return figures.FormatFloat(f)
}

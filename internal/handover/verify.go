package handover

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"ambertray/internal/dialect"
	"ambertray/internal/table"
)

// columnsAtOnce is how many columns a query of verify.sql compares: servers limit the
// length of a query and how many terms it has.
const columnsAtOnce = 50

// figure is what is compared of a column: an expression of the server and what it must be.
type figure struct {
	name, expression string
	want             string // as the server writes it
	shown            string // as people read it
	compare          string // the condition, where it is not that both are equal
}

// verifyText is verify.sql: queries that answer one line for each column.
func (h *handover) verifyText(r *Receipt) string {
	v := &verifier{d: h.Dialect, table: h.table, rows: r.Counts.Rows}
	text := h.title(r, "compares the table with the figures of the rows") + verifyHeads[h.Dialect]
	groups := [][]group{{{name: "all rows", figures: []figure{number("rows", "count(*)", fmt.Sprint(r.Counts.Rows))}}}}
	for i, c := range h.table.Loaded() {
		last := &groups[len(groups)-1]
		if len(*last) > columnsAtOnce {
			groups = append(groups, nil)
			last = &groups[len(groups)-1]
		}
		*last = append(*last, group{c.Name, v.figures(c, &r.Columns[i].Figures)})
	}
	for _, g := range groups {
		text += v.query(g) + ";\n\n"
	}
	return text
}

// verifyHeads are settings of the clients. Without them they may misread the names of columns.
var verifyHeads = map[*dialect.Dialect]string{
	dialect.PostgreSQL: "SET client_encoding = 'UTF8';\n\n",
	dialect.MySQL:      "SET NAMES utf8mb4;\nSET SESSION sql_mode = 'STRICT_ALL_TABLES';\n\n",
	dialect.Oracle:     "SET DEFINE OFF\nSET LINESIZE 300 PAGESIZE 1000\nCOLUMN \"column\" FORMAT A40\nCOLUMN \"answer\" FORMAT A200\n\n",
}

// number is a figure that people and servers write alike.
func number(name, expression, want string) figure { return figure{name, expression, want, want, ""} }

// group is a line of the answer.
type group struct {
	name    string
	figures []figure
}

type verifier struct {
	d     *dialect.Dialect
	table *table.Table
	rows  int64
}

// query compares the figures of some columns, which the server gathers in one pass.
func (v *verifier) query(groups []group) string {
	var gathered, lines []string
	for i, g := range groups {
		var same, wants, founds []string
		for k, f := range g.figures {
			name := fmt.Sprintf("f%d_%d", i, k)
			gathered = append(gathered, f.expression+" AS "+name)
			wants = append(wants, f.name+" "+f.shown)
			founds = append(founds, v.d.Literal(f.name+" "), v.shown(name))
			switch {
			case f.compare != "":
				same = append(same, fmt.Sprintf(f.compare, name))
			case f.want == none:
				same = append(same, name+" IS NULL")
			default:
				same = append(same, name+" = "+f.want)
			}
			if k < len(g.figures)-1 {
				founds = append(founds, v.d.Literal(", "))
			}
		}
		expected := v.d.Literal("expected " + strings.Join(wants, ", ") + "; found ")
		lines = append(lines, fmt.Sprintf("SELECT %d AS %s, %s AS %s, CASE WHEN %s THEN %s ELSE %s END AS %s FROM ambertray_figures",
			i, v.d.Quote("position"), v.d.Literal(g.name), v.d.Quote("column"), strings.Join(same, " AND "), v.d.Literal("agrees"), v.joined(append([]string{expected}, founds...)), v.d.Quote("answer")))
	}
	return fmt.Sprintf("WITH ambertray_figures AS (SELECT %s FROM %s)\n%s\nORDER BY 1", strings.Join(gathered, ", "), v.d.QuoteTable(v.table.Name), strings.Join(lines, "\nUNION ALL "))
}

// none stands for a figure of a column without values.
const none = "NULL"

// joined joins texts.
func (v *verifier) joined(texts []string) string {
	if v.d == dialect.MySQL || v.d == dialect.SQLServer {
		return "concat(" + strings.Join(texts, ", ") + ")"
	}
	return strings.Join(texts, " || ")
}

// shown is a figure as text.
func (v *verifier) shown(name string) string {
	text := "CAST(" + name + " AS varchar(100))"
	switch v.d {
	case dialect.MySQL:
		text = "CAST(" + name + " AS char(100))"
	case dialect.Oracle:
		text = "TO_CHAR(" + name + ")"
	case dialect.SQLServer:
		text = "CONVERT(varchar(100), " + name + ", 121)"
	}
	return "coalesce(" + text + ", " + v.d.Literal(none) + ")"
}

// figures are those of a column. Of text it is the sum of the bytes of its UTF-8, as
// servers order text by rules of their own; of floating point no sum, as that depends on
// the order.
func (v *verifier) figures(c table.Column, f *table.Figures) []figure {
	name, stored := v.d.Quote(c.Name), v.d.Stored(c.Type)
	all := []figure{number("NULLs", "coalesce(sum(CASE WHEN "+name+" IS NULL THEN 1 ELSE 0 END), 0)", fmt.Sprint(f.Nulls))}
	switch {
	case stored.Textual(): // so is what has no type of its own there
		bytes := v.bytes(name, c.Type)
		if bytes != "" {
			all = append(all, number("bytes", "coalesce(sum("+bytes+"), 0)", f.Sum))
		}
	case c.Type.Kind == table.Boolean:
		all = append(all, number("true", v.trues(name), f.Sum))
	case f.Min == "" && f.Max == "":
		all = append(all, number("least", "min("+name+")", none))
	case c.Type.Kind == table.UUID, c.Type.Kind == table.TimestampTZ: // which servers write by rules of their own
	default:
		all = append(all, figure{"least", "min(" + name + ")", v.constant(c.Type, f.Min), f.Min, ""}, figure{"greatest", "max(" + name + ")", v.constant(c.Type, f.Max), f.Max, ""})
		sum := v.sum(name, c.Type, f)
		if sum != nil {
			all = append(all, *sum)
		}
	}
	return all
}

// constant is a figure as the server writes values.
func (v *verifier) constant(t table.Type, text string) string {
	if t.Numeric() {
		return text
	}
	return v.d.Constant(t, text)
}

// bytes is how many bytes the UTF-8 of a text has, or "" without a function for that.
func (v *verifier) bytes(name string, t table.Type) string {
	switch v.d {
	case dialect.PostgreSQL:
		return "octet_length(CAST(" + name + " AS text))"
	case dialect.MySQL:
		return "length(" + name + ")"
	case dialect.SQLite:
		return "length(CAST(" + name + " AS blob))"
	case dialect.SQLServer:
		if t.Kind == table.Char {
			name = "rtrim(" + name + ")"
		}
		return "CAST(datalength(CAST(" + name + " AS varchar(max)) COLLATE Latin1_General_100_BIN2_UTF8) AS bigint)"
	case dialect.Oracle:
		if strings.HasPrefix(v.d.TypeName(t), "clob") { // only its number of characters can be compared
			return ""
		}
		if t.Kind == table.Char {
			name = "rtrim(" + name + ")"
		}
		return "lengthb(" + name + ")"
	}
	return "octet_length(" + name + ")"
}

// trues is how many values are true.
func (v *verifier) trues(name string) string {
	switch v.d {
	case dialect.PostgreSQL, dialect.ANSI:
		return "coalesce(sum(CASE WHEN " + name + " THEN 1 ELSE 0 END), 0)"
	case dialect.SQLServer:
		name = "CAST(" + name + " AS int)"
	}
	return "coalesce(sum(" + name + "), 0)"
}

// sum is the sum of numbers and of the days of dates.
func (v *verifier) sum(name string, t table.Type, f *table.Figures) *figure {
	want := f.Sum
	switch {
	case v.d == dialect.SQLite && (t.Kind == table.Decimal || t.Whole() && v.overflows(f)): // as floating point
		return &figure{"sum", "total(" + name + ")", want, want, "abs(%s - " + want + ") <= 1e-9 * (SELECT total(abs(" + name + ")) FROM " + v.d.QuoteTable(v.table.Name) + ")"}
	case t.Whole() && v.d == dialect.SQLServer:
		return new(number("sum", "sum(CAST("+name+" AS decimal(38, 0)))", want))
	case t.Whole(), t.Kind == table.Decimal:
		return new(number("sum", "sum("+name+")", want))
	case t.Kind == table.Date && v.days(name) != "":
		return new(number("sum of days", v.days(name), want))
	}
	return nil
}

// overflows reports whether adding up whole numbers may need more than 64 bits.
func (v *verifier) overflows(f *table.Figures) bool {
	for _, text := range []string{f.Min, f.Max} {
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil || n > math.MaxInt64/max(v.rows, 1) || n < -(math.MaxInt64/max(v.rows, 1)) {
			return true
		}
	}
	return false
}

// days is the sum of the days since 1970, or "".
func (v *verifier) days(name string) string {
	switch v.d {
	case dialect.PostgreSQL:
		return "sum(" + name + " - DATE '1970-01-01')"
	case dialect.MySQL:
		return "sum(datediff(" + name + ", '1970-01-01'))"
	case dialect.SQLServer:
		return "sum(CAST(datediff(day, '1970-01-01', " + name + ") AS bigint))"
	case dialect.Oracle:
		return "sum(" + name + " - DATE '1970-01-01')"
	}
	return ""
}

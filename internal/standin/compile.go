package standin

import (
	"fmt"
	"math/big"
	"strconv"
	"strings"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// code is an expression in the SQL of SQLite, and its type.
type code struct {
	sql      string
	typ      Type
	constant *tds.Value // its value, where that is known already
	nullable bool
	column   *columnDef // that it is, if it is one
}

// scope is where the names of an expression are looked up: the sources of a query, and
// those of the queries around it.
type scope struct {
	sources []bound
	outer   *scope
	group   map[string]bool // the terms of GROUP BY, where there are aggregates
}

// bound is a source of a query.
type bound struct {
	alias   string // as the query calls it
	inner   string // as SQLite calls it
	columns []boundColumn
	table   *tableDef
}

type boundColumn struct {
	name string
	sql  string
	typ  Type
	null bool
	def  *columnDef
}

// compiler translates one statement.
type compiler struct {
	s     *session
	count int // of the sources named so far
	ctes  map[string]*tsql.Select
	// inserted is what a trigger sees of the rows that fire it.
	inserted *insertedRows
}

// compiler returns one for a statement of the session.
func (s *session) compiler() *compiler { return &compiler{s: s, inserted: s.trigger} }

type insertedRows struct {
	table *tableDef
	mark  int64
}

func invalid(number int, format string, args ...any) error {
	return &tds.Error{Number: number, Severity: 16, Message: fmt.Sprintf(format, args...)}
}

func (c *compiler) name() string {
	c.count++
	return fmt.Sprintf("a%d", c.count)
}

var (
	intType  = Type{Name: "int"}
	bigType  = Type{Name: "bigint"}
	bitType  = Type{Name: "bit"}
	nameType = Type{Name: "nvarchar", Size: 128}
)

// expr translates a value.
func (c *compiler) expr(x tsql.Expr, in *scope) (code, error) {
	if in != nil && in.group != nil {
		err := c.grouped(x, in)
		if err != nil {
			return code{}, err
		}
	}
	switch x := x.(type) {
	case *tsql.Lit:
		return literalCode(x)
	case *tsql.Col:
		return c.columnCode(x.Parts, in)
	case *tsql.Var:
		return c.variable(x.Name)
	case *tsql.Unary:
		return c.negative(x, in)
	case *tsql.Binary:
		return c.arithmetic(x, in)
	case *tsql.Cast:
		return c.cast(x, in)
	case *tsql.Case:
		return c.cases(x, in)
	case *tsql.Call:
		return c.call(x, in)
	case *tsql.Collated:
		v, err := c.expr(x.X, in)
		v.typ.Collate = x.Name
		v.sql = "(" + v.sql + " COLLATE " + collationOf(x.Name) + ")"
		return v, err
	case *tsql.Sub:
		q, err := c.query(x.Query, in)
		if err != nil {
			return code{}, err
		}
		if len(q.columns) != 1 {
			return code{}, invalid(116, "Only one expression can be specified in the select list when the subquery is not introduced with EXISTS.")
		}
		return code{sql: "(" + q.sql + ")", typ: q.columns[0].typ, nullable: true}, nil
	}
	return code{}, invalid(50001, "The stand-in cannot compute %T.", x)
}

func collationOf(name string) string {
	upper := strings.ToUpper(name)
	if strings.Contains(upper, "_BIN") || strings.Contains(upper, "_CS") {
		return "BINARY"
	}
	return "ci"
}

// known is the code of a value that is known.
func known(t Type, v tds.Value) code {
	return code{sql: literal(t, v), typ: t, constant: &v, nullable: v.Null}
}

func literalCode(x *tsql.Lit) (code, error) {
	switch x.Kind {
	case '0':
		return known(intType, tds.Value{Null: true}), nil
	case 's', 'N':
		t := Type{Name: "varchar", Size: max(len([]rune(x.Text)), 1)}
		if x.Kind == 'N' {
			t.Name = "nvarchar"
		}
		return known(t, tds.Value{Text: []byte(x.Text)}), nil
	case 'b':
		t := Type{Name: "varbinary", Size: max(len(x.Text)/2, 1)}
		v, err := hexValue(x.Text)
		return known(t, v), err
	}
	if strings.ContainsAny(x.Text, "eE") {
		f, err := strconv.ParseFloat(x.Text, 64)
		if err != nil {
			return code{}, invalid(168, "The floating point value '%s' is out of the range of computer representation.", x.Text)
		}
		return known(Type{Name: "float"}, tds.Value{Float: f}), nil
	}
	n, err := strconv.ParseInt(x.Text, 10, 32)
	if err == nil {
		return known(intType, tds.Value{Int: n}), nil
	}
	whole, decimals, _ := strings.Cut(x.Text, ".")
	t := Type{Name: "decimal", Size: max(len(strings.TrimLeft(whole, "0"))+len(decimals), 1), Scale: len(decimals)}
	r, ok := new(big.Rat).SetString(x.Text)
	if !ok {
		return code{}, invalid(102, "Incorrect syntax near '%s'.", x.Text)
	}
	v, err := fromRat(r, t)
	return known(t, v), err
}

func hexValue(text string) (v tds.Value, err error) {
	if len(text)%2 == 1 {
		text = "0" + text
	}
	for i := 0; i < len(text); i += 2 {
		n, err := strconv.ParseUint(text[i:i+2], 16, 8)
		if err != nil {
			return v, err
		}
		v.Text = append(v.Text, byte(n))
	}
	return v, nil
}

// columnCode finds a column by its name and what stands before it.
func (c *compiler) columnCode(parts []string, in *scope) (code, error) {
	name, before := parts[len(parts)-1], ""
	if len(parts) > 1 {
		before = parts[len(parts)-2]
	}
	for at := in; at != nil; at = at.outer {
		var found []boundColumn
		aliased := false
		for _, b := range at.sources {
			if before != "" && !strings.EqualFold(b.alias, before) {
				continue
			}
			aliased = true
			for _, col := range b.columns {
				if strings.EqualFold(col.name, name) {
					found = append(found, col)
				}
			}
		}
		switch {
		case len(found) > 1:
			return code{}, &tds.Error{Number: 209, Severity: 16, Message: fmt.Sprintf("Ambiguous column name '%s'.", name)}
		case len(found) == 1:
			f := found[0]
			return code{sql: f.sql, typ: f.typ, nullable: f.null, column: f.def}, nil
		case aliased && before != "":
			return code{}, &tds.Error{Number: 207, Severity: 16, Message: fmt.Sprintf("Invalid column name '%s'.", name)}
		}
	}
	if before != "" {
		return code{}, &tds.Error{Number: 4104, Severity: 16, Message: fmt.Sprintf("The multi-part identifier \"%s\" could not be bound.", strings.Join(parts, "."))}
	}
	return code{}, &tds.Error{Number: 207, Severity: 16, Message: fmt.Sprintf("Invalid column name '%s'.", name)}
}

func (c *compiler) negative(x *tsql.Unary, in *scope) (code, error) {
	v, err := c.expr(x.X, in)
	if err != nil {
		return v, err
	}
	if v.constant != nil && !v.constant.Null {
		n := *v.constant
		n.Int, n.Float = -n.Int, -n.Float
		if v.typ.Wide() {
			n.Text = append([]byte("-"), n.Text...)
		}
		return known(v.typ, n), nil
	}
	if v.typ.Wide() || !numeric(v.typ) {
		return v, invalid(50001, "The stand-in cannot turn the sign of a %s.", v.typ.Name)
	}
	v.sql, v.column = "(-"+v.sql+")", nil
	return v, nil
}

func (c *compiler) arithmetic(x *tsql.Binary, in *scope) (code, error) {
	l, err := c.expr(x.L, in)
	if err != nil {
		return l, err
	}
	r, err := c.expr(x.R, in)
	if err != nil {
		return r, err
	}
	null := l.nullable || r.nullable
	l.typ, r.typ = plain(l.typ), plain(r.typ)
	switch {
	case x.Op == "+" && l.typ.Textual() && r.typ.Textual():
		t := Type{Name: "varchar", Size: min(l.typ.Size+r.typ.Size, 8000), Max: l.typ.Max || r.typ.Max}
		if l.typ.National() || r.typ.National() {
			t.Name, t.Size = "nvarchar", min(t.Size, 4000)
		}
		if l.typ.Fixed() || r.typ.Fixed() {
			t.Collate = l.typ.Collate
		}
		return code{sql: "(" + l.sql + " || " + r.sql + ")", typ: t, nullable: null}, nil
	case !numeric(l.typ) || !numeric(r.typ) || l.typ.Wide() || r.typ.Wide():
		return l, invalid(50001, "The stand-in cannot compute %s %s %s.", l.typ.Name, x.Op, r.typ.Name)
	}
	t := intType
	switch {
	case l.typ.Name == "float" || r.typ.Name == "float" || l.typ.Name == "real" || r.typ.Name == "real":
		t = Type{Name: "float"}
		l.sql, r.sql = asFloat(l), asFloat(r)
	case l.typ.Name == "decimal" || r.typ.Name == "decimal":
		if x.Op != "+" && x.Op != "-" {
			return l, invalid(50001, "The stand-in cannot compute decimals with %s.", x.Op)
		}
		scale := max(l.typ.Scale, r.typ.Scale)
		t = Type{Name: "decimal", Size: 18, Scale: scale}
		l.sql, r.sql = rescaled(l, scale), rescaled(r, scale)
	case l.typ.Name == "bigint" || r.typ.Name == "bigint":
		t = bigType
	}
	return code{sql: "(" + l.sql + " " + x.Op + " " + r.sql + ")", typ: t, nullable: null}, nil
}

// rescaled is a number as an unscaled one with more decimals.
func rescaled(v code, scale int) string {
	more := scale - v.typ.Scale
	if more > 0 {
		return fmt.Sprintf("(%s * %d)", v.sql, tenTo(more))
	}
	return v.sql
}

func asFloat(v code) string {
	if v.typ.Name == "decimal" {
		return fmt.Sprintf("(%s / 1e%d)", v.sql, v.typ.Scale)
	}
	return v.sql
}

func (c *compiler) cast(x *tsql.Cast, in *scope) (code, error) {
	v, err := c.expr(x.X, in)
	if err != nil {
		return v, err
	}
	to, err := declared(x.Type)
	if err != nil {
		return v, err
	}
	if to.Textual() && !x.Type.Sized && !x.Type.Max && x.Type.Name != "sysname" { // 30 in a cast, not 1
		to.Size = 30
	}
	how := castCut
	if x.Try {
		how = castTry
	}
	return c.as(v, to, how)
}

// How a conversion deals with what does not fit.
const (
	castStrict = iota // as an assignment does
	castCut
	castTry
)

// same reports whether two types are kept in the same way, so that values need no
// conversion.
func same(a, b Type) bool {
	a.Collate, b.Collate = "", ""
	return a == b
}

// as converts to a type.
func (c *compiler) as(v code, to Type, how int) (code, error) {
	if v.constant != nil {
		got, err := convert(*v.constant, v.typ, to, how != castStrict)
		if err != nil && how == castTry {
			return known(to, tds.Value{Null: true}), nil
		}
		return known(to, got), err
	}
	if same(v.typ, to) {
		v.typ = to
		return v, nil
	}
	if !v.typ.Textual() && !numeric(v.typ) && !to.Textual() {
		_, err := convert(tds.Value{Text: []byte{}}, v.typ, to, true)
		if err != nil {
			return v, err
		}
	}
	return code{sql: fmt.Sprintf("converted(%s, %d, %d, %d)", v.sql, c.s.typeIndex(v.typ), c.s.typeIndex(to), how), typ: to, nullable: v.nullable || how == castTry}, nil
}

func (c *compiler) cases(x *tsql.Case, in *scope) (code, error) {
	var b strings.Builder
	var out code
	b.WriteString("CASE")
	for i, w := range x.When {
		condition := w[0]
		if x.Operand != nil {
			condition = &tsql.Binary{Op: "=", L: x.Operand, R: w[0]}
		}
		when, err := c.condition(condition, in)
		if err != nil {
			return out, err
		}
		then, err := c.expr(w[1], in)
		if err != nil {
			return out, err
		}
		if i == 0 || out.constant != nil && out.constant.Null {
			out = then
		} else {
			then, err = c.as(then, wider(out.typ, then.typ), castStrict)
		}
		if err != nil {
			return out, err
		}
		out.typ = wider(out.typ, then.typ)
		fmt.Fprintf(&b, " WHEN %s THEN %s", when, then.sql)
	}
	null := true
	if x.Else != nil {
		last, err := c.expr(x.Else, in)
		if err != nil {
			return out, err
		}
		switch {
		case out.constant != nil && out.constant.Null: // which has no type of its own
			out.typ = last.typ
		case last.constant == nil || !last.constant.Null:
			out.typ = wider(out.typ, last.typ)
		}
		last, err = c.as(last, out.typ, castStrict)
		if err != nil {
			return out, err
		}
		null = out.nullable || last.nullable
		b.WriteString(" ELSE " + last.sql)
	}
	return code{sql: b.String() + " END", typ: out.typ, nullable: null}, nil
}

// wider returns the type that holds values of both.
func wider(a, b Type) Type {
	order := []string{"bit", "tinyint", "smallint", "int", "bigint"}
	rank := func(t Type) int {
		for i, name := range order {
			if t.Name == name {
				return i
			}
		}
		return -1
	}
	switch {
	case rank(a) >= 0 && rank(b) >= 0:
		if rank(b) > rank(a) {
			return b
		}
	case a.Textual() && b.Textual():
		a.Size, a.Max = max(a.Size, b.Size), a.Max || b.Max
		if b.National() {
			a.Name = "nvarchar"
		}
	}
	return a
}

package standin

import (
	"fmt"
	"math/big"
	"slices"
	"strings"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// call translates the call of a function.
func (c *compiler) call(x *tsql.Call, in *scope) (code, error) {
	switch {
	case x.Name == "row_number":
		return c.rowNumber(x, in)
	case x.Over != nil && x.Name != "string_agg":
		return code{}, invalid(50001, "The stand-in does not know %s over a window.", x.Name)
	case slices.Contains(aggregates, x.Name):
		return c.aggregate(x, in)
	}
	known := c.s.facts()[x.Name]
	if known != nil {
		return c.fact(x, known, in)
	}
	if x.Name == "collationproperty" {
		return c.collationProperty(x, in)
	}
	if x.Name == "datediff" {
		return c.dateDiff(x, in)
	}
	var args []code
	for _, a := range x.Args {
		v, err := c.expr(a, in)
		if err != nil {
			return v, err
		}
		args = append(args, v)
	}
	f, ok := functions[x.Name]
	if !ok {
		return code{}, &tds.Error{Number: 195, Severity: 15, State: 10, Message: fmt.Sprintf("'%s' is not a recognized built-in function name.", x.Name)}
	}
	if len(args) < f.least || len(args) > f.most {
		return code{}, &tds.Error{Number: 174, Severity: 15, Message: fmt.Sprintf("The %s function requires %d argument(s).", x.Name, f.least)}
	}
	return f.translate(c, args)
}

// aggregate translates a function that adds rows up.
func (c *compiler) aggregate(x *tsql.Call, in *scope) (code, error) {
	inner := *in
	inner.group = nil
	_, ok := x.Args[0].(*tsql.Star)
	if ok {
		t := intType
		if x.Name == "count_big" {
			t = bigType
		}
		return code{sql: "count(*)", typ: t}, nil
	}
	v, err := c.expr(x.Args[0], &inner)
	if err != nil {
		return v, err
	}
	distinct := ""
	if x.Distinct {
		distinct = "DISTINCT "
	}
	switch x.Name {
	case "count", "count_big":
		t := map[bool]Type{false: intType, true: bigType}[x.Name == "count_big"]
		return code{sql: "count(" + distinct + v.sql + ")", typ: t}, nil
	case "string_agg":
		by, err := c.expr(x.Args[1], &inner)
		if err != nil {
			return v, err
		}
		order := ""
		if x.Over != nil {
			o, err := c.expr(x.Over.Order[0].X, &inner)
			if err != nil {
				return v, err
			}
			order = " ORDER BY " + o.sql
		}
		return code{sql: "group_concat(" + v.sql + ", " + by.sql + order + ")", typ: Type{Name: "nvarchar", Size: 4000}, nullable: true}, nil
	case "sum":
		return c.sum(v, distinct)
	}
	if v.typ.Wide() {
		return code{sql: x.Name + "_wide(" + v.sql + ")", typ: v.typ, nullable: true}, nil
	}
	if v.typ.Name == "bit" {
		return v, invalid(8117, "Operand data type %s is invalid for %s operator.", v.typ.Name, x.Name)
	}
	return code{sql: x.Name + "(" + v.sql + ")", typ: v.typ, nullable: true}, nil
}

func (c *compiler) sum(v code, distinct string) (code, error) {
	t := v.typ
	switch {
	case t.Name == "bit" || !numeric(t):
		return v, invalid(8117, "Operand data type %s is invalid for sum operator.", t.Name)
	case t.Wide():
		t.Size = 38
		return code{sql: "sum_wide(" + v.sql + ")", typ: t, nullable: true}, nil
	case t.Name == "decimal":
		t.Size = 38
		return c.as(code{sql: "sum(" + v.sql + ")", typ: Type{Name: "decimal", Size: 18, Scale: t.Scale}, nullable: true}, t, castStrict)
	case t.Whole() && t.Name != "bigint":
		t = intType
	}
	return code{sql: "sum(" + distinct + v.sql + ")", typ: t, nullable: true}, nil
}

func (c *compiler) rowNumber(x *tsql.Call, in *scope) (code, error) {
	if x.Over == nil || x.Over.Order == nil {
		return code{}, invalid(10753, "The function 'row_number' must have an OVER clause with ORDER BY.")
	}
	var parts, order []string
	for _, p := range x.Over.Partition {
		v, err := c.expr(p, in)
		if err != nil {
			return v, err
		}
		parts = append(parts, v.sql)
	}
	for _, o := range x.Over.Order {
		v, err := c.expr(o.X, in)
		if err != nil {
			return v, err
		}
		if v.constant != nil && !strings.HasPrefix(v.sql, "(SELECT") {
			return v, invalid(5308, "Windowed functions do not support integer indices as ORDER BY clause expressions.")
		}
		if o.Desc {
			v.sql += " DESC"
		}
		order = append(order, v.sql)
	}
	over := "ORDER BY " + strings.Join(order, ", ")
	if parts != nil {
		over = "PARTITION BY " + strings.Join(parts, ", ") + " " + over
	}
	return code{sql: "row_number() OVER (" + over + ")", typ: bigType}, nil
}

// function is one that SQLite computes.
type function struct {
	least, most int
	translate   func(c *compiler, args []code) (code, error)
}

// textFunction is a function of texts that SQLite has too, under a name.
func textFunction(name string, args int) function {
	return function{args, args, func(c *compiler, list []code) (code, error) {
		v := code{typ: list[0].typ, nullable: true}
		var texts []string
		for _, a := range list {
			texts = append(texts, a.sql)
		}
		if !v.typ.Textual() {
			v.typ = Type{Name: "varchar", Size: 8000}
		}
		v.sql = name + "(" + strings.Join(texts, ", ") + ")"
		return v, nil
	}}
}

// character is the function that returns the character of a number: ASCII in a varchar.
func character(typ string) function {
	return function{1, 1, func(_ *compiler, a []code) (code, error) {
		return code{sql: "char(" + a[0].sql + ")", typ: Type{Name: typ, Size: 1}, nullable: a[0].nullable}, nil
	}}
}

var functions map[string]function

func init() {
	functions = map[string]function{
		"upper": textFunction("upper", 1), "lower": textFunction("lower", 1), "ltrim": textFunction("ltrim", 1), "rtrim": textFunction("rtrim", 1),
		"replace": textFunction("replace", 3), "substring": textFunction("substr", 3),
		"coalesce": {2, 99, coalesce}, "isnull": {2, 2, coalesce},
		"nullif": {2, 2, func(c *compiler, a []code) (code, error) {
			l, r, err := c.aligned(a[0], a[1])
			return code{sql: "nullif(" + l.sql + ", " + r.sql + ")", typ: a[0].typ, nullable: true}, err
		}},
		"len": {1, 1, func(_ *compiler, a []code) (code, error) {
			return code{sql: "length(rtrim(" + a[0].sql + "))", typ: intType, nullable: a[0].nullable}, nil
		}},
		"datalength": {1, 1, func(c *compiler, a []code) (code, error) {
			v, err := c.as(a[0], Type{Name: "varbinary", Max: true}, castCut)
			return code{sql: "length(" + v.sql + ")", typ: intType, nullable: true}, err
		}},
		"replicate": {2, 2, func(_ *compiler, a []code) (code, error) {
			return code{sql: "replace(hex(zeroblob(" + a[1].sql + ")), '00', " + a[0].sql + ")", typ: Type{Name: a[0].typ.Name, Size: longestOf(a[0].typ)}, nullable: true}, nil
		}},
		"concat": {2, 99, func(c *compiler, a []code) (code, error) {
			var parts []string
			for _, v := range a {
				text, err := c.as(v, Type{Name: "nvarchar", Size: 4000}, castCut)
				if err != nil {
					return v, err
				}
				parts = append(parts, "ifnull("+text.sql+", '')")
			}
			return code{sql: "(" + strings.Join(parts, " || ") + ")", typ: Type{Name: "nvarchar", Size: 4000}}, nil
		}},
		"quotename": {1, 1, func(_ *compiler, a []code) (code, error) {
			return code{sql: "('[' || replace(" + a[0].sql + ", ']', ']]') || ']')", typ: nameType, nullable: a[0].nullable}, nil
		}},
		"char": character("varchar"), "nchar": character("nvarchar"),
		"newid": {0, 0, func(_ *compiler, _ []code) (code, error) {
			return code{sql: "newid()", typ: Type{Name: "uniqueidentifier"}}, nil
		}},
	}
}

// collationProperty translates the one property of a collation that is asked for.
func (c *compiler) collationProperty(x *tsql.Call, in *scope) (code, error) {
	if len(x.Args) != 2 {
		return code{}, invalid(174, "The collationproperty function requires 2 argument(s).")
	}
	property, ok := x.Args[1].(*tsql.Lit)
	if !ok || !strings.EqualFold(property.Text, "CodePage") {
		return code{}, invalid(50001, "The stand-in knows the CodePage of a collation only.")
	}
	v, err := c.expr(x.Args[0], in)
	return code{sql: "code_page(" + v.sql + ")", typ: variantType, nullable: true}, err
}

// dateDiff translates the number of days from one date to another.
func (c *compiler) dateDiff(x *tsql.Call, in *scope) (code, error) {
	if len(x.Args) != 3 {
		return code{}, invalid(174, "The datediff function requires 3 argument(s).")
	}
	unit, ok := x.Args[0].(*tsql.Col)
	if !ok || !strings.EqualFold(strings.Join(unit.Parts, "."), "day") {
		return code{}, invalid(50001, "The stand-in knows DATEDIFF of days only.")
	}
	var days []string
	for _, a := range x.Args[1:] {
		v, err := c.expr(a, in)
		if err != nil {
			return v, err
		}
		v, err = c.as(v, Type{Name: "date"}, castStrict)
		if err != nil {
			return v, err
		}
		days = append(days, v.sql)
	}
	return code{sql: "(" + days[1] + " - " + days[0] + ")", typ: intType, nullable: true}, nil
}

// coalesce takes the type of its widest argument; ISNULL that of its first.
func coalesce(c *compiler, args []code) (code, error) {
	t, null := args[0].typ, true
	for _, a := range args[1:] {
		if a.constant == nil || !a.constant.Null {
			t = wider(t, a.typ)
		}
	}
	var list []string
	for _, a := range args {
		v, err := c.as(a, t, castCut)
		if err != nil {
			return v, err
		}
		null = null && v.nullable
		list = append(list, v.sql)
	}
	return code{sql: "coalesce(" + strings.Join(list, ", ") + ")", typ: t, nullable: null}, nil
}

// extend gives SQLite the functions that it lacks.
func (s *session) extend() error {
	err := s.db.SetCollation("ci", func(a, b string) int {
		return strings.Compare(strings.ToLower(strings.TrimRight(a, " ")), strings.ToLower(strings.TrimRight(b, " ")))
	})
	if err != nil {
		return err
	}
	for name, f := range map[string]*sqlite.FunctionImpl{
		"converted": {NArgs: 4, Deterministic: true, Scalar: s.converted},
		"likeness": {NArgs: 3, Deterministic: true, Scalar: func(_ sqlite.Context, a []sqlite.Value) (sqlite.Value, error) {
			if a[0].Type() == sqlite.TypeNull || a[1].Type() == sqlite.TypeNull {
				return sqlite.Value{}, nil
			}
			return truth(like([]rune(strings.ToLower(a[0].Text())), []rune(strings.ToLower(a[1].Text())), []rune(a[2].Text()))), nil
		}},
		"next_identity": {NArgs: 1, Scalar: func(_ sqlite.Context, a []sqlite.Value) (sqlite.Value, error) {
			n, err := s.nextIdentity(s.identities[a[0].Int64()])
			return sqlite.IntegerValue(n), err
		}},
		"code_page": {NArgs: 1, Deterministic: true, Scalar: func(_ sqlite.Context, a []sqlite.Value) (sqlite.Value, error) {
			switch {
			case a[0].Type() == sqlite.TypeNull:
				return sqlite.Value{}, nil
			case strings.HasSuffix(strings.ToUpper(a[0].Text()), "_UTF8"):
				return sqlite.TextValue("65001"), nil
			}
			return sqlite.TextValue("1252"), nil
		}},
		"sum_wide": {NArgs: 1, Deterministic: true, MakeAggregate: newWide("sum")},
		"min_wide": {NArgs: 1, Deterministic: true, MakeAggregate: newWide("min")},
		"max_wide": {NArgs: 1, Deterministic: true, MakeAggregate: newWide("max")},
		"newid": {NArgs: 0, Scalar: func(sqlite.Context, []sqlite.Value) (sqlite.Value, error) {
			return sqlite.TextValue(newGUID()), nil
		}},
	} {
		err := s.db.CreateFunction(name, f)
		if err != nil {
			return err
		}
	}
	return nil
}

// wide is an aggregate of decimals that are kept as text, all of one scale.
type wide struct {
	name  string // sum, min or max
	value *big.Rat
	scale int
}

func newWide(name string) func(sqlite.Context) (sqlite.AggregateFunction, error) {
	return func(sqlite.Context) (sqlite.AggregateFunction, error) { return &wide{name: name}, nil }
}

// Step implements sqlite.AggregateFunction.
func (w *wide) Step(_ sqlite.Context, args []sqlite.Value) error {
	if args[0].Type() == sqlite.TypeNull {
		return nil
	}
	text := args[0].Text()
	n, ok := new(big.Rat).SetString(text)
	if !ok {
		return fmt.Errorf("%q is not a decimal", text)
	}
	_, decimals, _ := strings.Cut(text, ".")
	w.scale = len(decimals)
	switch {
	case w.value == nil, w.name == "min" && n.Cmp(w.value) < 0, w.name == "max" && n.Cmp(w.value) > 0:
		w.value = n
	case w.name == "sum":
		w.value.Add(w.value, n)
	}
	return nil
}

// WindowInverse implements sqlite.AggregateFunction.
func (w *wide) WindowInverse(sqlite.Context, []sqlite.Value) error {
	return fmt.Errorf("the stand-in does not know %s over a window", w.name)
}

// WindowValue implements sqlite.AggregateFunction.
func (w *wide) WindowValue(sqlite.Context) (sqlite.Value, error) {
	if w.value == nil {
		return sqlite.Value{}, nil
	}
	return sqlite.TextValue(w.value.FloatString(w.scale)), nil
}

// Finalize implements sqlite.AggregateFunction.
func (w *wide) Finalize(sqlite.Context) {}

func truth(yes bool) sqlite.Value {
	if yes {
		return sqlite.IntegerValue(1)
	}
	return sqlite.IntegerValue(0)
}

// like matches a pattern with % and _ and ranges in brackets.
func like(text, pattern, escape []rune) bool {
	for i := 0; i < len(pattern); i++ {
		p := pattern[i]
		switch {
		case len(escape) > 0 && p == escape[0] && i+1 < len(pattern):
			i++
			p = pattern[i]
		case p == '%':
			for at := range len(text) + 1 {
				if like(text[at:], pattern[i+1:], escape) {
					return true
				}
			}
			return false
		case p == '_':
			if len(text) == 0 {
				return false
			}
			text = text[1:]
			continue
		case p == '[':
			set, after, ok := strings.Cut(string(pattern[i+1:]), "]")
			if ok {
				if len(text) == 0 || !inSet(text[0], set) {
					return false
				}
				return like(text[1:], []rune(after), escape)
			}
		}
		if len(text) == 0 || text[0] != p {
			return false
		}
		text = text[1:]
	}
	return len(text) == 0
}

func inSet(r rune, set string) bool {
	negated := strings.HasPrefix(set, "^")
	runes := []rune(strings.TrimPrefix(set, "^"))
	found := false
	for i := 0; i < len(runes); i++ {
		if i+2 < len(runes) && runes[i+1] == '-' {
			found = found || r >= runes[i] && r <= runes[i+2]
			i += 2
			continue
		}
		found = found || r == runes[i]
	}
	return found != negated
}

// converted is the conversion of a value while SQLite runs a statement.
func (s *session) converted(_ sqlite.Context, a []sqlite.Value) (sqlite.Value, error) {
	if a[0].Type() == sqlite.TypeNull {
		return sqlite.Value{}, nil
	}
	from, to, how := s.types[a[1].Int64()], s.types[a[2].Int64()], a[3].Int64()
	v, err := convert(valueOf(from, a[0]), from, to, how != castStrict)
	if err != nil {
		if how == castTry {
			return sqlite.Value{}, nil
		}
		s.raised = err
		return sqlite.Value{}, err
	}
	switch {
	case v.Null:
		return sqlite.Value{}, nil
	case bytesType(to):
		return sqlite.BlobValue(v.Text), nil
	case to.Textual(), to.Wide(), to.Name == "uniqueidentifier":
		return sqlite.TextValue(string(v.Text)), nil
	case to.Name == "float" || to.Name == "real":
		return sqlite.FloatValue(v.Float), nil
	}
	return sqlite.IntegerValue(v.Int), nil
}

func valueOf(t Type, v sqlite.Value) tds.Value {
	switch {
	case bytesType(t):
		return tds.Value{Text: v.Blob()}
	case t.Textual(), t.Wide(), t.Name == "uniqueidentifier":
		return tds.Value{Text: []byte(v.Text())}
	case t.Name == "float" || t.Name == "real":
		return tds.Value{Float: v.Float()}
	}
	return tds.Value{Int: v.Int64()}
}

// typeIndex is the number by which the function above knows a type.
func (s *session) typeIndex(t Type) int {
	i := slices.Index(s.types, t)
	if i >= 0 {
		return i
	}
	s.types = append(s.types, t)
	return len(s.types) - 1
}

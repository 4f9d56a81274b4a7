package standin

import (
	"fmt"
	"strings"

	"ambertray/internal/standin/tsql"
)

// condition translates a condition.
func (c *compiler) condition(x tsql.Expr, in *scope) (string, error) {
	switch x := x.(type) {
	case *tsql.Unary:
		if x.Op == "NOT" {
			inner, err := c.condition(x.X, in)
			return "NOT (" + inner + ")", err
		}
	case *tsql.Binary:
		if x.Op == "AND" || x.Op == "OR" {
			l, err := c.condition(x.L, in)
			if err != nil {
				return "", err
			}
			r, err := c.condition(x.R, in)
			return "(" + l + " " + x.Op + " " + r + ")", err
		}
		return c.comparison(x, in)
	case *tsql.IsNull:
		v, err := c.expr(x.X, in)
		return v.sql + " IS " + not(x.Not) + "NULL", err
	case *tsql.Exists:
		q, err := c.query(x.Query, in)
		if err != nil {
			return "", err
		}
		return "EXISTS (" + q.sql + ")", nil
	case *tsql.Between:
		low, err := c.comparison(&tsql.Binary{Op: ">=", L: x.X, R: x.Low}, in)
		if err != nil {
			return "", err
		}
		high, err := c.comparison(&tsql.Binary{Op: "<=", L: x.X, R: x.High}, in)
		return not(x.Not) + "(" + low + " AND " + high + ")", err
	case *tsql.In:
		return c.within(x, in)
	case *tsql.Like:
		return c.like(x, in)
	}
	return "", invalid(4145, "An expression of non-boolean type specified in a context where a condition is expected.")
}

func not(yes bool) string {
	if yes {
		return "NOT "
	}
	return ""
}

func (c *compiler) within(x *tsql.In, in *scope) (string, error) {
	if x.Query != nil {
		v, err := c.expr(x.X, in)
		if err != nil {
			return "", err
		}
		q, err := c.query(x.Query, in)
		if err != nil {
			return "", err
		}
		if len(q.columns) != 1 {
			return "", invalid(116, "Only one expression can be specified in the select list when the subquery is not introduced with EXISTS.")
		}
		if !comparable(v.typ, q.columns[0].typ) {
			return "", clash(v.typ, q.columns[0].typ)
		}
		return fmt.Sprintf("%s %sIN (%s)", v.sql, not(x.Not), q.sql), nil
	}
	var list []string
	for _, e := range x.List {
		same, err := c.comparison(&tsql.Binary{Op: "=", L: x.X, R: e}, in)
		if err != nil {
			return "", err
		}
		list = append(list, same)
	}
	if len(list) > 20 { // deep trees of OR are slow to prepare
		return c.longList(x, in)
	}
	return not(x.Not) + "(" + strings.Join(list, " OR ") + ")", nil
}

// longList is IN with a list of values of one type.
func (c *compiler) longList(x *tsql.In, in *scope) (string, error) {
	v, err := c.expr(x.X, in)
	if err != nil {
		return "", err
	}
	var list []string
	for _, e := range x.List {
		item, err := c.expr(e, in)
		if err != nil {
			return "", err
		}
		item, err = c.as(item, v.typ, castCut)
		if err != nil {
			return "", err
		}
		list = append(list, item.sql)
	}
	return fmt.Sprintf("%s %sIN (%s)", v.sql, not(x.Not), strings.Join(list, ", ")), nil
}

func (c *compiler) like(x *tsql.Like, in *scope) (string, error) {
	v, err := c.expr(x.X, in)
	if err != nil {
		return "", err
	}
	pattern, err := c.expr(x.Pattern, in)
	if err != nil {
		return "", err
	}
	escape := "''"
	if x.Escape != nil {
		e, err := c.expr(x.Escape, in)
		if err != nil {
			return "", err
		}
		escape = e.sql
	}
	return fmt.Sprintf("%slikeness(%s, %s, %s)", not(x.Not), v.sql, pattern.sql, escape), nil
}

// comparable reports whether values of two types are kept so that they can be compared.
func comparable(a, b Type) bool {
	switch {
	case a.Textual() && b.Textual(), a.Whole() && b.Whole(), timed(a) && timed(b), bytesType(a) && bytesType(b):
		return true
	case a.Name == "bit" && (b.Whole() || b.Name == "bit"), b.Name == "bit" && a.Whole():
		return true
	}
	return a.Name == b.Name && a.Scale == b.Scale && a.Wide() == b.Wide() || a.Name == b.Name && a.Name == "time"
}

func (c *compiler) comparison(x *tsql.Binary, in *scope) (string, error) {
	l, err := c.expr(x.L, in)
	if err != nil {
		return "", err
	}
	r, err := c.expr(x.R, in)
	if err != nil {
		return "", err
	}
	l, r, err = c.aligned(l, r)
	if err != nil {
		return "", err
	}
	op := map[string]string{"IS DISTINCT FROM": "IS NOT", "IS NOT DISTINCT FROM": "IS"}[x.Op]
	if op == "" {
		op = x.Op
	}
	if l.typ.Wide() && op != "=" && op != "<>" && op != "!=" && op != "IS" && op != "IS NOT" {
		return "", invalid(50001, "The stand-in cannot order decimals of more than 18 digits.")
	}
	if l.typ.Textual() && l.column == nil && !strings.Contains(l.sql, "COLLATE") {
		l.sql += " COLLATE " + collationOf(l.typ.Collate+r.typ.Collate)
	}
	return "(" + l.sql + " " + op + " " + r.sql + ")", nil
}

// aligned converts two values so that they can be compared.
func (c *compiler) aligned(l, r code) (code, code, error) {
	var err error
	null := func(v code) bool { return v.constant != nil && v.constant.Null }
	switch {
	case null(l), null(r):
	case comparable(l.typ, r.typ):
		if l.typ.Collate != "" && r.typ.Collate != "" && !strings.EqualFold(l.typ.Collate, r.typ.Collate) && l.column != nil && r.column != nil {
			return l, r, invalid(468, "Cannot resolve the collation conflict between \"%s\" and \"%s\" in the equal to operation.", l.typ.Collate, r.typ.Collate)
		}
	case l.typ.Textual() && !r.typ.Textual():
		l, err = c.as(l, r.typ, castStrict)
	case r.typ.Textual() && !l.typ.Textual():
		r, err = c.as(r, l.typ, castStrict)
	case numeric(l.typ) && numeric(r.typ) && (l.typ.Name == "float" || r.typ.Name == "float" || l.typ.Name == "real" || r.typ.Name == "real"):
		l.sql, r.sql = asFloat(l), asFloat(r)
	case numeric(l.typ) && numeric(r.typ) && !l.typ.Wide() && !r.typ.Wide():
		scale := max(l.typ.Scale, r.typ.Scale)
		l.sql, r.sql = rescaled(l, scale), rescaled(r, scale)
	case numeric(l.typ) && numeric(r.typ):
		scale := max(l.typ.Scale, r.typ.Scale)
		to := Type{Name: "decimal", Size: 38, Scale: scale}
		l, err = c.as(l, to, castStrict)
		if err == nil {
			r, err = c.as(r, to, castStrict)
		}
	case timed(l.typ) && r.typ.Name == "date":
		r, err = c.as(r, l.typ, castStrict)
	case timed(r.typ) && l.typ.Name == "date":
		l, err = c.as(l, r.typ, castStrict)
	default:
		err = clash(l.typ, r.typ)
	}
	return l, r, err
}

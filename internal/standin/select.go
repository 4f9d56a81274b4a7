package standin

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// compiled is a query in the SQL of SQLite.
type compiled struct {
	sql     string
	columns []resultColumn
}

type resultColumn struct {
	name        string
	typ         Type
	nullable    bool
	identity    bool
	fixedLength bool // a column of a table that cannot be NULL
}

// query translates a query.
func (c *compiler) query(q *tsql.Select, outer *scope) (*compiled, error) {
	for _, cte := range q.With {
		if c.ctes == nil {
			c.ctes = map[string]*tsql.Select{}
		}
		c.ctes[strings.ToLower(cte.Name)] = cte.Query
	}
	first, in, err := c.simple(q, outer)
	if err != nil {
		return nil, err
	}
	sql := first.sql
	for at := q; at.Next != nil; at = at.Next {
		next, _, err := c.simple(at.Next, outer)
		if err != nil {
			return nil, err
		}
		if len(next.columns) != len(first.columns) {
			return nil, invalid(205, "All queries combined using a UNION, INTERSECT or EXCEPT operator must have an equal number of expressions in their target lists.")
		}
		for i := range next.columns {
			if !comparable(next.columns[i].typ, first.columns[i].typ) {
				return nil, clash(next.columns[i].typ, first.columns[i].typ)
			}
			first.columns[i].typ = wider(first.columns[i].typ, next.columns[i].typ)
			first.columns[i].nullable, first.columns[i].fixedLength = first.columns[i].nullable || next.columns[i].nullable, false
		}
		sql += " " + at.Op + " " + next.sql
		in = nil // ORDER BY goes by the columns of the result
	}
	order, err := c.order(q, first, in)
	if err != nil {
		return nil, err
	}
	first.sql = sql + order
	return first, nil
}

// order translates what follows the last query.
func (c *compiler) order(q *tsql.Select, result *compiled, in *scope) (string, error) {
	var terms []string
	for _, o := range q.Order {
		term, err := c.orderTerm(o.X, result, in)
		if err != nil {
			return "", err
		}
		if o.Desc {
			term += " DESC"
		}
		terms = append(terms, term)
	}
	text := ""
	if terms != nil {
		text = " ORDER BY " + strings.Join(terms, ", ")
	}
	switch {
	case q.Top != nil:
		n, err := c.expr(q.Top, nil)
		return text + " LIMIT " + n.sql, err
	case q.Offset != nil:
		if terms == nil {
			return "", invalid(102, "Incorrect syntax near 'OFFSET'.")
		}
		skip, err := c.expr(q.Offset, nil)
		if err != nil {
			return "", err
		}
		limit := "-1"
		if q.Fetch != nil {
			n, err := c.expr(q.Fetch, nil)
			if err != nil {
				return "", err
			}
			limit = n.sql
		}
		return text + " LIMIT " + limit + " OFFSET " + skip.sql, nil
	}
	return text, nil
}

func (c *compiler) orderTerm(x tsql.Expr, result *compiled, in *scope) (string, error) {
	n, ok := x.(*tsql.Lit)
	if ok && n.Kind == 'n' {
		return n.Text, nil
	}
	col, ok := x.(*tsql.Col)
	if ok && len(col.Parts) == 1 {
		for i, r := range result.columns {
			if strings.EqualFold(r.name, col.Parts[0]) {
				return fmt.Sprint(i + 1), nil
			}
		}
	}
	if in == nil {
		return "", invalid(104, "ORDER BY items must appear in the select list if the statement contains a UNION, INTERSECT or EXCEPT operator.")
	}
	v, err := c.expr(x, in)
	return v.sql, err
}

// simple translates one SELECT.
func (c *compiler) simple(q *tsql.Select, outer *scope) (*compiled, *scope, error) {
	in := &scope{outer: outer}
	from, err := c.from(q.From, in)
	if err != nil {
		return nil, nil, err
	}
	var where, having string
	if q.Where != nil {
		condition, err := c.condition(q.Where, in)
		if err != nil {
			return nil, nil, err
		}
		where = " WHERE " + condition
	}
	group, err := c.grouping(q, in)
	if err != nil {
		return nil, nil, err
	}
	items, out, err := c.items(q, in)
	if err != nil {
		return nil, nil, err
	}
	if q.Having != nil {
		condition, err := c.condition(q.Having, in)
		if err != nil {
			return nil, nil, err
		}
		having = " HAVING " + condition
	}
	distinct := ""
	if q.Distinct {
		distinct = "DISTINCT "
	}
	out.sql = "SELECT " + distinct + strings.Join(items, ", ") + from + where + group + having
	return out, in, nil
}

// grouping translates GROUP BY, and keeps its terms where items must be among them.
func (c *compiler) grouping(q *tsql.Select, in *scope) (string, error) {
	var terms []string
	set := map[string]bool{}
	for _, g := range q.Group {
		v, err := c.expr(g, in)
		if err != nil {
			return "", err
		}
		terms = append(terms, v.sql)
		set[v.sql] = true
	}
	aggregates := slices.ContainsFunc(q.Items, func(i tsql.Item) bool { return hasAggregate(i.X) })
	if terms != nil || aggregates {
		in.group = set
	}
	if terms == nil {
		return "", nil
	}
	return " GROUP BY " + strings.Join(terms, ", "), nil
}

var aggregates = []string{"count", "count_big", "sum", "min", "max", "string_agg"}

// hasAggregate reports whether an expression adds rows up.
func hasAggregate(x tsql.Expr) bool {
	switch x := x.(type) {
	case *tsql.Call:
		if slices.Contains(aggregates, x.Name) && (x.Over == nil || x.Name == "string_agg") {
			return true
		}
		return slices.ContainsFunc(x.Args, hasAggregate)
	case *tsql.Binary:
		return hasAggregate(x.L) || hasAggregate(x.R)
	case *tsql.Cast:
		return hasAggregate(x.X)
	case *tsql.Case:
		return slices.ContainsFunc(x.When, func(w [2]tsql.Expr) bool { return hasAggregate(w[1]) })
	}
	return false
}

// grouped refuses a column that is neither in an aggregate nor in GROUP BY.
func (c *compiler) grouped(x tsql.Expr, in *scope) error {
	col, ok := x.(*tsql.Col)
	if !ok {
		return nil
	}
	alone := &scope{sources: in.sources}
	v, err := c.columnCode(col.Parts, alone)
	if err == nil && !in.group[v.sql] {
		return invalid(8120, "Column '%s' is invalid in the select list because it is not contained in either an aggregate function or the GROUP BY clause.", strings.Join(col.Parts, "."))
	}
	return nil
}

// items translates the columns of a query.
func (c *compiler) items(q *tsql.Select, in *scope) (list []string, out *compiled, err error) {
	out = &compiled{}
	add := func(sql string, r resultColumn) {
		out.columns = append(out.columns, r)
		list = append(list, fmt.Sprintf("%s AS k%d", sql, len(out.columns)))
	}
	for _, item := range q.Items {
		star, ok := item.X.(*tsql.Star)
		if ok {
			found := false
			for _, b := range in.sources {
				if star.Table != "" && !strings.EqualFold(star.Table, b.alias) {
					continue
				}
				found = true
				for _, col := range b.columns {
					add(col.sql, resultColumn{name: col.name, typ: col.typ, nullable: col.null, identity: col.def != nil && col.def.Identity, fixedLength: isFixedLength(col.def, col.null)})
				}
			}
			if !found {
				return nil, nil, invalid(107, "The column prefix '%s' does not match with a table name or alias name used in the query.", star.Table)
			}
			continue
		}
		v, err := c.expr(item.X, in)
		if err != nil {
			return nil, nil, err
		}
		name := item.Alias
		col, ok := item.X.(*tsql.Col)
		if ok && name == "" {
			name = col.Parts[len(col.Parts)-1]
		}
		add(v.sql, resultColumn{name: name, typ: v.typ, nullable: v.nullable, identity: v.column != nil && v.column.Identity, fixedLength: isFixedLength(v.column, v.nullable)})
	}
	return list, out, nil
}

func isFixedLength(c *columnDef, nullable bool) bool {
	return c != nil && !nullable && c.Type.FixedLength()
}

// from translates FROM and binds its sources.
func (c *compiler) from(sources []tsql.Source, in *scope) (string, error) {
	var b strings.Builder
	for i, src := range sources {
		text, bnd, err := c.source(src, in.outer)
		if err != nil {
			return "", err
		}
		for _, other := range in.sources {
			if strings.EqualFold(other.alias, bnd.alias) {
				return "", invalid(1013, "The objects \"%s\" and \"%s\" in the FROM clause have the same exposed names. Use correlation names to distinguish them.", other.alias, bnd.alias)
			}
		}
		if strings.HasPrefix(src.Join, "LEFT") {
			for n := range bnd.columns {
				bnd.columns[n].null = true
			}
		}
		in.sources = append(in.sources, bnd)
		switch {
		case i == 0:
			b.WriteString(" FROM " + text)
		case src.Join == ",":
			b.WriteString(", " + text)
		default:
			b.WriteString(" " + src.Join + " " + text)
		}
		if src.On != nil {
			condition, err := c.condition(src.On, in)
			if err != nil {
				return "", err
			}
			b.WriteString(" ON " + condition)
		}
	}
	return b.String(), nil
}

// source translates a table or a query of FROM.
func (c *compiler) source(src tsql.Source, outer *scope) (string, bound, error) {
	b := bound{alias: src.Alias, inner: c.name()}
	if src.Rows != nil {
		return c.valuesSource(src, b)
	}
	sub := src.Sub
	if sub == nil && len(src.Name) == 1 {
		sub = c.ctes[strings.ToLower(src.Name[0])]
	}
	if b.alias == "" {
		b.alias = src.Name[len(src.Name)-1]
	}
	if sub != nil {
		q, err := c.query(sub, outer)
		if err != nil {
			return "", b, err
		}
		for i, r := range q.columns {
			if src.Names != nil {
				r.name = src.Names[min(i, len(src.Names)-1)]
			}
			if r.name == "" {
				return "", b, invalid(8155, "No column name was specified for column %d of '%s'.", i+1, b.alias)
			}
			b.columns = append(b.columns, boundColumn{name: r.name, sql: fmt.Sprintf("%s.k%d", b.inner, i+1), typ: r.typ, null: r.nullable})
		}
		return "(" + q.sql + ") AS " + b.inner, b, nil
	}
	view := viewOf(src.Name)
	if view != nil {
		name, err := c.s.fillView(view)
		for _, col := range view.columns {
			b.columns = append(b.columns, boundColumn{name: col.name, sql: b.inner + `."` + col.name + `"`, typ: col.typ, null: true})
		}
		return name + " AS " + b.inner, b, err
	}
	return c.tableSource(src.Name, b)
}

// valuesSource translates rows of constants. All of a column are of the type of the first.
func (c *compiler) valuesSource(src tsql.Source, b bound) (string, bound, error) {
	var lines []string
	for n, row := range src.Rows {
		if len(row) != len(src.Names) {
			return "", b, invalid(8158, "'%s' has more columns than were specified in the column list.", b.alias)
		}
		var list []string
		for i, x := range row {
			v, err := c.expr(x, nil)
			if err != nil {
				return "", b, err
			}
			if n == 0 {
				b.columns = append(b.columns, boundColumn{name: src.Names[i], sql: fmt.Sprintf("%s.column%d", b.inner, i+1), typ: v.typ, null: true})
			}
			to := &b.columns[i].typ
			*to = wider(*to, v.typ)
			if numeric(*to) && to.Scale != v.typ.Scale {
				return "", b, invalid(50001, "The stand-in wants the numbers of a column of VALUES with the same decimals.")
			}
			list = append(list, v.sql)
		}
		lines = append(lines, "("+strings.Join(list, ", ")+")")
	}
	return "(VALUES " + strings.Join(lines, ", ") + ") AS " + b.inner, b, nil
}

func (c *compiler) tableSource(name []string, b bound) (string, bound, error) {
	if c.inserted != nil && len(name) == 1 && strings.EqualFold(name[0], "inserted") {
		b.bind(c.inserted.table)
		return fmt.Sprintf("(SELECT * FROM %s WHERE rowid > %d) AS %s", c.inserted.table.sqlName(), c.inserted.mark, b.inner), b, nil
	}
	t, err := c.s.table(name)
	if err != nil {
		return "", b, err
	}
	err = c.s.may("SELECT", t)
	if err != nil {
		return "", b, err
	}
	b.bind(t)
	return t.sqlName() + " AS " + b.inner, b, nil
}

// bind makes the columns of a table known.
func (b *bound) bind(t *tableDef) {
	b.table = t
	for i := range t.Columns {
		col := &t.Columns[i]
		b.columns = append(b.columns, boundColumn{name: col.Name, sql: b.inner + "." + col.sqlName(), typ: col.Type, null: !col.NotNull, def: col})
	}
}

// conditionText translates a condition on the columns of a table, which stand alone.
func (s *session) conditionText(t *tableDef, text string) (string, error) {
	x, err := tsql.ParseCondition(text)
	if err != nil {
		return "", err
	}
	c := s.compiler()
	return c.condition(x, t.alone())
}

// alone is the scope of a single table.
func (t *tableDef) alone() *scope {
	b := bound{alias: t.Name, table: t}
	for i := range t.Columns {
		col := &t.Columns[i]
		b.columns = append(b.columns, boundColumn{name: col.Name, sql: col.sqlName(), typ: col.Type, null: !col.NotNull, def: col})
	}
	return &scope{sources: []bound{b}}
}

// announced is a result as the protocol announces it.
func (q *compiled) announced() (list []tds.Column) {
	for _, r := range q.columns {
		list = append(list, tds.Column{Name: r.name, Type: r.typ, Nullable: r.nullable, Identity: r.identity, FixedLength: r.fixedLength})
	}
	return list
}

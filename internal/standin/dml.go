package standin

import (
	"fmt"
	"slices"
	"strings"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// change runs a statement that changes rows.
func (s *session) change(statement tsql.Statement, more bool) error {
	var n int64
	var out *compiled
	var rows [][]tds.Value
	err := s.write(func() (err error) {
		switch x := statement.(type) {
		case *tsql.Insert:
			n, err = s.insert(x)
		case *tsql.Update:
			n, err = s.update(x)
		case *tsql.Delete:
			n, out, rows, err = s.remove(x)
		}
		return err
	})
	if err != nil {
		return err
	}
	s.rowCount = n
	if s.depth > 0 {
		return nil
	}
	if out != nil {
		s.conn.Columns(out.announced())
		for _, row := range rows {
			b := tds.AppendRow(nil)
			for i := range row {
				b = out.columns[i].typ.Append(b, row[i])
			}
			_, _ = s.conn.Write(b)
		}
	}
	s.done(s.status(more)|tds.DoneCount, n)
	return nil
}

// targets returns the columns that an INSERT fills, and checks that it may.
func (s *session) targets(t *tableDef, names []string) (list []*columnDef, err error) {
	if names == nil {
		for i := range t.Columns {
			c := &t.Columns[i]
			if c.Computed == "" && (!c.Identity || s.identityInsert == t.objectID()) {
				list = append(list, c)
			}
		}
		return list, nil
	}
	for _, name := range names {
		c := t.column(name)
		switch {
		case c == nil:
			return nil, invalid(207, "Invalid column name '%s'.", name)
		case c.Computed != "":
			return nil, invalid(271, "The column \"%s\" cannot be modified because it is either a computed column or is the result of a UNION operator.", name)
		case slices.Contains(list, c):
			return nil, invalid(264, "The column name '%s' is specified more than once in the SET clause or column list of an INSERT.", name)
		case c.Identity && s.identityInsert != t.objectID():
			return nil, invalid(544, "Cannot insert explicit value for identity column in table '%s' when IDENTITY_INSERT is set to OFF.", t.Name)
		}
		list = append(list, c)
	}
	for i := range t.Columns {
		c := &t.Columns[i]
		if c.Identity && s.identityInsert == t.objectID() && !slices.Contains(list, c) {
			return nil, invalid(545, "Explicit value must be specified for identity column in table '%s' when IDENTITY_INSERT is set to ON.", t.Name)
		}
	}
	return list, nil
}

// filler is what a column gets that an INSERT leaves out.
func (s *session) filler(c *compiler, t *tableDef, col *columnDef) (string, error) {
	switch {
	case col.Identity:
		s.identities = append(s.identities, t)
		return fmt.Sprintf("next_identity(%d)", len(s.identities)-1), nil
	case col.Default == "":
		return "NULL", nil
	}
	x, err := tsql.ParseExpr(col.Default)
	if err != nil {
		return "", err
	}
	v, err := c.expr(x, nil)
	if err != nil {
		return "", err
	}
	v, err = c.as(v, col.Type, castStrict)
	return v.sql, err
}

func (s *session) insert(x *tsql.Insert) (int64, error) {
	t, err := s.table(x.Table)
	if err != nil {
		return 0, err
	}
	err = s.may("INSERT", t)
	if err != nil {
		return 0, err
	}
	into, err := s.targets(t, x.Columns)
	if err != nil {
		return 0, err
	}
	c := s.compiler()
	names, fillers, err := s.fillers(c, t, into)
	if err != nil {
		return 0, err
	}
	var sql string
	if x.Query != nil {
		sql, err = s.insertQuery(c, x.Query, into, fillers)
	} else {
		sql, err = s.insertRows(c, x.Rows, into, fillers)
	}
	if err != nil {
		return 0, named(err, t)
	}
	mark, err := s.mark(t)
	if err != nil {
		return 0, err
	}
	err = s.query("INSERT INTO "+t.sqlName()+" ("+strings.Join(names, ", ")+") "+sql, nil)
	if err != nil {
		return 0, named(err, t)
	}
	n := int64(s.db.Changes())
	return n, s.inserted(t, mark, true, true)
}

// fillers names all columns that get values, those of the statement first.
func (s *session) fillers(c *compiler, t *tableDef, into []*columnDef) (names, fillers []string, err error) {
	for _, col := range into {
		names = append(names, col.sqlName())
	}
	for i := range t.Columns {
		col := &t.Columns[i]
		if col.Computed != "" || slices.Contains(into, col) {
			continue
		}
		text, err := s.filler(c, t, col)
		if err != nil {
			return nil, nil, err
		}
		names, fillers = append(names, col.sqlName()), append(fillers, text)
	}
	return names, fillers, nil
}

func (s *session) insertRows(c *compiler, rows [][]tsql.Expr, into []*columnDef, fillers []string) (string, error) {
	var lines []string
	for _, row := range rows {
		if len(row) != len(into) {
			return "", invalid(110, "There are fewer or more columns in the INSERT statement than values specified in the VALUES clause.")
		}
		var list []string
		for i, x := range row {
			v, err := c.expr(x, nil)
			if err == nil {
				v, err = c.as(v, into[i].Type, castStrict)
			}
			if err != nil {
				return "", columned(err, into[i])
			}
			list = append(list, v.sql)
		}
		lines = append(lines, "("+strings.Join(append(list, fillers...), ", ")+")")
	}
	return "VALUES " + strings.Join(lines, ", "), nil
}

func (s *session) insertQuery(c *compiler, q *tsql.Select, into []*columnDef, fillers []string) (string, error) {
	from, err := c.query(q, nil)
	if err != nil {
		return "", err
	}
	if len(from.columns) != len(into) {
		return "", invalid(121, "The select list for the INSERT statement contains more or fewer items than the insert list.")
	}
	var list []string
	for i, r := range from.columns {
		v, err := c.as(code{sql: fmt.Sprintf("q.k%d", i+1), typ: r.typ, nullable: r.nullable}, into[i].Type, castStrict)
		if err != nil {
			return "", err
		}
		list = append(list, v.sql)
	}
	return "SELECT " + strings.Join(append(list, fillers...), ", ") + " FROM (" + from.sql + ") AS q", nil
}

func (s *session) update(x *tsql.Update) (int64, error) {
	c := s.compiler()
	in := &scope{}
	from := x.From
	if from == nil {
		from = []tsql.Source{{Name: x.Table}}
	}
	text, target, where, err := c.joined(from, x.Table, in)
	if err != nil {
		return 0, err
	}
	t := target.table
	err = s.may("UPDATE", t)
	if err != nil {
		return 0, err
	}
	var set []string
	for _, a := range x.Set {
		col := t.column(a.Column)
		if col == nil {
			return 0, invalid(207, "Invalid column name '%s'.", a.Column)
		}
		if col.Identity {
			return 0, invalid(8102, "Cannot update identity column '%s'.", col.Name)
		}
		v, err := c.expr(a.X, in)
		if err == nil {
			v, err = c.as(v, col.Type, castStrict)
		}
		if err != nil {
			return 0, named(columned(err, col), t)
		}
		set = append(set, col.sqlName()+" = "+v.sql)
	}
	if x.Where != nil {
		condition, err := c.condition(x.Where, in)
		if err != nil {
			return 0, err
		}
		where = append(where, condition)
	}
	sql := "UPDATE " + t.sqlName() + " AS " + target.inner + " SET " + strings.Join(set, ", ")
	if text != "" {
		sql += " FROM " + text
	}
	err = s.query(sql+conditions(where), nil)
	if err != nil {
		return 0, named(err, t)
	}
	n := int64(s.db.Changes())
	return n, s.changed(t, "UPDATE")
}

func conditions(list []string) string {
	if len(list) == 0 {
		return ""
	}
	return " WHERE " + strings.Join(list, " AND ")
}

// joined binds the sources of an UPDATE or DELETE. It returns those other than the one
// that is changed, and the conditions of their joins.
func (c *compiler) joined(from []tsql.Source, table []string, in *scope) (text string, target bound, where []string, err error) {
	name := table[len(table)-1]
	at := slices.IndexFunc(from, func(s tsql.Source) bool { return strings.EqualFold(s.Alias, name) })
	if at < 0 {
		at = slices.IndexFunc(from, func(s tsql.Source) bool {
			return s.Alias == "" && s.Sub == nil && strings.EqualFold(s.Name[len(s.Name)-1], name)
		})
	}
	if at < 0 {
		return "", target, nil, &tds.Error{Number: 208, Severity: 16, Message: fmt.Sprintf("Invalid object name '%s'.", strings.Join(table, "."))}
	}
	var others []string
	for i, src := range from {
		if strings.HasPrefix(src.Join, "LEFT") {
			return "", target, nil, invalid(50001, "The stand-in knows no outer joins in an UPDATE or DELETE.")
		}
		source, b, err := c.source(src, nil)
		if err != nil {
			return "", target, nil, err
		}
		in.sources = append(in.sources, b)
		if i == at {
			target = b
		} else {
			others = append(others, source)
		}
		if src.On != nil {
			condition, err := c.condition(src.On, in)
			if err != nil {
				return "", target, nil, err
			}
			where = append(where, condition)
		}
	}
	if target.table == nil {
		return "", target, nil, invalid(50001, "The stand-in changes nothing but tables.")
	}
	return strings.Join(others, ", "), target, where, nil
}

// remove deletes rows; out are those that OUTPUT asks for.
func (s *session) remove(x *tsql.Delete) (n int64, out *compiled, rows [][]tds.Value, err error) {
	c := s.compiler()
	if len(x.With) > 0 {
		return 0, nil, nil, invalid(50001, "The stand-in does not delete from a query.")
	}
	in := &scope{}
	from := x.From
	if from == nil {
		from = []tsql.Source{{Name: x.Table}}
	}
	text, target, where, err := c.joined(from, x.Table, in)
	if err != nil {
		return 0, nil, nil, err
	}
	t := target.table
	err = s.may("DELETE", t)
	if err != nil {
		return 0, nil, nil, err
	}
	if x.Where != nil {
		condition, err := c.condition(x.Where, in)
		if err != nil {
			return 0, nil, nil, err
		}
		where = append(where, condition)
	}
	sources := t.sqlName() + " AS " + target.inner
	if text != "" {
		sources += ", " + text
	}
	sql := fmt.Sprintf("DELETE FROM %s WHERE rowid IN (SELECT %s.rowid FROM %s%s)", t.sqlName(), target.inner, sources, conditions(where))
	if x.Output != nil {
		out = &compiled{}
		var names []string
		for _, name := range x.Output {
			col := t.column(name)
			if col == nil {
				return 0, nil, nil, invalid(207, "Invalid column name '%s'.", name)
			}
			names = append(names, col.sqlName())
			out.columns = append(out.columns, resultColumn{name: name, typ: col.Type, nullable: !col.NotNull})
		}
		sql += " RETURNING " + strings.Join(names, ", ")
	}
	err = s.query(sql, func(st *sqlite.Stmt) error {
		var row []tds.Value
		for i := range out.columns {
			row = append(row, column(st, i, out.columns[i].typ))
		}
		rows = append(rows, row)
		return nil
	})
	if err != nil {
		return 0, nil, nil, err
	}
	n = int64(s.db.Changes())
	return n, out, rows, s.changed(t, "DELETE")
}

func (s *session) truncate(name []string) error {
	t, err := s.table(name)
	if err != nil {
		return err
	}
	err = s.mayAlter(t)
	if err != nil {
		return err
	}
	all, err := s.tables()
	if err != nil {
		return err
	}
	for _, other := range all {
		for _, f := range other.Foreign {
			if f.Refers == t.ID && other.ID != t.ID {
				return invalid(4712, "Cannot truncate table '%s' because it is being referenced by a FOREIGN KEY constraint.", t.full())
			}
		}
	}
	err = s.query("DELETE FROM "+t.sqlName(), nil)
	if err != nil {
		return err
	}
	_, err = s.moveIdentity(t, func(int64) int64 { return 0 })
	return err
}

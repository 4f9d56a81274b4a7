package standin

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/standin/tsql"
)

// retype changes the type of a column, and converts its values.
func (s *session) retype(t *tableDef, to *tsql.Column) error {
	c := t.column(to.Name)
	if c == nil {
		return invalid(4924, "ALTER TABLE ALTER COLUMN failed because column '%s' does not exist in table '%s'.", to.Name, t.Name)
	}
	user := t.userOf(c.Name)
	if user != "" {
		return invalid(5074, "The object '%s' is dependent on column '%s'.", user, c.Name)
	}
	next := *c
	var err error
	next.Type, err = declared(to.Type)
	if err != nil {
		return err
	}
	next.NotNull = to.NotNull
	nulls, err := s.number("SELECT EXISTS (SELECT 1 FROM " + t.sqlName() + " WHERE " + c.sqlName() + " IS NULL)")
	if err != nil || next.NotNull && nulls > 0 {
		if err != nil {
			return err
		}
		return invalid(515, "Cannot insert the value NULL into column '%s', table '%s'; column does not allow nulls. UPDATE fails.", c.Name, t.full())
	}
	old := c.sqlName() + "_was"
	values, err := s.compiler().as(code{sql: old, typ: c.Type, nullable: true}, next.Type, castStrict)
	if err != nil {
		return columned(err, c)
	}
	definition := next.definition()
	if next.NotNull { // until the values are there
		definition += " DEFAULT 0"
	}
	for _, statement := range []string{
		fmt.Sprintf("ALTER TABLE %s RENAME COLUMN %s TO %s", t.sqlName(), c.sqlName(), old),
		fmt.Sprintf("ALTER TABLE %s ADD COLUMN %s", t.sqlName(), definition),
		fmt.Sprintf("UPDATE %s SET %s = %s", t.sqlName(), c.sqlName(), values.sql),
		fmt.Sprintf("ALTER TABLE %s DROP COLUMN %s", t.sqlName(), old),
	} {
		err := s.query(statement, nil)
		if err != nil {
			return named(columned(err, c), t)
		}
	}
	*c = next
	return nil
}

// userOf names the key, foreign key or check that uses a column, or is "".
func (t *tableDef) userOf(column string) string {
	has := func(columns []string) bool {
		return slices.ContainsFunc(columns, func(n string) bool { return strings.EqualFold(n, column) })
	}
	for _, k := range t.Keys {
		if has(k.Columns) {
			return k.Name
		}
	}
	for _, f := range t.Foreign {
		if has(f.Columns) {
			return f.Name
		}
	}
	for _, c := range t.Checks {
		if strings.Contains(strings.ToLower(c.Text), strings.ToLower(column)) {
			return c.Name
		}
	}
	return ""
}

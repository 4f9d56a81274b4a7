package standin

import (
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

func (s *session) createIndex(x *tsql.CreateIndex) error {
	t, err := s.table(x.Table)
	if err != nil {
		return err
	}
	err = s.mayAlter(t)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(t.Keys, func(k keyDef) bool { return strings.EqualFold(k.Name, x.Name) }) {
		return invalid(1913, "The operation failed because an index or statistics with name '%s' already exists on table '%s'.", x.Name, t.full())
	}
	k := keyDef{Name: x.Name, Kind: "IX", Columns: x.Columns}
	if x.Unique {
		k.Kind = "UX"
	}
	if x.Where != nil {
		return invalid(50001, "The stand-in does not know filtered indexes.")
	}
	err = s.addKey(t, k)
	if err != nil {
		return err
	}
	return s.save(t)
}

func (s *session) createSchema(name string) error {
	err := s.mayCreate("CREATE SCHEMA")
	if err != nil {
		return err
	}
	n, err := s.number("SELECT count(*) FROM main.schemas WHERE name = ?", name)
	if err != nil {
		return err
	}
	if n > 0 {
		return &tds.Error{Number: 2714, Severity: 16, State: 6, Message: fmt.Sprintf("There is already an object named '%s' in the database.", name)}
	}
	s.redefine()
	return s.query("INSERT INTO main.schemas (id, name) SELECT max(id) + 1, ? FROM main.schemas", nil, name)
}

func (s *session) createTrigger(x *tsql.CreateTrigger) error {
	t, err := s.table(x.Table)
	if err != nil {
		return err
	}
	err = s.mayAlter(t)
	if err != nil {
		return err
	}
	t.Triggers = append(t.Triggers, triggerDef{x.Name, x.Body})
	return s.save(t)
}

func (s *session) alterTable(x *tsql.AlterTable) error {
	t, err := s.table(x.Name)
	if err != nil {
		return &tds.Error{Number: 4902, Severity: 16, Message: fmt.Sprintf("Cannot find the object \"%s\" because it does not exist or you do not have permissions.", strings.Join(x.Name, "."))}
	}
	err = s.mayAlter(t)
	if err != nil {
		return err
	}
	if x.Retyped != nil {
		err := s.retype(t, x.Retyped)
		if err != nil {
			return err
		}
	}
	had := len(t.Columns)
	err = t.addColumns(x.Columns)
	if err != nil {
		return err
	}
	err = checkNames(append([]string{t.Name}, t.names()...))
	if err != nil {
		return err
	}
	for i := had; i < len(t.Columns); i++ {
		err := s.addColumn(t, &t.Columns[i])
		if err != nil {
			return err
		}
	}
	for _, name := range x.DropColumns {
		err := s.dropColumn(t, name)
		if err != nil {
			return err
		}
	}
	for i := range x.Constraints {
		err := s.addConstraint(t, &x.Constraints[i])
		if err != nil {
			return err
		}
	}
	return s.save(t)
}

func (s *session) addColumn(t *tableDef, c *columnDef) error {
	rows, err := s.number("SELECT EXISTS (SELECT 1 FROM " + t.sqlName() + ")")
	if err != nil {
		return err
	}
	if c.NotNull && !c.Identity && rows > 0 {
		return invalid(4901, "ALTER TABLE only allows columns to be added that can contain nulls, or have a DEFAULT definition specified. Column '%s' cannot be added to non-empty table '%s'.", c.Name, t.Name)
	}
	definition := strings.TrimSuffix(c.definition(), " NOT NULL")
	err = s.query("ALTER TABLE "+t.sqlName()+" ADD COLUMN "+definition, nil)
	if err != nil {
		return err
	}
	if !c.Identity {
		return nil
	}
	return s.query(fmt.Sprintf("UPDATE %s SET %s = rowid", t.sqlName(), c.sqlName()), nil)
}

func (s *session) dropColumn(t *tableDef, name string) error {
	c := t.column(name)
	if c == nil {
		return invalid(4924, "ALTER TABLE DROP COLUMN failed because column '%s' does not exist in table '%s'.", name, t.Name)
	}
	for _, k := range t.Keys {
		if slices.ContainsFunc(k.Columns, func(n string) bool { return strings.EqualFold(n, name) }) {
			return invalid(5074, "The object '%s' is dependent on column '%s'.", k.Name, name)
		}
	}
	err := s.query("ALTER TABLE "+t.sqlName()+" DROP COLUMN "+c.sqlName(), nil)
	if err != nil {
		return err
	}
	t.Columns = slices.DeleteFunc(t.Columns, func(other columnDef) bool { return other.ID == c.ID })
	return nil
}

func (s *session) drop(x *tsql.Drop) error {
	switch x.What {
	case "TABLE":
		return s.dropTable(x)
	case "SCHEMA":
		return s.dropSchema(x.Name[0])
	case "DATABASE":
		err := s.mayCreate("DROP DATABASE")
		if err != nil {
			return err
		}
		return s.server.dropDatabase(x.Name[0])
	case "INDEX":
		return s.dropIndex(x.Name)
	}
	return s.dropTrigger(x)
}

func noSuch(what string, name []string) error {
	return &tds.Error{Number: 3701, Severity: 11, State: 5, Message: fmt.Sprintf("Cannot drop the %s '%s', because it does not exist or you do not have permission.", what, strings.Join(name, "."))}
}

func (s *session) dropTable(x *tsql.Drop) error {
	t, err := s.find(x.Name)
	if err != nil {
		return err
	}
	if t == nil {
		if x.IfExists {
			return nil
		}
		return noSuch("table", x.Name)
	}
	if s.mayAlter(t) != nil {
		return noSuch("table", x.Name)
	}
	all, err := s.tables()
	if err != nil {
		return err
	}
	for _, other := range all {
		for _, f := range other.Foreign {
			if f.Refers == t.ID && other.ID != t.ID && !t.Temp {
				return invalid(3726, "Could not drop object '%s' because it is referenced by a FOREIGN KEY constraint.", t.full())
			}
		}
	}
	err = s.query("DROP TABLE "+t.sqlName(), nil)
	if err != nil {
		return err
	}
	s.redefine()
	return s.query("DELETE FROM "+t.home()+".catalog WHERE id = ?", nil, t.ID)
}

func (s *session) dropSchema(name string) error {
	n, err := s.number("SELECT count(*) FROM main.schemas WHERE name = ?", name)
	if err != nil {
		return err
	}
	if n == 0 {
		return invalid(15151, "Cannot drop the schema '%s', because it does not exist or you do not have permission.", name)
	}
	n, err = s.number("SELECT count(*) FROM main.catalog WHERE schema = ?", name)
	if err != nil {
		return err
	}
	if n > 0 {
		return invalid(3729, "Cannot DROP SCHEMA '%s' because it is being referenced by an object in it.", name)
	}
	s.redefine()
	return s.query("DELETE FROM main.schemas WHERE name = ?", nil, name)
}

func (s *session) dropIndex(name []string) error {
	t, err := s.table(name[:len(name)-1])
	if err != nil {
		return err
	}
	at := slices.IndexFunc(t.Keys, func(k keyDef) bool { return strings.EqualFold(k.Name, name[len(name)-1]) })
	if at < 0 {
		return noSuch("index", name)
	}
	err = s.query("DROP INDEX "+t.home()+"."+t.indexName(t.Keys[at].Name), nil)
	if err != nil {
		return err
	}
	t.Keys = slices.Delete(t.Keys, at, at+1)
	return s.save(t)
}

func (s *session) dropTrigger(x *tsql.Drop) error {
	all, err := s.tables()
	if err != nil {
		return err
	}
	for _, t := range all {
		at := slices.IndexFunc(t.Triggers, func(d triggerDef) bool { return strings.EqualFold(d.Name, x.Name[len(x.Name)-1]) })
		if at >= 0 {
			t.Triggers = slices.Delete(t.Triggers, at, at+1)
			return s.save(t)
		}
	}
	if x.IfExists {
		return nil
	}
	return noSuch("trigger", x.Name)
}

package standin

import (
	"encoding/json"
	"fmt"
	"strings"

	"zombiezen.com/go/sqlite"
	"zombiezen.com/go/sqlite/sqlitex"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// tableDef is a table. SQLite knows it as o and its id, and its columns as c and
// theirs.
type tableDef struct {
	ID       int64
	Schema   string
	Name     string
	Temp     bool `json:",omitempty"`
	Columns  []columnDef
	Keys     []keyDef
	Foreign  []foreignDef
	Checks   []checkDef
	Triggers []triggerDef
	Comments map[string]string // of the table under "", of its columns by their names
	NextID   int               // of a column
}

type columnDef struct {
	ID       int
	Name     string
	Type     Type
	NotNull  bool
	Identity bool
	Seed     int64
	Default  string // its text
	Computed string
}

// keyDef is a key or an index: PK, UQ, UX (a unique index) or IX.
type keyDef struct {
	Name, Kind string
	Columns    []string
	Where      string
}

type foreignDef struct {
	Name       string
	Columns    []string
	Refers     int64 // the id of the table
	RefColumns []string
	OnDelete   string
}

type checkDef struct{ Name, Text string }

type triggerDef struct{ Name, Body string }

// sqlName is the name of the table in SQLite.
func (t *tableDef) sqlName() string {
	if t.Temp {
		return fmt.Sprintf("temp.o%d", t.ID)
	}
	return fmt.Sprintf("main.o%d", t.ID)
}

func (t *tableDef) column(name string) *columnDef {
	for i := range t.Columns {
		if strings.EqualFold(t.Columns[i].Name, name) {
			return &t.Columns[i]
		}
	}
	return nil
}

func (c *columnDef) sqlName() string { return fmt.Sprintf("c%d", c.ID) }

// full is the name in messages.
func (t *tableDef) full() string { return t.Schema + "." + t.Name }

// sqlColumns lists columns as SQLite knows them.
func (t *tableDef) sqlColumns(names []string) string {
	var list []string
	for _, n := range names {
		list = append(list, t.column(n).sqlName())
	}
	return strings.Join(list, ", ")
}

// prepareDatabase makes what a new database holds.
func (s *session) prepareDatabase() error {
	there, err := s.number("SELECT count(*) FROM main.sqlite_schema WHERE name = 'schemas'")
	if err != nil || there > 0 {
		return err
	}
	return sqlitex.ExecuteScript(s.db, `
		CREATE TABLE IF NOT EXISTS main.catalog (id INTEGER PRIMARY KEY AUTOINCREMENT, schema TEXT COLLATE NOCASE, name TEXT COLLATE NOCASE, def TEXT, UNIQUE (schema, name));
		CREATE TABLE IF NOT EXISTS main.schemas (id INTEGER PRIMARY KEY, name TEXT COLLATE NOCASE UNIQUE);
		INSERT OR IGNORE INTO main.schemas VALUES (1, 'dbo'), (4, 'sys'), (3, 'INFORMATION_SCHEMA'), (2, 'guest');`, nil)
}

func (s *session) prepareTemp() error {
	return sqlitex.ExecuteScript(s.db, "CREATE TEMP TABLE IF NOT EXISTS catalog (id INTEGER PRIMARY KEY AUTOINCREMENT, schema TEXT, name TEXT COLLATE NOCASE UNIQUE, def TEXT)", nil)
}

// query runs a query of our own and gives each row to a function.
func (s *session) query(sql string, each func(*sqlite.Stmt) error, args ...any) error {
	return s.orRaised(sqlitex.ExecuteTransient(s.db, sql, &sqlitex.ExecOptions{Args: args, ResultFunc: each}))
}

// orRaised returns the error that a conversion raised during a statement, if any: the binding for
// SQLite loses it.
func (s *session) orRaised(err error) error {
	if s.raised == nil {
		return err
	}
	err, s.raised = s.raised, nil
	return err
}

// number runs a query for one number, which is 0 without rows.
func (s *session) number(sql string, args ...any) (n int64, err error) {
	err = s.query(sql, func(st *sqlite.Stmt) error { n = st.ColumnInt64(0); return nil }, args...)
	return n, err
}

// place splits the name of a table: its schema and itself, and whether it is a
// temporary one.
func (s *session) place(parts []string) (schema, name string, temp bool, err error) {
	name = parts[len(parts)-1]
	if strings.HasPrefix(name, "#") {
		return "dbo", name, true, nil
	}
	schema = "dbo"
	if len(parts) > 1 && parts[len(parts)-2] != "" {
		schema = parts[len(parts)-2]
	}
	if len(parts) > 2 && !strings.EqualFold(parts[len(parts)-3], s.database) {
		return "", "", false, &tds.Error{Number: 208, Severity: 16, Message: "The stand-in does not look into other databases: " + strings.Join(parts, ".") + "."}
	}
	return schema, name, false, nil
}

// find returns a table, or nil.
func (s *session) find(parts []string) (*tableDef, error) {
	schema, name, temp, err := s.place(parts)
	if err != nil {
		return nil, err
	}
	if temp {
		return s.defWhere("temp", "name = ?", name)
	}
	return s.defWhere("main", "schema = ? AND name = ?", schema, name)
}

func (s *session) defWhere(where, condition string, args ...any) (found *tableDef, err error) {
	err = s.query("SELECT id, def FROM "+where+".catalog WHERE "+condition, func(st *sqlite.Stmt) error {
		found = &tableDef{}
		err := json.Unmarshal([]byte(st.ColumnText(1)), found)
		found.ID = st.ColumnInt64(0)
		return err
	}, args...)
	return found, err
}

// table returns a table that must exist, and that the login may see.
func (s *session) table(parts []string) (*tableDef, error) {
	t, err := s.find(parts)
	if err != nil {
		return nil, err
	}
	if t == nil {
		return nil, &tds.Error{Number: 208, Severity: 16, Message: "Invalid object name '" + strings.Join(parts, ".") + "'."}
	}
	return t, nil
}

// tables returns all tables, those of the session last.
func (s *session) tables() (list []*tableDef, err error) {
	for _, where := range []string{"main", "temp"} {
		err := s.query("SELECT id, def FROM "+where+".catalog WHERE def IS NOT NULL ORDER BY id", func(st *sqlite.Stmt) error {
			t := &tableDef{}
			err := json.Unmarshal([]byte(st.ColumnText(1)), t)
			t.ID = st.ColumnInt64(0)
			list = append(list, t)
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return list, nil
}

// save keeps a definition.
func (s *session) save(t *tableDef) error {
	s.redefine()
	text, err := json.Marshal(t)
	if err != nil {
		return err
	}
	return s.query("UPDATE "+t.home()+".catalog SET def = ?, schema = ?, name = ? WHERE id = ?", nil, string(text), t.Schema, t.Name, t.ID)
}

func (t *tableDef) home() string {
	if t.Temp {
		return "temp"
	}
	return "main"
}

// createTable makes a table and its keys.
func (s *session) createTable(c *tsql.CreateTable) error {
	schema, name, temp, err := s.place(c.Name)
	if err != nil {
		return err
	}
	if !temp {
		err := s.mayCreateIn(schema)
		if err != nil {
			return err
		}
	}
	there, err := s.find(c.Name)
	if err != nil {
		return err
	}
	if there != nil {
		return &tds.Error{Number: 2714, Severity: 16, State: 6, Message: fmt.Sprintf("There is already an object named '%s' in the database.", name)}
	}
	t := &tableDef{Schema: schema, Name: name, Temp: temp, Comments: map[string]string{}}
	err = t.addColumns(c.Columns)
	if err != nil {
		return err
	}
	err = checkNames(append([]string{name}, t.names()...))
	if err != nil {
		return err
	}
	if len(t.Columns) > 1024 {
		return &tds.Error{Number: 1702, Severity: 16, Message: fmt.Sprintf("CREATE TABLE failed because column '%s' in table '%s' exceeds the maximum of 1024 columns.", t.Columns[1024].Name, name)}
	}
	for i := range c.Constraints {
		if c.Constraints[i].Kind == "PK" {
			for _, key := range c.Constraints[i].Columns {
				col := t.column(key)
				if col != nil {
					col.NotNull = true
				}
			}
		}
	}
	err = s.query("INSERT INTO "+t.home()+".catalog (schema, name) VALUES (?, ?)", nil, schema, name)
	if err != nil {
		return err
	}
	t.ID = s.db.LastInsertRowID()
	s.forgetIdentity(t)
	err = s.query(t.definition(), nil)
	if err != nil {
		return err
	}
	for i := range c.Constraints {
		err := s.addConstraint(t, &c.Constraints[i])
		if err != nil {
			return err
		}
	}
	return s.save(t)
}

// mayCreateIn makes sure that a schema exists and that the login may create tables.
func (s *session) mayCreateIn(schema string) error {
	err := s.mayCreate("CREATE TABLE")
	if err != nil {
		return err
	}
	n, err := s.number("SELECT count(*) FROM main.schemas WHERE name = ?", schema)
	if err != nil {
		return err
	}
	if n == 0 {
		return &tds.Error{Number: 2760, Severity: 16, Message: fmt.Sprintf("The specified schema name \"%s\" either does not exist or you do not have permission to use it.", schema)}
	}
	return nil
}

func (t *tableDef) names() (list []string) {
	for _, c := range t.Columns {
		list = append(list, c.Name)
	}
	return list
}

func checkNames(names []string) error {
	seen := map[string]bool{}
	for _, n := range names {
		if len([]rune(n)) > 128 {
			return &tds.Error{Number: 103, Severity: 15, State: 4, Message: fmt.Sprintf("The identifier that starts with '%s' is too long. Maximum length is 128.", n[:116])}
		}
		if seen[strings.ToLower(n)] && n != names[0] {
			return &tds.Error{Number: 2705, Severity: 16, Message: fmt.Sprintf("Column names in each table must be unique. Column name '%s' in table '%s' is specified more than once.", n, names[0])}
		}
		if n != names[0] {
			seen[strings.ToLower(n)] = true
		}
	}
	return nil
}

func (t *tableDef) addColumns(columns []tsql.Column) error {
	for _, c := range columns {
		t.NextID++
		d := columnDef{ID: t.NextID, Name: c.Name, NotNull: c.NotNull, Identity: c.Identity, Seed: c.Seed}
		var err error
		if c.Computed != nil {
			d.Computed = c.Text
		} else {
			d.Type, err = declared(c.Type)
		}
		if err != nil {
			return err
		}
		if c.Default != nil {
			d.Default = c.Text
		}
		if c.Identity && !d.Type.Whole() && d.Type.Name != "decimal" {
			return &tds.Error{Number: 2749, Severity: 16, Message: fmt.Sprintf("Identity column '%s' must be of data type int, bigint, smallint, tinyint, or decimal.", c.Name)}
		}
		t.Columns = append(t.Columns, d)
	}
	return nil
}

// definition is the table in SQLite. Rules other than NOT NULL are looked after by
// indexes, or when a statement has ended.
func (t *tableDef) definition() string {
	var lines []string
	for i := range t.Columns {
		lines = append(lines, t.Columns[i].definition())
	}
	return "CREATE TABLE " + t.sqlName() + " (" + strings.Join(lines, ", ") + ")"
}

func (c *columnDef) definition() string {
	line := c.sqlName() + " " + columnType(c.Type)
	if c.NotNull {
		line += " NOT NULL"
	}
	return line
}

// addConstraint adds a constraint to a table that may have rows.
func (s *session) addConstraint(t *tableDef, c *tsql.Constraint) error {
	for _, name := range c.Columns {
		if t.column(name) == nil {
			return &tds.Error{Number: 1911, Severity: 16, Message: fmt.Sprintf("Column name '%s' does not exist in the target table or view.", name)}
		}
	}
	err := s.nameConstraint(t, c)
	if err != nil {
		return err
	}
	switch c.Kind {
	case "PK", "UQ":
		return s.addKey(t, keyDef{Name: c.Name, Kind: c.Kind, Columns: c.Columns})
	case "C":
		t.Checks = append(t.Checks, checkDef{c.Name, c.Text})
		return s.verify(t, s.checkQueries(t, len(t.Checks)-1), 0, "ALTER TABLE")
	}
	parent, err := s.table(c.Refers)
	if strings.EqualFold(strings.Join(c.Refers, "."), t.Name) {
		parent, err = t, nil
	}
	if err != nil {
		return &tds.Error{Number: 1767, Severity: 16, Message: fmt.Sprintf("Foreign key '%s' references invalid table '%s'.", c.Name, strings.Join(c.Refers, "."))}
	}
	f := foreignDef{Name: c.Name, Columns: c.Columns, Refers: parent.ID, RefColumns: c.RefColumns, OnDelete: c.OnDelete}
	if !parent.isKey(&f) {
		return &tds.Error{Number: 1776, Severity: 16, Message: fmt.Sprintf("There are no primary or candidate keys in the referenced table '%s' that match the referencing column list in the foreign key '%s'.", parent.full(), c.Name)}
	}
	t.Foreign = append(t.Foreign, f)
	return s.verify(t, []ruleQuery{s.foreignQuery(t, parent, &f)}, 0, "ALTER TABLE")
}

// isKey reports whether a foreign key refers to a key; without columns it means the
// primary key.
func (t *tableDef) isKey(f *foreignDef) bool {
	for _, k := range t.Keys {
		if k.Kind == "PK" && f.RefColumns == nil {
			f.RefColumns = k.Columns
		}
		if k.Kind != "IX" && strings.EqualFold(strings.Join(k.Columns, ","), strings.Join(f.RefColumns, ",")) {
			return true
		}
	}
	return false
}

// nameConstraint gives a constraint a name, which no other object of the schema has.
func (s *session) nameConstraint(t *tableDef, c *tsql.Constraint) error {
	if c.Name == "" {
		prefix := map[string]string{"PK": "PK", "UQ": "UQ", "F": "FK", "C": "CK"}[c.Kind]
		c.Name = fmt.Sprintf("%s__%.8s__%08X", prefix, t.Name, uint32(t.ID)*7919+uint32(len(t.Keys)+10*len(t.Foreign)+100*len(t.Checks)))
		return nil
	}
	all, err := s.tables()
	if err != nil {
		return err
	}
	for _, other := range append(all, t) {
		if other.Temp == t.Temp && other.Schema == t.Schema && other.hasObject(c.Name) {
			return &tds.Error{Number: 2714, Severity: 16, State: 5, Message: fmt.Sprintf("There is already an object named '%s' in the database.", c.Name)}
		}
	}
	return nil
}

func (t *tableDef) hasObject(name string) bool {
	for _, k := range t.Keys {
		if (k.Kind == "PK" || k.Kind == "UQ") && strings.EqualFold(k.Name, name) {
			return true
		}
	}
	for _, f := range t.Foreign {
		if strings.EqualFold(f.Name, name) {
			return true
		}
	}
	for _, c := range t.Checks {
		if strings.EqualFold(c.Name, name) {
			return true
		}
	}
	return false
}

// addKey makes an index. One of NULLs counts as a value here, which SQLite's does not.
func (s *session) addKey(t *tableDef, k keyDef) error {
	width := int64(0)
	var terms []string
	for _, name := range k.Columns {
		c := t.column(name)
		if c == nil {
			return &tds.Error{Number: 1911, Severity: 16, Message: fmt.Sprintf("Column name '%s' does not exist in the target table or view.", name)}
		}
		if c.Type.Max {
			return &tds.Error{Number: 1919, Severity: 16, Message: fmt.Sprintf("Column '%s' in table '%s' is of a type that is invalid for use as a key column in an index.", name, t.full())}
		}
		if k.Kind == "PK" && !c.NotNull {
			return &tds.Error{Number: 8111, Severity: 16, Message: fmt.Sprintf("Cannot define PRIMARY KEY constraint on nullable column in table '%s'.", t.Name)}
		}
		width += maxLength(c.Type)
		if k.Kind == "IX" || c.NotNull {
			terms = append(terms, c.sqlName())
			continue
		}
		filled := "ifnull(" + c.sqlName() + ", '')"
		if strings.HasSuffix(columnType(c.Type), "ci") {
			filled += " COLLATE ci"
		}
		terms = append(terms, "("+c.sqlName()+" IS NULL)", filled)
	}
	if width > 1700 || width > 900 && k.Kind == "PK" {
		return &tds.Error{Number: 1944, Severity: 16, Message: fmt.Sprintf("Index '%s' was not created. This index has a key length of at least %d bytes. The maximum permissible key length is 900 bytes.", k.Name, width)}
	}
	sql := "CREATE INDEX "
	if k.Kind != "IX" {
		sql = "CREATE UNIQUE INDEX "
	}
	sql += fmt.Sprintf("%s.%s ON o%d (%s)", t.home(), t.indexName(k.Name), t.ID, strings.Join(terms, ", "))
	if k.Where != "" {
		condition, err := s.conditionText(t, k.Where)
		if err != nil {
			return err
		}
		sql += " WHERE " + condition
	}
	t.Keys = append(t.Keys, k)
	err := s.query(sql, nil)
	if err != nil && sqlite.ErrCode(err).ToPrimary() == sqlite.ResultConstraint {
		message := fmt.Sprintf("The CREATE UNIQUE INDEX statement terminated because a duplicate key was found for the object name '%s' and the index name '%s'.", t.full(), k.Name)
		return &tds.Error{Number: 1505, Severity: 16, Message: message}
	}
	return err
}

// indexName is the name of an index in SQLite, where all of them share one space.
func (t *tableDef) indexName(name string) string {
	return `"` + strings.ReplaceAll(fmt.Sprintf("x%d_%s", t.ID, strings.ToLower(name)), `"`, "") + `"`
}

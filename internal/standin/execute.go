package standin

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// run runs one statement. ended says that it has sent its own DONE.
func (s *session) run(statement tsql.Statement, more bool) (ended bool, err error) {
	switch x := statement.(type) {
	case *tsql.Select:
		return true, s.selectRows(x, more)
	case *tsql.Insert, *tsql.Update, *tsql.Delete:
		return true, s.change(x, more)
	case *tsql.InsertBulk:
		return false, s.announce(x)
	case *tsql.Transaction:
		return false, s.transaction(x)
	case *tsql.SetOption:
		return false, s.set(x)
	case *tsql.Declare:
		t, err := declared(x.Type)
		if err != nil {
			return false, err
		}
		s.vars[strings.ToLower(x.Name)] = variable{t, tds.Value{Null: true}}
		if x.X == nil {
			return false, nil
		}
		return false, s.assign(x.Name, x.X)
	case *tsql.SetVar:
		return false, s.assign(x.Name, x.X)
	case *tsql.Exec:
		return false, s.execute(x)
	case *tsql.If:
		return true, s.conditional(x, more)
	case *tsql.Throw:
		return false, s.throw(x.Number, x.Message, 16)
	case *tsql.Raise:
		severity, err := s.value(x.Severity)
		if err != nil {
			return false, err
		}
		return false, s.throw(&tsql.Lit{Kind: 'n', Text: "50000"}, x.Message, byte(severity.constant.Int))
	case *tsql.Kill:
		return false, s.server.kill(x.Session)
	case *tsql.Use:
		return false, s.use(x.Name)
	}
	return false, s.write(func() error { return s.changeDefinitions(statement) })
}

// changeDefinitions runs a statement that does.
func (s *session) changeDefinitions(statement tsql.Statement) error {
	switch x := statement.(type) {
	case *tsql.CreateTable:
		return s.createTable(x)
	case *tsql.CreateIndex:
		return s.createIndex(x)
	case *tsql.CreateSchema:
		return s.createSchema(x.Name)
	case *tsql.CreateDatabase:
		err := s.mayCreate("CREATE DATABASE")
		if err != nil {
			return err
		}
		return s.server.CreateDatabase(x.Name)
	case *tsql.CreateTrigger:
		return s.createTrigger(x)
	case *tsql.AlterTable:
		return s.alterTable(x)
	case *tsql.Drop:
		return s.drop(x)
	case *tsql.Truncate:
		return s.truncate(x.Table)
	}
	return invalid(50001, "The stand-in does not know %T.", statement)
}

// value computes an expression outside of any query.
func (s *session) value(x tsql.Expr) (code, error) {
	c := s.compiler()
	v, err := c.expr(x, nil)
	if err != nil || v.constant != nil {
		return v, err
	}
	st, _, err := s.db.PrepareTransient("SELECT " + v.sql)
	if err != nil {
		return v, err
	}
	defer st.Finalize()
	_, err = st.Step()
	err = s.orRaised(err)
	if err != nil {
		return v, s.translated(err)
	}
	got := column(st, 0, v.typ)
	v.constant = &got
	return v, nil
}

func (s *session) assign(name string, x tsql.Expr) error {
	v, known := s.vars[strings.ToLower(name)]
	if !known {
		return &tds.Error{Number: 137, Severity: 15, Message: fmt.Sprintf("Must declare the scalar variable \"%s\".", name)}
	}
	got, err := s.value(x)
	if err != nil {
		return err
	}
	v.value, err = convert(*got.constant, got.typ, v.typ, true)
	s.vars[strings.ToLower(name)] = v
	return err
}

// variable translates a variable or one of the server's own.
func (c *compiler) variable(name string) (code, error) {
	s := c.s
	switch strings.ToLower(name) {
	case "@@spid":
		return known(Type{Name: "smallint"}, tds.Value{Int: int64(s.id)}), nil
	case "@@trancount":
		return known(intType, tds.Value{Int: int64(s.depthOfTran)}), nil
	case "@@rowcount":
		return known(intType, tds.Value{Int: s.rowCount}), nil
	case "@@version":
		return known(Type{Name: "nvarchar", Size: 300}, tds.Value{Text: []byte("Stand-in for Microsoft SQL Server, 16.0.1000, which ships with Amber Tray")}), nil
	case "@@servername":
		return known(nameType, tds.Value{Text: []byte(s.server.options.Name)}), nil
	case "@@lock_timeout":
		return known(intType, tds.Value{Int: s.lockTimeout.Milliseconds()}), nil
	}
	v, ok := s.vars[strings.ToLower(name)]
	if !ok {
		return code{}, &tds.Error{Number: 137, Severity: 15, Message: fmt.Sprintf("Must declare the scalar variable \"%s\".", name)}
	}
	return known(v.typ, v.value), nil
}

// selectRows sends the rows of a query.
func (s *session) selectRows(x *tsql.Select, more bool) error {
	if x.Into != nil {
		return invalid(50001, "The stand-in does not know SELECT INTO.")
	}
	c := s.compiler()
	q, err := c.query(x, nil)
	if err != nil {
		return err
	}
	n, err := s.send(q)
	if err != nil {
		return err
	}
	s.rowCount = n
	s.done(s.status(more)|tds.DoneCount, n)
	return nil
}

// send sends the rows of a translated query, and returns their number.
func (s *session) send(q *compiled) (n int64, err error) {
	st, _, err := s.db.PrepareTransient(q.sql)
	if err != nil {
		return 0, fmt.Errorf("%w in %s", err, q.sql)
	}
	defer st.Finalize()
	s.conn.Columns(q.announced())
	var readers []func(*sqlite.Stmt, int, *tds.Value)
	var writers []func([]byte, *tds.Value) []byte
	for _, c := range q.columns {
		write := c.typ.Appender
		if c.fixedLength {
			write = c.typ.FixedAppender
		}
		readers, writers = append(readers, columnReader(c.typ)), append(writers, write())
	}
	var row []byte
	var v tds.Value
	for {
		found, err := st.Step()
		err = s.orRaised(err)
		if err != nil {
			return n, s.translated(err)
		}
		if !found {
			return n, nil
		}
		row = tds.AppendRow(row[:0])
		for i, read := range readers {
			read(st, i, &v)
			row = writers[i](row, &v)
		}
		_, err = s.conn.Write(row)
		if err != nil {
			return n, err
		}
		n++
	}
}

func (s *session) transaction(x *tsql.Transaction) error {
	switch x.What {
	case "BEGIN":
		s.begin()
		return nil
	case "COMMIT":
		return s.commit()
	case "SAVE":
		return s.savepoint(x.Name)
	}
	return s.rollbackTo(x.Name)
}

func (s *session) set(x *tsql.SetOption) error {
	switch x.Name {
	case "xact_abort":
		s.xactAbort = x.Value == "ON"
	case "isolation":
		s.snapshot = x.Value == "SNAPSHOT"
	case "lock_timeout":
		n, err := strconv.Atoi(x.Value)
		s.lockTimeout = time.Duration(n) * time.Millisecond
		return err
	case "implicit_transactions", "fmtonly":
		if x.Value == "ON" && x.Name == "implicit_transactions" {
			return invalid(50001, "The stand-in does not begin transactions by itself.")
		}
	case "identity_insert":
		return s.setIdentityInsert(x)
	}
	return nil
}

func (s *session) setIdentityInsert(x *tsql.SetOption) error {
	t, err := s.table(x.Table)
	if err != nil {
		return err
	}
	err = s.mayAlter(t)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(t.Columns, func(c columnDef) bool { return c.Identity }) {
		return invalid(8106, "Table '%s' does not have the identity property. Cannot perform SET operation.", t.full())
	}
	switch {
	case x.Value == "OFF":
		s.identityInsert = 0
	case s.identityInsert != 0 && s.identityInsert != t.objectID():
		return invalid(8107, "IDENTITY_INSERT is already ON for another table. Cannot perform SET operation for table '%s'.", t.full())
	default:
		s.identityInsert = t.objectID()
	}
	return nil
}

func (s *session) use(name string) error {
	if !s.server.exists(name) {
		return invalid(911, "Database '%s' does not exist. Make sure that the name is entered correctly.", name)
	}
	if strings.EqualFold(name, s.database) {
		return nil
	}
	if s.depthOfTran > 0 {
		return invalid(226, "USE statement not allowed within multi-statement transaction.")
	}
	before := s.database
	err := s.db.Close()
	if err != nil {
		return err
	}
	err = s.open(name)
	if err != nil {
		return err
	}
	s.conn.Changed(tds.EnvDatabase, name, before)
	return nil
}

func (s *session) conditional(x *tsql.If, more bool) error {
	c := s.compiler()
	condition, err := c.condition(x.Condition, nil)
	if err != nil {
		return err
	}
	return s.branch(x, condition, more)
}

// branch runs one side of an IF.
func (s *session) branch(x *tsql.If, condition string, more bool) error {
	yes, err := s.number("SELECT CASE WHEN " + condition + " THEN 1 ELSE 0 END")
	if err != nil {
		return s.translated(err)
	}
	list := x.Then
	if yes == 0 {
		list = x.Else
	}
	for i, statement := range list {
		ended, err := s.run(statement, more || i < len(list)-1)
		if err != nil {
			return err
		}
		if !ended && s.depth == 0 {
			s.done(s.status(more || i < len(list)-1), 0)
		}
	}
	if len(list) == 0 && s.depth == 0 {
		s.done(s.status(more), 0)
	}
	return nil
}

// throw raises an error of the client's own.
func (s *session) throw(number, message tsql.Expr, severity byte) error {
	n, err := s.value(number)
	if err != nil {
		return err
	}
	text, err := s.value(message)
	if err != nil {
		return err
	}
	thrown := n.constant.Int != 50000
	return &tds.Error{Number: int(n.constant.Int), Severity: severity, Message: string(text.constant.Text), Aborts: thrown && s.depth > 0}
}

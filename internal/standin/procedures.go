package standin

import (
	"fmt"
	"strings"
	"time"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// arguments are those of a procedure, by their names without the @, and in order.
type arguments struct {
	byName map[string]code
	list   []code
}

// text returns an argument as a text, by its name or its place.
func (a *arguments) text(name string, at int) string {
	v, ok := a.get(name, at)
	if !ok || v.constant.Null {
		return ""
	}
	return asText(v.typ, *v.constant)
}

func (a *arguments) get(name string, at int) (code, bool) {
	v, ok := a.byName[name]
	if ok {
		return v, true
	}
	if at < len(a.list) {
		return a.list[at], true
	}
	return code{}, false
}

func (a *arguments) number(name string, at int, without int64) int64 {
	v, ok := a.get(name, at)
	if !ok || v.constant.Null {
		return without
	}
	n, err := convert(*v.constant, v.typ, bigType, true)
	if err != nil {
		return without
	}
	return n.Int
}

// procedures are those of the server, with the code that they return.
var procedures map[string]func(s *session, a *arguments) (int32, error)

func init() {
	procedures = map[string]func(s *session, a *arguments) (int32, error){
		"sp_getapplock":          (*session).getAppLock,
		"sp_releaseapplock":      (*session).releaseAppLock,
		"sp_addextendedproperty": (*session).addProperty,
		"sp_rename":              (*session).rename,
		"sp_executesql":          (*session).executeSQL,
		"standin_fail":           (*session).askForFault,
		"sp_reset_connection":    func(*session, *arguments) (int32, error) { return 0, nil },
	}
}

func (s *session) askForFault(a *arguments) (int32, error) {
	return 0, s.server.Fail(a.text("what", 0), int(a.number("after", 1, 0)))
}

// execute calls a procedure.
func (s *session) execute(x *tsql.Exec) error {
	name := strings.ToLower(x.Name[len(x.Name)-1])
	call := procedures[name]
	if call == nil {
		return &tds.Error{Number: 2812, Severity: 16, State: 62, Message: fmt.Sprintf("Could not find stored procedure '%s'.", strings.Join(x.Name, "."))}
	}
	a := &arguments{byName: map[string]code{}}
	for _, arg := range x.Args {
		v, err := s.value(arg.X)
		if err != nil {
			return err
		}
		if arg.Name != "" {
			a.byName[strings.ToLower(arg.Name[1:])] = v
		} else {
			a.list = append(a.list, v)
		}
	}
	got, err := call(s, a)
	if err != nil || x.Result == "" {
		return err
	}
	return s.assign(x.Result, &tsql.Lit{Kind: 'n', Text: fmt.Sprint(got)})
}

func (s *session) getAppLock(a *arguments) (int32, error) {
	name, mode, owner := a.text("resource", 0), a.text("lockmode", 1), a.text("lockowner", 2)
	if !strings.EqualFold(mode, "Exclusive") {
		return -999, invalid(50001, "The stand-in gives exclusive locks only.")
	}
	tran := !strings.EqualFold(owner, "Session")
	if tran && s.depthOfTran == 0 {
		return -999, nil
	}
	patience := s.lockTimeout
	n := a.number("locktimeout", 3, -2)
	if n != -2 {
		patience = time.Duration(n) * time.Millisecond
	}
	if !s.server.lock(s, strings.ToLower(s.database)+"/"+name, tran, patience) {
		return -1, nil
	}
	return 0, nil
}

func (s *session) releaseAppLock(a *arguments) (int32, error) {
	if !s.server.unlock(s, strings.ToLower(s.database)+"/"+a.text("resource", 0)) {
		return -999, invalid(1223, "Cannot release the application lock (Database Principal: 'public', Resource: '%s') because it is not currently held.", a.text("resource", 0))
	}
	return 0, nil
}

func (s *session) addProperty(a *arguments) (int32, error) {
	return 0, s.write(func() error {
		t, err := s.table([]string{a.text("level0name", 3), a.text("level1name", 5)})
		if err != nil {
			return invalid(15135, "Object is invalid. Extended properties are not permitted on '%s', or the object does not exist.", a.text("level1name", 5))
		}
		err = s.mayAlter(t)
		if err != nil {
			return err
		}
		column := a.text("level2name", 7)
		if column != "" && t.column(column) == nil {
			return invalid(15135, "Object is invalid. Extended properties are not permitted on '%s.%s', or the object does not exist.", t.full(), column)
		}
		_, there := t.Comments[column]
		if there {
			return invalid(15233, "Property cannot be added. Property '%s' already exists for '%s'.", a.text("name", 0), t.full())
		}
		t.Comments[column] = a.text("value", 1)
		return s.save(t)
	})
}

// rename gives a table another name.
func (s *session) rename(a *arguments) (int32, error) {
	return 0, s.write(func() error {
		t, err := s.table(strings.Split(strings.NewReplacer("[", "", "]", "").Replace(a.text("objname", 0)), "."))
		if err != nil {
			return invalid(15225, "No item by the name of '%s' could be found in the current database '%s'.", a.text("objname", 0), s.database)
		}
		err = s.mayAlter(t)
		if err != nil {
			return err
		}
		t.Name = a.text("newname", 1)
		return s.save(t)
	})
}

func (s *session) executeSQL(a *arguments) (int32, error) {
	if len(a.list) != 1 {
		return 0, invalid(50001, "The stand-in takes parameters of sp_executesql from a client only.")
	}
	s.batch(a.text("stmt", 0))
	return 0, nil
}

// remoteCall answers a call of a client.
func (s *session) remoteCall(name string, number int, params []tds.Param) {
	s.inCall = true
	err := s.called(name, number, params)
	s.inCall = false
	if s.cancelled() {
		return
	}
	if err != nil {
		s.failed(err)
		s.conn.DoneProc(tds.DoneError)
		return
	}
	s.conn.ReturnStatus(0)
	for i, p := range params {
		if p.Output {
			v := s.vars[strings.ToLower(p.Name)]
			s.conn.ReturnValue(i, p.Name, v.typ, v.value)
		}
	}
	s.conn.DoneProc(0)
}

const numberOfExecuteSQL = 10

func (s *session) called(name string, number int, params []tds.Param) error {
	if number == numberOfExecuteSQL || strings.EqualFold(name, "sp_executesql") {
		if len(params) == 0 {
			return invalid(201, "Procedure or function 'sp_executesql' expects parameter '@statement', which was not supplied.")
		}
		for _, p := range params[min(2, len(params)):] {
			s.vars[strings.ToLower(p.Name)] = variable{p.Type(), p.Value}
		}
		s.batch(string(params[0].Value.Text))
		return nil
	}
	call := procedures[strings.ToLower(strings.TrimPrefix(name, "sys."))]
	if call == nil {
		return &tds.Error{Number: 2812, Severity: 16, State: 62, Message: fmt.Sprintf("Could not find stored procedure '%s' (number %d).", name, number)}
	}
	a := &arguments{byName: map[string]code{}}
	for _, p := range params {
		v := known(p.Type(), p.Value)
		if p.Name != "" {
			a.byName[strings.ToLower(p.Name[1:])] = v
		} else {
			a.list = append(a.list, v)
		}
	}
	_, err := call(s, a)
	return err
}

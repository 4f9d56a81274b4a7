package tsql

import (
	"slices"
	"strconv"
	"strings"
)

// Parse reads the statements of a batch.
func Parse(batch string) (list []Statement, err error) {
	tokens, err := scan(batch)
	if err != nil {
		return nil, err
	}
	p := &parser{batch: batch, tokens: tokens}
	defer func() {
		r := recover()
		if r != nil {
			syntax, ok := r.(*SyntaxError)
			if !ok {
				panic(r)
			}
			list, err = nil, syntax
		}
	}()
	for {
		for p.sign(";") {
		}
		if p.peek().kind == end {
			return list, nil
		}
		list = append(list, p.statement())
	}
}

type parser struct {
	batch  string
	tokens []token
	at     int
}

func (p *parser) peek() token { return p.tokens[p.at] }

func (p *parser) ahead(n int) token { return p.tokens[min(p.at+n, len(p.tokens)-1)] }

func (p *parser) take() token {
	t := p.tokens[p.at]
	if t.kind != end {
		p.at++
	}
	return t
}

func (p *parser) fail() {
	t := p.peek()
	near := t.text
	if t.kind == end {
		near = "end of batch"
	}
	panic(&SyntaxError{Near: near, Line: lineOf(p.batch, t.at)})
}

func (p *parser) unsupported(what string) {
	panic(&SyntaxError{Near: p.peek().text, Line: lineOf(p.batch, p.peek().at), Why: "The stand-in does not know " + what + "."})
}

// is reports whether the next tokens are these words.
func (p *parser) is(words ...string) bool {
	for i, w := range words {
		t := p.ahead(i)
		if t.kind != word || !strings.EqualFold(t.text, w) {
			return false
		}
	}
	return true
}

// word takes these words if they come next.
func (p *parser) word(words ...string) bool {
	if !p.is(words...) {
		return false
	}
	p.at += len(words)
	return true
}

func (p *parser) want(words ...string) {
	if !p.word(words...) {
		p.fail()
	}
}

func (p *parser) isSign(s string) bool { return p.peek().kind == sign && p.peek().text == s }

func (p *parser) sign(s string) bool {
	if !p.isSign(s) {
		return false
	}
	p.at++
	return true
}

func (p *parser) wantSign(s string) {
	if !p.sign(s) {
		p.fail()
	}
}

// reserved are the words that can be names only in brackets.
var reserved = strings.Fields(`add all alter and as asc begin between by case check collate column commit constraint create cross declare
	default delete desc distinct drop else end except exec execute exists fetch for foreign from full group having holdlock identity if in
	index inner insert intersect into is join key kill left like merge not null nulls of on open option or order outer over primary
	references return right rollback save schema select set table then to top transaction trigger truncate union unique update use user
	values view when where while with`)

func (p *parser) isName() bool {
	t := p.peek()
	return t.kind == quoted || t.kind == word && !slices.Contains(reserved, strings.ToLower(t.text))
}

func (p *parser) name() string {
	if !p.isName() {
		p.fail()
	}
	return p.take().text
}

// names reads a name with what stands before it.
func (p *parser) names() (parts []string) {
	parts = append(parts, p.name())
	for p.sign(".") {
		if p.isSign(".") { // a database without a schema
			parts = append(parts, "")
			continue
		}
		parts = append(parts, p.name())
	}
	return parts
}

// list reads names in parentheses; of an index they may have a direction.
func (p *parser) list() (names []string) {
	p.wantSign("(")
	for {
		names = append(names, p.name())
		if p.word("DESC") {
			p.unsupported("a descending index")
		}
		p.word("ASC")
		if !p.sign(",") {
			break
		}
	}
	p.wantSign(")")
	return names
}

func (p *parser) integer() int64 {
	negative := p.sign("-")
	t := p.take()
	n, err := strconv.ParseInt(t.text, 10, 64)
	if t.kind != number || err != nil {
		p.at--
		p.fail()
	}
	if negative {
		return -n
	}
	return n
}

// typ reads the name of a type with its size.
func (p *parser) typ() Type {
	t := Type{Name: strings.ToLower(p.name())}
	if p.sign("(") {
		if p.word("MAX") {
			t.Max = true
		} else {
			t.Size, t.Sized = int(p.integer()), true
			if p.sign(",") {
				t.Scale = int(p.integer())
			}
		}
		p.wantSign(")")
	}
	if t.Name == "double" || !knownTypes[t.Name] {
		panic(&SyntaxError{Near: t.Name, Line: lineOf(p.batch, p.peek().at), Why: "Cannot find data type " + t.Name + "."})
	}
	if p.word("COLLATE") {
		t.Collate = p.name()
	}
	return t
}

var knownTypes = func() map[string]bool {
	set := map[string]bool{}
	for _, name := range strings.Fields(`tinyint smallint int integer bigint decimal dec numeric float real bit date time datetime2 datetime smalldatetime datetimeoffset
		char varchar nchar nvarchar text ntext uniqueidentifier varbinary binary sysname money smallmoney`) {
		set[name] = true
	}
	return set
}()

// statement reads one statement.
func (p *parser) statement() Statement {
	t := p.peek()
	if t.kind != word {
		p.fail()
	}
	read, known := statements[strings.ToLower(t.text)]
	if !known {
		p.fail()
	}
	return read(p)
}

var statements map[string]func(p *parser) Statement

func init() {
	statements = map[string]func(p *parser) Statement{
		"select":   func(p *parser) Statement { return p.query() },
		"with":     func(p *parser) Statement { return p.with() },
		"create":   (*parser).create,
		"drop":     (*parser).drop,
		"alter":    (*parser).alter,
		"insert":   (*parser).insert,
		"update":   (*parser).update,
		"delete":   func(p *parser) Statement { return p.remove(nil) },
		"truncate": (*parser).truncate,
		"begin":    (*parser).begin,
		"commit":   (*parser).transaction,
		"rollback": (*parser).transaction,
		"save":     (*parser).transaction,
		"set":      (*parser).set,
		"declare":  (*parser).declare,
		"exec":     (*parser).exec,
		"execute":  (*parser).exec,
		"if":       (*parser).conditional,
		"throw":    (*parser).throw,
		"raiserror": func(p *parser) Statement {
			p.want("RAISERROR")
			p.wantSign("(")
			r := &Raise{Message: p.expr()}
			p.wantSign(",")
			r.Severity = p.expr()
			p.wantSign(",")
			p.expr()
			p.wantSign(")")
			return r
		},
		"kill": func(p *parser) Statement { p.want("KILL"); return &Kill{int(p.integer())} },
		"use":  func(p *parser) Statement { p.want("USE"); return &Use{p.name()} },
	}
}

// with reads the queries with names before another query or a DELETE.
func (p *parser) with() Statement {
	p.want("WITH")
	var list []CTE
	for {
		c := CTE{Name: p.name()}
		p.want("AS")
		p.wantSign("(")
		c.Query = p.query()
		p.wantSign(")")
		list = append(list, c)
		if !p.sign(",") {
			break
		}
	}
	if p.is("DELETE") {
		return p.remove(list)
	}
	q := p.query()
	q.With = list
	return q
}

func (p *parser) truncate() Statement {
	p.want("TRUNCATE", "TABLE")
	return &Truncate{p.names()}
}

func (p *parser) begin() Statement {
	p.want("BEGIN")
	if !p.word("TRANSACTION") && !p.word("TRAN") {
		p.fail()
	}
	return &Transaction{What: "BEGIN"}
}

func (p *parser) transaction() Statement {
	t := &Transaction{What: strings.ToUpper(p.take().text)}
	if !p.word("TRANSACTION") && !p.word("TRAN") {
		if t.What == "SAVE" {
			p.fail()
		}
		p.word("WORK")
	}
	if p.isName() && statements[strings.ToLower(p.peek().text)] == nil {
		t.Name = p.name()
	}
	if t.What == "SAVE" && t.Name == "" {
		p.fail()
	}
	return t
}

// options are what a session may set.
var options = strings.Fields("xact_abort nocount fmtonly quoted_identifier ansi_nulls ansi_padding ansi_warnings arithabort concat_null_yields_null implicit_transactions cursor_close_on_commit ansi_null_dflt_on numeric_roundabort")

func (p *parser) set() Statement {
	p.want("SET")
	if p.peek().kind == variable {
		name := p.take().text
		p.wantSign("=")
		return &SetVar{name, p.expr()}
	}
	if p.word("TRANSACTION", "ISOLATION", "LEVEL") {
		s := &SetOption{Name: "isolation"}
		for p.peek().kind == word && slices.Contains([]string{"read", "committed", "uncommitted", "repeatable", "serializable", "snapshot"}, strings.ToLower(p.peek().text)) {
			s.Value = strings.TrimSpace(s.Value + " " + strings.ToUpper(p.take().text))
		}
		return s
	}
	name := strings.ToLower(p.take().text)
	switch {
	case name == "lock_timeout", name == "textsize", name == "deadlock_priority":
		if p.peek().kind == word {
			return &SetOption{Name: name, Value: p.take().text}
		}
		return &SetOption{Name: name, Value: strconv.FormatInt(p.integer(), 10)}
	case name == "dateformat", name == "language":
		return &SetOption{Name: name, Value: p.take().text}
	case name == "datefirst", name == "rowcount":
		return &SetOption{Name: name, Value: strconv.FormatInt(p.integer(), 10)}
	case name == "identity_insert":
		s := &SetOption{Name: name, Table: p.names()}
		s.Value = p.onOff()
		return s
	case slices.Contains(options, name):
		return &SetOption{Name: name, Value: p.onOff()}
	}
	p.at--
	p.fail()
	return nil
}

func (p *parser) onOff() string {
	if p.word("ON") {
		return "ON"
	}
	p.want("OFF")
	return "OFF"
}

func (p *parser) declare() Statement {
	p.want("DECLARE")
	if p.peek().kind != variable {
		p.fail()
	}
	d := &Declare{Name: p.take().text}
	p.word("AS")
	d.Type = p.typ()
	if p.sign("=") {
		d.X = p.expr()
	}
	return d
}

func (p *parser) exec() Statement {
	p.take()
	e := &Exec{}
	if p.peek().kind == variable {
		e.Result = p.take().text
		p.wantSign("=")
	}
	e.Name = p.names()
	for p.peek().kind == variable || p.peek().kind == text || p.peek().kind == national || p.peek().kind == number || p.isSign("-") || p.is("NULL") {
		a := Arg{}
		if p.peek().kind == variable && p.ahead(1).text == "=" {
			a.Name = p.take().text
			p.take()
		}
		a.X = p.expr()
		a.Output = p.word("OUTPUT") || p.word("OUT")
		e.Args = append(e.Args, a)
		if !p.sign(",") {
			break
		}
	}
	return e
}

func (p *parser) conditional() Statement {
	p.want("IF")
	i := &If{Condition: p.condition()}
	i.Then = p.block()
	if p.word("ELSE") {
		i.Else = p.block()
	}
	return i
}

// block reads one statement, or several between BEGIN and END.
func (p *parser) block() (list []Statement) {
	if !p.is("BEGIN") || p.is("BEGIN", "TRANSACTION") || p.is("BEGIN", "TRAN") {
		return []Statement{p.statement()}
	}
	p.want("BEGIN")
	for !p.word("END") {
		for p.sign(";") {
		}
		if p.is("END") {
			continue
		}
		list = append(list, p.statement())
		p.sign(";")
	}
	return list
}

func (p *parser) throw() Statement {
	p.want("THROW")
	t := &Throw{Number: p.expr()}
	p.wantSign(",")
	t.Message = p.expr()
	p.wantSign(",")
	p.expr()
	return t
}

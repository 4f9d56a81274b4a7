package tsql

import "strings"

func (p *parser) create() Statement {
	p.want("CREATE")
	switch {
	case p.word("TABLE"):
		return p.table()
	case p.word("SCHEMA"):
		return &CreateSchema{p.name()}
	case p.word("DATABASE"):
		d := &CreateDatabase{Name: p.name()}
		if p.word("COLLATE") {
			d.Collate = p.name()
		}
		return d
	case p.word("TRIGGER"):
		return p.trigger()
	}
	i := &CreateIndex{Unique: p.word("UNIQUE")}
	if !p.word("NONCLUSTERED") {
		p.word("CLUSTERED")
	}
	p.want("INDEX")
	i.Name = p.name()
	p.want("ON")
	i.Table, i.Columns = p.names(), p.list()
	if p.word("WHERE") {
		i.Where = p.condition()
	}
	return i
}

func (p *parser) table() Statement {
	t := &CreateTable{Name: p.names()}
	p.wantSign("(")
	for {
		p.element(&t.Columns, &t.Constraints)
		if !p.sign(",") {
			break
		}
	}
	p.wantSign(")")
	return t
}

// element reads a column or a constraint of a table.
func (p *parser) element(columns *[]Column, constraints *[]Constraint) {
	if p.is("CONSTRAINT") || p.is("PRIMARY") || p.is("UNIQUE") || p.is("FOREIGN") || p.is("CHECK") {
		*constraints = append(*constraints, p.constraint(""))
		return
	}
	c := Column{Name: p.name()}
	if p.word("AS") {
		p.wantSign("(")
		from := p.peek().at
		c.Computed = p.expr()
		c.Text = p.batch[from:p.peek().at]
		p.wantSign(")")
		p.word("PERSISTED")
		*columns = append(*columns, c)
		return
	}
	c.Type = p.typ()
	for {
		switch {
		case p.word("NOT", "NULL"):
			c.NotNull = true
		case p.word("NULL"):
			c.Null = true
		case p.word("IDENTITY"):
			c.Identity, c.NotNull, c.Seed = true, true, 1
			if p.sign("(") {
				c.Seed = p.integer()
				p.wantSign(",")
				p.integer()
				p.wantSign(")")
			}
		case p.word("DEFAULT"):
			from := p.peek().at
			c.Default = p.expr()
			c.Text = p.batch[from:p.peek().at]
		case p.word("COLLATE"):
			c.Type.Collate = p.name()
		case p.is("CONSTRAINT"), p.is("PRIMARY"), p.is("UNIQUE"), p.is("REFERENCES"), p.is("CHECK"):
			k := p.constraint(c.Name)
			c.NotNull = c.NotNull || k.Kind == "PK"
			*constraints = append(*constraints, k)
		default:
			*columns = append(*columns, c)
			return
		}
	}
}

// constraint reads a constraint, of one column if that is named.
func (p *parser) constraint(column string) (c Constraint) {
	if p.word("CONSTRAINT") {
		c.Name = p.name()
	}
	columns := func() []string {
		if column != "" {
			return []string{column}
		}
		return p.list()
	}
	switch {
	case p.word("PRIMARY", "KEY"), p.word("UNIQUE"):
		c.Kind = "UQ"
		if strings.EqualFold(p.tokens[p.at-1].text, "KEY") {
			c.Kind = "PK"
		}
		if !p.word("NONCLUSTERED") {
			p.word("CLUSTERED")
		}
		c.Columns = columns()
	case p.is("FOREIGN", "KEY"), column != "" && p.is("REFERENCES"):
		p.word("FOREIGN", "KEY")
		c.Kind, c.Columns = "F", columns()
		p.want("REFERENCES")
		c.Refers = p.names()
		if p.isSign("(") {
			c.RefColumns = p.list()
		}
		if p.word("ON", "DELETE") {
			switch {
			case p.word("CASCADE"):
				c.OnDelete = "CASCADE"
			case p.word("SET", "NULL"):
				c.OnDelete = "SET_NULL"
			default:
				p.want("NO", "ACTION")
			}
		}
	default:
		p.want("CHECK")
		p.wantSign("(")
		from := p.peek().at
		c.Kind, c.Check = "C", p.condition()
		c.Text = "(" + strings.TrimSpace(p.batch[from:p.peek().at]) + ")"
		p.wantSign(")")
	}
	return c
}

// trigger keeps the text of its body, which is read when it runs.
func (p *parser) trigger() Statement {
	t := &CreateTrigger{Name: p.names()[0]}
	p.want("ON")
	t.Table = p.names()
	if !p.word("AFTER", "INSERT") && !p.word("FOR", "INSERT") {
		p.unsupported("other triggers than those after INSERT")
	}
	p.want("AS")
	from := p.peek().at
	t.Body = p.batch[from:]
	for p.peek().kind != end {
		p.block()
		p.sign(";")
	}
	return t
}

func (p *parser) drop() Statement {
	p.want("DROP")
	d := &Drop{}
	for _, what := range []string{"TABLE", "SCHEMA", "INDEX", "TRIGGER", "DATABASE"} {
		if p.word(what) {
			d.What = what
		}
	}
	if d.What == "" {
		p.fail()
	}
	d.IfExists = p.word("IF", "EXISTS")
	d.Name = p.names()
	if d.What == "INDEX" {
		p.want("ON")
		d.Name = append(p.names(), d.Name[0])
	}
	return d
}

func (p *parser) alter() Statement {
	p.want("ALTER")
	if !p.word("TABLE") {
		p.unsupported("ALTER of anything but a table")
	}
	a := &AlterTable{Name: p.names()}
	if p.word("DROP", "COLUMN") {
		a.DropColumns = []string{p.name()}
		return a
	}
	if p.word("ALTER", "COLUMN") {
		a.Retyped = &Column{Name: p.name(), Type: p.typ()}
		if p.word("COLLATE") {
			a.Retyped.Type.Collate = p.name()
		}
		a.Retyped.NotNull = p.word("NOT", "NULL")
		if !a.Retyped.NotNull {
			p.word("NULL")
		}
		return a
	}
	p.word("WITH", "CHECK")
	p.want("ADD")
	for {
		p.element(&a.Columns, &a.Constraints)
		if !p.sign(",") {
			return a
		}
	}
}

// bulk reads the rest of INSERT BULK.
func (p *parser) bulk() Statement {
	b := &InsertBulk{Table: p.names(), Options: map[string]string{}}
	p.wantSign("(")
	for {
		c := Column{Name: p.name()}
		c.Type = p.typ()
		b.Columns = append(b.Columns, c)
		if !p.sign(",") {
			break
		}
	}
	p.wantSign(")")
	if !p.word("WITH") {
		return b
	}
	p.wantSign("(")
	for {
		name := strings.ToUpper(p.name())
		value := ""
		switch name {
		case "TABLOCK", "CHECK_CONSTRAINTS", "FIRE_TRIGGERS", "KEEP_NULLS":
		case "ROWS_PER_BATCH", "KILOBYTES_PER_BATCH":
			p.wantSign("=")
			value = p.take().text
		case "ORDER":
			value = strings.Join(p.list(), ",")
		default:
			p.at--
			p.fail()
		}
		b.Options[name] = value
		if !p.sign(",") {
			break
		}
	}
	p.wantSign(")")
	return b
}

// ParseExpr parses a text that is one expression.
func ParseExpr(text string) (Expr, error) { return alone(text, (*parser).expr) }

// ParseCondition parses a text that is one condition.
func ParseCondition(text string) (Expr, error) { return alone(text, (*parser).condition) }

func alone(text string, read func(*parser) Expr) (x Expr, err error) {
	tokens, err := scan(text)
	if err != nil {
		return nil, err
	}
	p := &parser{batch: text, tokens: tokens}
	defer func() {
		r := recover()
		if r != nil {
			syntax, ok := r.(*SyntaxError)
			if !ok {
				panic(r)
			}
			x, err = nil, syntax
		}
	}()
	x = read(p)
	if p.peek().kind != end {
		p.fail()
	}
	return x, nil
}

package tsql

import "strings"

func (p *parser) insert() Statement {
	p.want("INSERT")
	if p.word("BULK") {
		return p.bulk()
	}
	p.word("INTO")
	i := &Insert{Table: p.names()}
	p.hints()
	if p.isSign("(") {
		i.Columns = p.list()
	}
	if !p.word("VALUES") {
		i.Query = p.query()
		return i
	}
	i.Rows = p.rows()
	return i
}

// rows reads what stands after VALUES.
func (p *parser) rows() (list [][]Expr) {
	for {
		p.wantSign("(")
		list = append(list, p.exprs())
		p.wantSign(")")
		if !p.sign(",") {
			return list
		}
	}
}

func (p *parser) update() Statement {
	p.want("UPDATE")
	u := &Update{Table: p.names()}
	p.hints()
	p.want("SET")
	for {
		parts := p.names()
		p.wantSign("=")
		u.Set = append(u.Set, Set{parts[len(parts)-1], p.expr()})
		if !p.sign(",") {
			break
		}
	}
	if p.word("FROM") {
		u.From = p.sources()
	}
	if p.word("WHERE") {
		u.Where = p.condition()
	}
	return u
}

func (p *parser) remove(with []CTE) Statement {
	p.want("DELETE")
	p.word("FROM")
	d := &Delete{With: with, Table: p.names()}
	p.hints()
	if p.word("OUTPUT") {
		for {
			parts := p.names()
			if len(parts) != 2 || !strings.EqualFold(parts[0], "deleted") {
				p.unsupported("OUTPUT of anything but columns of deleted")
			}
			d.Output = append(d.Output, parts[1])
			if !p.sign(",") {
				break
			}
		}
	}
	if p.word("FROM") {
		d.From = p.sources()
	}
	if p.word("WHERE") {
		d.Where = p.condition()
	}
	return d
}

// query reads a query with all that follows it.
func (p *parser) query() *Select {
	q := p.simple()
	last := q
	for {
		op := ""
		switch {
		case p.word("UNION", "ALL"):
			op = "UNION ALL"
		case p.word("UNION"):
			op = "UNION"
		case p.word("EXCEPT"):
			op = "EXCEPT"
		case p.word("INTERSECT"):
			op = "INTERSECT"
		}
		if op == "" {
			break
		}
		last.Op, last.Next = op, p.simple()
		last = last.Next
	}
	if p.word("ORDER", "BY") {
		q.Order = p.orders()
	}
	if p.word("OFFSET") {
		q.Offset = p.expr()
		if !p.word("ROWS") {
			p.want("ROW")
		}
		if p.word("FETCH", "NEXT") {
			q.Fetch = p.expr()
			if !p.word("ROWS", "ONLY") {
				p.want("ROW", "ONLY")
			}
		}
	}
	return q
}

func (p *parser) simple() *Select {
	p.want("SELECT")
	q := &Select{Distinct: p.word("DISTINCT")}
	if p.word("TOP") {
		if p.sign("(") {
			q.Top = p.expr()
			p.wantSign(")")
		} else {
			q.Top = p.primary()
		}
	}
	for {
		q.Items = append(q.Items, p.item())
		if !p.sign(",") {
			break
		}
	}
	if p.word("INTO") {
		q.Into = p.names()
	}
	if p.word("FROM") {
		q.From = p.sources()
	}
	if p.word("WHERE") {
		q.Where = p.condition()
	}
	if p.word("GROUP", "BY") {
		q.Group = p.exprs()
	}
	if p.word("HAVING") {
		q.Having = p.condition()
	}
	return q
}

func (p *parser) item() Item {
	if p.sign("*") {
		return Item{X: &Star{}}
	}
	if p.isName() && p.ahead(1).text == "." && p.ahead(2).text == "*" && p.ahead(2).kind == sign {
		s := &Star{p.name()}
		p.at += 2
		return Item{X: s}
	}
	i := Item{X: p.expr()}
	if p.word("AS") {
		if p.peek().kind == text || p.peek().kind == national {
			i.Alias = p.take().text
		} else {
			i.Alias = p.name()
		}
	} else if p.isName() && statements[strings.ToLower(p.peek().text)] == nil {
		i.Alias = p.name()
	}
	return i
}

func (p *parser) sources() (list []Source) {
	list = append(list, p.source(""))
	for {
		join := ""
		switch {
		case p.sign(","):
			join = ","
		case p.word("INNER", "JOIN"), p.word("JOIN"):
			join = "JOIN"
		case p.word("LEFT", "OUTER", "JOIN"), p.word("LEFT", "JOIN"):
			join = "LEFT JOIN"
		case p.word("CROSS", "JOIN"):
			join = "CROSS JOIN"
		default:
			return list
		}
		s := p.source(join)
		if strings.HasSuffix(join, "JOIN") && join != "CROSS JOIN" {
			p.want("ON")
			s.On = p.condition()
		}
		list = append(list, s)
	}
}

func (p *parser) source(join string) Source {
	s := Source{Join: join}
	switch {
	case p.sign("("):
		if p.word("VALUES") {
			s.Rows = p.rows()
		} else {
			s.Sub = p.query()
		}
		p.wantSign(")")
	default:
		s.Name = p.names()
	}
	if p.word("AS") || p.isName() && statements[strings.ToLower(p.peek().text)] == nil && !p.is("OFFSET") {
		s.Alias = p.name()
		if s.Name == nil && p.isSign("(") {
			s.Names = p.list()
		}
	} else if s.Name == nil {
		p.fail() // a query in FROM must have a name
	}
	p.hints()
	return s
}

// hints reads the hints of a table, which change nothing here.
func (p *parser) hints() {
	if !p.is("WITH") || p.ahead(1).text != "(" {
		return
	}
	p.at += 2
	for {
		h := strings.ToUpper(p.take().text)
		switch h {
		case "TABLOCK", "TABLOCKX", "UPDLOCK", "HOLDLOCK", "ROWLOCK", "NOLOCK", "READCOMMITTEDLOCK", "XLOCK":
		default:
			p.at--
			p.fail()
		}
		if !p.sign(",") {
			break
		}
	}
	p.wantSign(")")
}

func (p *parser) orders() (list []Order) {
	for {
		o := Order{X: p.expr()}
		o.Desc = p.word("DESC")
		if !o.Desc {
			p.word("ASC")
		}
		list = append(list, o)
		if !p.sign(",") {
			return list
		}
	}
}

func (p *parser) exprs() (list []Expr) {
	for {
		list = append(list, p.expr())
		if !p.sign(",") {
			return list
		}
	}
}

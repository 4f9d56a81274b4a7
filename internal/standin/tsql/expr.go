package tsql

import "strings"

// A condition is not a value in this language: it stands after WHERE, ON, HAVING, IF,
// WHEN and in a CHECK only.

func (p *parser) condition() Expr {
	x := p.conjunction()
	for p.word("OR") {
		x = &Binary{"OR", x, p.conjunction()}
	}
	return x
}

func (p *parser) conjunction() Expr {
	x := p.negation()
	for p.word("AND") {
		x = &Binary{"AND", x, p.negation()}
	}
	return x
}

func (p *parser) negation() Expr {
	if p.word("NOT") {
		return &Unary{"NOT", p.negation()}
	}
	return p.predicate()
}

func (p *parser) predicate() Expr {
	if p.word("EXISTS") {
		p.wantSign("(")
		e := &Exists{p.query()}
		p.wantSign(")")
		return e
	}
	if p.isSign("(") {
		x := p.inParentheses()
		if x != nil {
			return x
		}
	}
	x := p.expr()
	for _, op := range []string{"=", "<>", "!=", "<", ">", "<=", ">="} {
		if p.sign(op) {
			return &Binary{op, x, p.expr()}
		}
	}
	if p.word("IS") {
		not := p.word("NOT")
		if p.word("DISTINCT", "FROM") {
			op := "IS DISTINCT FROM"
			if not {
				op = "IS NOT DISTINCT FROM"
			}
			return &Binary{op, x, p.expr()}
		}
		p.want("NULL")
		return &IsNull{x, not}
	}
	return p.ranged(x, p.word("NOT"))
}

func (p *parser) ranged(x Expr, not bool) Expr {
	switch {
	case p.word("IN"):
		p.wantSign("(")
		in := &In{X: x, Not: not}
		if p.is("SELECT") {
			in.Query = p.query()
		} else {
			in.List = p.exprs()
		}
		p.wantSign(")")
		return in
	case p.word("BETWEEN"):
		b := &Between{X: x, Low: p.expr(), Not: not}
		p.want("AND")
		b.High = p.expr()
		return b
	case p.word("LIKE"):
		l := &Like{X: x, Pattern: p.expr(), Not: not}
		if p.word("ESCAPE") {
			l.Escape = p.expr()
		}
		return l
	}
	p.fail()
	return nil
}

// inParentheses reads a condition in parentheses, or nothing where they belong to a
// value.
func (p *parser) inParentheses() (x Expr) {
	from := p.at
	defer func() {
		r := recover()
		if r != nil {
			_, ok := r.(*SyntaxError)
			if !ok {
				panic(r)
			}
			p.at, x = from, nil
		}
	}()
	p.wantSign("(")
	x = p.condition()
	p.wantSign(")")
	return x
}

func (p *parser) expr() Expr {
	x := p.term()
	for {
		switch {
		case p.sign("+"):
			x = &Binary{"+", x, p.term()}
		case p.sign("-"):
			x = &Binary{"-", x, p.term()}
		default:
			return x
		}
	}
}

func (p *parser) term() Expr {
	x := p.factor()
	for {
		switch {
		case p.sign("*"):
			x = &Binary{"*", x, p.factor()}
		case p.sign("/"):
			x = &Binary{"/", x, p.factor()}
		case p.sign("%"):
			x = &Binary{"%", x, p.factor()}
		default:
			return x
		}
	}
}

func (p *parser) factor() Expr {
	if p.sign("-") {
		return &Unary{"-", p.factor()}
	}
	p.sign("+")
	x := p.primary()
	for p.word("COLLATE") {
		x = &Collated{x, p.name()}
	}
	return x
}

func (p *parser) primary() Expr {
	t := p.peek()
	switch t.kind {
	case number:
		return &Lit{'n', p.take().text}
	case text:
		return &Lit{'s', p.take().text}
	case national:
		return &Lit{'N', p.take().text}
	case binary:
		return &Lit{'b', p.take().text}
	case variable:
		return &Var{p.take().text}
	}
	switch {
	case p.word("NULL"):
		return &Lit{'0', ""}
	case p.word("CASE"):
		return p.cases()
	case p.sign("("):
		var x Expr
		if p.is("SELECT") {
			x = &Sub{p.query()}
		} else {
			x = p.expr()
		}
		p.wantSign(")")
		return x
	case p.peek().kind == word && p.ahead(1).text == "(" && p.ahead(1).kind == sign:
		return p.call(strings.ToLower(p.take().text))
	case p.is("CURRENT_USER"), p.is("SYSTEM_USER"), p.is("CURRENT_TIMESTAMP"):
		return &Call{Name: strings.ToLower(p.take().text)}
	}
	return &Col{p.names()}
}

func (p *parser) cases() Expr {
	c := &Case{}
	if !p.is("WHEN") {
		c.Operand = p.expr()
	}
	for p.word("WHEN") {
		var when Expr
		if c.Operand != nil {
			when = p.expr()
		} else {
			when = p.condition()
		}
		p.want("THEN")
		c.When = append(c.When, [2]Expr{when, p.expr()})
	}
	if p.word("ELSE") {
		c.Else = p.expr()
	}
	p.want("END")
	return c
}

// isoStyle reads the style of a CONVERT. ISO 8601 is how dates and times are written anyway.
func (p *parser) isoStyle() {
	if p.peek().kind != number || p.peek().text != "121" {
		p.unsupported("a style of CONVERT other than 121")
	}
	p.at++
}

func (p *parser) call(name string) Expr {
	p.wantSign("(")
	switch name {
	case "cast", "try_cast":
		c := &Cast{X: p.expr(), Try: name != "cast"}
		p.want("AS")
		c.Type = p.typ()
		p.wantSign(")")
		return c
	case "convert", "try_convert":
		c := &Cast{Type: p.typ(), Try: name != "convert"}
		p.wantSign(",")
		c.X = p.expr()
		if p.sign(",") {
			p.isoStyle()
		}
		p.wantSign(")")
		return c
	}
	c := &Call{Name: name}
	if p.sign("*") {
		c.Args = []Expr{&Star{}}
	} else if !p.isSign(")") {
		c.Distinct = p.word("DISTINCT")
		c.Args = p.exprs()
	}
	p.wantSign(")")
	if name == "string_agg" && p.word("WITHIN", "GROUP") {
		p.wantSign("(")
		p.want("ORDER", "BY")
		c.Over = &Over{Order: p.orders()}
		p.wantSign(")")
		return c
	}
	if p.word("OVER") {
		c.Over = &Over{}
		p.wantSign("(")
		if p.word("PARTITION", "BY") {
			c.Over.Partition = p.exprs()
		}
		if p.word("ORDER", "BY") {
			c.Over.Order = p.orders()
		}
		p.wantSign(")")
	}
	return c
}

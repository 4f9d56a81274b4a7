package standin

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// A check and a foreign key hold when a statement has ended, not row by row: they are
// looked after by queries for the rows that break them.

// ruleQuery is the condition that a row of a table breaks a rule.
type ruleQuery struct {
	kind, name string // C or F
	broken     string
	about      string // the table, and where there is one the column, that messages name
	columns    []string
}

// mark is where the rows of a table end before others are inserted.
func (s *session) mark(t *tableDef) (int64, error) {
	return s.number("SELECT coalesce(max(rowid), 0) FROM " + t.sqlName())
}

func (s *session) checkQueries(t *tableDef, from int) (list []ruleQuery) {
	for _, c := range t.Checks[from:] {
		condition, err := s.conditionText(t, c.Text)
		if err != nil {
			condition = "0 = 0 OR " + literal(nameType, tds.Value{Text: []byte(err.Error())}) + " = ''"
		}
		column := ""
		for _, name := range t.names() {
			if regexp.MustCompile(`(?i)\b` + regexp.QuoteMeta(name) + `\b`).MatchString(c.Text) {
				column = name
				break
			}
		}
		list = append(list, ruleQuery{kind: "CHECK", name: c.Name, broken: "NOT (" + condition + ")", about: t.full(), columns: []string{column}})
	}
	return list
}

func (s *session) foreignQuery(t, parent *tableDef, f *foreignDef) ruleQuery {
	var terms, same []string
	for i, name := range f.Columns {
		terms = append(terms, t.column(name).sqlName()+" IS NOT NULL")
		same = append(same, "p."+parent.column(f.RefColumns[i]).sqlName()+" = r."+t.column(name).sqlName())
	}
	terms = append(terms, fmt.Sprintf("NOT EXISTS (SELECT 1 FROM %s AS p WHERE %s)", parent.sqlName(), strings.Join(same, " AND ")))
	kind := "FOREIGN KEY"
	if parent == t {
		kind += " SAME TABLE"
	}
	return ruleQuery{kind: kind, name: f.Name, broken: strings.Join(terms, " AND "), about: parent.full(), columns: f.RefColumns}
}

// verify looks for rows after a mark that break rules.
func (s *session) verify(t *tableDef, rules []ruleQuery, mark int64, what string) error {
	for _, r := range rules {
		n, err := s.number(fmt.Sprintf("SELECT EXISTS (SELECT 1 FROM %s AS r WHERE r.rowid > %d AND %s)", t.sqlName(), mark, r.broken))
		if err != nil {
			return err
		}
		if n == 0 {
			continue
		}
		column := ""
		if len(r.columns) == 1 && r.columns[0] != "" {
			column = ", column '" + r.columns[0] + "'"
		}
		return &tds.Error{Number: 547, Severity: 16, Message: fmt.Sprintf("The %s statement conflicted with the %s constraint \"%s\". The conflict occurred in database \"%s\", table \"%s\"%s.",
			what, r.kind, r.name, s.database, r.about, column)}
	}
	return nil
}

// rules returns those of a table.
func (s *session) rules(t *tableDef) ([]ruleQuery, error) {
	list := s.checkQueries(t, 0)
	for i := range t.Foreign {
		parent, err := s.defWhere("main", "id = ?", t.Foreign[i].Refers)
		if err != nil {
			return nil, err
		}
		list = append(list, s.foreignQuery(t, parent, &t.Foreign[i]))
	}
	return list, nil
}

// inserted checks rows that were inserted, and runs the triggers of the table.
func (s *session) inserted(t *tableDef, mark int64, check, fire bool) error {
	i := slices.IndexFunc(t.Columns, func(c columnDef) bool { return c.Identity })
	if i >= 0 && s.identityInsert == t.objectID() {
		highest, err := s.number(fmt.Sprintf("SELECT coalesce(max(%s), 0) FROM %s WHERE rowid > %d", t.Columns[i].sqlName(), t.sqlName(), mark))
		if err != nil {
			return err
		}
		_, err = s.moveIdentity(t, func(last int64) int64 { return max(last, highest) })
		if err != nil {
			return err
		}
	}
	if check {
		rules, err := s.rules(t)
		if err != nil {
			return err
		}
		err = s.verify(t, rules, mark, "INSERT")
		if err != nil {
			return err
		}
	}
	if !fire {
		return nil
	}
	for _, trigger := range t.Triggers {
		err := s.fire(t, mark, trigger)
		if err != nil {
			return err
		}
	}
	return nil
}

// changed checks a table whose rows were changed or deleted, and those that refer to it.
func (s *session) changed(t *tableDef, what string) error {
	if what == "UPDATE" {
		rules, err := s.rules(t)
		if err != nil {
			return err
		}
		err = s.verify(t, rules, 0, what)
		if err != nil {
			return err
		}
	}
	all, err := s.tables()
	if err != nil {
		return err
	}
	for _, child := range all {
		for i := range child.Foreign {
			f := &child.Foreign[i]
			if f.Refers != t.ID || child.Temp != t.Temp {
				continue
			}
			err := s.follow(child, t, f, what)
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// follow does in a table what its foreign key says when rows are gone.
func (s *session) follow(child, parent *tableDef, f *foreignDef, what string) error {
	q := s.foreignQuery(child, parent, f)
	switch f.OnDelete {
	case "CASCADE":
		err := s.query(fmt.Sprintf("DELETE FROM %s WHERE rowid IN (SELECT r.rowid FROM %[1]s AS r WHERE %s)", child.sqlName(), q.broken), nil)
		if err != nil {
			return err
		}
		return s.changed(child, "DELETE")
	case "SET_NULL":
		return s.query(fmt.Sprintf("UPDATE %s SET %s = NULL WHERE rowid IN (SELECT r.rowid FROM %[1]s AS r WHERE %s)", child.sqlName(), child.column(f.Columns[0]).sqlName(), q.broken), nil)
	}
	err := s.verify(child, []ruleQuery{q}, 0, what)
	var e *tds.Error
	if errors.As(err, &e) {
		e.Message = fmt.Sprintf("The %s statement conflicted with the REFERENCE constraint \"%s\". The conflict occurred in database \"%s\", table \"%s\", column '%s'.",
			what, f.Name, s.database, child.full(), f.Columns[0])
	}
	return err
}

// fire runs a trigger for the rows after a mark.
func (s *session) fire(t *tableDef, mark int64, trigger triggerDef) error {
	if s.depth > 8 {
		return invalid(217, "Maximum stored procedure, function, trigger, or view nesting level exceeded (limit 32).")
	}
	list, err := tsql.Parse(trigger.Body)
	if err != nil {
		return err
	}
	before := s.trigger
	s.depth++
	s.trigger = &insertedRows{t, mark}
	defer func() { s.depth, s.trigger = s.depth-1, before }()
	for _, statement := range list {
		x, ok := statement.(*tsql.If)
		if ok {
			err := s.conditionInTrigger(x)
			if err != nil {
				return err
			}
			continue
		}
		_, err := s.run(statement, true)
		if err != nil {
			return err
		}
		if s.depthOfTran == 0 && !s.writing {
			return &tds.Error{Number: 3609, Severity: 16, Message: "The transaction ended in the trigger. The batch has been aborted."}
		}
	}
	return nil
}

func (s *session) conditionInTrigger(x *tsql.If) error {
	c := s.compiler()
	condition, err := c.condition(x.Condition, nil)
	if err != nil {
		return err
	}
	return s.branch(x, condition, true)
}

// named puts the name of a table into an error that a row does not fit.
func named(err error, t *tableDef) error {
	var e *tds.Error
	if errors.As(err, &e) && e == errTruncated {
		return &tds.Error{Number: 2628, Severity: 16, Message: fmt.Sprintf("String or binary data would be truncated in table '%s'.", t.full())}
	}
	return err
}

// columned puts the name of a column into it.
func columned(err error, c *columnDef) error {
	if errors.Is(err, errTruncated) {
		return &tds.Error{Number: 2628, Severity: 16, Message: fmt.Sprintf("String or binary data would be truncated, column '%s'.", c.Name)}
	}
	return err
}

var (
	brokenNotNull = regexp.MustCompile(`NOT NULL constraint failed: o(\d+)\.c(\d+)`)
	brokenUnique  = regexp.MustCompile(`UNIQUE constraint failed: o(\d+)\.(c\d+(?:, o\d+\.c\d+)*)`)
	brokenIndex   = regexp.MustCompile(`UNIQUE constraint failed: index 'x(\d+)_(.*)'`)
)

// translated returns what SQLite says of a statement as the server would.
func (s *session) translated(err error) error {
	var e *tds.Error
	if errors.As(err, &e) {
		return err
	}
	text := err.Error()
	m := brokenNotNull.FindStringSubmatch(text)
	if m != nil {
		t, c := s.partOf(m[1], "c"+m[2])
		return &tds.Error{Number: 515, Severity: 16, State: 2, Message: fmt.Sprintf("Cannot insert the value NULL into column '%s', table '%s.%s'; column does not allow nulls. INSERT fails.", c, s.database, t.full())}
	}
	m = brokenIndex.FindStringSubmatch(text)
	if m != nil {
		t, _ := s.partOf(m[1], "")
		for _, k := range t.Keys {
			if strings.EqualFold(k.Name, m[2]) {
				return duplicate(t, k, "")
			}
		}
	}
	m = brokenUnique.FindStringSubmatch(text)
	if m != nil {
		t, _ := s.partOf(m[1], "")
		columns := regexp.MustCompile(`o\d+\.`).ReplaceAllString(m[2], "")
		for _, k := range t.Keys {
			if t.sqlColumns(k.Columns) == columns && k.Kind != "IX" {
				return duplicate(t, k, "")
			}
		}
	}
	if strings.Contains(text, "integer overflow") {
		return overflow(bigType)
	}
	return err
}

// partOf finds a table by its id, and the name of a column by SQLite's.
func (s *session) partOf(id, column string) (*tableDef, string) {
	for _, where := range []string{"temp", "main"} {
		t, err := s.defWhere(where, "id = ?", id)
		if err != nil || t == nil {
			continue
		}
		for i := range t.Columns {
			if t.Columns[i].sqlName() == column {
				return t, t.Columns[i].Name
			}
		}
		if column == "" && len(t.Keys) > 0 {
			return t, ""
		}
	}
	return &tableDef{Schema: "dbo", Name: "?"}, "?"
}

func duplicate(t *tableDef, k keyDef, value string) error {
	if value != "" {
		value = " The duplicate key value is (" + value + ")."
	}
	switch k.Kind {
	case "PK":
		return invalid(2627, "Violation of PRIMARY KEY constraint '%s'. Cannot insert duplicate key in object '%s'.%s", k.Name, t.full(), value)
	case "UQ":
		return invalid(2627, "Violation of UNIQUE KEY constraint '%s'. Cannot insert duplicate key in object '%s'.%s", k.Name, t.full(), value)
	}
	return &tds.Error{Number: 2601, Severity: 14, Message: fmt.Sprintf("Cannot insert duplicate key row in object '%s' with unique index '%s'.%s", t.full(), k.Name, value)}
}

package standin

import (
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"unicode/utf8"

	"zombiezen.com/go/sqlite"

	"ambertray/internal/standin/tds"
	"ambertray/internal/standin/tsql"
)

// announce makes ready for the rows of an INSERT BULK, which come in the next message.
func (s *session) announce(x *tsql.InsertBulk) error {
	t, err := s.table(x.Table)
	if err != nil {
		return err
	}
	err = s.may("INSERT", t)
	if err != nil {
		return err
	}
	_, check := x.Options["CHECK_CONSTRAINTS"]
	if !check && (len(t.Checks) > 0 || len(t.Foreign) > 0) { // which takes the right to alter the table
		err := s.mayAlter(t)
		if err != nil {
			return err
		}
	}
	for _, c := range x.Columns {
		col := t.column(c.Name)
		if col == nil {
			return invalid(207, "Invalid column name '%s'.", c.Name)
		}
		sent, err := declared(c.Type)
		if err != nil {
			return err
		}
		if !same(sent, col.Type) && !(sent.Textual() && col.Type.Textual()) {
			return &tds.Error{Number: 50001, Severity: 16, Message: fmt.Sprintf("The stand-in takes column %s as %s only, and not as %s.", c.Name, typeText(col.Type), typeText(sent))}
		}
	}
	s.bulk = x
	return nil
}

// bulkLoad takes the rows of an INSERT BULK. An error ends the connection.
func (s *session) bulkLoad(r *tds.Reader, m io.Reader) error {
	x := s.bulk
	s.bulk = nil
	if x == nil {
		return errors.New("rows without INSERT BULK")
	}
	n := int64(0)
	err := s.write(func() (err error) {
		n, err = s.bulkRows(r, x)
		return err
	})
	var protocol *tds.ProtocolError
	if errors.As(err, &protocol) || errors.Is(err, tds.ErrCancelled) {
		return err
	}
	_, drained := io.Copy(io.Discard, m)
	if drained != nil {
		return drained
	}
	if err != nil {
		s.failed(err)
		s.conn.Done(tds.DoneError, 0)
		return nil
	}
	s.rowCount = n
	s.conn.Done(tds.DoneCount, n)
	return nil
}

// bulkRows inserts rows, and returns their number.
func (s *session) bulkRows(r *tds.Reader, x *tsql.InsertBulk) (n int64, err error) {
	defer tds.Recover(&err)
	t, err := s.table(x.Table)
	if err != nil {
		return 0, err
	}
	sent := r.BulkColumns()
	into, err := s.bulkTargets(t, x, sent)
	if err != nil {
		return 0, err
	}
	names, fillers, err := s.fillers(s.compiler(), t, into)
	if err != nil {
		return 0, err
	}
	marks := slices.Repeat([]string{"?"}, len(into))
	insert, err := s.db.Prepare("INSERT INTO " + t.sqlName() + " (" + strings.Join(names, ", ") + ") VALUES (" + strings.Join(append(marks, fillers...), ", ") + ")")
	if err != nil {
		return 0, err
	}
	mark, err := s.mark(t)
	if err != nil {
		return 0, err
	}
	row := make([]tds.Value, len(sent))
	var fits []func(*tds.Value) error
	var binds []func(*sqlite.Stmt, int, *tds.Value)
	for i, col := range into {
		fits, binds = append(fits, fitter(sent[i].Type(), col)), append(binds, binder(col.Type))
	}
	for r.BulkRow(sent, row) {
		for i := range into {
			err := fits[i](&row[i])
			if err != nil {
				return 0, err
			}
			binds[i](insert, i+1, &row[i])
		}
		_, err := insert.Step()
		_ = insert.Reset()
		err = s.orRaised(err)
		if err != nil {
			return 0, withKey(s.translated(err), t, into, row)
		}
		n++
	}
	_, check := x.Options["CHECK_CONSTRAINTS"]
	_, fire := x.Options["FIRE_TRIGGERS"]
	return n, s.inserted(t, mark, check, fire)
}

// bulkTargets returns the columns that rows are for, whose order must be as announced.
func (s *session) bulkTargets(t *tableDef, x *tsql.InsertBulk, sent []tds.BulkColumn) ([]*columnDef, error) {
	if len(sent) != len(x.Columns) {
		return nil, invalid(4816, "Invalid column type from bcp client: %d columns instead of %d.", len(sent), len(x.Columns))
	}
	var names []string
	for i, c := range sent {
		want, err := declared(x.Columns[i].Type)
		if err != nil {
			return nil, err
		}
		got := c.Type()
		if got.Name != want.Name || got.Scale != want.Scale || got.Max != want.Max || want.Name == "decimal" && got.Size != want.Size {
			return nil, invalid(4816, "Invalid column type from bcp client for colid %d: %s instead of %s.", i+1, typeText(got), typeText(want))
		}
		names = append(names, x.Columns[i].Name)
	}
	return s.targets(t, names)
}

// fitter returns what makes a value of a type one of a column.
func fitter(sent Type, col *columnDef) func(v *tds.Value) error {
	if same(sent, col.Type) && !sent.Textual() {
		return func(*tds.Value) error { return nil }
	}
	fixed, textual, limit := col.Type.Fixed(), sent.Textual(), col.Type.Size
	if col.Type.Max {
		limit = math.MaxInt
	}
	return func(v *tds.Value) (err error) {
		if v.Null || textual && !fixed && len(v.Text) <= limit {
			return nil
		}
		if fixed && textual && len(v.Text) == limit && len(v.Text) == utf8.RuneCount(v.Text) {
			return nil
		}
		*v, err = convert(*v, sent, col.Type, false)
		return columned(err, col)
	}
}

// withKey adds the values of a row to the error that its key is there.
func withKey(err error, t *tableDef, into []*columnDef, row []tds.Value) error {
	var e *tds.Error
	if !errors.As(err, &e) || e.Number != 2627 && e.Number != 2601 {
		return err
	}
	for _, k := range t.Keys {
		if !strings.Contains(e.Message, "'"+k.Name+"'") {
			continue
		}
		var values []string
		for _, name := range k.Columns {
			text := "<NULL>"
			i := slices.Index(into, t.column(name))
			if i >= 0 && !row[i].Null {
				text = asText(t.column(name).Type, row[i])
			}
			values = append(values, text)
		}
		return duplicate(t, k, strings.Join(values, ", "))
	}
	return err
}

package tighten

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/dustin/go-humanize"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/proof"
	"ambertray/internal/table"
	"ambertray/internal/value"
)

// maxObstacles is how many rows are named for each column.
const maxObstacles = 10

// reader reads the values of a row as they would be.
type reader struct {
	cells []*convert.Cell // nil for columns that keep their values
	live  []table.Type
	texts [][]byte // of the values of a row
}

// liveTable is the table as it is, with the columns that can be read.
func (p *Proposal) liveTable() *table.Table {
	t := &table.Table{Name: p.Table}
	for i := range p.Columns {
		c := table.Column{From: p.Columns[i].Name, Name: p.Columns[i].Name, Type: table.Type{Kind: table.Text}, Nullable: true}
		was := p.live[i].Type
		if was != nil {
			c.Type = *was
		}
		t.Columns = append(t.Columns, c)
	}
	return t
}

// newReader reads the retyped columns by their rules.
func (p *Proposal) newReader(to database.Target, rules func(c *Column) *table.Column) (*reader, error) {
	r := &reader{}
	for i := range p.Columns {
		c := &p.Columns[i]
		live := table.Type{Kind: table.Text}
		was := p.live[i].Type
		if was != nil {
			live = *was
		}
		r.live = append(r.live, to.Dialect().Stored(live))
		var cell *convert.Cell
		column := rules(c)
		if column != nil {
			var err error
			cell, err = convert.NewCell(*column, to.Dialect())
			if err != nil {
				return nil, err
			}
		}
		r.cells = append(r.cells, cell)
	}
	r.texts = make([][]byte, len(r.cells))
	return r, nil
}

// read replaces the value of column i by what it is to be, and returns the reason why it
// cannot.
func (r *reader) read(row []value.Value, i int) (reason string) {
	cell, v := r.cells[i], &row[i]
	if cell == nil || v.Null {
		return ""
	}
	text := append(r.texts[i][:0], v.Text...)
	if !v.Untyped && !r.live[i].Textual() {
		text = convert.AppendText(text[:0], v, r.live[i])
	}
	r.texts[i] = text
	reason = cell.Read(text, v)
	if reason == "" {
		v.Untyped = false
		cell.Store(v)
	}
	return reason
}

// reread reports whether values are read again. A text that stays one keeps what it is,
// blanks too: the server refuses those that are too long.
func (c *Column) reread() bool {
	return c.tightened.Retyped && !(c.tightened.Type.Textual() && c.tightened.Was.Type.Textual())
}

// findObstacles names the rows that keep columns from the types that most of their values
// have.
func (p *Proposal) findObstacles(ctx context.Context, to database.Target) error {
	r, err := p.newReader(to, func(c *Column) *table.Column {
		switch {
		case c.reread():
			return &c.tightened.Column
		case c.tighter != nil:
			t := c.tighter
			return &table.Column{Name: c.Name, Type: t.Type, Format: t.Format, Thousands: t.Thousands, Decimal: t.Decimal, Currency: t.Currency, Percent: t.Percent, NullWords: t.NullWords, Nullable: c.NullWas}
		}
		return nil
	})
	if err != nil || !slices.ContainsFunc(r.cells, func(c *convert.Cell) bool { return c != nil }) {
		return err
	}
	key, err := p.keyColumns(ctx, to)
	if err != nil {
		return err
	}
	n := int64(0)
	return to.Rows(ctx, p.liveTable(), func(row []value.Value) error {
		n++
		named := ""
		for i := range row {
			was := ""
			if r.cells[i] != nil && !row[i].Null {
				if named == "" {
					named = r.name(row, key, n)
				}
				was = r.shown(row, i)
			}
			reason := r.read(row, i)
			if reason != "" {
				c := &p.Columns[i]
				c.ObstacleRows++
				if c.ObstacleRows <= maxObstacles {
					p.Obstacles = append(p.Obstacles, Row{c.Name, named, was, reason})
				}
			}
		}
		return ctx.Err()
	})
}

// shown writes a value for people.
func (r *reader) shown(row []value.Value, i int) string {
	v := &row[i]
	if !v.Untyped && !r.live[i].Textual() {
		return string(convert.AppendText(nil, v, r.live[i]))
	}
	return string(row[i].Text)
}

// name names a row by its key, or by its place.
func (r *reader) name(row []value.Value, key []int, n int64) string {
	var parts []string
	for _, k := range key {
		parts = append(parts, r.shown(row, k))
	}
	if parts == nil {
		return fmt.Sprintf("row %d", n)
	}
	return strings.Join(parts, ", ")
}

// keyColumns returns the indexes of the columns by which rows are named: those of the
// primary key, or of the one that is proposed.
func (p *Proposal) keyColumns(ctx context.Context, to database.Target) (list []int, err error) {
	names := p.Key
	if len(names) == 0 {
		names, err = database.PrimaryKey(ctx, to, p.Table)
		if err != nil {
			return nil, err
		}
	}
	for _, name := range names {
		i := slices.IndexFunc(p.Columns, func(c Column) bool { return strings.EqualFold(c.Name, name) })
		if i >= 0 {
			list = append(list, i)
		}
	}
	return list, nil
}

// Apply makes the changes, in one step: everything is taken back unless every row has the
// values that it had. The table is kept from others meanwhile.
func (p *Proposal) Apply(ctx context.Context, to database.Target) (err error) {
	if len(p.Statements) == 0 {
		return nil
	}
	err = to.Dialect().CheckOwner(p.Table)
	if err != nil {
		return err
	}
	identity, err := database.Identity(ctx, to, p.Table)
	if err != nil {
		return err
	}
	unlock, err := database.Lock(ctx, to, identity)
	if err != nil {
		return err
	}
	defer unlock()
	tx, err := p.begin(ctx, to)
	if err != nil {
		return err
	}
	back, err := p.change(ctx, to)
	switch {
	case err != nil && tx != nil:
		err = errors.Join(err, tx.Rollback())
	case err != nil:
		err = errors.Join(err, run(context.WithoutCancel(ctx), to, back...))
	case tx != nil:
		err = tx.Commit(ctx, nil)
	}
	p.Applied = err == nil
	return errors.Join(err, run(context.WithoutCancel(ctx), to, p.steps.Release...))
}

// begin begins the transaction of the change, if it is one.
func (p *Proposal) begin(ctx context.Context, to database.Target) (database.Tx, error) {
	if !p.steps.Transaction {
		return nil, nil
	}
	return to.Begin(ctx)
}

// change runs the statements, with the proof between them. After an error, back are the
// statements that take back what was done, where no transaction does.
func (p *Proposal) change(ctx context.Context, to database.Target) (back []string, err error) {
	if p.steps.Lock != "" {
		err := run(ctx, to, p.steps.Lock)
		if err != nil {
			return nil, err
		}
	}
	live, err := database.Columns(ctx, to, p.Table)
	if err != nil {
		return nil, err
	}
	if !slices.EqualFunc(live, p.live, func(a, b database.ColumnInfo) bool {
		return a.Name == b.Name && a.Native == b.Native && a.Nullable == b.Nullable
	}) {
		return nil, &DoubtError{p.Table, "another session changed its columns"}
	}
	types := to.Dialect().StoredTypes(p.plan)
	want, got := newSums(types), newSums(types)
	err = p.expect(ctx, to, want)
	if err != nil {
		return nil, err
	}
	err = run(ctx, to, p.steps.Before...)
	if err != nil {
		return nil, err
	}
	err = to.Rows(ctx, p.proved(), func(row []value.Value) error {
		got.add(row)
		return ctx.Err()
	})
	if err != nil {
		return p.steps.Undo, err
	}
	if got.rows != want.rows {
		return p.steps.Undo, &DoubtError{p.Table, "the server would make other values of " + p.differing(got, want)}
	}
	return p.steps.Undo, run(ctx, to, p.steps.After...)
}

// sums are the sums of rows, and of each of their columns to say where they differ.
type sums struct {
	rows    proof.Sum
	columns []proof.Sum
	row     proof.RowHash
	cells   []proof.RowHash
}

func newSums(types []table.Type) *sums {
	s := &sums{row: proof.NewRowHash(types), columns: make([]proof.Sum, len(types))}
	for i := range types {
		s.cells = append(s.cells, proof.NewRowHash(types[i:i+1]))
	}
	return s
}

func (s *sums) add(row []value.Value) {
	s.rows.Add(s.row(row, nil))
	for i := range row {
		s.columns[i].Add(s.cells[i](row[i:i+1], nil))
	}
}

// differing names the columns whose values differ.
func (p *Proposal) differing(a, b *sums) string {
	var names []string
	for i := range p.Columns {
		if a.columns[i] != b.columns[i] {
			names = append(names, p.Columns[i].Name)
		}
	}
	if names == nil || a.rows.Rows != b.rows.Rows {
		return fmt.Sprintf("the rows: %s instead of %s", humanize.Comma(a.rows.Rows), humanize.Comma(b.rows.Rows))
	}
	return strings.Join(names, ", ")
}

func run(ctx context.Context, to database.Target, statements ...string) error {
	for _, s := range statements {
		_, err := to.Exec(ctx, s)
		if err != nil {
			return err
		}
	}
	return nil
}

// proved is the table from which the new values are read before they are final.
func (p *Proposal) proved() *table.Table {
	t := *p.plan
	t.Name, t.Columns = p.steps.Table, slices.Clone(p.plan.Columns)
	for i := range t.Columns {
		name, ok := p.steps.Names[t.Columns[i].Name]
		if ok {
			t.Columns[i].Name = name
		}
	}
	return &t
}

// expect sums the rows with the values that they are to have.
func (p *Proposal) expect(ctx context.Context, to database.Target, want *sums) error {
	r, err := p.newReader(to, func(c *Column) *table.Column {
		if c.reread() {
			return &c.tightened.Column
		}
		return nil
	})
	if err != nil {
		return err
	}
	return to.Rows(ctx, p.liveTable(), func(row []value.Value) error {
		for i := range row {
			reason := r.read(row, i)
			if reason != "" {
				return &DoubtError{p.Table, fmt.Sprintf("column %s has %q: %s", p.Columns[i].Name, r.shown(row, i), reason)}
			}
			if row[i].Null && !p.plan.Columns[i].Nullable {
				return &DoubtError{p.Table, fmt.Sprintf("column %s has a NULL now", p.Columns[i].Name)}
			}
		}
		want.add(row)
		return ctx.Err()
	})
}

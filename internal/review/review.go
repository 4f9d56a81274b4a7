// Package review is what a person does with a plan before it is loaded by: looks at the
// columns and at sample rows as they will be in the table, changes one thing after the
// other, and sees what that does to the whole source. It knows no terminal.
package review

import (
	"context"
	"slices"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/infer"
	"ambertray/internal/load"
	"ambertray/internal/pass"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/tray"
	"ambertray/internal/value"
)

// Options of a review.
type Options struct {
	Survey  survey.Options
	Names   []string // of the files of a source without a tray
	Dir     string   // of the tray
	To      database.Target
	Dialect *dialect.Dialect // of definitions, unless there is a target
}

// Session is one review. Its methods are called by one goroutine, but for Look and Check,
// which may run beside.
type Session struct {
	*tray.Edit
	Survey *survey.Survey // of the first records, until Looked
	Whole  bool           // the survey is of the whole source
	Live   []database.ColumnInfo

	from    *source.Opener
	options Options
}

// firstRecords is how many records the first look reads; it shows sampleRows of them.
const (
	firstRecords = 1000
	sampleRows   = 200
)

// Open opens the plan of a tray, or drafts one from the first records of a source.
func Open(ctx context.Context, from *source.Opener, o Options) (*Session, error) {
	s := &Session{from: from, options: o}
	var err error
	quick := o.Survey
	quick.Sample, quick.Rows = firstRecords, sampleRows
	names := o.Names
	if tray.Exists(o.Dir) {
		s.Edit, err = tray.OpenEdit(o.Dir)
		if err != nil {
			return nil, err
		}
		t := s.Tray()
		quick.Override = func(l *source.Layout) { *l = t.Layout }
		quick.Expected, names = pass.Expected(&t.Table), t.Paths()
	}
	s.Survey, err = survey.Run(ctx, from, names, quick)
	if err != nil {
		return nil, err
	}
	if s.Edit == nil {
		s.Edit, err = tray.EditDraft(s.Survey.Draft(o.Dir))
		if err != nil {
			return nil, err
		}
	}
	s.Whole = !s.Survey.Sampled
	return s, s.readTable(ctx)
}

// readTable reads the columns of the table that the target has.
func (s *Session) readTable(ctx context.Context) error {
	if s.options.To == nil {
		return nil
	}
	name := s.Tray().Table.Name
	exists, err := s.options.To.Exists(ctx, name)
	if err == nil && exists {
		s.Live, err = database.Columns(ctx, s.options.To, name)
	}
	return err
}

// Dialect is that of the target, or of definitions.
func (s *Session) Dialect() *dialect.Dialect {
	if s.options.To != nil {
		return s.options.To.Dialect()
	}
	return s.options.Dialect
}

// Look surveys the whole source.
func (s *Session) Look(ctx context.Context, progress func(pass.Progress)) (*survey.Survey, error) {
	o, names := s.options.Survey, s.options.Names
	o.Rows, o.Progress, o.Spare = sampleRows, progress, true
	t := s.Tray()
	if !s.IsDraft() {
		o.Override = func(l *source.Layout) { *l = t.Layout }
		o.Expected, names = pass.Expected(&t.Table), t.Paths()
	}
	return survey.Run(ctx, s.from, names, o)
}

// Looked takes over what Look has found. A draft becomes that of the whole source, with
// the changes so far; lost is how many of these are not possible any more.
func (s *Session) Looked(whole *survey.Survey) (lost int, err error) {
	if s.IsDraft() {
		lost, err = s.Rebase(whole.Draft(s.options.Dir))
	}
	if err == nil {
		s.Survey, s.Whole = whole, true
	}
	return lost, err
}

// Check converts the whole source by a plan and counts what would be rejected.
func (s *Session) Check(ctx context.Context, t *tray.Tray, progress func(pass.Progress)) (*load.Check, error) {
	return load.DryRun(ctx, t, s.from, s.options.To, load.CheckOptions{Progress: progress, Spare: true})
}

// Save writes the plan, and with a new one the profile of its source.
func (s *Session) Save() error {
	draft := s.IsDraft()
	err := s.Edit.Save()
	if err != nil || !draft || !s.Whole {
		return err
	}
	return s.Survey.KeepProfile(s.options.Dir)
}

// Set changes keys of a column together.
func (s *Session) Set(column string, keys ...[2]string) error {
	var changes []tray.Change
	for _, k := range keys {
		changes = append(changes, tray.Change{Column: column, Key: k[0], Value: k[1], Text: k[0] + ": " + k[1]})
	}
	return s.Do(tray.Step{Changes: changes})
}

// ID is the name of a column by which it is changed: that in the table, or its heading.
func ID(c *table.Column) string {
	if c.LeaveOut || c.Name == "" {
		return c.From
	}
	return c.Name
}

// LeaveOut leaves a column out of the table, or takes it in again as the survey has it.
func (s *Session) LeaveOut(c *table.Column) error {
	if !c.LeaveOut {
		key := slices.DeleteFunc(slices.Clone(s.Tray().Table.Key), func(k string) bool { return k == c.Name })
		changes := []tray.Change{{Column: c.Name, Key: "leave_out", Value: "true", Text: "leave_out"}}
		if len(key) < len(s.Tray().Table.Key) {
			changes = append(changes, tray.Change{Key: "key", Value: strings.Join(key, ", "), Text: "key"})
		}
		return s.Do(tray.Step{Changes: changes})
	}
	keys := [][2]string{{"leave_out", ""}}
	p := s.Profile(c)
	if p != nil {
		keys = append(keys, [2]string{"name", p.Name}, [2]string{"type", p.Type}, [2]string{"nullable", yes(p.Nullable)})
		if p.Format != nil {
			keys = append(keys, [2]string{"format", *p.Format})
		}
	}
	return s.Set(c.From, keys...)
}

func yes(b bool) string {
	if b {
		return "true"
	}
	return "false"
}

// ToggleNull changes whether a column may be NULL.
func (s *Session) ToggleNull(c *table.Column) error {
	return s.Set(ID(c), [2]string{"nullable", yes(!c.Nullable)})
}

// ToggleKey takes a column into the key of the table, or out of it.
func (s *Session) ToggleKey(c *table.Column) error {
	key := slices.Clone(s.Tray().Table.Key)
	i := slices.Index(key, c.Name)
	if i >= 0 {
		key = slices.Delete(key, i, i+1)
	} else {
		key = append(key, c.Name)
	}
	return s.Do(tray.Step{Changes: []tray.Change{{Key: "key", Value: strings.Join(key, ", "), Text: "key: " + strings.Join(key, ", ")}}})
}

// Profile returns what the survey knows of a column, nil of one that is computed.
func (s *Session) Profile(c *table.Column) *survey.Column {
	at := s.place(c)
	if at < 0 {
		return nil
	}
	return &s.Survey.Columns[at]
}

func (s *Session) place(c *table.Column) int {
	return slices.IndexFunc(s.Survey.Columns, func(p survey.Column) bool { return c.ReadsFrom(p.Heading) })
}

// Remedies returns the ways out of the obstacle of a column.
func (s *Session) Remedies(c *table.Column) []infer.Remedy {
	p := s.Profile(c)
	if p != nil {
		return p.Choice.Remedies
	}
	return nil
}

// LiveColumn returns the column of the target's table that a column goes into, or nil.
func (s *Session) LiveColumn(c *table.Column) *database.ColumnInfo {
	for i := range s.Live {
		if strings.EqualFold(s.Live[i].Name, c.Name) {
			return &s.Live[i]
		}
	}
	return nil
}

// Cell is a value of a sample row as it will be in the table.
type Cell struct {
	Text   string
	Null   bool
	Reason string // why it would be rejected, "" where it is not
}

// Rows returns the sample rows by the columns of the plan, those that are left out too.
func (s *Session) Rows() [][]Cell {
	columns := s.Tray().Table.Columns
	rows := make([][]Cell, len(s.Survey.Rows))
	for r := range rows {
		rows[r] = make([]Cell, len(columns))
	}
	for i := range columns {
		c, at := &columns[i], s.place(&columns[i])
		if at < 0 {
			for r := range rows {
				rows[r][i].Text = c.Value
			}
			continue
		}
		var cell *convert.Cell
		if !c.LeaveOut {
			cell, _ = convert.NewCell(*c, s.Dialect()) // the plan was read, and so it has one
		}
		for r, row := range s.Survey.Rows {
			if at < len(row) {
				rows[r][i] = look(cell, row[at], c.Type)
			}
		}
	}
	return rows
}

// look reads a cell, of a column that is left out as it stands.
func look(cell *convert.Cell, text string, t table.Type) Cell {
	var v value.Value
	if cell == nil {
		return Cell{Text: text}
	}
	reason := cell.Read([]byte(text), &v)
	switch {
	case reason != "":
		return Cell{Text: text, Reason: reason}
	case v.Null:
		return Cell{Null: true}
	case t.Textual() || t.Kind == table.UUID:
		return Cell{Text: string(v.Text)}
	}
	return Cell{Text: string(convert.AppendText(nil, &v, t))}
}

// Definition returns the statements that make the table.
func (s *Session) Definition(d *dialect.Dialect) string {
	err := d.Check(&s.Tray().Table)
	if err != nil {
		return "-- " + err.Error()
	}
	return strings.Join(d.Define(&s.Tray().Table, true), ";\n\n") + ";"
}

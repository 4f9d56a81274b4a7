// Package report gathers what there is to show of a source, its plan and its loads, and
// writes it as one page.
package report

import (
	"context"
	"slices"
	"strings"
	"time"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/dialect"
	"ambertray/internal/intake"
	"ambertray/internal/ledger"
	"ambertray/internal/load"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/survey"
	"ambertray/internal/table"
	"ambertray/internal/tray"
)

// Report is what a page shows.
type Report struct {
	Table  string    `json:"table"`
	Source string    `json:"source"`
	Tray   *string   `json:"tray"` // null for a bare source
	Target *string   `json:"target"`
	Made   time.Time `json:"made"`

	Read     int64 `json:"read"` // rows after the header
	Records  int64 `json:"records"`
	Loaded   int64 `json:"loaded"` // records that the plan takes
	Rejected int64 `json:"rejected"`
	Skipped  int64 `json:"skipped"`
	Bytes    int64 `json:"bytes"`

	Parts      []Part          `json:"parts"`   // by file and sheet
	IsLoad     bool            `json:"is_load"` // they and the counts are those of the loads, not what the plan would do
	Columns    []Column        `json:"columns"`
	Definition []string        `json:"definition"` // the statements that make the table
	InTarget   bool            `json:"in_target"`  // they are of the table as it is there
	TableRows  *int64          `json:"table_rows"` // that the table has now, null without one
	Dialect    string          `json:"dialect"`
	Rejects    []reject.Group  `json:"rejects"`
	Controls   []pass.Control  `json:"controls"` // what the source states below its records
	Loads      []*load.Receipt `json:"loads"`    // by the tray, the first first
	Ledger     []ledger.Entry  `json:"ledger"`   // of the table in the target
	Drift      []intake.Drift  `json:"drift"`
	Notes      []note.Note     `json:"notes"`

	Survey *survey.Survey `json:"-"`

	parts  []intake.Part   // of the source
	was    []*load.Part    // what their last loads have given of them, nil for a part of no load
	of     []*load.Receipt // of the loads that have given the rows of these parts, the first first
	undone bool            // a load of one of the parts was undone
}

// Part is what became of the rows of one file or sheet: those that are read are loaded,
// rejected or skipped.
type Part struct {
	Part     string `json:"part"`
	Read     int64  `json:"read"`
	Loaded   int64  `json:"loaded"`
	Rejected int64  `json:"rejected"`
	Skipped  int64  `json:"skipped"`
}

// Options of a report.
type Options struct {
	Survey  survey.Options
	Dialect *dialect.Dialect // of the definition, unless there is a target
	To      database.Target  // or nil
}

// sampleSize is how many records the pictures are drawn from.
const sampleSize = 10_000

// OfSource reports on a source without a plan: the plan is the one that would be
// drafted. It reads the source a second time where that plan rejects records.
func OfSource(ctx context.Context, from *source.Opener, names []string, o Options) (*Report, error) {
	o.Survey.Draw = sampleSize
	s, err := survey.Run(ctx, from, names, o.Survey)
	if err != nil {
		return nil, err
	}
	t := s.Draft("")
	r := &Report{Survey: s}
	if !s.Rejects() && len(s.Parts) == 1 {
		r.addParts(&pass.Outcome{
			Records: s.Records, Loaded: s.Records, Skipped: s.Skipped,
			Parts: []pass.Part{{Part: intake.Part{Name: s.Parts[0]}, Read: s.Records + s.Skipped.Total(), Loaded: s.Records}},
		})
		return r, r.complete(ctx, t, o)
	}
	p, err := pass.Open(ctx, t, from)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	out, err := p.Run(ctx, pass.Options{Dialect: o.dialect(), Progress: o.Survey.Progress})
	if err != nil {
		return nil, err
	}
	r.addParts(out)
	return r, r.complete(ctx, t, o)
}

// OfTray reports on a tray: its source, in one pass, its plan and its loads.
func OfTray(ctx context.Context, t *tray.Tray, from *source.Opener, o Options) (*Report, error) {
	o.Survey.Draw, o.Survey.Expected = sampleSize, pass.Expected(&t.Table)
	s, out, err := survey.Planned(ctx, t, from, o.Survey, pass.Options{Dialect: o.dialect(), Load: ledger.NewID(time.Now())})
	if err != nil {
		return nil, err
	}
	r := &Report{Survey: s, Tray: &t.Dir}
	r.addParts(out)
	err = r.addLoads(t)
	if err != nil {
		return nil, err
	}
	err = r.complete(ctx, t, o)
	if err == nil {
		r.findLoads(t)
		r.countLoads()
	}
	return r, err
}

func (o *Options) dialect() *dialect.Dialect {
	if o.To != nil {
		return o.To.Dialect()
	}
	return o.Dialect
}

func (r *Report) addParts(out *pass.Outcome) {
	r.Read, r.Records, r.Loaded, r.Skipped = out.Read(), out.Records, out.Loaded, out.Skipped.Total()
	r.Rejected = r.Records - r.Loaded
	r.Rejects = out.Rejects.Groups()
	r.Controls = []pass.Control{}
	for i := range out.Parts {
		p := &out.Parts[i]
		r.parts = append(r.parts, p.Part)
		r.Parts = append(r.Parts, Part{p.Title(), p.Read, p.Loaded, p.Rejected, p.Read - p.Loaded - p.Rejected})
		r.Controls = append(r.Controls, p.Controls...)
	}
}

// complete adds what the plan and the target say.
func (r *Report) complete(ctx context.Context, t *tray.Tray, o Options) error {
	d := o.dialect()
	r.Table, r.Source, r.Made, r.Bytes = t.Table.Name, strings.Join(t.Files, ", "), time.Now().UTC().Truncate(time.Second), r.Survey.Bytes
	r.Dialect, r.Definition = d.Title, d.Define(&t.Table, true)
	r.Drift, r.Notes = append([]intake.Drift{}, r.Survey.Drift...), append([]note.Note{}, r.Survey.Notes...)
	r.Loads, r.Ledger = append([]*load.Receipt{}, r.Loads...), []ledger.Entry{}
	if o.To != nil {
		err := r.addTarget(ctx, o.To)
		if err != nil {
			return err
		}
	}
	for i := range t.Table.Columns {
		err := r.addColumn(&t.Table.Columns[i], &t.Table, d)
		if err != nil {
			return err
		}
	}
	return nil
}

// addTarget adds what a target has of the table.
func (r *Report) addTarget(ctx context.Context, to database.Target) error {
	name := to.Name()
	r.Target = &name
	exists, err := to.Exists(ctx, r.Table)
	if err != nil || !exists {
		return err
	}
	r.Definition, err = database.Definition(ctx, to, r.Table)
	if err != nil {
		return err
	}
	r.InTarget = true
	rows, err := to.Count(ctx, r.Table)
	if err != nil {
		return err
	}
	r.TableRows = &rows
	entries, err := ledger.Read(ctx, to, r.Table)
	r.Ledger = append(r.Ledger, entries...)
	return err
}

// Column is a column of the plan with what its source holds.
type Column struct {
	Heading  string  `json:"heading"` // "" of one that is computed
	Value    string  `json:"value"`   // what it is computed from
	Name     string  `json:"name"`    // "" of one that is left out
	Type     string  `json:"type"`
	Nullable bool    `json:"nullable"`
	Key      bool    `json:"key"`
	Refers   *string `json:"references"`
	Comment  string  `json:"comment"`
	// Profile is null where the source has no such column.
	Profile *survey.Column `json:"profile"`
	Shape   *Shape         `json:"shape"` // null without values
}

func (r *Report) addColumn(c *table.Column, t *table.Table, d *dialect.Dialect) error {
	next := Column{Heading: c.From, Value: c.Value, Comment: c.Comment}
	if !c.LeaveOut {
		next.Name, next.Type, next.Nullable, next.Key = c.Name, c.Type.String(), c.Nullable, slices.Contains(t.Key, c.Name)
	}
	if c.References != nil {
		refers := c.References.String()
		next.Refers = &refers
	}
	at := slices.IndexFunc(r.Survey.Columns, func(s survey.Column) bool { return c.ReadsFrom(s.Heading) })
	if at >= 0 {
		next.Profile = &r.Survey.Columns[at]
		column := *c
		if c.LeaveOut {
			column.Type = next.Profile.Choice.Type
		}
		cell, err := convert.NewCell(column, d)
		if err != nil {
			return err
		}
		next.Shape = shapeOf(r.Survey.Sample, at, cell, column.Type)
	}
	r.Columns = append(r.Columns, next)
	return nil
}

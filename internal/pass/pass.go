// Package pass reads a source once by the plan of a tray: it cuts and converts
// every record on all processors and hands the results on in source order.
// Loading, checking and verifying are all one pass.
package pass

import (
	"context"
	"slices"
	"strings"

	"ambertray/internal/convert"
	"ambertray/internal/dialect"
	"ambertray/internal/figures"
	"ambertray/internal/intake"
	"ambertray/internal/note"
	"ambertray/internal/proof"
	"ambertray/internal/record"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/table"
	"ambertray/internal/template"
	"ambertray/internal/tray"
)

// Progress is how far a pass has come, or what a load does after it.
type Progress struct {
	Phase       string // of a load, "" while the source is read
	Bytes, Size int64  // of the files
	Records     int64
	Of          int64 // how many records there are, where that is known
	Rejected    int64
}

// Options of a pass.
type Options struct {
	Dialect *dialect.Dialect
	Table   *table.Table // instead of the tray's, if not nil: with the types of an existing table
	Load    string       // id of the load, which computed columns may refer to
	Loads   []string     // ids by the index of the part instead, if different loads have loaded these
	// Refused are records that are rejected because a server refused them.
	Refused   *refusal.List
	Keys      convert.Keys  // of those, to name the records that have them first
	NoFigures bool          // of the columns are wanted
	Hash      proof.RowHash // of the rows as they are stored; nil: no proof
	Lines     bool          // of the rows are wanted
	Texts     bool          // and what the source has on them
	// Encoder encodes the records; with nil they are only judged.
	Encoder convert.Encoder
	// Block, unless nil, gets what becomes of every batch. It may keep nothing
	// of it.
	Block func(*convert.Block) error
	// Progress, unless nil, is called after every batch.
	Progress func(Progress)
	Spare    bool // leave a processor to somebody who waits
}

// Outcome is what a pass has found.
type Outcome struct {
	Parts   []Part
	Records int64 // records cut, rejects among them
	Loaded  int64 // records that convert
	Skipped record.Skipped
	Rejects reject.Summary
	Totals  *figures.Totals // of the records that convert, a column of the table each
	Proof   proof.Sum       // of the records that convert
	// Notes are on records and values that are not loaded as they are written.
	Notes []note.Note

	// Altered counts the values that are not loaded as they are written.
	Altered convert.Altered

	odd record.Occurrences
}

// Part is one file of the source and how many rows were read from it.
type Part struct {
	intake.Part
	Read     int64
	Loaded   int64 // records of them that convert
	Rejected int64
	Controls []Control // what the rows below the records state
}

// Read returns the number of rows after the header.
func (o *Outcome) Read() int64 { return o.Records + o.Skipped.Total() }

// Pass is an open source and the plan for it.
type Pass struct {
	Headings []string
	Sources  []string
	*intake.Listing
	files []template.File
	in    *intake.Intake
	tray  *tray.Tray
	kept  bool        // the source is a file of rejects
	notes []note.Note // on what is left out of the source
	only  *only       // nil unless the pass is limited to a share
}

// Open opens the source of a tray.
func Open(ctx context.Context, t *tray.Tray, opener *source.Opener) (*Pass, error) {
	list, err := intake.List(t.Paths())
	if err != nil {
		return nil, err
	}
	in, err := intake.Open(ctx, opener, list.Files, t.Layout, Expected(&t.Table), true)
	if err != nil {
		return nil, err
	}
	leftOut, err := intake.SheetsLeftOut(ctx, opener, list.Files, &t.Layout)
	if err != nil {
		in.Close()
		return nil, err
	}
	p := &Pass{in: in, Headings: in.Headings, Listing: list, tray: t, notes: leftOut}
	for i := range in.Parts {
		p.Sources = append(p.Sources, in.Parts[i].Title())
		p.files = append(p.files, template.File{Name: in.Parts[i].Name, Sheet: in.Parts[i].Sheet})
	}
	compare := func(read *intake.Intake) intake.Drift { return compareHeadings(read, &t.Table) }
	drift := compare(in)
	if len(drift.Missing) == 0 && len(drift.Extra) == 0 {
		return p, nil
	}
	in.Close()
	drift = drift.AsWritten(ctx, opener, list.Files[0], &t.Layout, Expected(&t.Table), compare)
	return nil, &HeadingsError{Tray: t.Dir, Plan: &t.Table, Drift: drift}
}

// Expected is what a plan knows of the headings.
func Expected(t *table.Table) intake.Expected {
	e := intake.Expected{Also: t.OtherHeadings()}
	for _, c := range t.Columns {
		if c.From == "" {
			continue
		}
		e.Headings = append(e.Headings, c.From)
		switch {
		case c.LeaveOut:
			e.LeftOut = append(e.LeftOut, c.From)
		case c.Optional:
			e.Optional = append(e.Optional, c.From)
		}
	}
	return e
}

// HeadingsError says how the headings of a source differ from those of the plan.
type HeadingsError struct {
	Tray string
	Plan *table.Table
	intake.Drift
}

func (e *HeadingsError) Error() string { return e.DiffersFrom(e.Tray) }

// compareHeadings compares the headings of a source with those of its plan. The source may lack what
// the plan leaves out.
func compareHeadings(in *intake.Intake, plan *table.Table) intake.Drift {
	var want []string
	dispensable := map[string]bool{}
	for _, c := range plan.Columns {
		_, known := dispensable[c.From]
		if c.From != "" && !known {
			want = append(want, c.From)
		}
		dispensable[c.From] = c.LeaveOut
	}
	d := intake.Compare(in.Parts[0].Title(), want, table.Without(in.Headings, in.Spacers()))
	d.Missing = slices.DeleteFunc(d.Missing, func(h string) bool { return dispensable[h] })
	d.Renamed = slices.DeleteFunc(d.Renamed, func(c intake.Change) bool { return dispensable[c.Was] })
	return d
}

// Names returns the names of the files and sheets.
func (p *Pass) Names() (names []string) {
	for i := range p.in.Parts {
		names = append(names, p.in.Parts[i].Title())
	}
	return names
}

// Pin returns the tray with the files that were opened in place of its patterns and
// folders, which may have others when they are looked at again.
func (p *Pass) Pin() *tray.Tray {
	pinned := *p.tray
	pinned.Files = nil
	for i := range p.in.Parts {
		name := p.in.Parts[i].Name
		rel := tray.RelativePath(pinned.Dir, name)
		if !slices.Contains(pinned.Files, rel) {
			pinned.Files = append(pinned.Files, rel)
		}
	}
	return &pinned
}

// Size returns the bytes of the files.
func (p *Pass) Size() int64 { return p.in.Size() }

// Parts returns the files and sheets.
func (p *Pass) Parts() []intake.Part { return p.in.Parts }

// ContentOf returns the SHA-256 of the text of a part, which is read for it.
func (p *Pass) ContentOf(ctx context.Context, part int) (string, error) {
	return p.in.ContentOf(ctx, part)
}

// LeaveOut leaves out parts, by their indexes, before anything is read.
func (p *Pass) LeaveOut(parts []int) error { return p.in.LeaveOut(parts) }

// Drift returns how the parts differ in their columns from the first.
func (p *Pass) Drift() []intake.Drift { return p.in.Drift }

// Close closes the source.
func (p *Pass) Close() error { return p.in.Close() }

// Run makes the pass.
func (p *Pass) Run(ctx context.Context, o Options) (*Outcome, error) {
	r, err := p.Start(o)
	if err != nil {
		return nil, err
	}
	err = record.Run(ctx, p.reader(), r.Works(), r.Add)
	if err != nil {
		return nil, err
	}
	return r.Outcome(), p.check()
}

// Running is a pass that somebody else drives: the batches of Intake go through Works,
// and what comes of them, in source order, to Add.
type Running struct {
	pass    *Pass
	options Options
	conv    *convert.Converter
	out     *Outcome
	footers []footer
}

// Intake returns the open source.
func (p *Pass) Intake() *intake.Intake { return p.in }

// Start begins a pass.
func (p *Pass) Start(o Options) (*Running, error) {
	conv, err := p.converter(o)
	if err != nil {
		return nil, err
	}
	if o.Keys != nil {
		conv.NameFirsts(o.Keys)
	}
	if o.NoFigures {
		conv.NoFigures()
	}
	conv.Hash(o.Hash)
	if o.Lines || o.Texts {
		conv.Lines(o.Texts)
	}
	out := &Outcome{Parts: make([]Part, len(p.in.Parts)), Totals: conv.Totals(), Altered: conv.Altered()}
	return &Running{pass: p, options: o, conv: conv, out: out, footers: make([]footer, len(out.Parts))}, nil
}

// Works returns what converts batches, one for each processor.
func (r *Running) Works() (works []record.Work[*convert.Block]) {
	for range record.Workers(r.options.Spare) {
		works = append(works, limit(r.pass.only, r.work()))
	}
	return works
}

// work returns what converts batches, and notes tables below others in sheets.
func (r *Running) work() record.Work[*convert.Block] {
	work := r.conv.Worker()
	return func(b *record.Batch) (*convert.Block, error) {
		notes := r.pass.tablesBelow(b)
		k, err := work(b)
		if err == nil {
			k.Notes = notes
		}
		return k, err
	}
}

// tablesBelow returns a note on a table below another one in a batch of a sheet.
func (p *Pass) tablesBelow(b *record.Batch) []note.Note {
	if p.kept || p.tray.Layout.IsText() {
		return nil
	}
	return intake.NewTable(b, p.Sources[b.Part])
}

// Add adds what became of a batch, and frees it.
func (r *Running) Add(k *convert.Block) error {
	defer k.Free()
	r.conv.Finish(k)
	if r.pass.kept {
		remarkEdits(k.Rejects)
	}
	r.out.add(k)
	r.footers[k.Part].add(r.conv, k)
	if r.options.Progress != nil {
		r.options.Progress(Progress{Bytes: r.pass.in.Done(), Size: r.pass.in.Size(), Records: r.out.Records, Rejected: r.out.Records - r.out.Loaded})
	}
	if r.options.Block != nil {
		return r.options.Block(k)
	}
	return nil
}

// Outcome returns what the pass has found, at its end.
func (r *Running) Outcome() *Outcome {
	r.out.Notes = r.pass.notesOn(&r.out.odd, r.conv.Notes(r.out.Altered), r.out.Notes)
	for i := range r.out.Parts {
		part := &r.out.Parts[i]
		part.Part = r.pass.in.Parts[i]
		if r.footers[i].totals != nil {
			r.out.Totals.Add(r.footers[i].totals)
			part.Controls = r.footers[i].controls(r.conv, part, !r.options.NoFigures)
		}
	}
	return r.out
}

// notesOn returns the notes on a source that was read to its end: on its columns, records, values,
// files and sheets, and on tables below others.
func (p *Pass) notesOn(odd *record.Occurrences, values, below []note.Note) []note.Note {
	notes := append(append(p.columnsLeftOut(), p.blankColumns()...), odd.Notes(p.Sources, p.Headings)...)
	notes = append(notes, values...)
	for i := range p.in.Parts {
		part := &p.in.Parts[i]
		if p.tray.Layout.FindFirstDataLine && part.FirstDataLine > 1 {
			notes = append(notes, note.Of(part.Title(), part.FirstDataLine, "the records begin here (first_data_line: found)"))
		}
		notes = append(notes, part.Notes(&p.tray.Layout)...)
	}
	return append(append(notes, below...), p.notes...)
}

// columnsLeftOut returns a note on the columns of the source that the plan leaves out, unless they
// must be blank.
func (p *Pass) columnsLeftOut() []note.Note {
	var names []string
	for _, c := range p.tray.Table.Columns {
		if !p.kept && c.LeaveOut && !c.Blank && slices.Contains(p.Headings, c.From) {
			names = append(names, c.From)
		}
	}
	if names == nil {
		return nil
	}
	return []note.Note{note.Counted("columns of the source that the plan leaves out: " + note.Names(names))}
}

// unplanned returns the headings of columns that the plan does not have, and that must be blank.
func (p *Pass) unplanned() []string {
	if !p.kept {
		return p.in.Spacers()
	}
	others := table.Without(p.Headings, Expected(&p.tray.Table).Headings)
	return slices.DeleteFunc(others, func(h string) bool { return strings.HasPrefix(h, keptSign) })
}

// blankColumns returns a note on the columns of the source that the plan does not have.
func (p *Pass) blankColumns() []note.Note {
	names := p.in.Spacers()
	if p.kept || names == nil {
		return nil
	}
	return []note.Note{note.Counted("columns without a heading or a value that the plan does not have: " + note.Names(names) + "; records with a value there are rejected")}
}

// Keys reads the source for the keys of records that were refused for them.
func (p *Pass) Keys(ctx context.Context, o Options) (convert.Keys, error) {
	conv, err := p.converter(o)
	if err != nil {
		return nil, err
	}
	var works []record.Work[[]uint64]
	for range record.Workers(o.Spare) {
		works = append(works, limit(p.only, conv.KeyWorker()))
	}
	keys := convert.Keys{}
	err = record.Run(ctx, p.reader(), works, func(hashes []uint64) error {
		keys.Add(hashes)
		return nil
	})
	return keys, err
}

func (p *Pass) converter(o Options) (*convert.Converter, error) {
	from, err := p.origin(o.Load, o.Loads)
	if err != nil {
		return nil, err
	}
	tab := o.Table
	if tab == nil {
		tab = &p.tray.Table
	}
	conv, err := convert.New(tab, p.Headings, from, o.Dialect, o.Encoder)
	if err != nil {
		return nil, err
	}
	conv.ExpectBlank(&p.tray.Table, p.Headings, p.unplanned()) // o.Table may have only the loaded columns
	conv.Refuse(o.Refused)
	return conv, nil
}

// origin says where the records come from.
func (p *Pass) origin(load string, loads []string) (template.Origin, error) {
	from := template.Origin{Load: load, Loads: loads, Kept: p.kept}
	for _, f := range p.files {
		if p.tray.NameParts != "" {
			var err error
			f.Named, err = template.NameParts(p.tray.NameParts, f.Name)
			if err != nil {
				return from, err
			}
		}
		from.Files = append(from.Files, f)
	}
	return from, nil
}

func (o *Outcome) add(k *convert.Block) {
	o.Records += k.Read
	o.Loaded += k.Loaded()
	o.Skipped = o.Skipped.Plus(k.Skipped)
	o.odd.Join(&k.Odd)
	o.Notes = append(o.Notes, k.Notes...)
	o.Altered.Join(k)
	part := &o.Parts[k.Part]
	part.Read += k.Read + k.Skipped.Total()
	part.Loaded += k.Loaded()
	part.Rejected += int64(len(k.Rejects))
	for _, h := range k.Hashes {
		o.Proof.Add(h)
	}
	for _, r := range k.Rejects {
		example := r.Value
		if r.Column == "" {
			example = r.Text
		}
		o.Rejects.Add(r.Column, r.Reason, example, r.Line)
	}
}

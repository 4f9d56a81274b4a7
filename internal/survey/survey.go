// Package survey finds out what a source holds before anything is decided: its
// layout, a profile of each column, and what is odd about it. Draft makes a
// plan of it.
package survey

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"ambertray/internal/infer"
	"ambertray/internal/intake"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/record"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
)

// Survey is what one source holds.
type Survey struct {
	Source  string         `json:"source"`
	Files   []string       `json:"files"`
	Sheet   *string        `json:"sheet"`
	Sheets  []sheet.Sheet  `json:"sheets"` // of the workbook, with its first survey
	Parts   []string       `json:"parts"`  // the files, or the sheets of them
	Bytes   int64          `json:"bytes"`
	Layout  source.Layout  `json:"layout"`
	Sampled bool           `json:"sampled"` // only the first records were read
	Records int64          `json:"records"`
	Skipped record.Skipped `json:"skipped"`
	// SkippedRows are the first rows with text that were skipped.
	SkippedRows []SkippedRow `json:"skipped_rows"`
	// Ragged is how many records have more or fewer cells than columns, Filled
	// how many of these are short and get blank cells, and Broken how many could
	// not be cut into cells.
	Ragged   int64    `json:"ragged"`
	Filled   int64    `json:"filled"`
	Broken   int64    `json:"broken"`
	Oddities []Oddity `json:"oddities"` // the first of each kind
	// OddityCount is how many oddities there are.
	OddityCount int64 `json:"oddity_count"`
	// Notes are what a person should know, the most important first.
	Notes   []note.Note `json:"notes"`
	Used    string      `json:"-"` // the cells of the last sheet that have values
	Columns []Column    `json:"columns"`
	// KeyPairs are pairs of columns that could be the key where no single one
	// could.
	KeyPairs []KeyPair      `json:"key_pairs"`
	Rows     [][]string     `json:"first_rows"`
	Drift    []intake.Drift `json:"drift"` // how parts differ from the first

	// Sample is of the records that are as wide as the header, if one was asked for.
	Sample []record.Drawn `json:"-"`

	hasQuotes bool // among the first rows
}

// SkippedRow is a row that a rule leaves out.
type SkippedRow struct {
	Source string `json:"source"`
	Line   int64  `json:"line"`
	Rule   string `json:"rule"`
	Text   string `json:"text"`
}

// KeyPair is two columns that together identify the records. It is not sure
// where only the first records were compared.
type KeyPair struct {
	Columns []string `json:"columns"`
	Sure    bool     `json:"sure"`

	dense bool
}

// Column is what one column holds.
type Column struct {
	Heading  string  `json:"heading"`
	Name     string  `json:"name"`
	Type     string  `json:"type"`
	Format   *string `json:"format"`
	Nullable bool    `json:"nullable"`
	// Key says that the column could be the key: no blank, no two alike.
	// LikelyKey says that by estimate.
	Key       bool             `json:"key"`
	LikelyKey bool             `json:"likely_key"`
	Blanks    int64            `json:"blanks"`
	NullWords map[string]int64 `json:"null_words"`
	Distinct  int64            `json:"distinct"`
	Exact     bool             `json:"distinct_exact"` // else Distinct is an estimate
	Min       *string          `json:"min"`
	Max       *string          `json:"max"`
	Shortest  int              `json:"shortest"` // in characters
	Longest   int              `json:"longest"`
	Examples  []infer.Example  `json:"examples"`
	Evidence  string           `json:"evidence"`
	// Obstacle is what keeps the column from a tighter type and how to take
	// it all the same.
	Obstacle *string `json:"obstacle"`
	// Kinds are the sorts of values in the column, most frequent first.
	Kinds []infer.Kind `json:"kinds"`

	Choice infer.Choice `json:"-"`
	// Controls says that control characters stand at the ends of values.
	Controls bool `json:"-"`
	// Forms are texts of every form that the values of a table's column have.
	Forms []string `json:"-"`
}

// Options of a survey.
type Options struct {
	// Sample is how many records are read; 0 is all of them.
	Sample int64
	// Rows is how many of the first rows are shown; 0 is DefaultRows.
	Rows int
	// Fit is the policy on headroom.
	Fit infer.Fit
	// Override, unless nil, sets in a layout what the user has set explicitly.
	Override func(*source.Layout)
	// Progress, unless nil, is called after every batch.
	Progress func(pass.Progress)
	// Expected is what is known of the headings.
	Expected intake.Expected
	// Draw is how many records are drawn from the whole of the source, to be looked at.
	Draw  int
	Spare bool // leave a processor to somebody who waits
	Table bool // the source is the rows of a table, which have no lines

	quotes bool // the use of quotes is counted in all batches
}

const (
	// DefaultRows is how many of the first rows are shown.
	DefaultRows = 5
	// maxSkippedRows is how many of the rows that were skipped are shown.
	maxSkippedRows = 10
)

// Run surveys files, which are read as one source.
func Run(ctx context.Context, from *source.Opener, names []string, o Options) (*Survey, error) {
	list, err := intake.List(names)
	if err != nil {
		return nil, err
	}
	files := list.Files
	lay, err := o.layout(ctx, from, files[0])
	if err != nil {
		return nil, err
	}
	w, err := readOnce(ctx, from, files, lay, o)
	if err != nil {
		return nil, err
	}
	// What only shows further on than the head makes a second reading worth it.
	again := w.corrected()
	if again != nil {
		w, err = readOnce(ctx, from, files, *again, o)
		if err != nil {
			return nil, err
		}
	}
	w, err = w.withoutQuotes(ctx, from, files)
	if err != nil {
		return nil, err
	}
	return w.finish(ctx, from, list, names)
}

// finish describes what was read.
func (w *surveying) finish(ctx context.Context, from *source.Opener, list *intake.Listing, names []string) (s *Survey, err error) {
	lay := &w.survey.Layout
	if w.survey.Skipped[record.Footer] == 0 && !slices.Contains(lay.Overrides, "footer") {
		lay.FindFooter = false // the plan is to look for none
	}
	w.leftOut, err = intake.SheetsLeftOut(ctx, from, list.Files, lay)
	if err != nil {
		return nil, err
	}
	w.survey.Parts = w.parts
	w.survey.Source, w.survey.Files = strings.Join(names, " "), names
	w.survey.OddityCount = w.oddityCount()
	w.describe()
	w.notes()
	w.survey.Notes = append(w.survey.Notes, list.LeftOut.Notes()...)
	return w.survey, nil
}

// layout detects the layout of a file, with what the user has set.
func (o *Options) layout(ctx context.Context, from *source.Opener, file string) (source.Layout, error) {
	var known source.Layout
	if o.Override != nil {
		o.Override(&known)
	}
	return intake.Detect(ctx, from, file, known, o.Override, o.Expected.Headings != nil)
}

// readOnce reads the files by a layout.
func readOnce(ctx context.Context, from *source.Opener, files []string, lay source.Layout, o Options) (*surveying, error) {
	in, err := intake.Open(ctx, from, files, lay, o.Expected, false)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	w := newSurveying(in, lay, o)
	var reader record.Reader = in
	sample := &sampled{Reader: in, left: o.Sample}
	if sample.left > 0 {
		reader = sample
	}
	err = record.Run(ctx, reader, w.works(), w.take(in))
	if err != nil {
		return nil, err
	}
	w.survey.Sampled = sample.complete.Load()
	w.end(in)
	return w, nil
}

func newSurveying(in *intake.Intake, lay source.Layout, o Options) *surveying {
	w := &surveying{
		survey:  &Survey{Bytes: in.Size(), Layout: lay, Oddities: []Oddity{}, SkippedRows: []SkippedRow{}},
		options: o, headings: in.Headings, widths: map[int]int64{}, keys: infer.NewKeys(len(in.Headings)),
	}
	w.survey.Drift = slices.Clone(in.Drift)
	for i := range in.Parts {
		w.parts = append(w.parts, in.Parts[i].Title())
		w.sorts = append(w.sorts, make([]infer.Sorts, len(in.Headings)))
	}
	return w
}

// surveying is the state of one survey.
type surveying struct {
	survey   *Survey
	options  Options
	parts    []string
	headings []string
	columns  []infer.Column
	keys     *infer.Keys
	profiles [][]infer.Column // one for each goroutine, as are the samples
	samples  []record.Sample
	sorts    [][]infer.Sorts // of the values by part and column
	noticed  []note.Note     // what parts have that their records do not show
	misread  []byte          // records that are not valid in the encoding
	leftOut  []note.Note     // on sheets of the workbooks
	widths   map[int]int64   // number of ragged records by number of cells

	occurrences record.Occurrences
	quotes      quoteUse // of some batches, the first and those with misplaced quotes among them, or of all
}

// seen is what one batch adds to the survey apart from the profiles.
type seen struct {
	part            int
	records, broken int64
	ragged          int64
	occurrences     record.Occurrences
	quoteUse        quoteUse
	widths          map[int]int64 // number of ragged records by number of cells
	firstLine       int64
	skipped         record.Skipped
	left            []record.LeftOut
	oddities        []Oddity
	first           [][]string
	misread         []byte
	runs            []infer.Run
	hashes          [][]uint64 // of the first records
	sorts           []infer.Sorts
	quotes          bool // among the first rows
	noticed         []note.Note
}

// works returns what profiles batches, one for each processor, or one where the sample
// has to be the same every time.
func (w *surveying) works() (works []record.Work[seen]) {
	workers := record.Workers(w.options.Spare)
	if w.options.Sample > 0 {
		workers = 1
	}
	origin := infer.Origin{Parts: w.parts, Sheet: !w.survey.Layout.IsText(), Table: w.options.Table}
	w.profiles, w.samples = make([][]infer.Column, workers), make([]record.Sample, workers)
	for i := range w.profiles {
		w.profiles[i], w.samples[i].Size = infer.NewColumns(len(w.headings)), w.options.Draw
		for c := range w.profiles[i] {
			w.profiles[i][c].Origin = origin
		}
		works = append(works, w.work(w.profiles[i], &w.samples[i]))
	}
	return works
}

// take returns what adds the results of batches, in source order.
func (w *surveying) take(in *intake.Intake) func(s seen) error {
	return func(s seen) error {
		w.add(s)
		if w.options.Progress != nil {
			w.options.Progress(pass.Progress{Bytes: in.Done(), Size: in.Size(), Records: w.survey.Records})
		}
		return nil
	}
}

// end joins what the goroutines have found.
func (w *surveying) end(in *intake.Intake) {
	w.columns = w.profiles[0]
	for i, p := range w.profiles[1:] {
		for c := range w.columns {
			w.columns[c].Merge(&p[c])
		}
		w.samples[0].Merge(&w.samples[i+1])
	}
	w.survey.Sample = w.samples[0].Records()
	for i := range in.Parts {
		w.notice(&in.Parts[i])
	}
	w.noteRetyped()
}

// work profiles the batches of one goroutine.
func (w *surveying) work(profile []infer.Column, sample *record.Sample) record.Work[seen] {
	var cells infer.Rows
	var spare []uint64
	return func(b *record.Batch) (seen, error) {
		width := len(w.headings)
		cells.Of(b, width)
		runs := make([]infer.Run, width)
		sorts := make([]infer.Sorts, width)
		var hashes [][]uint64
		last := b.FirstRecord + int64(b.Len()) - 1
		if last <= w.keys.Head() && b.Part == 0 {
			hashes = make([][]uint64, width)
		}
		for c := range profile {
			before := profile[c].Sorts()
			if hashes != nil {
				hashes[c] = profile[c].Add(&cells, c, make([]uint64, 0, b.Len()))
			} else {
				spare = profile[c].Add(&cells, c, spare[:0])
			}
			sorts[c] = profile[c].Sorts().Since(before)
			runs[c] = profile[c].Rising()
		}
		sample.Add(b, width)
		s := seen{runs: runs, hashes: hashes, sorts: sorts, part: b.Part, records: int64(b.Len()), skipped: b.Skipped, left: b.LeftOut()}
		if b.Len() > 0 {
			s.firstLine = b.Line(0)
		}
		if !w.survey.Layout.IsText() {
			s.noticed = intake.NewTable(b, w.parts[b.Part])
		}
		w.noteOddities(b, &s)
		if w.options.quotes || b.FirstRecord%16 == 1 || s.occurrences.MisplacedQuotes() > 0 {
			s.quoteUse = w.quoteUse(b)
		}
		if b.FirstRecord == 1 && b.Part == 0 {
			s.quotes = bytes.IndexByte(b.Data[:b.Raw], '"') >= 0
			s.first = rows(b, 0, w.rowCount())
		}
		return s, nil
	}
}

func (w *surveying) rowCount() int {
	if w.options.Rows > 0 {
		return w.options.Rows
	}
	return DefaultRows
}

// rows returns the cells of some records, long ones cut.
func rows(b *record.Batch, from, to int) [][]string {
	var rows [][]string
	for r := from; r < min(b.Len(), to); r++ {
		var row []string
		for c := range b.Width(r) {
			row = append(row, record.Clip(b.Cell(r, c)))
		}
		rows = append(rows, row)
	}
	return rows
}

// add adds what a batch adds, in source order.
func (w *surveying) add(s seen) {
	v := w.survey
	if v.Layout.FirstDataLine == 0 && s.records > 0 {
		v.Layout.FirstDataLine = s.firstLine
	}
	w.keys.Add(s.runs, s.hashes)
	for c := range s.sorts {
		w.sorts[s.part][c].Add(s.sorts[c])
	}
	v.Records += s.records
	w.occurrences.Join(&s.occurrences)
	w.quotes.add(&s.quoteUse)
	v.Ragged += s.ragged + s.occurrences[record.Short].N
	v.Filled += s.occurrences[record.Short].N
	for width, n := range s.widths {
		w.widths[width] += n
	}
	v.Broken += s.broken
	v.Skipped = v.Skipped.Plus(s.skipped)
	w.noticed = append(w.noticed, s.noticed...)
	for _, o := range s.oddities {
		if lists(v.Oddities, o.What) {
			o.Source = w.parts[s.part]
			v.Oddities = append(v.Oddities, o)
		}
	}
	for _, l := range s.left {
		if len(v.SkippedRows) < maxSkippedRows {
			v.SkippedRows = append(v.SkippedRows, SkippedRow{w.parts[s.part], l.Line, l.Rule.String(), l.Text})
		}
	}
	v.Rows = append(v.Rows, s.first...)
	v.hasQuotes = v.hasQuotes || s.quotes
	if len(w.misread) < maxMisread {
		w.misread = append(w.misread, s.misread...)
	}
}

func optional(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}

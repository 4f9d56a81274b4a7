// Package survey finds out what a source holds before anything is decided: its
// layout, a profile of each column, and what is odd about it. Draft makes a
// plan of it.
package survey

import (
	"context"
	"errors"
	"fmt"
	"runtime"

	"ambertray/internal/delimited"
	"ambertray/internal/dialect"
	"ambertray/internal/infer"
	"ambertray/internal/pass"
	"ambertray/internal/record"
	"ambertray/internal/source"
)

// Survey is what one source holds.
type Survey struct {
	Source  string         `json:"source"`
	Sheet   *string        `json:"sheet"`
	Bytes   int64          `json:"bytes"`
	Layout  source.Layout  `json:"layout"`
	Sampled bool           `json:"sampled"` // only the first records were read
	Records int64          `json:"records"`
	Skipped record.Skipped `json:"skipped"`
	// Ragged is how many records have more or fewer cells than the header,
	// Broken how many could not be cut into cells.
	Ragged   int64      `json:"ragged"`
	Broken   int64      `json:"broken"`
	Oddities []Oddity   `json:"oddities"` // the first of them
	Columns  []Column   `json:"columns"`
	Rows     [][]string `json:"first_rows"`
}

// Oddity is something that is not as it should be.
type Oddity struct {
	Line   int64   `json:"line"`
	Column *string `json:"column"`
	What   string  `json:"what"`
}

// Column is what one column holds.
type Column struct {
	Heading   string           `json:"heading"`
	Name      string           `json:"name"`
	Type      string           `json:"type"`
	Format    *string          `json:"format"`
	Nullable  bool             `json:"nullable"`
	Key       bool             `json:"key"` // it could be the key: no blank, no two alike
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
	// InTheWay is what keeps the column from a tighter type and how to take
	// it all the same.
	InTheWay *string `json:"in_the_way"`

	Choice infer.Choice `json:"-"`
}

// Options of a survey.
type Options struct {
	// Sample is how many records are read; 0 is all of them.
	Sample int64
	// Delimiter and Header, unless nil, overrule what is detected.
	Delimiter *string
	Header    *int64
	// Progress, unless nil, is called after every batch.
	Progress func(pass.Progress)
}

const (
	maxOddities = 20
	maxRows     = 5
)

// Run surveys the file at path.
func Run(ctx context.Context, path string, o Options) (*Survey, error) {
	src, err := source.Open(path)
	if err != nil {
		return nil, err
	}
	defer src.Close()
	head, err := src.Head()
	if err != nil {
		return nil, err
	}
	lay := delimited.Detect(head, len(head) < source.HeadSize)
	lay.BOM = src.BOM
	o.tell(&lay)
	reader, headings, err := delimited.Open(src, lay)
	if err != nil {
		return nil, err
	}
	w := &surveying{
		survey:  &Survey{Source: path, Bytes: src.Size, Layout: lay, Oddities: []Oddity{}},
		options: o, headings: headings,
	}
	if err := w.run(ctx, reader); err != nil {
		return nil, err
	}
	w.describe()
	return w.survey, nil
}

// tell puts what the user says over what was detected.
func (o *Options) tell(lay *source.Layout) {
	if o.Delimiter != nil {
		lay.Delimiter = *o.Delimiter
		lay.Told = append(lay.Told, "delimiter")
	}
	if o.Header != nil {
		lay.HeaderLine = *o.Header
		lay.Told = append(lay.Told, "header")
	}
}

// surveying is the state of one survey.
type surveying struct {
	survey   *Survey
	options  Options
	headings []string
	columns  []infer.Column
	bytes    int64 // read so far
}

// seen is what one batch adds to the survey besides the profiles.
type seen struct {
	records, ragged, broken int64
	bytes, firstLine        int64
	skipped                 record.Skipped
	oddities                []Oddity
	rows                    [][]string
}

// errEnough ends a survey of a sample.
var errEnough = errors.New("the sample is complete")

func (w *surveying) run(ctx context.Context, reader *delimited.Reader) error {
	workers := runtime.GOMAXPROCS(0)
	if w.options.Sample > 0 {
		workers = 1 // so that the sample is the same every time
	}
	profiles := make([][]infer.Column, workers)
	var works []record.Work[seen]
	for i := range profiles {
		profiles[i] = make([]infer.Column, len(w.headings))
		works = append(works, w.work(profiles[i]))
	}
	err := record.Run(ctx, &sampled{Reader: reader, left: w.options.Sample}, works, w.add)
	if err != nil && !errors.Is(err, errEnough) {
		return err
	}
	w.survey.Sampled = err != nil
	w.columns = profiles[0]
	for _, p := range profiles[1:] {
		for c := range w.columns {
			w.columns[c].Merge(&p[c])
		}
	}
	return nil
}

// work profiles the batches of one goroutine.
func (w *surveying) work(profile []infer.Column) record.Work[seen] {
	return func(b *record.Batch) (seen, error) {
		width := len(w.headings)
		for c := range profile {
			profile[c].Add(b, c, width)
		}
		s := seen{records: int64(b.Len()), skipped: b.Skipped, bytes: int64(b.Raw), firstLine: b.FirstLine}
		w.noteOddities(b, &s)
		if b.FirstRecord == 1 {
			s.rows = firstRows(b)
		}
		return s, nil
	}
}

// noteOddities lists the broken and the ragged records, up to a limit.
func (w *surveying) noteOddities(b *record.Batch, s *seen) {
	odd := b.Oddities
	for r := range b.Len() {
		broken := false
		for ; len(odd) > 0 && odd[0].Record == r; odd = odd[1:] {
			broken = broken || odd[0].What.Broken()
			if len(s.oddities) < maxOddities {
				s.oddities = append(s.oddities, Oddity{b.OddityLine(odd[0]), w.heading(odd[0].Cell), odd[0].What.String()})
			}
		}
		if broken {
			s.broken++
		} else if n := b.Width(r); n != len(w.headings) {
			s.ragged++
			if len(s.oddities) < maxOddities {
				s.oddities = append(s.oddities, Oddity{b.Line(r), nil, raggedText(n, len(w.headings))})
			}
		}
	}
}

func (w *surveying) heading(c int) *string {
	if c < len(w.headings) {
		return &w.headings[c]
	}
	return nil
}

func firstRows(b *record.Batch) [][]string {
	var rows [][]string
	for r := range min(b.Len(), maxRows) {
		var row []string
		for c := range b.Width(r) {
			row = append(row, string(b.Cell(r, c)))
		}
		rows = append(rows, row)
	}
	return rows
}

// add takes in what a batch adds, in source order.
func (w *surveying) add(s seen) error {
	v := w.survey
	if v.Layout.FirstDataLine == 0 {
		v.Layout.FirstDataLine = s.firstLine
	}
	v.Records += s.records
	v.Ragged += s.ragged
	v.Broken += s.broken
	v.Skipped = v.Skipped.Plus(s.skipped)
	v.Oddities = append(v.Oddities, s.oddities[:min(len(s.oddities), maxOddities-len(v.Oddities))]...)
	v.Rows = append(v.Rows, s.rows...)
	if w.options.Progress != nil {
		w.bytes += s.bytes
		w.options.Progress(pass.Progress{Bytes: w.bytes, Size: v.Bytes, Records: v.Records})
	}
	return nil
}

// describe writes the columns of the survey.
func (w *surveying) describe() {
	names := dialect.Names(w.headings, dialect.PostgreSQL.MaxName)
	for i, h := range w.headings {
		p := &w.columns[i]
		c := p.Choose()
		if w.survey.Sampled {
			c.Evidence = fmt.Sprintf("in the first %d records: %s", w.survey.Records, c.Evidence)
		}
		col := Column{
			Heading: h, Name: names[i], Type: c.Type.String(), Format: optional(c.Format), Nullable: c.Nullable,
			Key: c.Unique && c.Sure && !c.Nullable, Blanks: p.Blanks, NullWords: p.NullWords(),
			Distinct: c.Distinct, Exact: c.Sure, Min: optional(c.Min), Max: optional(c.Max),
			Shortest: p.Shortest, Longest: p.Longest, Examples: p.Examples(), Evidence: c.Evidence,
			InTheWay: optional(c.Way), Choice: c,
		}
		w.survey.Columns = append(w.survey.Columns, col)
	}
}

func optional(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}

// sampled hands out pieces until enough records were cut.
type sampled struct {
	record.Reader
	left int64
}

// Next implements record.Reader.
func (s *sampled) Next() (record.Piece, error) {
	piece, err := s.Reader.Next()
	if err != nil || s.left == 0 {
		return piece, err
	}
	return &samplePiece{piece, s}, nil
}

type samplePiece struct {
	record.Piece
	of *sampled
}

// Cut implements record.Piece.
func (p *samplePiece) Cut(ctx context.Context) (*record.Batch, error) {
	if p.of.left < 0 {
		return nil, errEnough
	}
	b, err := p.Piece.Cut(ctx)
	if err != nil {
		return nil, err
	}
	if int64(b.Len()) >= p.of.left {
		b.Truncate(int(p.of.left))
		p.of.left = -1
	} else {
		p.of.left -= int64(b.Len())
	}
	return b, nil
}

func raggedText(cells, width int) string { return fmt.Sprintf("%d cells, not %d", cells, width) }

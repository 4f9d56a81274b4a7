// Package intake opens the files of a source and reads them as one. It is where
// the formats meet: whoever uses it knows only records.
package intake

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"sync/atomic"

	"ambertray/internal/format"
	"ambertray/internal/record"
	"ambertray/internal/reject"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
	"ambertray/internal/table"
)

// Part is one file of the source.
type Part struct {
	Name   string
	Sheet  string // of a workbook
	Bytes  int64  // of the file as it is
	SHA256 string // once it was read to its end, if it was asked for
	// Content is the SHA-256 of the text, however it is packed and encoded, and
	// TextBytes its length. They are known once it was read to its end, if it was
	// asked for; TextBytes of a plain file before that.
	Content   string
	TextBytes int64
	LeftOut   bool // it is not read

	Headings      []string
	HeaderLine    int64        // where these are, 0 without any
	FirstDataLine int64        // where the records begin if there is no header
	insteadOf     string       // the sheet of the plan that the workbook does not have, or ""
	spacers       []string     // headings of columns without a name and a value that the plan does not have
	recordLine    int64        // of a row that looks like a record where the layout skips it, or 0
	Facts         *sheet.Facts // of a sheet, once it was read to its end
}

// Title is what people call the part.
func (p *Part) Title() string {
	if p.Sheet == "" {
		return p.Name
	}
	return p.Name + record.SheetSign + p.Sheet
}

// SheetName returns the name of the sheet, nil where the part is a file.
func (p *Part) SheetName() *string {
	if p.Sheet == "" {
		return nil
	}
	return &p.Sheet
}

// size adds what the open part is known to have.
func (p *Part) size(src *source.Source) {
	p.Bytes = src.Size
	if src.Plain() {
		p.TextBytes = src.Size
	}
}

// Intake reads the records of one or more files. It implements record.Reader;
// the batches say the part that they come from.
type Intake struct {
	Layout   source.Layout
	Headings []string
	Parts    []Part
	Drift    []Drift // how parts differ from the first

	ctx    context.Context
	opener *source.Opener
	plan   Expected
	wanted []string // headings by which a header is looked for
	sum    bool
	next   int // the part that is opened next
	src    *source.Source
	reader record.Reader
	unmark bool         // the cells are those of a file of rejects
	orders []order      // of the cells of each part, where they differ
	size   int64        // bytes of all parts
	read   atomic.Int64 // of these
}

// expandSheets returns the parts of files: of workbooks the sheets that are
// chosen.
func expandSheets(ctx context.Context, opener *source.Opener, names []string, word, cells string, planned bool) (parts []Part, err error) {
	for _, name := range names {
		book, err := opener.Book(ctx, name)
		if err != nil {
			return nil, err
		}
		if book == nil {
			parts = append(parts, Part{Name: name})
			continue
		}
		chosen, insteadOf, err := chooseSheets(book, word, cells, planned)
		if err != nil {
			return nil, fmt.Errorf("open %s: %w", name, err)
		}
		for _, i := range chosen {
			parts = append(parts, Part{Name: name, Sheet: book.Sheets[i].Name, insteadOf: insteadOf})
		}
	}
	return parts, nil
}

// chooseSheets returns the sheets of a workbook that a word means. If the workbook does not have the
// sheet of a plan, the only sheet with values is read instead of that.
func chooseSheets(book *sheet.Book, word, cells string, planned bool) (chosen []int, insteadOf string, err error) {
	chosen, _, err = book.Resolve(word, cells)
	var missing *sheet.ChoiceError
	if err == nil || !planned || !sheet.IsName(word) || !errors.As(err, &missing) {
		return chosen, "", err
	}
	only, _, other := book.Resolve("", cells)
	if other != nil {
		return nil, "", err
	}
	return only, word, nil
}

// Detect returns the layout of a file; known is what is set of it, by a plan perhaps, and override,
// unless nil, sets that.
func Detect(ctx context.Context, opener *source.Opener, name string, known source.Layout, override func(*source.Layout), planned bool) (source.Layout, error) {
	parts, err := expandSheets(ctx, opener, []string{name}, known.Sheet, known.Cells, planned)
	if err != nil {
		var choice *sheet.ChoiceError
		if errors.As(err, &choice) && choice.Asked == "" {
			choice.Alike = alike(ctx, opener, name, known)
		}
		return source.Layout{}, err
	}
	src, err := opener.Open(ctx, name, known.Options(parts[0].Sheet))
	if err != nil {
		return source.Layout{}, err
	}
	defer src.Close()
	lay := format.Detect(src, override)
	if lay.Sheet == "" {
		lay.Sheet = src.Sheet
	}
	lay.Encoding, lay.Confidence, lay.BOM, lay.Packing = src.Encoding.Name, src.Encoding.Confidence, src.Encoding.BOM, src.Packing
	lay.Readings = src.Encoding.Readings
	return lay, nil
}

// alike reports whether all sheets of a workbook that have values have the same
// columns.
func alike(ctx context.Context, opener *source.Opener, name string, known source.Layout) bool {
	known.Sheet = sheet.All
	lay, err := Detect(ctx, opener, name, known, nil, false)
	if err != nil {
		return false
	}
	lay.Sheet = sheet.All
	in, err := Open(ctx, opener, []string{name}, lay, Expected{}, false)
	if err != nil {
		return false
	}
	return in.Close() == nil
}

// Expected is what a plan knows of the headings. The zero value knows nothing.
type Expected struct {
	Headings []string
	// Also has other headings of these columns, and which each is read as.
	Also map[string]string
	// Optional are headings that a part may lack: its records have blank cells then.
	Optional []string
	// LeftOut are headings that are not needed.
	LeftOut []string
}

// Open opens files of one layout. Where their headings do not agree, either a
// DriftError says how before anything is read, or the headings are those of all
// of them. A header that is not on the line of the layout is looked for by the
// headings that are expected, or else by those of the first part.
func Open(ctx context.Context, opener *source.Opener, names []string, lay source.Layout, plan Expected, sum bool) (*Intake, error) {
	in := &Intake{Layout: lay, ctx: ctx, opener: opener, plan: plan, sum: sum}
	if plan.Headings != nil {
		in.wanted = slices.AppendSeq(slices.Clone(plan.Headings), maps.Keys(plan.Also))
	}
	var err error
	in.Parts, err = expandSheets(ctx, opener, names, lay.Sheet, lay.Cells, plan.Headings != nil)
	if err != nil {
		return nil, err
	}
	err = in.advance()
	if err != nil {
		return nil, err
	}
	first := &in.Parts[0]
	in.Headings = slices.Clone(first.Headings)
	first.size(in.src)
	if in.wanted == nil {
		in.wanted = in.Headings
	}
	for i := range in.Parts[1:] {
		err := in.look(&in.Parts[i+1])
		if err != nil {
			in.Close()
			return nil, err
		}
	}
	for _, p := range in.Parts {
		in.size += p.Bytes
	}
	err = in.drift()
	if err != nil {
		in.Close()
		return nil, err
	}
	return in, nil
}

// look finds out the headings of a further part.
func (in *Intake) look(p *Part) error {
	src, _, err := in.open(p, in.Layout.Options(p.Sheet))
	if err != nil {
		return err
	}
	p.size(src)
	return src.Close()
}

func (in *Intake) open(p *Part, opts source.Options) (src *source.Source, r record.Reader, err error) {
	src, err = in.opener.Open(in.ctx, p.Name, opts)
	if err != nil {
		return nil, nil, err
	}
	isSheet := src.Sheet != ""
	if isSheet == in.Layout.IsText() {
		src.Close()
		return nil, nil, &KindError{p.Title(), isSheet}
	}
	head := src.Head()
	whole := len(head) < source.HeadSize
	lay := in.Layout
	if lay.FindFirstDataLine {
		lay.FirstDataLine = format.FirstDataLine(head, whole, &lay, len(in.wanted))
	}
	f := format.Of(&lay)
	lay, p.recordLine = f.SeekHeader(head, whole, lay, in.wanted)
	p.HeaderLine, p.FirstDataLine = lay.HeaderLine, lay.FirstDataLine
	r, p.Headings, err = f.Open(src, lay)
	if err == nil {
		p.spacers = table.Without(f.Spacers(head, whole, lay, p.Headings), in.plan.Headings)
		err = in.plan.rename(p)
	}
	if err != nil {
		src.Close()
		return nil, nil, err
	}
	return src, r, nil
}

// rename gives the columns of a part the headings that the plan reads them as.
func (e *Expected) rename(p *Part) error {
	for i, h := range p.Headings {
		name, ok := e.Also[h]
		if !ok {
			continue
		}
		if slices.Contains(p.Headings, name) {
			return &TwiceError{Part: p.Title(), Headings: [2]string{name, h}}
		}
		p.Headings[i] = name
	}
	return nil
}

// KindError says that a part is a sheet of a workbook where text is expected, or text
// where a sheet is.
type KindError struct {
	Part  string
	Sheet bool // it is one
}

func (e *KindError) Error() string {
	kinds := [2]string{"text", "a sheet of a workbook"}
	if e.Sheet {
		kinds = [2]string{kinds[1], kinds[0]}
	}
	return fmt.Sprintf("%s is %s, and the other files or the plan are for %s", e.Part, kinds[0], kinds[1])
}

// TwiceError says that a part has two headings of which a plan expects one.
type TwiceError struct {
	Part     string
	Headings [2]string
}

func (e *TwiceError) Error() string {
	return fmt.Sprintf("%s has both %s and %s, which are one column in the plan", e.Part, e.Headings[0], e.Headings[1])
}

// advance opens the next part.
func (in *Intake) advance() (err error) {
	p := &in.Parts[in.next]
	o := in.Layout.Options(p.Sheet)
	o.Sum, o.Count, o.Keep = in.sum, &in.read, true
	in.src, in.reader, err = in.open(p, o)
	in.next++
	return err
}

// LeaveOut leaves out parts, by their indexes, before anything is read. One part
// at least must be left.
func (in *Intake) LeaveOut(parts []int) error {
	for _, i := range parts {
		in.Parts[i].LeftOut = true
		in.size -= in.Parts[i].Bytes
	}
	if !in.Parts[0].LeftOut {
		return nil
	}
	err := in.src.Close()
	if err != nil {
		return err
	}
	in.skipLeftOut()
	return in.advance()
}

// Only limits the intake to the part of a share, from its first record on where the format
// allows it, before anything is read. The part does not know its content then.
func (in *Intake) Only(s *record.Share) error {
	for i := range in.Parts {
		if i != s.Part {
			in.Parts[i].LeftOut = true
			in.size -= in.Parts[i].Bytes
		}
	}
	err := in.src.Close()
	if err != nil {
		return err
	}
	in.sum, in.next = false, s.Part
	err = in.advance()
	if err != nil {
		return err
	}
	r, ok := in.reader.(interface{ Skip(*record.Share) error })
	if !ok {
		return nil
	}
	return r.Skip(s)
}

// skipLeftOut continues to the next part that is read.
func (in *Intake) skipLeftOut() {
	for in.next < len(in.Parts) && in.Parts[in.next].LeftOut {
		in.next++
	}
}

// Next implements record.Reader.
func (in *Intake) Next() (record.Piece, error) {
	for {
		next, err := in.reader.Next()
		if err == nil {
			next := piece{Piece: next, part: in.next - 1, unmark: in.unmark}
			if in.orders != nil {
				next.order = in.orders[next.part]
			}
			return next, nil
		}
		name := in.Parts[in.next-1].Title()
		if !errors.Is(err, io.EOF) {
			return nil, fmt.Errorf("read %s: %w", name, err)
		}
		p := &in.Parts[in.next-1]
		p.SHA256, p.Facts = in.src.Sum(), in.src.Facts()
		p.Content, p.TextBytes = in.src.Content()
		in.skipLeftOut()
		if in.next == len(in.Parts) {
			return nil, io.EOF
		}
		err = in.src.Close()
		if err != nil {
			return nil, err
		}
		err = in.advance()
		if err != nil {
			return nil, err
		}
	}
}

// Unmark takes the marks of files of rejects off the headings, and off the cells
// as they are read.
func (in *Intake) Unmark() {
	in.unmark = true
	for _, list := range [][]string{in.Headings, in.Parts[0].Headings} {
		for i := range list {
			list[i] = reject.Unmark(list[i])
		}
	}
}

// piece marks its batch with the part that it comes from.
type piece struct {
	record.Piece
	part   int
	order  order
	unmark bool
}

// Cut implements record.Piece.
func (p piece) Cut(ctx context.Context) (*record.Batch, error) {
	b, err := p.Piece.Cut(ctx)
	if err != nil {
		return nil, err
	}
	b.Part = p.part
	if p.unmark {
		b.EditCells(func(s record.Span) record.Span {
			if reject.IsMarked(b.Data[s.Start:s.End]) {
				s.Start++
			}
			return s
		})
	}
	if p.order.cells != nil {
		b.Remap(p.order.width, p.order.cells)
	}
	return b, nil
}

// Done returns how many bytes were read, of Size.
func (in *Intake) Done() int64 { return in.read.Load() }

// Size returns the bytes of all parts.
func (in *Intake) Size() int64 { return in.size }

// ContentOf reads a part to its end, unless that was done before, and returns the
// SHA-256 of its text.
func (in *Intake) ContentOf(ctx context.Context, part int) (string, error) {
	p := &in.Parts[part]
	if p.Content != "" {
		return p.Content, nil
	}
	o := in.Layout.Options(p.Sheet)
	o.Sum, o.Keep = true, true
	src, err := in.opener.Open(ctx, p.Name, o)
	if err != nil {
		return "", err
	}
	_, err = io.Copy(io.Discard, src)
	p.Content, p.TextBytes = src.Content()
	return p.Content, errors.Join(err, src.Close(), ctx.Err())
}

// Close closes what is open.
func (in *Intake) Close() error {
	if in.src == nil { // a part could not be opened
		return nil
	}
	return in.src.Close()
}

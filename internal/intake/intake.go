// Package intake opens the files of a source and reads them as one. It is where
// the formats meet: whoever uses it knows only records.
package intake

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"sync/atomic"

	"ambertray/internal/convert"
	"ambertray/internal/delimited"
	"ambertray/internal/record"
	"ambertray/internal/sheet"
	"ambertray/internal/source"
)

// Part is one file of the source.
type Part struct {
	Name   string
	Sheet  string // of a workbook
	Bytes  int64  // of the file as it is
	SHA256 string // once it was read to its end, if it was asked for
}

// Title is what people call the part.
func (p *Part) Title() string {
	if p.Sheet == "" {
		return p.Name
	}
	return p.Name + convert.SheetSign + p.Sheet
}

// Intake reads the records of one or more files. It implements record.Reader;
// the batches tell the part that they come from.
type Intake struct {
	Layout   source.Layout
	Headings []string
	Parts    []Part
	Drift    []Drift // how parts differ from the first

	ctx    context.Context
	opener *source.Opener
	sum    bool
	next   int // the part that is opened next
	src    *source.Source
	reader record.Reader
	orders []order      // of the cells of each part, where they differ
	size   int64        // bytes of all parts
	read   atomic.Int64 // of these
}

// Expand returns the names with patterns (*, ?, [) replaced by the files that
// they match, in order of their names.
func Expand(names []string) ([]string, error) {
	var all []string
	for _, n := range names {
		if !source.IsLocal(n) || !strings.ContainsAny(n, "*?[") {
			all = append(all, n)
			continue
		}
		found, err := filepath.Glob(n)
		if err != nil {
			return nil, fmt.Errorf("pattern %s: %w", n, err)
		}
		if found == nil {
			return nil, fmt.Errorf("pattern %s: no file matches", n)
		}
		all = append(all, found...)
	}
	return all, nil
}

// expandSheets returns the parts of files: of workbooks the sheets that are
// chosen.
func expandSheets(ctx context.Context, opener *source.Opener, names []string, word string) (parts []Part, err error) {
	for _, name := range names {
		sheets, err := opener.Sheets(ctx, name)
		if err != nil {
			return nil, err
		}
		if sheets == nil {
			parts = append(parts, Part{Name: name})
			continue
		}
		chosen, err := sheet.Choose(sheets, word)
		if err != nil {
			return nil, fmt.Errorf("open %s: %w", name, err)
		}
		for _, i := range chosen {
			parts = append(parts, Part{Name: name, Sheet: sheets[i].Name})
		}
	}
	return parts, nil
}

// Detect returns the layout of a file; known is what is told of it, and told,
// unless nil, puts that in.
func Detect(ctx context.Context, opener *source.Opener, name string, known source.Layout, told func(*source.Layout)) (source.Layout, error) {
	parts, err := expandSheets(ctx, opener, []string{name}, known.Sheet)
	if err != nil {
		return source.Layout{}, err
	}
	src, err := opener.Open(ctx, name, source.Options{Encoding: known.Encoding, Sheet: parts[0].Sheet, Cells: known.Cells})
	if err != nil {
		return source.Layout{}, err
	}
	defer src.Close()
	detect := delimited.Detect
	if src.Sheet != "" {
		detect = delimited.DetectSheet
	}
	head := src.Head()
	lay := detect(head, len(head) < source.HeadSize, told)
	if lay.Sheet == "" {
		lay.Sheet = src.Sheet
	}
	lay.Encoding, lay.Confidence, lay.BOM, lay.Packing = src.Encoding.Name, src.Encoding.Confidence, src.Encoding.BOM, src.Packing
	return lay, nil
}

// Open opens files of one layout. Where their headings do not agree, either a
// DriftError says how before anything is read, or the headings are those of all
// of them.
func Open(ctx context.Context, opener *source.Opener, names []string, lay source.Layout, sum bool) (*Intake, error) {
	in := &Intake{Layout: lay, ctx: ctx, opener: opener, sum: sum}
	var err error
	if in.Parts, err = expandSheets(ctx, opener, names, lay.Sheet); err != nil {
		return nil, err
	}
	if in.Headings, err = in.advance(); err != nil {
		return nil, err
	}
	in.Parts[0].Bytes = in.src.Size
	all := [][]string{in.Headings}
	for i := range in.Parts[1:] {
		headings, err := in.look(&in.Parts[i+1])
		if err != nil {
			in.Close()
			return nil, err
		}
		all = append(all, headings)
	}
	for _, p := range in.Parts {
		in.size += p.Bytes
	}
	if err := in.drift(all); err != nil {
		in.Close()
		return nil, err
	}
	return in, nil
}

// look returns the headings of a further part.
func (in *Intake) look(p *Part) ([]string, error) {
	src, _, headings, err := in.open(p, source.Options{})
	if err != nil {
		return nil, err
	}
	p.Bytes = src.Size
	return headings, src.Close()
}

func (in *Intake) open(p *Part, opts source.Options) (*source.Source, record.Reader, []string, error) {
	opts.Encoding, opts.Sheet, opts.Cells = in.Layout.Encoding, p.Sheet, in.Layout.Cells
	src, err := in.opener.Open(in.ctx, p.Name, opts)
	if err != nil {
		return nil, nil, nil, err
	}
	r, headings, err := delimited.Open(src, in.Layout)
	if err != nil {
		src.Close()
		return nil, nil, nil, err
	}
	return src, r, headings, nil
}

// advance opens the next part and returns its headings.
func (in *Intake) advance() (headings []string, err error) {
	in.src, in.reader, headings, err = in.open(&in.Parts[in.next], source.Options{Sum: in.sum, Count: &in.read})
	in.next++
	return headings, err
}

// Next implements record.Reader.
func (in *Intake) Next() (record.Piece, error) {
	for {
		p, err := in.reader.Next()
		if err == nil {
			next := piece{Piece: p, part: in.next - 1}
			if in.orders != nil {
				next.order = in.orders[next.part]
			}
			return next, nil
		}
		name := in.Parts[in.next-1].Title()
		if !errors.Is(err, io.EOF) {
			return nil, fmt.Errorf("read %s: %w", name, err)
		}
		in.Parts[in.next-1].SHA256 = in.src.Sum()
		if in.next == len(in.Parts) {
			return nil, io.EOF
		}
		if err := in.src.Close(); err != nil {
			return nil, err
		}
		if _, err := in.advance(); err != nil {
			return nil, err
		}
	}
}

// piece marks its batch with the part that it comes from.
type piece struct {
	record.Piece
	part  int
	order order
}

// Cut implements record.Piece.
func (p piece) Cut(ctx context.Context) (*record.Batch, error) {
	b, err := p.Piece.Cut(ctx)
	if err != nil {
		return nil, err
	}
	b.Part = p.part
	if p.order.cells != nil {
		b.Remap(p.order.width, p.order.cells)
	}
	return b, nil
}

// Done returns how many bytes were read, of Size.
func (in *Intake) Done() int64 { return in.read.Load() }

// Size returns the bytes of all parts.
func (in *Intake) Size() int64 { return in.size }

// Sums reads the parts to their ends and returns the SHA-256 of each.
func (in *Intake) Sums(ctx context.Context) (sums []string, err error) {
	for _, p := range in.Parts {
		src, err := in.opener.Open(ctx, p.Name, source.Options{Encoding: in.Layout.Encoding, Sheet: p.Sheet, Cells: in.Layout.Cells, Sum: true})
		if err != nil {
			return nil, err
		}
		_, err = io.Copy(io.Discard, src)
		sums = append(sums, src.Sum())
		if err = errors.Join(err, src.Close(), ctx.Err()); err != nil {
			return nil, err
		}
	}
	return sums, nil
}

// Close closes what is open.
func (in *Intake) Close() error {
	if in.src == nil { // a part could not be opened
		return nil
	}
	return in.src.Close()
}

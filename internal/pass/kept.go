package pass

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"ambertray/internal/frame"
	"ambertray/internal/intake"
	"ambertray/internal/record"
	"ambertray/internal/reject"
	"ambertray/internal/source"
	"ambertray/internal/template"
	"ambertray/internal/tray"
)

// ColumnsError says that a file of rejects has not the columns any more that it
// was written with.
type ColumnsError struct {
	File    string
	Missing []string
	Unknown []string
	Moved   []string
}

func (e *ColumnsError) Error() string {
	var what []string
	for _, list := range []struct {
		name     string
		headings []string
	}{{"missing", e.Missing}, {"unknown", e.Unknown}, {"moved", e.Moved}} {
		if list.headings != nil {
			what = append(what, fmt.Sprintf("%s: %s", list.name, strings.Join(list.headings, ", ")))
		}
	}
	return fmt.Sprintf("the columns of %s were changed: %s", e.File, strings.Join(what, "; "))
}

// checkColumns compares the headings of a file of rejects with those that it was
// written with.
func checkColumns(file string, has, want []string) error {
	e := ColumnsError{File: file}
	for i, h := range want {
		switch {
		case !slices.Contains(has, h):
			e.Missing = append(e.Missing, h)
		case i >= len(has) || has[i] != h:
			e.Moved = append(e.Moved, h)
		}
	}
	for _, h := range has {
		if !slices.Contains(want, h) {
			e.Unknown = append(e.Unknown, h)
		}
	}
	if e.Missing != nil || e.Unknown != nil {
		e.Moved = nil // which they make the others
	}
	if e.Missing == nil && e.Unknown == nil && e.Moved == nil {
		return nil
	}
	return &e
}

// keptSign begins the headings that only a file of rejects has.
const keptSign = "\x00"

// OpenKept opens a file of rejects that a tray's source, which had the given
// headings, has left. A program that corrects it may have saved it with another
// delimiter or encoding.
func OpenKept(ctx context.Context, t *tray.Tray, opener *source.Opener, path string, headings []string) (*Pass, error) {
	sources, err := intake.Expand(t.Paths())
	if err != nil {
		return nil, err
	}
	lay := source.DefaultLayout()
	lay.Delimiter, lay.Encoding, err = writtenWith(ctx, opener, path)
	if err != nil {
		return nil, err
	}
	in, err := intake.Open(ctx, opener, []string{path}, lay, intake.Expected{}, true)
	if err != nil {
		return nil, err
	}
	in.Unmark()
	header := reject.Header(headings)
	err = checkColumns(path, in.Headings, frame.Distinct(slices.Clone(header)))
	if err != nil {
		in.Close()
		return nil, err
	}
	// The source may have headings like those that only this file has.
	for i := range header {
		if i < len(header)-len(headings)-1 || i == len(header)-1 {
			header[i] = keptSign + header[i]
		}
	}
	p := &Pass{in: in, Headings: header, Sources: sources, tray: t, kept: true}
	for _, name := range sources {
		p.files = append(p.files, template.File{Name: name})
	}
	return p, nil
}

// writtenWith returns the delimiter and the encoding of a file of rejects: the
// first stands after its first heading.
func writtenWith(ctx context.Context, opener *source.Opener, path string) (delimiter, encoding string, err error) {
	src, err := opener.Open(ctx, path, source.Options{})
	if err != nil {
		return "", "", err
	}
	defer src.Close()
	first := reject.Header(nil)[0]
	rest, ok := bytes.CutPrefix(bytes.TrimPrefix(src.Head(), []byte(`"`)), []byte(first))
	rest = bytes.TrimPrefix(rest, []byte(`"`))
	if !ok || len(rest) == 0 || !strings.ContainsRune(",;\t|", rune(rest[0])) {
		return "", "", fmt.Errorf("%s does not begin with its header, whose first heading is %q; put the columns back in their order", path, first)
	}
	return string(rest[:1]), src.Encoding.Name, nil
}

// Cells reads the records as they stand, without converting them, and calls do
// with the number and the cells of each.
func (p *Pass) Cells(ctx context.Context, do func(number int64, cells []string) error) error {
	type row struct {
		number int64
		cells  []string
	}
	work := func(b *record.Batch) (rows []row, _ error) {
		for r := range b.Len() {
			next := row{number: b.Number(r)}
			for c := range b.Width(r) {
				next.cells = append(next.cells, string(b.Cell(r, c)))
			}
			rows = append(rows, next)
		}
		return rows, nil
	}
	return record.Run(ctx, p.in, []record.Work[[]row]{work}, func(rows []row) error {
		for _, r := range rows {
			err := do(r.number, r.cells)
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// remarkEdits says of records that are rejected again that a change of what was
// wrong with them has no effect: only the cells of the record count.
func remarkEdits(rejects []reject.Reject) {
	for i := range rejects {
		r := &rejects[i]
		if r.Cells != nil && r.Column == r.Cells[reject.ColumnCell] && r.Value != r.Cells[reject.ValueCell] {
			r.Reason += `; the column "value" is not read: correct the cell under its heading`
		}
	}
}

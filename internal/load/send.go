package load

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"ambertray/internal/convert"
	"ambertray/internal/note"
	"ambertray/internal/pass"
	"ambertray/internal/reject"
)

// send brings every record into the table or into the rejects.
func (l *loading) send(ctx context.Context) (out *pass.Outcome, err error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	if l.sink, err = l.tx.Load(ctx, l.filled()); err != nil {
		return nil, err
	}
	out, err = l.pass.Run(ctx, pass.Options{
		Dialect:   l.to.Dialect(),
		Load:      l.receipt.Load,
		Table:     l.table,
		Encoder:   l.to.Encoder(len(l.table.Loaded())),
		Progress:  l.Progress,
		NoFigures: l.Verify == RowsOnly,
		Block: func(k *convert.Block) error {
			if err := l.reject(k); err != nil {
				return err
			}
			return l.write(ctx, k)
		},
	})
	if closeErr := l.rejects.Close(); err == nil {
		err = closeErr
	}
	rows, refused, closeErr := l.closeSink(err)
	if err == nil {
		err = closeErr
	}
	if err == nil && l.merge != nil {
		rows, refused, err = l.mergeStage(ctx, refused)
	}
	if err != nil {
		return nil, err
	}
	if refused.Len() > 0 {
		if out, err = l.again(ctx, out, refused); err != nil {
			return nil, err
		}
		if l.mend == nil {
			err = writeRefused(l.dir, refused)
		}
		if err != nil {
			return nil, err
		}
	}
	l.count(out, rows)
	return out, nil
}

// write hands a block over to the target.
func (l *loading) write(ctx context.Context, k *convert.Block) error {
	if l.parts != nil {
		return l.writePart(ctx, k)
	}
	if l.merge != nil {
		l.merge.numbers.Add(k)
	}
	return l.sink.Write(k)
}

// closeSink ends the bulk path and returns how many rows it took in all, and
// those that it did not take.
func (l *loading) closeSink(abort error) (rows int64, refused *convert.Refusals, err error) {
	rows, err = l.sink.Close(abort)
	refused = l.sink.Refused()
	if l.parts != nil {
		l.parts.loaded += rows
		l.parts.refused.Append(refused)
		rows, refused = l.parts.loaded, &l.parts.refused
	}
	for _, remark := range l.sink.Remarks() {
		if !slices.Contains(l.receipt.Remarks, remark) {
			l.receipt.Remarks = append(l.receipt.Remarks, remark)
		}
	}
	return rows, refused, err
}

// reject keeps the rejects of a block.
func (l *loading) reject(k *convert.Block) error {
	if l.mend != nil {
		l.mend.note(k.Rejects)
	}
	return l.rejects.Write(k.Rejects...)
}

// again reads the source once more, for the rows that the server has refused:
// only now is it known that they belong to the rejects and not to the figures.
func (l *loading) again(ctx context.Context, first *pass.Outcome, refused *convert.Refusals) (*pass.Outcome, error) {
	o := pass.Options{
		Dialect: l.to.Dialect(), Load: l.receipt.Load, Table: l.table, Refused: refused, Progress: l.Progress, NoFigures: l.Verify == RowsOnly,
		Block: l.reject,
	}
	var err error
	if o.Keys, err = l.keys(ctx, o); err != nil {
		return nil, err
	}
	p, err := l.open(ctx)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	if l.mend != nil {
		l.mend.failed = convert.Refusals{}
	}
	l.rejects = reject.Writer{Path: l.rejects.Path, Headings: l.rejects.Headings, Sources: l.rejects.Sources, Again: l.rejects.Again}
	out, err := p.Run(ctx, o)
	if err := errors.Join(err, l.rejects.Close()); err != nil {
		return nil, err
	}
	for i, part := range out.Parts {
		if part.SHA256 != first.Parts[i].SHA256 {
			return nil, fmt.Errorf("%s was changed while it was loaded", part.Title())
		}
	}
	return out, nil
}

// keys reads the keys of refused records, so that each can be told with the
// record that has it first.
func (l *loading) keys(ctx context.Context, o pass.Options) (convert.Keys, error) {
	p, err := l.open(ctx)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	return p.Keys(ctx, o)
}

// count writes down what was read and what became of it.
func (l *loading) count(out *pass.Outcome, rows int64) {
	r := l.receipt
	for i := range out.Parts {
		p := &out.Parts[i]
		if p.LeftOut {
			continue
		}
		r.Source = append(r.Source, Part{
			Source: p.Name, Sheet: p.SheetName(), Bytes: p.Bytes, SHA256: p.SHA256, Content: p.Content, textBytes: p.TextBytes,
			Read: p.Read, Loaded: p.Loaded, Rejected: p.Rejected,
		})
		if lay := &l.receipt.Layout; p.HeaderLine != lay.HeaderLine && l.mend == nil {
			r.addNote(note.Of(p.Title(), p.HeaderLine, fmt.Sprintf("the header is here, and not on %s %d", lay.LineWord(), lay.HeaderLine)))
		}
	}
	for _, d := range l.pass.Drift() {
		r.addNote(note.Note{Source: &d.Part, What: "its columns are not those of the first: " + d.String()})
	}
	r.Counts.Read, r.Counts.Loaded, r.Counts.Rejected, r.Counts.Skipped = out.Read(), rows, out.Rejects.Total(), out.Skipped.Total()
	r.Skipped = out.Skipped
	r.Rejects.ByReason = out.Rejects.Groups()
	if r.Counts.Rejected > 0 {
		r.Rejects.File = &l.rejects.Path
	}
}

package load

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"ambertray/internal/convert"
	"ambertray/internal/database"
	"ambertray/internal/pass"
	"ambertray/internal/refusal"
)

// send reads every record and hands it to the table or to the rejects.
func (j *job) send(ctx context.Context, w way) (*pass.Outcome, error) {
	encoder := j.sink.Encoder()
	out, err := j.pass.Run(ctx, pass.Options{
		Dialect:   j.to.Dialect(),
		Load:      j.loadID,
		Table:     j.table,
		Refused:   j.withheld,
		Encoder:   encoder,
		Progress:  j.Progress,
		NoFigures: j.Verify == RowsOnly,
		Hash:      j.hash,
		Block: func(k *convert.Block) error {
			err := j.rejects.Write(k.Rejects...)
			if err != nil {
				return err
			}
			return w.write(ctx, k)
		},
	})
	err = cmp.Or(err, j.rejects.Close()) // which may repeat it
	if err == nil {
		j.enter(PhaseFinish)
	}
	rows, refused, closeErr := w.finish(ctx, err)
	if err == nil {
		err = closeErr
	}
	if err != nil {
		return nil, err
	}
	if j.withheld != nil {
		refused.Append(j.withheld)
	}
	j.refused = refused
	if refused.Len() > 0 {
		out, err = j.readAgain(ctx, out, refused, encoder)
		if err == nil {
			err = j.rejects.KeepRefused(refused)
		}
		if err != nil {
			return nil, err
		}
	}
	j.count(out, rows)
	j.noteEncoding(ctx, out)
	return out, nil
}

// openSink opens the bulk path into a table.
func (j *job) openSink(ctx context.Context, tableName string) (err error) {
	into := *j.table
	if into.Name != tableName {
		into.Name, into.Key = tableName, nil
	}
	err = j.chooseHash(ctx)
	if err != nil {
		return err
	}
	j.sink, err = j.tx.Load(ctx, &into)
	laned, ok := j.sink.(database.LanedSink)
	if ok {
		j.receipt.Lanes = laned.Lanes()
	}
	return err
}

// closeSink ends the bulk path, and returns how many rows it took and those that
// the server refused. It does nothing if the path was ended by a checkpoint after
// which the load failed.
func (j *job) closeSink(abort error) (rows int64, refused *refusal.List, err error) {
	sink := j.sink
	if sink == nil {
		return 0, &refusal.List{}, nil
	}
	j.sink = nil
	rows, err = sink.Close(abort)
	for _, remark := range sink.Remarks() {
		if !slices.Contains(j.receipt.Remarks, remark) {
			j.receipt.Remarks = append(j.receipt.Remarks, remark)
		}
	}
	return rows, sink.Refused(), err
}

// readAgain reads the source again because of rows that the server refused: only
// now is it known that they belong to the rejects and not to the figures.
func (j *job) readAgain(ctx context.Context, first *pass.Outcome, refused *refusal.List, encoder convert.Encoder) (*pass.Outcome, error) {
	o := pass.Options{
		Dialect: j.to.Dialect(), Load: j.loadID, Table: j.table, Refused: refused, Progress: j.Progress, NoFigures: j.Verify == RowsOnly, Hash: j.hash, Encoder: encoder,
		Block: func(k *convert.Block) error { return j.rejects.Write(k.Rejects...) },
	}
	var err error
	o.Keys, err = j.keys(ctx, o)
	if err != nil {
		return nil, err
	}
	p, err := j.open(ctx)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	j.rejects.Restart()
	out, err := p.Run(ctx, o)
	err = cmp.Or(err, j.rejects.Close()) // which may repeat it
	if err != nil {
		return nil, err
	}
	for i, part := range out.Parts {
		if part.SHA256 != first.Parts[i].SHA256 {
			return nil, fmt.Errorf("%s was changed while it was loaded", part.Title())
		}
	}
	return out, nil
}

// keys reads the keys of refused records, so that each can be reported with the
// record that has the key first.
func (j *job) keys(ctx context.Context, o pass.Options) (convert.Keys, error) {
	p, err := j.open(ctx)
	if err != nil {
		return nil, err
	}
	defer p.Close()
	return p.Keys(ctx, o)
}
